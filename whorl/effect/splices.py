"""Splices: strands kept for use elsewhere; cut, put into another effect, brought up to date, scaled as one."""

import hashlib
import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError

from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import Signal
from whorl.effect.described import part, text
from whorl.effect.document import ASKED, MOST_LEVERS, MOST_SPLICED, Beacon, Effect, Lever, Spliced
from whorl.effect.ends import End, ends
from whorl.effect.places import Reference, references, way_to
from whorl.effect.problems import BadEffect, Problem
from whorl.effect.read import MOST_BYTES, problems_of
from whorl.effect.strands import Bead, Strand
from whorl.effect.surface import Surface
from whorl.effect.value import Id, Model, Name
from whorl.refused import Refused

#: A strand by itself, or one of its beads: "mist", "mist/noise".
Joins = Mapping[str, str]


class Inlet(Model):
    """A strand that a splice needs from where it is put. What stands in its place is only for its picture."""

    strand: Id
    gives: Signal


class Splice(Model):
    """Strands kept for use elsewhere, as an effect that shows them: with stand-ins where its inlets are."""

    format: Literal["whorl-splice"] = "whorl-splice"
    version: Literal[1] = 1
    name: Name
    words: Annotated[str, Field(max_length=500)] = text("", "What it is for.")
    inlets: Annotated[tuple[Inlet, ...], Field(max_length=24)] = part((), "What it needs from where it is put.")
    effect: Effect

    @property
    def strands(self) -> tuple[Strand, ...]:
        """Its own strands, without what stands in at its inlets."""
        inlets = {i.strand for i in self.inlets}
        return tuple(s for s in self.effect.strands if s.id not in inlets)


def digest(splice: Splice) -> str:
    """The state of a splice: another where anything of it is another."""
    return hashlib.sha256(write_splice(splice).encode()).hexdigest()[:16]


def write_splice(splice: Splice) -> str:
    """A splice as text: stable order, what equals its default left out."""
    data = splice.model_dump(mode="json", exclude_defaults=True)
    data["effect"] = {"format": "whorl-effect", "version": 1, **data["effect"]}
    ordered = {"format": splice.format, "version": splice.version, **data}
    return json.dumps(ordered, indent=2, ensure_ascii=False) + "\n"


def read_splice(given: str | bytes | dict[str, Any]) -> Splice:
    """A splice from text or plain data. Raises BadEffect."""
    data: Any = given
    if not isinstance(given, dict):
        if len(given) > MOST_BYTES:
            raise _bad("the file is over 4 MiB, which no splice needs")
        try:
            data = json.loads(given)
        except (ValueError, RecursionError):
            raise _bad("this is no splice: a .whorl-splice.json is text, written as JSON") from None
    if not isinstance(data, dict) or data.get("format") != "whorl-splice":
        raise _bad('this is not a splice: "format": "whorl-splice" is missing')
    try:
        splice = Splice.model_validate(data)
    except ValidationError as e:
        raise BadEffect(problems_of(data, e)) from None
    there = {s.id for s in splice.effect.strands}
    for inlet in splice.inlets:
        if inlet.strand not in there:
            raise _bad(f"no strand stands in for the inlet '{inlet.strand}'", f"inlets/{inlet.strand}")
    if not splice.strands:
        raise _bad("there is no strand in it but for its inlets", "effect/strands")
    return splice


def _bad(words: str, place: str = "") -> BadEffect:
    return BadEffect([Problem(place=place, words=words)])


# --- cutting ------------------------------------------------------------------------------


def needed(effect: Effect, chosen: Iterable[str]) -> list[str]:
    """The strands that some depend on and that are not among them, in the order of the sheet."""
    wanted, found = set(chosen), set[str]()
    uses = _uses(effect)
    waiting = list(wanted)
    while waiting:
        for other in uses.get(waiting.pop(), ()):
            if other not in wanted | found:
                found.add(other)
                waiting.append(other)
    return [s.id for s in effect.strands if s.id in found]


def _uses(effect: Effect) -> dict[str, set[str]]:
    out: dict[str, set[str]] = {}
    for r in references(effect):
        way = r.place.split("/")
        if r.kind == "strand" and way[0] == "strands":
            out.setdefault(way[1], set()).add(r.id)
    return out


