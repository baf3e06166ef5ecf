"""What differs between two documents, place by place and in words."""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import BaseModel

from whorl.beads.catalogue import CATALOGUE
from whorl.effect.described import described, fields, part_of
from whorl.effect.document import Effect, Lever
from whorl.effect.places import join, parts
from whorl.effect.strands import Bead
from whorl.effect.value import MOTIONS, Feed, Key, Levered, Point, Stop

VALUES = (*MOTIONS, Levered, Key, Stop, Point)


@dataclass(frozen=True)
class Change:
    """One difference: where, what of it in words, and what stood and stands there, unless a part came or went."""

    place: str
    kind: Literal["added", "removed", "changed", "moved"]
    words: str
    before: str = ""
    after: str = ""


def changes(earlier: Effect, later: Effect) -> list[Change]:
    """All differences, in the order of the document that comes after; a part that came or went is one of them."""
    old, new = _Seen(earlier), _Seen(later)
    out: list[Change] = []
    for place in [*new.parts, *(p for p in old.parts if p not in new.parts)]:
        here, there = new.parts.get(place), old.parts.get(place)
        parent = _parent(place, new if here is not None else old)
        if here is None or there is None:
            # What lies in a part that came or went needs no words of its own.
            if parent in new.parts and parent in old.parts:
                seen, kind = (new, "added") if there is None else (old, "removed")
                out.append(Change(place, kind, seen.name(place)))
            continue
        stood, stands = (dict(leaf for part in parts for leaf in _leaves(part)) for parts in (there, here))
        for name in {**stands, **stood}:
            before, after = stood.get(name), stands.get(name)
            if before != after:
                words = _label(here, name) + (f" of {new.name(place)}" if place else "")
                out.append(Change(join(place, name), "changed", words, old.shown(before), new.shown(after)))
    return [*out, *_moved(old, new)]


class Names:
    """The numbers of a document as people call them, by their places."""

    def __init__(self, effect: Effect) -> None:
        self.seen = _Seen(effect)

    def of(self, place: str) -> str:
        """A number by its own name and that of the part it belongs to: "offset of scroll in Mist"."""
        part, _, name = place.rpartition("/")
        while part and part not in self.seen.parts:
            part, _, more = part.rpartition("/")
            name = f"{more} {name}"
        if isinstance(self.seen.parts[part][0], Lever) and name in ("value", "colour", "on"):
            # A lever is what it holds.
            return self.seen.name(part)
        label = _label(self.seen.parts[part], name)
        return f"{label} of {self.seen.name(part)}" if part else label

    def shown(self, value: Any) -> str:
        """A value in a few words."""
        return self.seen.shown(value)


def _moved(old: "_Seen", new: "_Seen") -> Iterator[Change]:
    """Strands, and beads of a strand, that stand in another order."""
    for where, name in (
        ("", "the strands"),
        *((f"strands/{s.id}", f"the beads of {s.name}") for s in new.effect.strands),
    ):
        was, now = old.order(where), new.order(where)
        both = set(was) & set(now)
        if [i for i in was if i in both] != [i for i in now if i in both]:
            yield Change(where or "strands", "moved", f"the order of {name}")


class _Seen:
    """A document, part by part."""

    def __init__(self, effect: Effect) -> None:
        self.effect = effect
        # What a number in motion holds is its value, and no part by itself.
        self.parts: dict[str, list[BaseModel]] = {}
        for place, part in parts(effect):
            if not isinstance(part, VALUES):
                # A silent part stands where the part does that it lies in.
                self.parts.setdefault(place, []).append(part)
        self.strands = {s.id: s for s in effect.strands}
        self.levers = {lever.id: lever.name for lever in effect.levers}

    def order(self, strand: str) -> list[str]:
        """The ids of all strands, or of the beads of one."""
        if not strand:
            return [s.id for s in self.effect.strands]
        found = self.strands.get(strand.split("/")[1])
        return [b.id for b in found.beads] if found else []

    def name(self, place: str) -> str:
        """A part as people call it: a bead by its kind and the strand's name, all else by its own name or its way."""
        here, way = self.parts[place][0], place.split("/")
        if isinstance(here, Bead):
            spec = CATALOGUE.get(here.kind)
            return f"{spec.title or spec.kind if spec else here.kind} in {self.strands[way[1]].name}"
        own = getattr(here, "name", None) or getattr(here, "address", None)
        if own:
            return str(own)
        strand = getattr(here, "strand", None)
        if strand and way[-1].isdigit():
            return f"{self._feed(Feed(strand=strand, bead=getattr(here, 'bead', None)))} on {' '.join(way[1:-1])}"
        holder = self.parts.get("/".join(way[:-1]), [])
        said = next((fields(type(p))[way[-1]].label for p in holder if way[-1] in fields(type(p))), "")
        if said and said != way[-1].replace("_", " "):
            return said
        return " ".join(p.replace("_", " ") for p in way[-2:] if not p.isdigit())

    def shown(self, value: Any) -> str:
        """A value in a few words."""
        match value:
            case None:
                return "as it begins"
            case bool():
                return "on" if value else "off"
            case int() | float():
                return f"{value:g}"
            case Feed():
                return self._feed(value)
            case Levered():
                return f"moved by {self.levers.get(value.lever, value.lever)}"
            case tuple() if value and isinstance(value[0], Stop | Point):
                return f"{len(value)} {'stops' if isinstance(value[0], Stop) else 'points'}"
            case tuple():
                return " · ".join(self.shown(x) for x in value)
            case _ if isinstance(value, MOTIONS):
                return re.sub(r"\{(\w+)\}", lambda m: self._of_motion(value, m[1]), value.told.words)
        text = str(value)
        return text if len(text) <= 60 else f"{text[:57]} …"

    def _of_motion(self, motion: BaseModel, name: str) -> str:
        value = getattr(motion, name)
        listed = isinstance(value, tuple) and value and isinstance(value[0], BaseModel)
        return str(len(value)) if listed else self.shown(value)

    def _feed(self, feed: Feed) -> str:
        strand = self.strands.get(feed.strand)
        bead = next((b for b in strand.beads if b.id == feed.bead), None) if strand else None
        name = strand.name if strand else feed.strand
        return f"{name} · {CATALOGUE[bead.kind].title or bead.kind}" if bead and bead.kind in CATALOGUE else name


def _parent(place: str, seen: _Seen) -> str:
    """The part that a part lies in."""
    way = place.split("/")
    while way:
        way.pop()
        if "/".join(way) in seen.parts:
            return "/".join(way)
    return ""


def _leaves(here: BaseModel) -> Iterator[tuple[str, Any]]:
    """What a part holds itself: its fields that are no parts, and each of a bead's params and settings."""
    model = type(here)
    for name in fields(model):
        value = getattr(here, name)
        if name in ("ids", "base", "digest"):
            # What a splice remembers.
            continue
        if isinstance(value, dict):
            yield from value.items()
        elif name in ("format", "version", "id") or (name != "params" and part_of(model.model_fields[name])):
            # A number that may be in motion holds parts too, but is one value.
            if described(model, name).param:
                yield name, value
        else:
            yield name, value


def _label(parts: list[BaseModel], name: str) -> str:
    spec = CATALOGUE.get(parts[0].kind) if isinstance(parts[0], Bead) else None
    param = spec.param(name) if spec else None
    if param:
        return param.label or name.replace("_", " ")
    said = next((fields(type(p))[name].label for p in parts if name in fields(type(p))), "")
    return said or name.replace("_", " ")
