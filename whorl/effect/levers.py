"""Levers as they stand, as they are set, and as they are taken away; variants, and what lies between them."""

import colorsys
import math
import random
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TypeVar

from pydantic import ValidationError

from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import LISTS, Numbers, Param
from whorl.effect import places
from whorl.effect.document import (
    FAR,
    HOLDS,
    MOST_GIVEN,
    MOST_LEVERS,
    MOST_OPTIONS,
    MOST_VARIANTS,
    Effect,
    Given,
    Held,
    Lever,
    Option,
    Variant,
)
from whorl.effect.strands import Bead
from whorl.effect.value import MOTIONS, Amount, Drift, Levered, Stop, Value
from whorl.fields import levers as fields
from whorl.fields.levers import MOST_ROUNDS
from whorl.refused import Refused
from whorl.shade import Vec3

#: Variants that are dealt at once.
DEALT = 8


def param_of(lever: Lever) -> Param:
    """A number lever as a number: its slider and what it accepts are its own."""
    found = places.param_at("levers/none/value")
    assert found is not None
    return replace(
        found,
        default=(lever.rest,),
        soft=(lever.least, lever.most),
        hard=(lever.floor, lever.ceiling),
        unit=lever.unit,
        whole=lever.whole,
        label=lever.name,
    )


def number_at(effect: Effect, place: str) -> tuple[Param, Value | None]:
    """The number at a place and what stands there. KeyError where there is none."""
    way = place.split("/")
    if way[0] == "strands" and len(way) == 4:
        bead = _bead(effect, way)
        param = CATALOGUE[bead.kind].param(way[3]) if bead and bead.kind in CATALOGUE else None
        if bead is None or param is None:
            raise KeyError(place)
        return param, bead.params.get(way[3])
    param = places.param_at(place)
    if param is None:
        raise KeyError(place)
    return param, places.stands(effect, place)


def _bead(effect: Effect, way: Sequence[str]) -> Bead | None:
    return next((b for s in effect.strands if s.id == way[1] for b in s.beads if b.id == way[2]), None)


def _full(given: object, param: Param) -> Numbers:
    rest: Numbers = tuple(param.default)  # pyrefly: ignore[bad-assignment]
    parts = [given] if isinstance(given, int | float) else list(given) if isinstance(given, tuple) else []
    return tuple(float(x) for x in [*parts, *rest[len(parts) :]][: len(rest)])


def moved(value: Levered, lever: Lever, param: Param) -> Numbers:
    """What a lever makes of a number that it moves, as it stands; what is in motion counts as it rests. Of a speed it
    is how many rounds a turn."""
    if value.rate:
        still = (0.0,) * param.size
        param = replace(param, default=still, hard=(-MOST_ROUNDS, MOST_ROUNDS), whole=True)
    if lever.kind == "place":
        return _full(lever.position if isinstance(lever.position, tuple) else lever.rest_position, param)
    if lever.kind == "colour":
        colour = lever.colour if isinstance(lever.colour, tuple) else lever.rest_colour
        made = fields.lever_colour(Vec3(*_full(colour, param)), param.hard[1])
        return (made.x, made.y, made.z)
    at = float(lever.on) if lever.kind == "switch" else lever.rest
    if lever.kind == "number" and isinstance(lever.value, int | float):
        at = float(lever.value)
    least, most = (0.0, 1.0) if lever.kind == "switch" else (lever.least, lever.most)
    low, high = _full(value.low, param), _full(value.high, param)
    ease = fields.EASED if value.ease == "eased" else fields.EVEN
    return tuple(
        float(fields.levered(at, least, most, a, b, *param.hard, ease, int(param.whole)))
        for a, b in zip(low, high, strict=True)
    )


# --- what is done with a lever -----------------------------------------------------------


@dataclass(frozen=True)
class Put:
    """A value to be put at a place of the document."""

    place: str
    value: object