def cut(effect: Effect, chosen: Iterable[str], name: str, words: str = "") -> Splice:
    """Strands as a splice, with the levers, beacons, hits and pictures that they refer to, and what of the surface
    they go to. What they need and is not among them becomes an inlet. Raises Refused."""
    wanted = set(chosen)
    unknown = wanted - {s.id for s in effect.strands}
    if unknown or not wanted:
        raise Refused(f"there is no strand '{min(unknown)}'" if unknown else "a splice holds a strand at least")
    gives = ends(effect)
    # A number that follows another cannot be fed by an inlet, so that other one's strand comes too.
    for r in references(effect):
        way = r.place.split("/")
        if way[0] == "strands" and way[1] in wanted and r.follows:
            wanted.add(r.id)
    strands = [_loose(s, effect) for s in effect.strands if s.id in wanted]
    bare = effect.model_copy(
        update={"name": name, "notes": words, "strands": tuple(strands), "variants": (), "ties": (), "splices": ()}
    )
    data = bare.model_dump(mode="json")
    inlets: dict[End, tuple[Inlet, Strand]] = {}
    taken = [s.id for s in strands]
    drops: list[Reference] = []
    for r in references(bare):
        if r.kind != "strand" or r.id in wanted:
            continue
        if not r.place.startswith("strands/"):
            drops.append(r)
            continue
        end = (r.id, r.bead)
        if end not in inlets:
            if end not in gives:
                raise Refused(f"{r.place} goes on from what is broken; mend that first")
            made = _inlet(effect, end, gives[end], taken)
            taken.append(made[0].strand)
            inlets[end] = made
        _aim(data, bare, r, inlets[end][0].strand, None)
    _drop(data, bare, drops)
    data["strands"] = [s.model_dump(mode="json") for _, s in inlets.values()] + data["strands"]
    cut_out = Effect.model_validate(data)
    used = {(r.kind, r.id) for r in references(cut_out)}
    hits = any(CATALOGUE[b.kind].kind in _STRUCK for s in strands for b in s.beads if b.kind in CATALOGUE)
    kept = cut_out.model_copy(
        update={
            "levers": _with_their_switches(tuple(map(_within, cut_out.levers)), used),
            "beacons": tuple(b for b in cut_out.beacons if ("beacon", b.id) in used),
            "assets": tuple(a for a in cut_out.assets if ("picture", a.id) in used),
            "hits": cut_out.hits if hits else (),
        }
    )
    return Splice(name=name, words=words, inlets=tuple(i for i, _ in inlets.values()), effect=kept)


def _loose(strand: Strand, effect: Effect) -> Strand:
    """A strand of no splice, that names the beacon it is measured from."""
    first = effect.beacons[0].id if effect.beacons else ""
    beads = []
    for b in strand.beads:
        spec = CATALOGUE.get(b.kind)
        if first and spec and spec.setting("beacon") and not b.settings.get("beacon"):
            b = b.model_copy(update={"settings": {**b.settings, "beacon": first}})
        beads.append(b)
    return strand.model_copy(update={"of": None, "beads": tuple(beads)})


#: Kinds that read the effect's hits.
_STRUCK = ("hits", "age-of-hit")


def _with_their_switches(levers: tuple[Lever, ...], used: set[tuple[Any, str]]) -> tuple[Lever, ...]:
    """The levers that are referred to, the choices that set something, and what hides these."""
    wanted = {x.id for x in levers if ("lever", x.id) in used or any(o.puts for o in x.options)}
    wanted |= {x.under for x in levers if x.id in wanted and x.under}
    return tuple(x for x in levers if x.id in wanted)


def _within(lever: Lever) -> Lever:
    """A choice that sets nothing of the surface and the stage, which stay behind."""
    options = tuple(
        o.model_copy(update={"puts": tuple(g for g in o.puts if g.place.split("/")[0] in ("strands", "beacons"))})
        for o in lever.options
    )
    return lever.model_copy(update={"options": options})


