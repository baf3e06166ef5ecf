"""Every kind of bead, by name. Adding an entry here is all that a new kind needs."""

from typing import Any

from whorl.beads import colours, combining, coordinates, directions, patterns, places, shaping, views
from whorl.beads.spec import Bead, Param, Signal

_THEMES = (coordinates, patterns, shaping, combining, colours, directions, views, places)
CATALOGUE: dict[str, Bead] = {b.kind: b for theme in _THEMES for b in theme.BEADS}


def described_param(p: Param) -> dict[str, Any]:
    """A param as plain data."""
    default: Any
    if p.type == "stops":
        default = [{"at": s[3], "colour": list(s[:3])} for s in p.default]  # type: ignore[index]
    elif p.type == "curve":
        default = [{"at": s[3], "value": s[0]} for s in p.default]  # type: ignore[index]
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
        "moves": p.moves and p.type in ("number", "pair", "triple"),
        "rate": "repeats a turn" if p.wrap is not None else f"{p.unit} a turn".strip(),
        "feed": p.feed,
        "when": None if p.when is None else {"setting": p.when[0], "is": p.when[1]},
        "axes": list(p.axes[: p.size]) if p.type in ("pair", "triple") else [],
    }


def described() -> list[dict[str, Any]]:
    """The catalogue as plain data, for the interface, `whorl catalogue` and the documentation."""
    return [
        {
            "kind": b.kind,
            "title": b.title or b.kind,
            "group": b.group,
            "words": b.words,
            "takes": [str(t) for t in b.accepts],
            "gives": str(b.gives) if isinstance(b.gives, Signal) else "as it is given",
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
                }
                for s in b.settings
            ],
            "find": list(b.find),
            "formula": b.formula,
            "source": b.source,
        }
        for b in CATALOGUE.values()
    ]