def published(effect: Effect, place: str, lever: str | None = None) -> tuple[Lever | None, Levered | str | None]:
    """A lever for the number or setting at a place, with its name, unit and range, and what then stands there; or, with
    a lever that is there, what has that one move it too. A choice sets what it moves, which stays a plain value; one
    that is there comes back with this place in each of its ways. A stop of a ramp names its lever. Raises Refused,
    KeyError."""
    known = next((x for x in effect.levers if x.id == lever), None)
    if known and known.kind == "choice":
        return _also(effect, known, place), None
    if stop := places.stop_at(effect, place):
        return _of_stop(effect, place, stop, known, lever)
    if (ways := ways_of(effect, place)) is not None:
        return _choice(effect, place, ways, lever), None
    param, value = number_at(effect, place)
    called = param.label or param.name.replace("_", " ")
    if param.type in LISTS or param.only_fed or place.startswith("levers/") or not _takes_levers(effect, place):
        raise Refused(f"{called} is not moved by a lever")
    if lever is not None:
        if known is None:
            raise Refused(f"there is no lever '{lever}'")
        if known.kind == "place" and (param.type != "triple" or not place.startswith("beacons/")):
            raise Refused(f"{known.name} is a place, which {called} is not")
        if (known.kind == "colour") != (param.type == "colour") and known.kind != "switch":
            raise Refused(f"{known.name} is a {known.kind}, which {called} is not")
        return None, _over(known.id, known, param, value)
    if len(effect.levers) >= MOST_LEVERS:
        raise Refused(f"an effect has {MOST_LEVERS} levers at the most")
    if place.startswith("beacons/") and param.type == "triple":
        here = _full(value, param)
        name = _name(effect, place, called)
        id = _free(name, [x.id for x in effect.levers], "lever")
        own = value if isinstance(value, MOTIONS) else here
        return Lever(id=id, name=name, kind="place", position=own, rest_position=here), Levered(lever=id)
    drifts = _drifts(value, param)
    name = _name(effect, place, f"{called} speed" if drifts else called)
    id = _free(name, [x.id for x in effect.levers], "lever")
    if param.type == "colour":
        colour = _full(value if isinstance(value, tuple) else None, param)
        made = Lever(id=id, name=name, kind="colour", colour=colour, rest_colour=colour, group="colour")
        return made, Levered(lever=id)
    if drifts:
        return _of_drift(id, name, drifts, param)
    soft, hard = param.soft, param.hard
    now = value if isinstance(value, MOTIONS) and param.size == 1 else _full(value, param)[0]
    rest = now if isinstance(now, float) else _full(None, param)[0]
    made = Lever(
        id=id,
        name=name,
        value=now,
        rest=rest,
        least=soft[0],
        most=soft[1],
        floor=hard[0],
        ceiling=hard[1],
        unit=param.unit,
        whole=param.whole,
    )
    return made, _over(id, made, param, value)


def _of_stop(
    effect: Effect, place: str, stop: Stop, known: Lever | None, lever: str | None
) -> tuple[Lever | None, str]:
    """A colour lever for a stop of a ramp, or one that is there."""
    if lever is not None:
        if known is None:
            raise Refused(f"there is no lever '{lever}'")
        if known.kind != "colour":
            raise Refused(f"{known.name} is a {known.kind}; a stop takes a lever that is a colour")
        return None, known.id
    if len(effect.levers) >= MOST_LEVERS:
        raise Refused(f"an effect has {MOST_LEVERS} levers at the most")
    name = _name(effect, place, "colour")
    id = _free(name, [x.id for x in effect.levers], "lever")
    return Lever(id=id, name=name, kind="colour", colour=stop.colour, rest_colour=stop.colour, group="colour"), id


def ways_of(effect: Effect, place: str) -> list[tuple[str, bool | int | str]] | None:
    """What may stand at the place of a setting or of a choice of the surface or stage, each with its name; None where
    there is no such thing."""
    way = place.split("/")
    if way[0] == "strands" and len(way) == 4:
        bead = _bead(effect, way)
        setting = CATALOGUE[bead.kind].setting(way[3]) if bead and bead.kind in CATALOGUE else None
        if setting is None:
            return None
        if setting.kind == "picture":
            return [(a.name, a.id) for a in effect.assets]
        if setting.kind == "beacon":
            return [(b.name, b.id) for b in effect.beacons]
        if setting.kind == "switch":
            return [("off", False), ("on", True)]
        if setting.kind == "whole":
            return [(str(n), n) for n in range(setting.low, setting.high + 1)]
        return [(o, o) for o in setting.options]
    return [(o, o) for o in places.options_at(place)] or None