def _inlet(effect: Effect, end: End, gives: Signal, taken: list[str]) -> tuple[Inlet, Strand]:
    strand = next(s for s in effect.strands if s.id == end[0])
    bead = next((b for b in strand.beads if b.id == end[1]), None)
    name = strand.name if bead is None else f"{strand.name}, {CATALOGUE[bead.kind].title or bead.kind}"
    id = free(strand.id, taken)
    return Inlet(strand=id, gives=gives), Strand(id=id, name=name[:120], beads=_stand_in(gives))


def _stand_in(gives: Signal) -> tuple[Bead, ...]:
    """Something plain that gives the same, for a splice that is looked at by itself or put where nothing fits."""
    kinds = {
        Signal.COORDS: ("object",),
        Signal.VALUE: ("uv", "noise"),
        Signal.COLOUR: ("uv", "noise", "ramp"),
        Signal.DIRECTION: ("uv", "noise", "bump"),
    }[gives]
    return tuple(Bead(id=k, kind=k) for k in kinds)


def free(base: str, taken: Iterable[str]) -> str:
    """An id that is not taken, as much like the one given as may be."""
    used = set(taken)
    names = (f"{base[:34]}-{n}" for n in range(2, len(used) + 3))
    return base if base not in used else next(n for n in names if n not in used)


# --- references in plain data -------------------------------------------------------------


def _held(data: Any, way: tuple[str | int, ...]) -> Any:
    for key in way:
        data = data[key]
    return data


def _aim(data: Any, effect: Effect, r: Reference, id: str, bead: str | None) -> None:
    """Has a reference lead elsewhere, in the plain data of its effect; a bead that it names stays, unless given."""
    way = way_to(effect, r.place)
    here = _held(data, way)
    if r.follows:
        _, _, was, number = here["place"].split("/")
        here["place"] = f"strands/{id}/{bead or was}/{number}"
    elif r.sets and isinstance(here, dict):
        root, _, *rest = here["place"].split("/")
        here["place"] = "/".join((root, id, *rest))
    elif isinstance(here, dict) and r.kind == "strand":
        here["strand"] = id
        here["bead"] = bead
    elif isinstance(here, dict):
        here["lever"] = id
    else:
        _held(data, way[:-1])[way[-1]] = id


def _drop(data: Any, effect: Effect, drops: list[Reference]) -> None:
    """What becomes of what referred to something that is not there: entries go, parts go, numbers are as they begin."""
    # From behind, so that what goes out of a list leaves the places of those before it.
    for r in reversed(drops):
        way = way_to(effect, r.place)
        above, last = _held(data, way[:-1]), way[-1]
        if r.gone == "part":
            above[last] = None
        else:
            del above[last]


# --- putting ------------------------------------------------------------------------------


@dataclass
class Ids:
    """What things of a splice are called where it is put: those of `known` keep their names."""

    known: dict[str, str] = field(default_factory=dict)

    def of(self, kind: str, id: str) -> str | None:
        return self.known.get(f"{kind}/{id}")

    def set(self, kind: str, id: str, here: str) -> None:
        self.known[f"{kind}/{id}"] = here


@dataclass(frozen=True)
class Fit:
    """What could be joined to an inlet: its name, what it is to give, those that do, and the best of them."""

    strand: str
    name: str
    gives: Signal
    options: list[str]
    best: str | None


def fits(effect: Effect, splice: Splice) -> list[Fit]:
    """What of an effect could be joined to each inlet: strands first, then single beads; by name where that is met."""
    gives = ends(effect)
    out = []
    for inlet in splice.inlets:
        name = next(s.name for s in splice.effect.strands if s.id == inlet.strand)
        good = [end for end, signal in gives.items() if signal is inlet.gives]
        options = [s for s, bead in good if bead is None] + [f"{s}/{b}" for s, b in good if b is not None]
        names = {s.id: s.name.casefold() for s in effect.strands}
        best = next((o for o in options if names.get(o) == name.casefold()), None)
        out.append(Fit(inlet.strand, name, inlet.gives, options, best))
    return out


