"""A clear body whose own matter hides what is behind it."""

from collections.abc import Iterator

from whorl.checks.finding import Finding, Mend
from whorl.effect.places import met
from whorl.effect.surface import CLEAR
from whorl.plan.build import Planned


def find(plan: Planned) -> Iterator[Finding]:
    """Full opacity, and no strand that lets anything through."""
    surface = plan.effect.surface
    if met(plan.effect, surface, CLEAR) and surface.opacity == 1 and "opacity" not in plan.channels:
        words = "at an opacity of 1 the body hides all that is behind it; lower it to see through"
        mend = Mend.of("see through it", ("surface/opacity", 0.0))
        yield Finding(kind="opacity hides the body", place="surface/opacity", words=words, mends=[mend])
