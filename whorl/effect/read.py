"""From JSON to an effect, with every fault located in plain words."""

import hashlib
import json
from typing import Any

from pydantic import ValidationError

from whorl.effect.document import Effect
from whorl.effect.problems import BadEffect, Problem
from whorl.effect.tree import motions

#: Larger than any document a person makes, and small enough to read at once.
MOST_BYTES = 4 * 1024 * 1024
#: Of documents as they are written now.
VERSION = 1
#: How many faults are told at once; the rest waits until these are mended.
MOST_PROBLEMS = 100
#: How pictures begin: PNG, JPEG, WebP, OpenEXR.
_PICTURES = (b"\x89PNG", b"\xff\xd8\xff\xe0", b"\xff\xd8\xff\xe1", b"\xff\xd8\xff\xdb", b"RIFF", b"\x76\x2f\x31\x01")
_PICTURE = "this is a picture and no effect; open an effect and bring it in at a bead that takes a picture"
HALF_A_CHARACTER = "there is half a character in this text, which no alphabet has"
_MOTIONS = [m["kind"] for m in motions()]


def read_text(text: str | bytes) -> Effect:
    """An effect from JSON text. Raises BadEffect."""
    if len(text) > MOST_BYTES:
        raise BadEffect([Problem(place="", words="the file is over 4 MiB, which no effect needs")])
    try:
        data = json.loads(text)
    except UnicodeDecodeError:
        words = "this is no effect: a .whorl.json is text in UTF-8, and what carries pictures is a .whorl.zip"
        raise BadEffect([Problem(place="", words=_PICTURE if text[:4] in _PICTURES else words)]) from None
    except json.JSONDecodeError as e:
        words = f"not JSON: line {e.lineno}, column {e.colno}: {e.msg.lower()}"
        raise BadEffect([Problem(place="", words=words)]) from None
    except (RecursionError, ValueError):
        raise BadEffect([Problem(place="", words="not JSON that an effect is written in")]) from None
    return read(data)


def unknown_version(version: object) -> str:
    """What is said of a document of another version."""
    return f"version {version!r} is not known; this Whorl reads version {VERSION}"


def read(data: Any) -> Effect:
    """An effect from plain data. Raises BadEffect."""
    if not isinstance(data, dict) or data.get("format") != "whorl-effect":
        words = 'this is not a Whorl effect: "format": "whorl-effect" is missing'
        raise BadEffect([Problem(place="", words=words)])
    if data.get("version") != VERSION:
        raise BadEffect([Problem(place="version", words=unknown_version(data.get("version")))])
    try:
        return Effect.model_validate(data)
    except ValidationError as e:
        raise BadEffect(problems_of(data, e)) from None


def write_text(effect: Effect) -> str:
    """The document as text: stable order, two spaces, what equals its default left out."""
    data = effect.model_dump(exclude_defaults=True)
    ordered = {"format": effect.format, "version": effect.version, **data}
    return json.dumps(ordered, indent=2, ensure_ascii=False) + "\n"


def state_of(effect: Effect) -> str:
    """What a file made from an effect is known by: another where anything of it is another."""
    return hashlib.sha256(write_text(effect).encode()).hexdigest()[:16]


def made_by(effect: Effect) -> dict[str, str]:
    """What every file that is made from an effect says of itself."""
    return {"software": "Whorl", "effect": effect.name, "state": state_of(effect)}


def problems_of(data: Any, wrong: ValidationError) -> list[Problem]:
    """The faults of plain data, one a place: a list is not told to be short because an item of it is wrong."""
    found: dict[str, Problem] = {}
    for error in wrong.errors():
        problem = _problem(data, error)
        if error["type"] == "too_short" and len(error["input"]) >= error["ctx"]["min_length"]:
            continue
        found.setdefault(problem.place, problem)
    return list(found.values())[:MOST_PROBLEMS]


def _problem(data: Any, error: Any) -> Problem:
    kind, words = error["type"], error["msg"]
    place = _place(data, error["loc"])
    given, context = error.get("input"), error.get("ctx", {})
    if kind == "extra_forbidden":
        words = f"'{error['loc'][-1]}' is not known here"
    elif kind == "missing":
        words = f"'{error['loc'][-1]}' is missing"
    elif kind == "finite_number":
        words = "a finite number is needed"
    elif kind == "too_long":
        words = f"{context['max_length']} at the most, not {len(given)}"
    elif kind == "too_short":
        words = f"{context['min_length']} at least, not {len(given)}"
    elif kind == "union_tag_invalid":
        words = f"there is no motion '{context.get('tag')}'; there are {', '.join(_MOTIONS)}"
    elif kind == "string_unicode":
        words = HALF_A_CHARACTER
    elif kind == "tuple_type":
        words = "a list is wanted"
    elif kind in ("value_error", "value_kind", "union_tag_not_found"):
        words = words[0].lower() + words[1:]
    else:
        shown = repr(given)
        words = words[0].lower() + words[1:] + (f", not {shown}" if len(shown) < 60 else "")
    return Problem(place=place, words=words)


def _place(data: Any, parts: tuple[Any, ...]) -> str:
    """Positions in lists replaced by the ids that stand there; what only tells kinds of values apart left out."""
    out: list[str] = []
    here = data
    for i, part in enumerate(parts):
        if isinstance(here, dict) and (part in here or i == len(parts) - 1) and not str(part).startswith("a "):
            here = here.get(part)
        elif isinstance(here, list) and isinstance(part, int) and part < len(here):
            here = here[part]
            if isinstance(here, dict) and isinstance(here.get("id"), str):
                out.append(here["id"])
                continue
        else:
            continue
        if part not in ("beads", "params", "channels"):
            out.append(str(part))
    return "/".join(out)