def put(
    effect: Effect, splice: Splice, joins: Joins, origin: str = "", surface: bool = True, row: int | None = None
) -> tuple[Effect, str]:
    """The effect with a splice in it, and the id of what came. Inlets are joined to strands or beads; one that is
    joined to nothing brings what stands in for it. With `surface` it goes to the channels it came from. Raises Refused.
    """
    if len(effect.splices) >= MOST_SPLICED:
        raise Refused(f"an effect holds {MOST_SPLICED} splices at the most")
    own = free(_slug(splice.name), [s.id for s in effect.splices])
    ids = Ids()
    _join(effect, splice, joins, ids)
    strands, brought = _placed(effect, splice, ids, own)
    here = max((i + 1 for i, s in enumerate(effect.strands) if s.id in _joined(ids, splice)), default=0)
    at = len(effect.strands) if row is None else max(here, min(row, len(effect.strands)))
    kept = Spliced(
        id=own,
        name=splice.name,
        origin=origin,
        digest=digest(splice) if origin else "",
        ids=ids.known,
        base=_remembered(strands),
    )
    update = {
        **brought,
        "strands": (*effect.strands[:at], *strands, *effect.strands[at:]),
        "splices": (*effect.splices, kept),
    }
    if surface:
        update["surface"] = _surface(effect, splice, ids)
    return whole(effect, update), own


def _slug(name: str) -> str:
    plain = "".join(c if c.isascii() and c.isalnum() else "-" for c in name.lower()).strip("-")
    return "-".join(x for x in plain.split("-") if x)[:34] or "splice"


def whole(effect: Effect, update: dict[str, Any]) -> Effect:
    """The effect with something else in it, held to all that an effect is held to. Raises Refused."""
    try:
        return Effect.model_validate(effect.model_copy(update=update).model_dump(mode="json"))
    except ValidationError as e:
        first = problems_of({}, e)[0]
        raise Refused(f"that is more than an effect holds: {first.place}: {first.words}") from None


def _join(effect: Effect, splice: Splice, joins: Joins, ids: Ids) -> None:
    gives = ends(effect)
    for inlet in splice.inlets:
        target = joins.get(inlet.strand)
        if target is None:
            continue
        strand, _, bead = target.partition("/")
        found = gives.get((strand, bead or None))
        if found is not inlet.gives:
            name = next(s.name for s in splice.effect.strands if s.id == inlet.strand)
            told = f"gives a {found}" if found else "is not there, or is broken"
            raise Refused(f"{name} takes a {inlet.gives}; '{target}' {told}")
        ids.set("inlets", inlet.strand, target)


def _joined(ids: Ids, splice: Splice) -> set[str]:
    return {t.partition("/")[0] for i in splice.inlets if (t := ids.of("inlets", i.strand))}


def _placed(effect: Effect, splice: Splice, ids: Ids, own: str) -> tuple[list[Strand], dict[str, Any]]:
    """The strands of a splice under names that are free, and the levers, beacons, pictures and hits with those it
    brings. What `ids` knows already is called so."""
    coming = [s for s in splice.effect.strands if ids.of("inlets", s.id) is None]
    taken = [s.id for s in effect.strands]
    for s in coming:
        if ids.of("strands", s.id) is None:
            id = free(s.id, taken)
            taken.append(id)
            ids.set("strands", s.id, id)
    brought = {
        "levers": _bring(effect.levers, splice.effect.levers, ids, "levers", _lever_key),
        "beacons": _bring(effect.beacons, splice.effect.beacons, ids, "beacons", _beacon_key),
        "assets": _bring(effect.assets, splice.effect.assets, ids, "assets", lambda a: str(a.hash)),
        "hits": effect.hits or splice.effect.hits,
    }
    if len(brought["levers"]) > MOST_LEVERS:
        raise Refused(f"an effect has {MOST_LEVERS} levers at the most")
    data = splice.effect.model_dump(mode="json")
    _rename(data, splice.effect, ids)
    # What a lever refers to is called otherwise here.
    there, at = {x.id for x in effect.levers}, {ids.of("levers", x.id): i for i, x in enumerate(splice.effect.levers)}
    brought["levers"] = tuple(
        x if x.id in there else Lever.model_validate({**data["levers"][at[x.id]], "id": x.id})
        for x in brought["levers"]
    )
    by_id = {s.id: i for i, s in enumerate(splice.effect.strands)}
    strands = [
        Strand.model_validate({**data["strands"][by_id[s.id]], "id": ids.of("strands", s.id), "of": own})
        for s in coming
    ]
    return strands, brought


