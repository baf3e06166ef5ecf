"""The one walk over a document: what stands at a place, and what refers to what.

Places are paths as findings, uniforms and problems write them: "strands/mist/b5/scale",
"surface/emission/0/gain", "stage/lamps/key/yaw". Items of a list are named by their id, or by their
number where they have none; silent fields (`Described.silent`) are left out.
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cache, lru_cache
from typing import Any, Literal

from pydantic import BaseModel

from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import Param
from whorl.effect.described import Condition, Gone, Need, described, fields, gone, kind, part_of
from whorl.effect.document import Effect, Given
from whorl.effect.value import MOTIONS, Apart, Feed, Follow, Levered, Stop

#: What most fields hold, and what refers to nothing.
NUMBERS = (float, int, bool, type(None))


def parts(effect: Effect) -> Iterator[tuple[str, BaseModel]]:
    """Every part of a document with its place, outer ones first; values within params are none."""
    yield from _parts("", effect)


@cache
def _below(model: type[BaseModel]) -> tuple[tuple[str, bool], ...]:
    """The fields of a part that may hold parts, and whether they are silent."""
    every = fields(model).items()
    return tuple((n, s.silent) for n, s in every if n != "params" and part_of(model.model_fields[n]) is not None)


def _parts(place: str, here: BaseModel) -> Iterator[tuple[str, BaseModel]]:
    yield place, here
    for name, silent in _below(type(here)):
        value = getattr(here, name)
        below = place if silent else join(place, name)
        if isinstance(value, BaseModel) and not isinstance(value, Feed | Levered):
            yield from _parts(below, value)
        elif isinstance(value, tuple):
            for i, item in enumerate(value):
                if isinstance(item, BaseModel):
                    # A list of a silent part stands under its own name all the same.
                    yield from _parts(join(below, getattr(item, "id", str(i))), item)


def join(*names: str) -> str:
    """A place from its steps; empty ones are left out."""
    return "/".join(n for n in names if n)


@dataclass(frozen=True)
class Reference:
    """Something that refers to something else: a strand or a bead of it, a picture, a beacon or a lever.

    `gone` says what becomes of it when that goes; see `described.gone`.
    """

    place: str
    kind: Literal["strand", "picture", "beacon", "lever"]
    id: str
    bead: str | None = None
    gone: Gone = "default"
    #: Whether it is a motion that follows a number there, and not a strand that feeds one.
    follows: bool = False
    #: Whether it is a choice that sets something there.
    sets: bool = False


def references(effect: Effect) -> list[Reference]:
    """All that refers to something by its id, in the order of the document."""
    return [r for place, part in parts(effect) for name in _referring(type(part)) for r in _of_field(place, part, name)]


@cache
def _referring(model: type[BaseModel]) -> tuple[str, ...]:
    """The fields of a part that may refer to something: words and switches of most parts never do."""
    alone = ("text", "switch", "choice")
    every = fields(model).items()
    return tuple(n for n, s in every if issubclass(model, Given) or s.refers or kind(model, n) not in alone)


def _of_field(place: str, part: BaseModel, name: str) -> Iterator[Reference]:
    value = getattr(part, name)
    if type(value) in NUMBERS:
        return
    said, becomes = described(type(part), name), gone(type(part), name)
    at = place if said.silent else join(place, name)
    if isinstance(part, Given):
        yield from _set(place, part, name)
    elif isinstance(value, dict):
        spec = CATALOGUE.get(getattr(part, "kind", ""))
        for key, given in value.items():
            if type(given) in NUMBERS:
                continue
            setting = spec.setting(key) if spec else None
            if isinstance(given, Feed):
                yield Reference(join(at, key), "strand", given.strand, given.bead)
            elif isinstance(given, MOTIONS):
                yield from _followed(join(at, key), given)
            elif isinstance(given, Levered):
                yield Reference(join(at, key), "lever", given.lever, gone="value")
            elif isinstance(given, tuple):
                for i, stop in enumerate(given):
                    if isinstance(stop, Stop) and stop.lever:
                        yield Reference(join(at, key, str(i), "lever"), "lever", stop.lever, gone="value")
            elif setting and setting.kind in ("picture", "beacon") and given:
                yield Reference(join(at, key), setting.kind, str(given))
    elif isinstance(value, MOTIONS):
        yield from _followed(at, value)
    elif isinstance(value, Levered):
        yield Reference(at, "lever", value.lever, gone="value")
    elif said.refers and value:
        yield Reference(at, said.refers, str(value))
    elif becomes == "entry":
        for i, item in enumerate(value):
            if lever := getattr(item, "lever", None):
                yield Reference(join(at, getattr(item, "id", str(i))), "lever", lever, gone=becomes)
            else:
                yield Reference(join(at, str(i)), "strand", item.strand, item.bead, becomes)
    elif value is not None and (becomes == "part" or isinstance(value, Feed)):
        yield Reference(at, "strand", value.strand, value.bead, becomes)


def _set(place: str, given: Given, name: str) -> Iterator[Reference]:
    """What a choice sets something of, and what it sets it to."""
    way = given.place.split("/")
    if name == "place" and len(way) > 2 and way[0] == "strands":
        yield Reference(place, "strand", way[1], way[2], gone="entry", sets=True)
    elif name == "place" and len(way) > 1 and way[0] == "beacons":
        yield Reference(place, "beacon", way[1], gone="entry", sets=True)
    elif name == "value" and isinstance(given.value, str) and given.value:
        for kind in ("picture", "beacon"):
            if way[0] == "strands" and way[-1] == kind:
                yield Reference(join(place, "value"), kind, given.value, gone="entry", sets=True)


def _followed(place: str, motion: Any) -> Iterator[Reference]:
    """The beads whose numbers a motion follows, on one of its axes or as a whole."""
    axes = motion.axes if isinstance(motion, Apart) else ()
    for i, axis in enumerate(axes):
        yield from _followed(f"{place}/axes/{i}", axis)
    way = motion.place.split("/") if isinstance(motion, Follow) else []
    if len(way) == 4 and way[0] == "strands":
        yield Reference(place, "strand", way[1], way[2], follows=True)


# --- when something acts -----------------------------------------------------------------


def met(effect: Effect, part: BaseModel, condition: Condition) -> bool:
    """Whether a condition of a field of `part` is met."""
    return all(need.met(_needed(effect, part, need)) for need in condition.needs)


def acts(effect: Effect, part: BaseModel, name: str) -> bool:
    """Whether a field of a part does anything as the document stands."""
    alternatives = described(type(part), name).acts
    return not alternatives or any(met(effect, part, c) for c in alternatives)


def brought_about(effect: Effect, place: str, part: BaseModel, condition: Condition) -> list[tuple[str, Any]] | None:
    """The changes that meet a condition of a field of the part at `place`; None where only a person can choose."""
    changes: list[tuple[str, Any]] = []
    for need in condition.needs:
        if need.met(_needed(effect, part, need)):
            continue
        if need.mended is None:
            return None
        at = need.place if "/" in need.place else join(place, need.place)
        changes.append((at, need.mended))
        found = _find(at.split("/"), Effect, effect)
        sets = described(found.model, found.name).sets.get(str(need.mended), {}) if found else {}
        changes += [(p, v) for p, v in sets.items() if stands(effect, p) == _at_first(p)]
    return changes


def _at_first(place: str) -> Any:
    found = _find(place.split("/"), Effect, Effect(name="default"))
    if found is None:
        raise KeyError(place)
    if found.standing is None:
        # Of a part that is not there to begin with.
        return found.model.model_fields[found.name].get_default(call_default_factory=True)
    return getattr(found.standing, found.name)


def _needed(effect: Effect, part: BaseModel, need: Need) -> Any:
    if "/" not in need.place:
        return getattr(part, need.place)
    here: Any = effect
    for name in need.place.split("/"):
        here = getattr(here, name, None)
    return here


# --- a place ----------------------------------------------------------------------------


@lru_cache(maxsize=4096)
def param_at(place: str) -> Param | None:
    """The param of a number outside the strands, its default being that of this very place.

    None where there is no number there: a lamp's default angle is its own, and not any lamp's.
    """
    found = _find(place.split("/"), Effect, Effect(name="default"))
    if found is None:
        return None
    said = described(found.model, found.name).param
    if said is None:
        return None
    given = getattr(found.standing, found.name, None)
    if isinstance(given, (int, float, tuple)):
        numbers = given if isinstance(given, tuple) else (given,)
        return replace(said, default=tuple(float(x) for x in numbers))
    return said


@dataclass(frozen=True)
class _Found:
    """A field: of which model, of which part where that is there, and the keys that lead to it."""

    model: type[BaseModel]
    name: str
    standing: BaseModel | None
    way: tuple[str | int, ...]


def _find(
    names: list[str], model: type[BaseModel], standing: BaseModel | None, way: tuple[str | int, ...] = ()
) -> _Found | None:
    """Which field a place names. A number and a channel may share a name: the longer place is the channel's."""
    name = names[0]
    if name in model.model_fields:
        if len(names) == 1:
            return _Found(model, name, standing, (*way, name))
        found = _into(names[1:], model, name, standing, way)
        if found:
            return found
    for other, said in fields(model).items():
        if said.silent and (found := _into(names, model, other, standing, way)):
            return found
    return None


