"""An effect that shows nothing."""

from collections.abc import Iterator

from whorl.checks.finding import Finding
from whorl.plan.build import Planned


def find(plan: Planned) -> Iterator[Finding]:
    """No colour and no light anywhere."""
    surface = plan.effect.surface
    # A clear body shows what is behind it, and a film what is around it.
    alone = (surface.composite == "see-through" and surface.body != "none") or surface.film != 0
    if not {"base", "emission"} & plan.channels.keys() and not alone:
        words = "no strand feeds emission or base colour, so the surface is black; send one there"
        yield Finding(kind="nothing shows", place="surface", words=words)