def _rename(data: Any, effect: Effect, ids: Ids) -> None:
    """Has all references of an effect lead to what things are called where they are put."""
    for r in references(effect):
        if r.kind == "strand":
            target = ids.of("inlets", r.id)
            if target:
                strand, _, bead = target.partition("/")
                _aim(data, effect, r, strand, bead or None)
            elif here := ids.of("strands", r.id):
                _aim(data, effect, r, here, r.bead)
        elif here := ids.of({"picture": "assets", "beacon": "beacons", "lever": "levers"}[r.kind], r.id):
            _aim(data, effect, r, here, None)


def renamed(splice: Splice, known: dict[str, str]) -> dict[str, Any]:
    """The effect of a splice as plain data, with all of it called as where it was put."""
    data = splice.effect.model_dump(mode="json")
    _rename(data, splice.effect, Ids(known))
    return data


def _lever_key(lever: Lever) -> str:
    return f"{lever.kind} {lever.name}"


def _beacon_key(beacon: Beacon) -> str:
    return beacon.model_dump_json(exclude={"id"})


def _bring(here: tuple[Any, ...], coming: tuple[Any, ...], ids: Ids, kind: str, key: Any) -> tuple[Any, ...]:
    """What is there and what comes, without what is there already; ids are noted."""
    out = list(here)
    for item in coming:
        known = ids.of(kind, item.id)
        there = next((x for x in out if x.id == known or (known is None and key(x) == key(item))), None)
        if there is None:
            there = item.model_copy(update={"id": free(item.id, [x.id for x in out])})
            out.append(there)
        ids.set(kind, item.id, there.id)
    return tuple(out)


def _surface(effect: Effect, splice: Splice, ids: Ids) -> Surface:
    """The effect's surface with the splice's entries; what else it sets, where the effect leaves that as it is."""
    coming = Surface.model_validate(renamed(splice, ids.known)["surface"])
    plain, here = Surface(), effect.surface
    update: dict[str, Any] = {}
    for name in Surface.model_fields:
        if name != "channels" and getattr(here, name) == getattr(plain, name):
            update[name] = getattr(coming, name)
    channels = {
        name: (*getattr(here.channels, name), *getattr(coming.channels, name))
        for name in type(here.channels).model_fields
    }
    update["channels"] = here.channels.model_copy(update=channels)
    return here.model_copy(update=update)


# --- bringing up to date ------------------------------------------------------------------


def _remembered(strands: list[Strand]) -> str:
    """Strands as text: nothing walks it, and nothing in it can be wrong for anyone but `_as_they_came`."""
    return json.dumps([s.model_dump(mode="json", exclude_defaults=True) for s in strands], separators=(",", ":"))


def _as_they_came(known: Spliced) -> dict[str, Strand]:
    """The strands of a splice as they came, by their ids here; nothing where that cannot be read any more."""
    try:
        return {s.id: s for s in map(Strand.model_validate, json.loads(known.base or "[]"))}
    except (ValueError, TypeError, RecursionError):
        return {}


@dataclass(frozen=True)
class Renewed:
    """An effect whose splice is as its origin is now, and how many values that were changed here were kept."""

    effect: Effect
    kept: int


def renewed(effect: Effect, id: str, splice: Splice) -> Renewed:
    """Brings what came as a splice up to what that is now; beads, numbers and settings that were changed here stay.

    New inlets are joined by name, or bring what stands in for them. Raises Refused.
    """
    try:
        return _renewed(effect, _spliced(effect, id), splice)
    except ValidationError:
        words = "what this splice remembers of its origin cannot be used any more; take it apart and put it in again"
        raise Refused(words) from None


