"""The one walk over a document: what stands at a place, and what refers to what.

Places are paths as findings, uniforms and problems write them: "strands/mist/b5/scale",
"surface/emission/0/gain", "stage/lamps/key/yaw". Items of a list are named by their id, or by their
number where they have none; silent fields (`Described.silent`) are left out.
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, Literal

from pydantic import BaseModel

from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import Param
from whorl.effect.described import Condition, Need, described, fields, is_list, part_of
from whorl.effect.document import Effect
from whorl.effect.strands import Bead
from whorl.effect.value import Feed


def parts(effect: Effect) -> Iterator[tuple[str, BaseModel]]:
    """Every part of a document with its place, outer ones first; values within params are none."""
    yield from _parts("", effect)


def _parts(place: str, here: BaseModel) -> Iterator[tuple[str, BaseModel]]:
    yield place, here
    for name, said in fields(type(here)).items():
        value = getattr(here, name)
        if name == "params" or part_of(type(here).model_fields[name]) is None:
            continue
        below = place if said.silent else _join(place, name)
        if isinstance(value, BaseModel) and not isinstance(value, Feed):
            yield from _parts(below, value)
        elif isinstance(value, tuple):
            for i, item in enumerate(value):
                if isinstance(item, BaseModel):
                    # A list of a silent part stands under its own name all the same.
                    yield from _parts(_join(below, getattr(item, "id", str(i))), item)


def _join(*names: str) -> str:
    return "/".join(n for n in names if n)


@dataclass(frozen=True)
class Reference:
    """Something that refers to something else: a strand or a bead of it, a picture or a beacon.

    `gone` says what becomes of it when that goes: it is set to its default, its entry is taken out
    of its list, or the part of the document that it is goes too.
    """

    place: str
    kind: Literal["strand", "picture", "beacon"]
    id: str
    bead: str | None = None
    gone: Literal["default", "entry", "part"] = "default"


def references(effect: Effect) -> list[Reference]:
    """All that refers to something by its id, in the order of the document."""
    return [r for place, part in parts(effect) for r in _of_part(place, part)]


def _of_part(place: str, part: BaseModel) -> Iterator[Reference]:
    if isinstance(part, Bead):
        for name, value in part.params.items():
            if isinstance(value, Feed):
                yield Reference(_join(place, name), "strand", value.strand, value.bead)
        spec = CATALOGUE.get(part.kind)
        for name, chosen in part.settings.items():
            setting = spec.setting(name) if spec else None
            if setting and setting.kind in ("picture", "beacon") and chosen:
                yield Reference(_join(place, name), setting.kind, str(chosen))
        return
    strand = getattr(part, "strand", None)
    if isinstance(strand, str):
        listed = place.rsplit("/", 1)[-1].isdigit()
        yield Reference(place, "strand", strand, getattr(part, "bead", None), "entry" if listed else "part")
    for name, said in fields(type(part)).items():
        value = getattr(part, name)
        if said.refers and value:
            yield Reference(_join(place, name), said.refers, str(value))
        elif isinstance(value, Feed):
            yield Reference(_join(place, name), "strand", value.strand, value.bead)


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
        at = need.place if "/" in need.place else _join(place, need.place)
        changes.append((at, need.mended))
        model, name, _ = _find(at.split("/"), Effect, effect) or (None, "", None)
        if model is not None:
            sets = described(model, name).sets.get(str(need.mended), {})
            changes += [(p, v) for p, v in sets.items() if stands(effect, p) == _at_first(p)]
    return changes


def _at_first(place: str) -> Any:
    return stands(Effect(name="default"), place)


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
    model, name, standing = found
    said = described(model, name).param
    if said is None:
        return None
    given = getattr(standing, name) if standing is not None else None
    if isinstance(given, int | float | tuple):
        numbers = given if isinstance(given, tuple) else (given,)
        return replace(said, default=tuple(float(x) for x in numbers))
    return said


def _find(
    way: list[str], model: type[BaseModel], standing: BaseModel | None
) -> tuple[type[BaseModel], str, BaseModel | None] | None:
    """Which field of which part a place names, and that part as it stands by default, where it does."""
    name = way[0]
    if name in model.model_fields:
        if len(way) == 1:
            return model, name, standing
        found = _into(way[1:], model, name, standing)
        if found:
            return found
    for other, said in fields(model).items():
        if said.silent and (found := _into(way, model, other, standing)):
            return found
    return None


def _into(
    way: list[str], model: type[BaseModel], name: str, standing: BaseModel | None
) -> tuple[type[BaseModel], str, BaseModel | None] | None:
    info = model.model_fields[name]
    inner = part_of(info)
    if inner is None or name == "params":
        return None
    value = getattr(standing, name, None)
    if is_list(info):
        items: tuple[Any, ...] = value if isinstance(value, tuple) else ()
        item = next((x for x in items if getattr(x, "id", None) == way[0]), None)
        if item is None and way[0].isdigit() and int(way[0]) < len(items):
            item = items[int(way[0])]
        return _find(way[1:], inner, item) if len(way) > 1 else None
    return _find(way, inner, value if isinstance(value, BaseModel) else None)


def stands(effect: Effect, place: str) -> Any:
    """What an effect has at the place of a number outside its strands. KeyError where there is no such number."""
    found = _find(place.split("/"), Effect, effect)
    if found is None or found[2] is None:
        raise KeyError(place)
    return getattr(found[2], found[1])


def value_at(document: dict[str, Any], place: str) -> Any:
    """What plain data holds at a place; None where it leaves the default."""
    holder, key = _holder(document, place)
    if isinstance(holder, list):
        return holder[int(key)]
    return holder.get(key) if holder is not None else None


def put(document: dict[str, Any], place: str, value: Any) -> None:
    """Puts a value at a place of plain data, as a mend does. KeyError where there is no such place."""
    holder, key = _holder(document, place, make=True)
    if holder is None:
        raise KeyError(place)
    if isinstance(holder, list):
        holder[int(key)] = value
    else:
        holder[key] = value


def _holder(document: dict[str, Any], place: str, make: bool = False) -> tuple[Any, str]:
    """What of plain data holds the last part of a place."""
    *way, last = place.split("/")
    here: Any = document
    model: type[BaseModel] | None = Effect
    if way and way[0] == "strands":
        strand = _item(document.get("strands", []), way[1])
        bead = _item(strand.get("beads", []), way[2]) if strand and len(way) > 2 else None
        if bead is None:
            return strand, last
        spec = CATALOGUE.get(bead.get("kind", ""))
        group = "settings" if spec and spec.setting(last) else "params"
        return (bead.setdefault(group, {}) if make else bead.get(group)), last
    while way:
        assert model is not None
        step = way[0]
        if step in model.model_fields and not _is_number(model, step, len(way)):
            way.pop(0)
        else:
            # A silent part on the way: a channel of the surface.
            silent = [n for n, said in fields(model).items() if said.silent]
            step = next((n for n in silent if _has(model, n, way[0])), step)
        info = model.model_fields.get(step)
        if info is None:
            return None, last
        inner = here.get(step)
        if inner is None and make:
            inner = here.setdefault(step, [] if is_list(info) else {})
        here, model = inner, part_of(info)
        if is_list(info) and way:
            here, _ = _item(here or [], way[0]), way.pop(0)
        if here is None:
            return None, last
    if model is not None and last not in model.model_fields:
        silent_part = next((n for n, said in fields(model).items() if said.silent and _has(model, n, last)), "")
        if silent_part:
            here = here.setdefault(silent_part, {}) if make else here.get(silent_part)
    return here, last


def _is_number(model: type[BaseModel], name: str, left: int) -> bool:
    """Whether a field that is a number of its own is not what a longer place means."""
    return left >= 1 and fields(model)[name].param is not None


def _has(model: type[BaseModel], silent: str, name: str) -> bool:
    inner = part_of(model.model_fields[silent])
    return inner is not None and name in inner.model_fields


def _item(items: Any, name: str) -> Any:
    found = next((x for x in items if isinstance(x, dict) and x.get("id") == name), None)
    if found is None and name.isdigit() and int(name) < len(items):
        return items[int(name)]
    return found
