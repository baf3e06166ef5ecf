"""A whole effect taken as the second surface of another, and both exchanged."""

from collections.abc import Iterator
from typing import Any

from whorl.beads.spec import Signal
from whorl.effect.document import Effect, Lever
from whorl.effect.ends import ends
from whorl.effect.places import references
from whorl.effect.splices import cut, free, needed, put, renamed, whole
from whorl.effect.strands import Bead, Strand
from whorl.effect.surface import Channels, Material, Surface
from whorl.effect.value import Feed, Key, Keys
from whorl.refused import Refused

#: How much of the shape the edge of a front lies across.
_EDGE = 0.06
_FIRST, _SECOND = "surface", "surface/second"


def taken(effect: Effect, other: Effect, mask: Feed | None = None) -> tuple[Effect, str]:
    """The effect with another as its second surface, and the id that what came is known by: its material, with the
    strands that feed it and all that they refer to, as one splice.

    It shows where the strand of `mask` is 1; without one a front comes along that passes over the shape in the course
    of a turn. Its stage, and a second surface that it has itself, stay behind. Raises Refused.
    """
    surface = other.surface.model_copy(update={"second": None})
    bare = other.model_copy(update={"surface": surface, "levers": tuple(_apart(effect, other))})
    fed = {r.id for r in references(bare) if r.kind == "strand" and r.place.split("/")[0] == _FIRST}
    if not fed:
        raise Refused(f"no strand of {other.name} goes to its surface, so there is nothing to take")
    if mask is not None and ends(effect).get((mask.strand, mask.bead)) not in (Signal.VALUE, Signal.COLOUR):
        raise Refused(f"the mask is to be a strand that gives a value; '{mask.strand}' is not one")
    splice = cut(bare, [*fed, *needed(bare, fed)], other.name, other.notes[:500])
    made, own = put(effect, splice, {}, surface=False)
    given = renamed(splice, next(s.ids for s in made.splices if s.id == own))["surface"]
    update: dict[str, Any] = {}
    if mask is None:
        front = _front(other.name, made)
        update["strands"] = (*made.strands, front)
        mask = Feed(strand=front.id)
    material = {name: given[name] for name in Material.model_fields}
    held = made.surface.model_dump(mode="json")
    glow = {name: held["second"][name] for name in ("front", "front_gain", "front_width")} if held["second"] else {}
    second = {**material, **glow, "strand": mask.strand, "bead": mask.bead}
    update["surface"] = Surface.model_validate({**held, "second": second})
    return whole(made, update), own


def _apart(effect: Effect, other: Effect) -> Iterator[Lever]:
    """The levers of another effect, none of which one that is here can be taken for: each goes on to steer its own."""
    here = {(x.kind, x.name) for x in effect.levers}
    for lever in other.levers:
        own = f"{lever.name} of {other.name}"[:120]
        yield lever.model_copy(update={"name": own}) if (lever.kind, lever.name) in here else lever


def _front(name: str, effect: Effect) -> Strand:
    """A ragged front that passes over any shape and back in a turn; at both ends the edge lies beyond all of it."""
    keys = Key(phase=0.0, value=1.0 + _EDGE / 2), Key(phase=0.5, value=-_EDGE / 2)
    level = Keys(motion="keys", keys=keys)
    beads = (
        Bead(id="object", kind="object"),
        Bead(id="noise", kind="noise", params={"scale": 1.6}, settings={"dimensions": 3}),
        Bead(id="even", kind="even"),
        Bead(id="threshold", kind="threshold", params={"level": level, "softness": _EDGE}),
    )
    return Strand(id=free("front", [s.id for s in effect.strands]), name=f"Where {name} shows"[:120], beads=beads)


def exchanged(effect: Effect) -> Effect:
    """The effect with its two materials in each other's place; the mask between them and its front stay. Raises
    Refused."""
    second = effect.surface.second
    if second is None:
        raise Refused("there is no second surface to exchange the first with")
    data = effect.model_dump(mode="json")
    one, two = data["surface"], data["surface"]["second"]
    for name in Material.model_fields:
        one[name], two[name] = two[name], one[name]
    for option in (o for x in data["levers"] for o in x["options"]):
        for put_ in option["puts"]:
            put_["place"] = _across(put_["place"])
    for told in data["aside"]:
        told["place"] = _across(told["place"])
    return Effect.model_validate(data)


def _across(place: str) -> str:
    """Where what stood at a place of one material stands in the other."""
    names = place.split("/")
    if place.startswith(f"{_SECOND}/") and names[2] in _EITHER:
        return "/".join((_FIRST, *names[2:]))
    if place.startswith(f"{_FIRST}/") and names[1] in _EITHER:
        return "/".join((_SECOND, *names[1:]))
    return place


_EITHER = frozenset(Material.model_fields) | frozenset(Channels.model_fields)