def stands_at(effect: Effect, place: str) -> object:
    """What a setting, choice or number is as it stands; its default where it is left so. KeyError."""
    way = place.split("/")
    if way[0] == "strands" and len(way) == 4:
        bead = _bead(effect, way)
        spec = CATALOGUE.get(bead.kind) if bead else None
        if bead is None or spec is None:
            raise KeyError(place)
        if setting := spec.setting(way[3]):
            return bead.settings.get(way[3], setting.default)
        param = spec.param(way[3])
        if param is None:
            raise KeyError(place)
        given = bead.params.get(way[3])
        return _amount(tuple(param.default)) if given is None else given  # pyrefly: ignore[bad-argument-type]
    return places.stands(effect, place)


def _choice(effect: Effect, place: str, ways: Sequence[tuple[str, bool | int | str]], lever: str | None) -> Lever:
    """A choice among all that may stand at a place."""
    called = place.split("/")[-1].replace("_", " ")
    if lever is not None:
        raise Refused(f"{called} goes with a choice, and with no other lever")
    if len(effect.levers) >= MOST_LEVERS:
        raise Refused(f"an effect has {MOST_LEVERS} levers at the most")
    if len(ways) < 2:
        raise Refused(f"there is nothing to choose from for {called} yet")
    here = stands_at(effect, place)
    # What it is now is among them, whatever is left out.
    order = sorted(range(len(ways)), key=lambda i: (ways[i][1] != here, i))[:MOST_OPTIONS]
    kept = [ways[i] for i in sorted(order)]
    options = tuple(Option(name=name, puts=(Given(place=place, value=value),)) for name, value in kept)
    at = next((i for i, (_, value) in enumerate(kept) if value == here), 0)
    name = _name(effect, place, called)
    id = _free(name, [x.id for x in effect.levers], "lever")
    return Lever(id=id, name=name, kind="choice", options=options, chosen=at, rest_chosen=at)


def _also(effect: Effect, lever: Lever, place: str) -> Lever:
    """A choice that sets one place more, in each of its ways to what stands there."""
    here = stands_at(effect, place)
    if not isinstance(here, (bool, int, float, str, tuple)) or (isinstance(here, tuple) and not _numbers(here)):
        raise Refused("a choice sets what stands still; hold it still first")
    named, may = place.split("/")[-1], [value for _, value in ways_of(effect, place) or []]

    def given(option: Option) -> Given:
        # One picture feeds several beads: where the same is chosen elsewhere already, it is chosen here too.
        like = next((g.value for g in option.puts if g.place.split("/")[-1] == named and g.value in may), here)
        return Given(place=place, value=like)

    options = tuple(
        o if any(g.place == place for g in o.puts) else o.model_copy(update={"puts": (*o.puts, given(o))})
        for o in lever.options
    )
    if any(len(o.puts) > MOST_GIVEN for o in options):
        raise Refused(f"a choice sets {MOST_GIVEN} things at the most")
    return lever.model_copy(update={"options": options})


def _numbers(value: tuple[object, ...]) -> bool:
    return all(isinstance(x, int | float) for x in value)


def chosen_puts(lever: Lever, index: int) -> list[Put]:
    """What a choice puts where, when it goes a way."""
    return [Put(g.place, g.value) for g in lever.options[index].puts] if index < len(lever.options) else []


def _drifts(value: object, param: Param) -> Drift | None:
    """A drift whose speed a lever may take: one that comes round again."""
    return value if isinstance(value, Drift) and isinstance(param.wrap, int | float) else None


def _rounds(drift: Drift, param: Param) -> Numbers:
    return _full(drift.cycles, replace(param, default=(0.0,) * param.size))


