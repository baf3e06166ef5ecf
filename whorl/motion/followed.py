"""What a number can follow: every other number of the effect, wherever it stands."""

import numpy as np

from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import LISTS, Param
from whorl.effect import places
from whorl.effect.document import Effect
from whorl.effect.levers import moved
from whorl.effect.strands import Bead
from whorl.effect.value import MOTIONS, Feed, Levered
from whorl.motion.kind import Others, Rows, Times, default, fill, row
from whorl.motion.values import rows


class Unfollowed(ValueError):
    """What a number follows is not there, is no number, or comes back to itself; `words` say so."""

    def __init__(self, words: str) -> None:
        super().__init__(words)
        self.words = words


def number_at(effect: Effect, place: str) -> tuple[Param, object]:
    """The number at a place: what it is, and what the document says there. Raises Unfollowed."""
    way = place.split("/")
    if way[0] == "strands" and len(way) == 4:
        bead = next((b for b in _beads(effect, way[1]) if b.id == way[2]), None)
        spec = CATALOGUE.get(bead.kind) if bead else None
        param = spec.param(way[3]) if spec else None
        value = bead.params.get(way[3]) if bead else None
    else:
        param = places.param_at(place) if place else None
        value = None
        if param is not None:
            try:
                value = places.stands(effect, place)
            except KeyError:
                param = None
    if param is None or param.type in LISTS or not param.moves:
        raise Unfollowed(f"there is no number at '{place}' to follow; choose one that is there" if place else _CHOOSE)
    if isinstance(value, Feed):
        raise Unfollowed(f"'{place}' comes from a strand and differs from place to place; follow a number")
    return param, value


_CHOOSE = "choose the number that it follows"


def others(effect: Effect, trail: tuple[str, ...] = ()) -> Others:
    """The rows of every number of an effect by its place. They raise Unfollowed."""

    def of(place: str, times: Times) -> Rows:
        if place in trail:
            raise Unfollowed("it follows what follows it in turn; one of them must move by itself")
        param, value = number_at(effect, place)
        if isinstance(value, MOTIONS):
            return rows(value, param, Times(times.phases, times.looping, others(effect, (*trail, place))))
        if isinstance(value, Levered):
            return of_lever(place, param, value, times)
        still = default(param) if value is None else fill(value, default(param))  # pyrefly: ignore[bad-argument-type]
        return np.repeat(row(still), len(times.phases), axis=0)

    def of_lever(place: str, param: Param, value: Levered, times: Times) -> Rows:
        lever = next((x for x in effect.levers if x.id == value.lever), None)
        if lever is None:
            raise Unfollowed(f"'{place}' is moved by a lever that is not there")
        if lever.kind == "number" and isinstance(lever.value, MOTIONS):
            at = others(effect, (*trail, place))(f"levers/{lever.id}/value", times)
            return np.asarray([moved(value, lever.model_copy(update={"value": float(x)}), param) for x in at[:, 0]])
        return np.repeat(row(moved(value, lever, param)), len(times.phases), axis=0)

    return of


def followable(effect: Effect) -> list[str]:
    """The places of all numbers in motion, which are those worth following."""
    inside = [
        f"strands/{s.id}/{b.id}/{name}"
        for s in effect.strands
        for b in s.beads
        for name, value in b.params.items()
        if isinstance(value, MOTIONS)
    ]
    outside = [
        places.join(place, name)
        for place, part in places.parts(effect)
        for name in type(part).model_fields
        if not isinstance(part, (Bead, *MOTIONS)) and isinstance(getattr(part, name), MOTIONS)
    ]
    return [*inside, *outside]


def _beads(effect: Effect, strand: str) -> tuple[Bead, ...]:
    return next((s.beads for s in effect.strands if s.id == strand), ())
