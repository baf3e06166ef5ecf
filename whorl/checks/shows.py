"""An effect that shows nothing."""

from collections.abc import Iterator

from whorl.checks.finding import Finding
from whorl.plan.build import Planned


def find(plan: Planned) -> Iterator[Finding]:
    """No colour and no light anywhere."""
    materials = plan.effect.surface.materials.values()
    # A clear body shows what is behind it, and a film what is around it.
    alone = any(m.clear or m.film != 0 for m in materials)
    if not any(name.endswith(("base", "emission")) for name in plan.channels) and not alone:
        words = "no strand feeds emission or base colour, so the surface is black; send one there"
        yield Finding(kind="nothing shows", place="surface", words=words)