def _of_drift(id: str, name: str, drift: Drift, param: Param) -> tuple[Lever, Levered]:
    """A lever for the speed of a drift: its rounds a turn, along the way that it goes."""
    rounds = _rounds(drift, param)
    now = max(rounds, key=abs)
    most = float(max(4, math.ceil(2 * abs(now))))
    end = tuple(x / now * most if now else most for x in rounds)
    lever = Lever(
        id=id,
        name=name,
        value=now if now > 0 else abs(now),
        rest=abs(now),
        most=most,
        floor=-MOST_ROUNDS,
        ceiling=MOST_ROUNDS,
        unit="rounds a turn",
        whole=True,
    )
    sign = 1.0 if now >= 0 else -1.0
    low = _amount((0.0,) * len(end))
    return lever, Levered(lever=id, low=low, high=_amount(tuple(sign * x for x in end)), rate=True, base=drift.base)


def _takes_levers(effect: Effect, place: str) -> bool:
    try:
        places.changed(effect, place, {"lever": "any"})
    except ValidationError:
        return False
    return True


def _over(id: str, lever: Lever, param: Param, value: object) -> Levered:
    """Over the range of a lever from one end of a number's slider to the other; of several components the first."""
    if lever.kind == "colour":
        return Levered(lever=id)
    low, high = param.soft
    if (drift := _drifts(value, param)) and lever.kind == "number":
        # At the same part of the lever as its own rounds, so that several go on at the ratios that they had.
        now = standing(lever)
        at = now if isinstance(now, float) and now else lever.most or 1.0
        ends = [tuple(x / at * end for x in _rounds(drift, param)) for end in (lever.least, lever.most)]
        return Levered(lever=id, low=_amount(ends[0]), high=_amount(ends[1]), rate=True, base=drift.base)
    if lever.kind == "switch":
        here = _full(value, param)
        return Levered(lever=id, low=_amount((0.0, *here[1:])), high=_amount(here))
    rest = _full(value, param)[1:]
    return Levered(lever=id, low=_amount((low, *rest)), high=_amount((high, *rest)))


def _amount(numbers: Numbers) -> Amount:
    return numbers[0] if len(numbers) == 1 else numbers


def _name(effect: Effect, place: str, called: str) -> str:
    """What a lever is called at first: by what it stands on and its number."""
    way = place.split("/")
    named = {x.id: x.name for x in effect.beacons} | {x.id: x.name for x in effect.strands}
    strand = named.get(way[1], way[-2].replace("_", " "))
    taken = {x.name for x in effect.levers}
    full = f"{strand[:1].upper()}{strand[1:]} {called}"[:110]
    return next(n for n in [full, *(f"{full} {k}" for k in range(2, MOST_LEVERS + 2))] if n not in taken)


def _free(name: str, taken: Sequence[str], otherwise: str) -> str:
    base = re.sub(r"[^a-z0-9]+", "-", name.lower())[:32].strip("-") or otherwise
    return next(i for i in [base, *(f"{base}-{n}" for n in range(2, len(taken) + 3))] if i not in taken)


def without(effect: Effect, id: str) -> list[Put]:
    """What puts the present value of a lever into all that it moves. Raises Refused where there is no such lever."""
    lever = next((x for x in effect.levers if x.id == id), None)
    if lever is None:
        raise Refused(f"there is no lever '{id}'")
    out: list[Put] = []
    for r in places.references(effect):
        if r.kind != "lever" or r.id != id or r.gone != "value":
            continue
        if places.stop_at(effect, r.place):
            out += [Put(r.place.removesuffix("lever") + "colour", standing(lever)), Put(r.place, None)]
            continue
        param, value = number_at(effect, r.place)
        assert isinstance(value, Levered)
        whole = value.low == lever.least and value.high == lever.most and value.ease == "linear"
        if value.rate:
            out.append(Put(r.place, Drift(motion="drift", cycles=_amount(moved(value, lever, param)), base=value.base)))
        elif lever.kind == "number" and isinstance(lever.value, MOTIONS) and param.size == 1 and whole and param.moves:
            # It moved just as its lever did, and goes on so.
            out.append(Put(r.place, lever.value))
        else:
            # As many digits as float32 tells apart, so that what was −260 is −260 again.
            out.append(Put(r.place, _amount(tuple(float(f"{x:.9g}") for x in moved(value, lever, param)))))
    for strand in effect.strands:
        if strand.sounds_with == id:
            out += [Put(f"strands/{strand.id}/sounds_with", None)]
            out += [Put(f"strands/{strand.id}/muted", True)] if not lever.on else []
    return out


