"""A clear body whose own matter hides what is behind it."""

from collections.abc import Iterator

from whorl.checks.finding import Finding, Mend
from whorl.plan.build import Planned


def find(plan: Planned) -> Iterator[Finding]:
    """Full opacity, and no strand that lets anything through."""
    for place, material in plan.effect.surface.materials.items():
        if material.clear and material.opacity == 1 and not material.channels.opacity:
            words = "at an opacity of 1 the body hides all that is behind it; lower it to see through"
            mend = Mend.of("see through it", (f"{place}/opacity", 0.0))
            yield Finding(kind="opacity hides the body", place=f"{place}/opacity", words=words, mends=[mend])
