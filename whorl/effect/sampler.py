"""An effect with one strand for each kind of bead, so that each can be seen at its defaults."""

from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import COLOUR, COORDS, VALUE
from whorl.effect.document import Bead, Effect, Feed, Strand


def sampler() -> Effect:
    """Strands are named by kind; each ends in that kind behind what shows it best."""
    mist = Strand(id="mist", name="mist", beads=[Bead(id="uv", kind="uv"), Bead(id="noise", kind="noise")])
    return Effect(name="Every kind", strands=[mist, *(_strand(kind) for kind in CATALOGUE)])


def _strand(kind: str) -> Strand:
    spec = CATALOGUE[kind]
    last = Bead(id="shown", kind=kind)
    if kind == "tap":
        last = Bead(id="shown", kind=kind, params={"from": Feed(strand="mist")})
    elif kind == "blend":
        last = Bead(id="shown", kind=kind, params={"top": Feed(strand="mist")})
    before: list[Bead] = []
    if COORDS in spec.takes:
        before = [Bead(id="uv", kind="uv")]
    elif COLOUR in spec.takes or VALUE in spec.takes:
        # A spot shows thresholds, rims and ramps at a glance.
        before = [Bead(id="uv", kind="uv"), Bead(id="spot", kind="radial")]
    return Strand(id=f"kind-{kind}", name=kind, beads=[*before, last])