# --- levers set by name ------------------------------------------------------------------


def standing(lever: Lever) -> Amount:
    """Where a lever stands as a plain value; one in motion where it rests."""
    if lever.kind == "switch":
        return float(lever.on)
    if lever.kind == "choice":
        return float(lever.chosen)
    if lever.kind == "place":
        return lever.position if isinstance(lever.position, tuple) else lever.rest_position  # pyrefly: ignore[bad-return]
    if lever.kind == "colour":
        return lever.colour if isinstance(lever.colour, tuple) else lever.rest_colour  # pyrefly: ignore[bad-return]
    return float(lever.value) if isinstance(lever.value, int | float) else lever.rest


def put(lever: Lever, value: Amount) -> Lever:
    """A lever that stands elsewhere. Raises Refused outside what it accepts, or for another kind of value."""
    if lever.kind == "colour":
        if not isinstance(value, tuple) or len(value) != 3 or not all(0 <= x <= 1000 for x in value):
            raise Refused(f"{lever.name} takes a colour: three numbers from 0 to 1000")
        return lever.model_copy(update={"colour": tuple(float(x) for x in value)})
    if lever.kind == "place":
        if not isinstance(value, tuple) or len(value) != 3 or not all(-FAR <= x <= FAR for x in value):
            raise Refused(f"{lever.name} takes a place: three numbers from {-FAR:g} to {FAR:g}")
        return lever.model_copy(update={"position": tuple(float(x) for x in value)})
    if isinstance(value, tuple):
        raise Refused(f"{lever.name} takes one number, not {len(value)}")
    if lever.kind == "choice":
        if value not in range(len(lever.options)):
            raise Refused(f"{lever.name} has {len(lever.options)} ways; there are {_names(lever)}")
        return lever.model_copy(update={"chosen": int(value)})
    if lever.kind == "switch":
        if value not in (0, 1):
            raise Refused(f"{lever.name} is a switch: 0 or 1, off or on, not {value:g}")
        return lever.model_copy(update={"on": bool(value)})
    if not lever.floor <= value <= lever.ceiling:
        raise Refused(f"{lever.name} goes from {lever.floor:g} to {lever.ceiling:g}, not {value:g}")
    return lever.model_copy(update={"value": float(round(value)) if lever.whole else float(value)})


Named = TypeVar("Named", Lever, Variant)


def _called(what: str, known: Sequence[Named], name: str) -> Named:
    wanted = name.strip().casefold()
    found = next((x for x in known if wanted in (x.id, x.name.casefold())), None)
    if found is None:
        listed = ", ".join(f"'{x.name}'" for x in known) or "none"
        raise Refused(f"there is no {what} '{name[:60]}'; there are {listed}")
    return found


def lever_called(effect: Effect, name: str) -> Lever:
    """A lever by its id or its name, whatever the case. Raises Refused."""
    return _called("lever", effect.levers, name)


def set_to(effect: Effect, values: Mapping[str, Amount]) -> Effect:
    """The effect with levers, by id or name, at other values. Raises Refused."""
    by_id = {x.id: x for x in effect.levers}
    for name, value in values.items():
        lever = by_id[lever_called(effect, name).id]
        by_id[lever.id] = put(lever, value)
    turned = effect.model_copy(update={"levers": tuple(by_id.values())})
    for name in values:
        lever = by_id[lever_called(effect, name).id]
        for p in chosen_puts(lever, lever.chosen) if lever.kind == "choice" else []:
            try:
                turned = places.changed(turned, p.place, p.value)
            except (KeyError, ValidationError):
                # What it set is gone; the rest of it goes on.
                continue
    return turned