def _renewed(effect: Effect, known: Spliced, splice: Splice) -> Renewed:
    id = known.id
    ids = Ids(dict(known.ids))
    there = {s.id for s in effect.strands}
    # What went away here comes again under a name that is free.
    ids.known = {k: v for k, v in ids.known.items() if not k.startswith("strands/") or v in there}
    ids.known = {k: v for k, v in ids.known.items() if not k.startswith("inlets/") or v.partition("/")[0] in there}
    # An inlet that was joined stays so; one that had a stand-in keeps that.
    joins = {i.strand: t for i in splice.inlets if (t := ids.of("inlets", i.strand))}
    fresh_ones = (f for f in fits(effect, splice) if not ids.of("inlets", f.strand) and not ids.of("strands", f.strand))
    _join(effect, splice, joins | {f.strand: f.best for f in fresh_ones if f.best}, ids)
    fresh, brought = _placed(effect, splice, ids, id)
    base = _as_they_came(known)
    here = {s.id: s for s in effect.strands if s.of == id}
    merge = _Merge()
    merged = [merge.strand(base.get(s.id), here.get(s.id), s) for s in fresh]
    names = {s.id for s in merged}
    outside = {
        r.id
        for r in references(effect)
        if r.kind == "strand" and r.place.split("/")[:2] not in [["strands", x] for x in here]
    }
    # What the origin no longer has stays only where something else here goes on from it.
    stay = [s for s in here.values() if s.id not in names and (s.id in outside or s.id not in base)]
    group = [*merged, *stay]
    at = next((i for i, s in enumerate(effect.strands) if s.id in here), len(effect.strands))
    rest = [s for s in effect.strands if s.id not in here]
    at = len([s for s in effect.strands[:at] if s.id not in here])
    now = known.model_copy(
        update={
            "digest": digest(splice),
            "ids": ids.known,
            "base": _remembered(fresh),
        }
    )
    splices = tuple(now if s.id == id else s for s in effect.splices)
    update = {**brought, "hits": effect.hits, "strands": (*rest[:at], *group, *rest[at:]), "splices": splices}
    return Renewed(whole(effect, update), merge.kept)


class _Merge:
    """Three ways at once: as it came, as it is here, and as it comes now; what was changed here stays."""

    def __init__(self) -> None:
        self.kept = 0

    def choose(self, base: Any, here: Any, now: Any) -> Any:
        if here == base:
            return now
        self.kept += here != now
        return here

    def strand(self, base: Strand | None, here: Strand | None, now: Strand) -> Strand:
        if base is None or here is None:
            return now
        update = {
            name: self.choose(getattr(base, name), getattr(here, name), getattr(now, name))
            for name in Strand.model_fields
            if name not in ("id", "beads", "of")
        }
        return now.model_copy(update={**update, "beads": self.beads(base, here, now)})

    def beads(self, base: Strand, here: Strand, now: Strand) -> tuple[Bead, ...]:
        was, own = {b.id: b for b in base.beads}, {b.id: b for b in here.beads}
        out = []
        for b in now.beads:
            if b.id in was and b.id not in own:
                # Taken away here.
                self.kept += 1
            elif b.id in was and was[b.id].kind == b.kind == own[b.id].kind:
                out.append(self.bead(was[b.id], own[b.id], b))
            else:
                out.append(b)
        order = [b.id for b in here.beads]
        for b in here.beads:
            if b.id in was or any(o.id == b.id for o in out):
                continue
            # Added here: behind what it stood behind.
            before = [o.id for o in out if o.id in order[: order.index(b.id)]]
            at = next((i + 1 for i, o in enumerate(out) if before and o.id == before[-1]), 0)
            out.insert(at, b)
            self.kept += 1
        return tuple(out)

    def bead(self, base: Bead, here: Bead, now: Bead) -> Bead:
        update: dict[str, Any] = {"muted": self.choose(base.muted, here.muted, now.muted)}
        for name in ("params", "settings"):
            was, own, new = (getattr(b, name) for b in (base, here, now))
            keys = [*new, *(k for k in own if k not in new)]
            values = {k: self.choose(was.get(k), own.get(k), new.get(k)) for k in keys}
            update[name] = {k: v for k, v in values.items() if v is not None}
        return now.model_copy(update=update)


