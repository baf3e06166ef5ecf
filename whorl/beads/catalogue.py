"""Every kind of bead, by name. Adding an entry here is all that a new kind needs."""

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from whorl.beads import colours, combining, coordinates, directions, formulas, patterns, places, shaping, views
from whorl.beads.spec import Bead, Param, Signal

_THEMES = (coordinates, patterns, shaping, combining, formulas, colours, directions, views, places)
CATALOGUE: dict[str, Bead] = {b.kind: b for theme in _THEMES for b in theme.BEADS}


#: What a strand begins with where a bead needs a signal and none is there.
_BEGINS: dict[Signal, tuple[str, ...]] = {
    Signal.COORDS: ("uv",),
    Signal.VALUE: ("uv", "noise"),
    Signal.COLOUR: ("uv", "noise", "ramp"),
    Signal.DIRECTION: ("uv", "noise", "bump"),
}
#: What makes of coordinates what a bead needs.
_PASSES: dict[Signal, tuple[str, ...]] = {Signal.VALUE: ("noise",), Signal.COLOUR: ("noise", "ramp")}


def fits(bead: Bead) -> dict[str, dict[str, Any]]:
    """Whether a bead can stand where a signal, or nothing (""), comes in: why not, and what is put before it."""
    chains = put_before(bead)
    out = {}
    for comes in ("", *map(str, Signal)):
        misfit = None
        if bead.is_source:
            misfit = "starts a strand" if comes else None
        elif comes not in map(str, bead.accepts) and comes not in chains and (comes or not bead.alone):
            misfit = f"takes {_any(bead.accepts)}"
        out[comes] = {"misfit": misfit, "brings": chains.get(comes, [])}
    return out


def refuses(bead: Bead) -> dict[str, str]:
    """By each signal that cannot come in: why what gives it cannot stand before."""
    if bead.is_source:
        return dict.fromkeys((*map(str, Signal), _AS_GIVEN), "what follows starts the strand")
    takes = [str(s) for s in bead.accepts]
    return {s: f"what follows takes {_any(bead.accepts)}" for s in (*map(str, Signal), _AS_GIVEN) if s not in takes}


def _any(signals: tuple[Signal, ...]) -> str:
    return " or ".join("coordinates" if s is Signal.COORDS else f"a {s}" for s in signals)


#: What a bead gives whose signal depends on what comes in.
_AS_GIVEN = "as it is given"


def put_before(bead: Bead) -> dict[str, list[str]]:
    """The kinds that are put before a bead for people, by what comes in: nothing (""), or coordinates.

    What takes a signal that comes in needs none and is left out, as is what cannot be helped.
    """
    if bead.is_source:
        return {}
    if bead.alone:
        return {}
    wanted = next(s for s in (Signal.COORDS, Signal.VALUE, Signal.COLOUR, Signal.DIRECTION) if s in bead.takes)
    out = {"": list(_BEGINS[wanted])}
    if Signal.COORDS not in bead.accepts and wanted in _PASSES:
        out[str(Signal.COORDS)] = list(_PASSES[wanted])
    return out


#: The components of a colour.
_LIGHTS = ("red", "green", "blue")


def described_param(p: Param) -> dict[str, Any]:
    """A param as plain data."""
    default: Any
    if p.type == "stops":
        default = [{"at": s[3], "colour": list(s[:3])} for s in p.default]  # pyrefly: ignore[bad-index]
    elif p.type == "curve":
        default = [{"at": s[3], "value": s[0]} for s in p.default]  # pyrefly: ignore[bad-index]
    else:
        default = p.default[0] if p.type == "number" else list(p.default)
    return {
        "name": p.name,
        "label": p.label or p.name.replace("_", " "),
        "words": p.words,
        "type": p.type,
        "default": default,
        "soft": list(p.soft),
        "hard": list(p.hard),
        "unit": p.unit,
        "whole": p.whole,
        "moves": p.moves and p.type in ("number", "pair", "triple", "colour"),
        "rate": "repeats a turn" if p.wrap is not None else f"{p.unit} a turn".strip(),
        "feed": p.feed,
        "only_fed": p.only_fed,
        "needed": p.needed,
        "when": None if p.when is None else {"setting": p.when[0], "is": p.when[1]},
        "axes": list(p.axes[: p.size]) if p.type in ("pair", "triple") else list(_LIGHTS) if p.type == "colour" else [],
    }


def _ports(bead: Bead) -> set[str]:
    functions = bead.shade.values() if isinstance(bead.shade, Mapping) else [bead.shade]
    return {p.name for f in functions for p in f.tree.params}


def described() -> list[dict[str, Any]]:
    """The catalogue as plain data, for the interface, `whorl catalogue` and the documentation."""
    return [
        {
            "kind": b.kind,
            "title": b.title or b.kind,
            "group": b.group,
            "short": b.short or b.title or b.kind,
            "goes_on": b.goes_on,
            "takes_hits": "at_hits" in _ports(b),
            "fits": fits(b),
            "refuses": refuses(b),
            "words": b.words,
            "takes": [str(t) for t in b.accepts],
            "gives": str(b.gives) if isinstance(b.gives, Signal) else _AS_GIVEN,
            "brings": b.brings and described_param(b.brings),
            "params": [described_param(p) for p in b.params],
            "settings": [
                {
                    "name": s.name,
                    "label": s.name.replace("_", " "),
                    "words": s.words,
                    "kind": s.kind,
                    "options": list(s.options),
                    "low": s.low,
                    "high": s.high,
                    "default": s.default,
                    "by_look": s.by_look,
                    "offers": [asdict(o) for o in s.offers],
                }
                for s in b.settings
            ],
            "find": list(b.find),
            "formula": b.formula,
            "source": b.source,
        }
        for b in CATALOGUE.values()
    ]