def _names(lever: Lever) -> str:
    return ", ".join(o.name for o in lever.options) or "none"


def parsed(effect: Effect, text: str) -> tuple[str, Amount]:
    """A lever's id and value from NAME=VALUE: a number, on or off, or a colour as three numbers with commas.

    Raises Refused.
    """
    name, equals, given = text.partition("=")
    if not equals:
        raise Refused(f"--lever takes NAME=VALUE, as in gate=0.5, not '{text[:60]}'")
    lever = lever_called(effect, name)
    word = given.strip().casefold()
    if lever.kind == "choice":
        at = next((i for i, o in enumerate(lever.options) if o.name.casefold() == word), None)
        if at is None and not (word.isdecimal() and int(word) < len(lever.options)):
            raise Refused(f"{lever.name} takes one of {_names(lever)}, not '{given[:60]}'")
        return lever.id, float(int(word) if at is None else at)
    try:
        numbers = tuple(float(x) for x in given.split(","))
    except ValueError:
        if lever.kind != "switch" or word not in ("on", "off"):
            raise Refused(f"{lever.name} takes a value, not '{given[:60]}'") from None
        numbers = (float(word == "on"),)
    if not all(abs(x) < 1e30 for x in numbers):
        raise Refused(f"{lever.name} takes a finite number")
    return lever.id, _amount(numbers)


def puts(effect: Effect, values: Mapping[str, Amount]) -> list[Put]:
    """Values of levers, by their ids, as what is to be put where."""
    levers = {x.id: x for x in effect.levers}
    out: list[Put] = []
    for id, value in values.items():
        kind, field = levers[id].kind, f"levers/{id}/{HOLDS[levers[id].kind][0]}"
        if kind == "choice":
            index = int(value) if isinstance(value, int | float) else 0
            out += [Put(field, index), *chosen_puts(levers[id], index)]
        else:
            out.append(Put(field, value == 1 if kind == "switch" else value))
    return out


# --- variants ----------------------------------------------------------------------------


def kept(effect: Effect, name: str) -> Variant:
    """How all levers stand, but for those in motion, which move on; under a name, and one that is called so already
    keeps its id. Raises Refused."""
    known = next((v for v in effect.variants if v.name == name), None)
    if known is None and len(effect.variants) >= MOST_VARIANTS:
        raise Refused(f"an effect has {MOST_VARIANTS} variants at the most")
    id = known.id if known else _free(name, [v.id for v in effect.variants], "variant")
    return Variant(id=id, name=name, holds=tuple(Held(lever=x.id, value=standing(x)) for x in still(effect)))


def still(effect: Effect) -> list[Lever]:
    """The levers that are not in motion."""
    return [x for x in effect.levers if not isinstance(x.value, MOTIONS)]


def variant_called(effect: Effect, name: str) -> Variant:
    """A variant by its id or name. Raises Refused."""
    return _called("variant", effect.variants, name)


def applied(effect: Effect, variant: Variant) -> Effect:
    """The effect with its levers as a variant has them; what a lever no longer takes is brought to what it does."""
    return set_to(effect, held(effect, variant))


def held(effect: Effect, variant: Variant) -> dict[str, Amount]:
    """Where a variant has each lever that is there, brought within what that takes."""
    levers = {x.id: x for x in effect.levers}
    return {h.lever: taken(levers[h.lever], h.value) for h in variant.holds if h.lever in levers}


def taken(lever: Lever, value: Amount) -> Amount:
    """A value brought within what a lever accepts, and whole where it goes in whole steps."""
    numbers = value if isinstance(value, tuple) else (value,)
    if lever.kind == "choice":
        return float(min(max(round(numbers[0]), 0), max(len(lever.options) - 1, 0)))
    if lever.kind == "place":
        return tuple(min(max(x, -FAR), FAR) for x in (*numbers, 0.0, 0.0)[:3])
    if lever.kind == "colour":
        three = numbers if len(numbers) == 3 else (numbers[0],) * 3
        return tuple(min(max(x, 0.0), 1000.0) for x in three)
    if lever.kind == "switch":
        return float(numbers[0] >= 0.5)
    within = min(max(numbers[0], lever.floor), lever.ceiling)
    return float(round(within)) if lever.whole else within


