"""An effect with one strand for each kind of bead, so that each can be seen at its defaults."""

from collections.abc import Iterable

from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import COLOUR, COORDS, DIRECTION, VALUE
from whorl.effect.document import Effect
from whorl.effect.strands import Bead, Strand
from whorl.effect.value import Feed, Stop, Value


def sampler(kinds: Iterable[str] | None = None) -> Effect:
    """Strands are named by kind; each ends in that kind behind what shows it best. All kinds, or some."""
    mist = Strand(id="mist", name="mist", beads=[Bead(id="uv", kind="uv"), Bead(id="noise", kind="noise")])
    relief = Strand(
        id="relief",
        name="relief",
        beads=[
            Bead(id="uv", kind="uv"),
            Bead(id="noise", kind="noise", settings={"octaves": 2}, params={"scale": 3.0}),
            Bead(id="bump", kind="bump", params={"strength": 0.25, "distance": 0.01}),
        ],
    )
    return Effect(name="Every kind", strands=[mist, relief, *(_strand(kind) for kind in kinds or CATALOGUE)])


def _strand(kind: str) -> Strand:
    spec = CATALOGUE[kind]
    params: dict[str, Value] = {}
    if spec.brings:
        params[spec.brings.name] = Feed(strand="relief" if spec.brings.feed is DIRECTION else "mist")
    if kind == "bump":
        params["strength"] = 0.5
    if kind == "select":
        params["by"] = Feed(strand="mist")
    before: list[Bead] = []
    if COORDS in spec.takes:
        before = [Bead(id="uv", kind="uv")]
    elif DIRECTION in spec.takes:
        before = [Bead(id="relief", kind="tap", params={"from": Feed(strand="relief")})]
    elif spec.group == "colour" and COLOUR in spec.takes:
        # Every hue and brightness, so that what a colour bead does is seen.
        before = [
            Bead(id="uv", kind="uv"),
            Bead(id="round", kind="angular"),
            Bead(id="wheel", kind="ramp", params=WHEEL),
        ]
    elif COLOUR in spec.takes or VALUE in spec.takes:
        # A spot shows thresholds, rims and ramps at a glance.
        before = [Bead(id="uv", kind="uv"), Bead(id="spot", kind="radial")]
    return Strand(id=f"kind-{kind}", name=kind, beads=[*before, Bead(id="shown", kind=kind, params=params)])


_HUES = ((0.9, 0.1, 0.1), (0.7, 0.6, 0.05), (0.1, 0.6, 0.15), (0.05, 0.5, 0.7), (0.15, 0.15, 0.8), (0.7, 0.1, 0.5))
WHEEL: dict[str, Value] = {
    "stops": tuple(Stop(at=i / 6, colour=c) for i, c in enumerate((*_HUES, _HUES[0]))),
}