def _into(
    names: list[str], model: type[BaseModel], name: str, standing: BaseModel | None, way: tuple[str | int, ...]
) -> _Found | None:
    info = model.model_fields[name]
    inner = part_of(info)
    what, value = kind(model, name), getattr(standing, name, None)
    if inner is None or what not in ("part", "list"):
        return None
    if what == "part":
        return _find(names, inner, value if isinstance(value, BaseModel) else None, (*way, name))
    items: tuple[Any, ...] = value if isinstance(value, tuple) else ()
    at = next((i for i, x in enumerate(items) if getattr(x, "id", None) == names[0]), None)
    if at is None and names[0].isdigit() and int(names[0]) < len(items):
        at = int(names[0])
    item = None if at is None else items[at]
    return _find(names[1:], inner, item, (*way, name, -1 if at is None else at)) if len(names) > 1 else None


def options_at(place: str) -> list[str]:
    """The words that may stand at the place of a choice outside the strands; none where there is no choice."""
    found = _find(place.split("/"), Effect, Effect(name="default"))
    return list(described(found.model, found.name).options) if found else []


def way_to(effect: Effect, place: str) -> tuple[str | int, ...]:
    """The keys that lead to a place in a document as plain data; of a component of a motion too. KeyError."""
    names = place.split("/")
    whole, _, rest = place.partition("/axes/")
    if rest:
        return (*way_to(effect, whole), "axes", int(rest))
    if found := _way_of_bead(effect, names[:-1], names[-1]) if names[0] == "strands" else None:
        return found
    here = _find(names, Effect, effect)
    if here is not None and -1 not in here.way:
        return here.way
    # An item of a list: one field of it, without that.
    for name in ("id", "strand", "lever", "place"):
        inside = _find([*names, name], Effect, effect)
        if inside is not None and inside.standing is not None and -1 not in inside.way:
            return inside.way[:-1]
    raise KeyError(place)