def between(effect: Effect, first: Variant, second: Variant, part: float) -> dict[str, Amount]:
    """Where levers stand `part` 0..1 of the way from one variant to another: numbers and colours in linear light
    with the hue going the short way round, switches from the middle on."""
    a, b = held(effect, first), held(effect, second)
    out: dict[str, Amount] = {}
    for lever in effect.levers:
        if lever.id not in a and lever.id not in b:
            continue
        here = standing(lever)
        x, y = a.get(lever.id, here), b.get(lever.id, here)
        if part <= 0 or part >= 1:
            out[lever.id] = y if part >= 1 else x
        elif lever.kind in ("switch", "choice"):
            out[lever.id] = x if part < 0.5 else y
        elif lever.kind == "place":
            assert isinstance(x, tuple) and isinstance(y, tuple)
            out[lever.id] = tuple(p + (q - p) * part for p, q in zip(x, y, strict=True))
        elif isinstance(x, tuple) and isinstance(y, tuple):
            out[lever.id] = _mixed(x, y, part)
        else:
            assert isinstance(x, int | float) and isinstance(y, int | float)
            way = y - x
            span = lever.most - lever.least
            if lever.round and span > 0:
                way -= span * round(way / span)
            at = x + way * part
            out[lever.id] = float(round(at)) if lever.whole else at
    return out


def _mixed(x: Numbers, y: Numbers, part: float) -> Numbers:
    """Two linear colours: their light is mixed, and their hue goes the short way and not through grey."""
    light = [a + (b - a) * part for a, b in zip(x, y, strict=True)]
    (h1, s1, v1), (h2, s2, v2) = (colorsys.rgb_to_hsv(*c) for c in (x, y))
    if min(s1, s2) < 1e-6 or min(v1, v2) < 1e-6:
        return tuple(light)
    turn = (h2 - h1 + 0.5) % 1.0 - 0.5
    hued = colorsys.hsv_to_rgb((h1 + turn * part) % 1.0, s1 + (s2 - s1) * part, 1.0)
    most = max(light)
    return tuple(most * c for c in hued)


def dealt(effect: Effect, seed: int, count: int = DEALT) -> list[dict[str, Amount]]:
    """Random ways for the levers to stand, within their sliders and around where they are; those in motion move on."""
    draw = random.Random(seed)
    return [{x.id: _drawn(x, draw) for x in still(effect)} for _ in range(count)]


def _drawn(lever: Lever, draw: random.Random) -> Amount:
    here = standing(lever)
    if lever.kind == "switch":
        return here if draw.random() < 0.7 else 1.0 - float(here)  # pyrefly: ignore[bad-argument-type]
    if lever.kind == "choice":
        return here if draw.random() < 0.7 else float(draw.randrange(max(len(lever.options), 1)))
    if lever.kind == "place":
        assert isinstance(here, tuple)
        return taken(lever, tuple(x + draw.triangular(-0.4, 0.4) for x in here))
    if isinstance(here, tuple):
        most = max(*here, 1e-6)
        h, s, v = colorsys.rgb_to_hsv(*(x / most for x in here))
        hue, full = (h + draw.triangular(-0.25, 0.25)) % 1.0, min(max(s + draw.triangular(-0.3, 0.3), 0.0), 1.0)
        strength = most * 2.0 ** draw.triangular(-0.7, 0.7)
        return tuple(min(strength * c, 1000.0) for c in colorsys.hsv_to_rgb(hue, full, v))
    low, high = sorted((lever.least, lever.most))
    middle = min(max(here, low), high)
    at = min(max(draw.triangular(low, high, middle), lever.floor), lever.ceiling)
    return float(round(at)) if lever.whole else at