def _spliced(effect: Effect, id: str) -> Spliced:
    found = next((s for s in effect.splices if s.id == id), None)
    if found is None:
        raise Refused(f"there is no splice '{id}' here")
    return found


# --- as one -------------------------------------------------------------------------------

#: Coordinates that are counted in units of space.
_IN_SPACE = ("object", "world", "from-beacon")


def scaled(effect: Effect, id: str, times: float) -> Effect:
    """The effect with a splice's patterns and lengths so many times as large, for a shape of another size. Raises
    Refused.

    Coordinates in space are scaled behind their source, lengths in units at beads that measure the place itself, and
    beacons that came along are moved. What lies on UV goes with the shape by itself.
    """
    known = _spliced(effect, id)
    low, high = ASKED["times"].hard
    if not low <= times <= high:
        raise Refused(f"a splice is scaled by {low:g} to {high:g} times, not {times:g}")
    strands = tuple(
        s.model_copy(update={"beads": _scaled_beads(s.beads, times)}) if s.of == id else s for s in effect.strands
    )
    own = {here for key, here in known.ids.items() if key.startswith("beacons/")}
    beacons = tuple(
        b.model_copy(update={"position": _times(b.position, times)}) if b.id in own else b for b in effect.beacons
    )
    return whole(effect, {"strands": strands, "beacons": beacons})


_SCALE = "scaled-as-one"


def _scaled_beads(beads: tuple[Bead, ...], times: float) -> tuple[Bead, ...]:
    out: list[Bead] = []
    for i, b in enumerate(beads):
        spec = CATALOGUE.get(b.kind)
        if b.id == _SCALE:
            size = _times(b.params.get("size", (1.0, 1.0, 1.0)), times)
            out.append(b.model_copy(update={"params": {**b.params, "size": size}}))
            continue
        measures = spec is not None and i == 0 and b.kind not in _IN_SPACE and (spec.is_source or spec.alone)
        if spec and (measures or spec.kind == "bump"):
            lengths = {p.name: p for p in spec.inputs if p.unit.startswith("units") and b.kind != "camera-distance"}
            params = {**b.params}
            for name, p in lengths.items():
                default = p.default if p.size > 1 else p.default[0]
                params[name] = _times(params.get(name, default), times)
            b = b.model_copy(update={"params": params})
        out.append(b)
        if b.kind in _IN_SPACE and not any(x.id == _SCALE for x in beads):
            params = {"size": (times,) * 3, "centre": (0.0, 0.0, 0.0)}
            out.append(Bead(id=_SCALE, kind="scale", params=params))
    return tuple(out)


def _times(value: Any, times: float) -> Any:
    """A number, or all that a motion or a lever makes of one, so many times as large."""
    if isinstance(value, bool) or value is None:
        return value
    if isinstance(value, int | float):
        return float(f"{value * times:.9g}")
    if isinstance(value, tuple) and all(isinstance(x, int | float) for x in value):
        return tuple(float(f"{x * times:.9g}") for x in value)
    if isinstance(value, Model):
        names = (*_LENGTHS, *_RATES.get(getattr(value, "motion", ""), ()))
        grown = {n: _times(v, times) for n in names if (v := getattr(value, n, None)) is not None}
        for name in ("keys", "axes"):
            if items := getattr(value, name, None):
                grown[name] = tuple(_times(x, times) for x in items)
        if (handle := getattr(value, "before", None)) is not None:
            grown["before"] = _times(handle, times)
        if (handle := getattr(value, "after", None)) is not None:
            grown["after"] = _times(handle, times)
        return value.model_copy(update=grown)
    return value


#: Fields of motions, keys, handles and what levers move that are amounts of the number itself.
_LENGTHS = ("base", "amount", "low", "high", "value", "by", "about")
_RATES = {"drift": ("cycles",), "follow": ("gain",)}


# --- apart --------------------------------------------------------------------------------


def apart(effect: Effect, id: str) -> Effect:
    """The effect with the strands of a splice as strands like any other."""
    _spliced(effect, id)
    strands = tuple(s.model_copy(update={"of": None}) if s.of == id else s for s in effect.strands)
    return effect.model_copy(update={"strands": strands, "splices": tuple(s for s in effect.splices if s.id != id)})