def stands(effect: Effect, place: str) -> Any:
    """What an effect has at the place of a number outside its strands. KeyError where there is no such number."""
    way = _way_of_field(place)
    if way is None:
        found = _find(place.split("/"), Effect, effect)
        if found is None or found.standing is None:
            raise KeyError(place)
        return getattr(found.standing, found.name)
    here: Any = effect
    for name in way:
        if here is None:
            raise KeyError(place)
        here = getattr(here, name)
    return here


@lru_cache(maxsize=4096)
def _way_of_field(place: str) -> tuple[str, ...] | None:
    """The names that lead to a field, where they are the same in any document: no item of a list lies on the way."""
    found = _find(place.split("/"), Effect, None)
    way = found.way if found else ()
    return way if way and all(isinstance(name, str) for name in way) else None  # pyrefly: ignore[bad-return]


def changed(effect: Effect, place: str, value: Any) -> Effect:
    """The effect with another value at a place, as a mend has it. KeyError where there is no such place.

    Raises ValidationError where the value cannot stand there.
    """
    *parents, last = place.split("/")
    way = _way_of_bead(effect, parents, last) if parents[:1] == ["strands"] else None
    if way is None:
        found = _find([*parents, last], Effect, effect)
        if found is None or found.standing is None:
            raise KeyError(place)
        way = found.way
    data = effect.model_dump(mode="json")
    here: Any = data
    for key in way[:-1]:
        here = here[key]
    here[way[-1]] = value
    return Effect.model_validate(data)


def stop_at(effect: Effect, place: str) -> Stop | None:
    """The stop of a ramp of which a place names something: "strands/rim/ramp/stops/0/colour"."""
    way = place.split("/")
    if way[0] != "strands" or len(way) != 6 or not way[4].isdigit():
        return None
    found = (b for s in effect.strands if s.id == way[1] for b in s.beads if b.id == way[2])
    listed = next((b.params.get(way[3]) for b in found), None)
    stop = listed[int(way[4])] if isinstance(listed, tuple) and int(way[4]) < len(listed) else None
    return stop if isinstance(stop, Stop) else None


def _way_of_bead(effect: Effect, parents: list[str], last: str) -> tuple[str | int, ...] | None:
    """The keys that lead to a param or a setting of a bead, or to a field of one of its stops; None where the place is
    no bead's."""
    if stop_at(effect, "/".join((*parents, last))) is not None:
        whole = _way_of_bead(effect, parents[:3], parents[3])
        return None if whole is None else (*whole, int(parents[4]), last)
    for i, strand in enumerate(effect.strands):
        for k, bead in enumerate(strand.beads):
            if parents == ["strands", strand.id, bead.id]:
                if last == "muted":
                    return ("strands", i, "beads", k, last)
                spec = CATALOGUE.get(bead.kind)
                group = "settings" if spec and spec.setting(last) else "params"
                return ("strands", i, "beads", k, group, last)
    return None
