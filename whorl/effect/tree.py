"""The described document as plain data, for the interface and for whoever writes documents."""

from collections.abc import Iterator
from typing import Any

from pydantic import BaseModel
from pydantic.fields import FieldInfo
from pydantic_core import to_jsonable_python

from whorl.beads.catalogue import described_param
from whorl.effect.described import Condition, fields, gone, is_list, kind, part_of
from whorl.effect.document import Effect
from whorl.effect.value import MOTIONS, Key, Levered, Point, Stop


def tree() -> dict[str, list[dict[str, Any]]]:
    """Every part of a document by its name, each a list of what its fields say of themselves."""
    apart: tuple[type[BaseModel], ...] = (*MOTIONS, Levered, Key, Stop, Point)
    return {model.__name__: of_part(model) for model in (*_every(Effect, set()), *apart)}


def of_part(model: type[BaseModel]) -> list[dict[str, Any]]:
    """What each field of a part says of itself."""
    return [_field(model, name) for name in fields(model)]


def motions() -> list[dict[str, Any]]:
    """Every motion: its name in a document, in words, and which part holds its numbers."""
    return [
        {
            "kind": motion_name(m),
            "words": (m.__doc__ or "").split("\n")[0],
            "part": m.__name__,
            "short": m.told.words,
            "rests": m.told.rests,
            "several": m.told.several,
            "follows": "place" in m.model_fields,
        }
        for m in MOTIONS
    ]


def motion_name(motion: type[BaseModel]) -> str:
    """What a motion is called in a document."""
    return str(motion.model_fields["motion"].annotation.__args__[0])  # pyrefly: ignore[missing-attribute]


def _every(model: type[BaseModel], seen: set[type[BaseModel]]) -> Iterator[type[BaseModel]]:
    if model in seen:
        return
    seen.add(model)
    yield model
    for name, info in model.model_fields.items():
        inner = part_of(info)
        if inner is not None and kind(model, name) in ("part", "list"):
            yield from _every(inner, seen)


def _field(model: type[BaseModel], name: str) -> dict[str, Any]:
    said, info = fields(model)[name], model.model_fields[name]
    what = kind(model, name)
    inner = part_of(info) if what in ("part", "list") else None
    return {
        "name": name,
        "label": said.label,
        "words": said.words,
        "kind": what,
        "param": said.param and described_param(said.param),
        "options": [
            {"value": value, "words": words, "sets": said.sets.get(value, {})} for value, words in said.options.items()
        ],
        "part": inner and inner.__name__,
        "fresh": _fresh(info),
        "optional": type(None) in getattr(info.annotation, "__args__", ()),
        "most": _most(info),
        "silent": said.silent,
        "refers": said.refers,
        "gone": gone(model, name),
        "only": list(said.only),
        "acts": [_condition(c) for c in said.acts],
        "structural": said.structural,
        "apart": list(said.apart),
        "like": said.like,
    }


def _fresh(info: FieldInfo) -> Any:
    """What a field holds in a part that is made anew; nothing where it must be given."""
    if info.is_required():
        return None
    value = info.get_default(call_default_factory=True)
    return to_jsonable_python(value)


def _most(info: FieldInfo) -> int | None:
    """How many items a list may hold."""
    limits = [getattr(m, "max_length", None) for m in info.metadata] if is_list(info) else []
    return next((n for n in limits if n is not None), None)


def _condition(condition: Condition) -> dict[str, Any]:
    return {
        "words": condition.words,
        "mend": condition.mend,
        "needs": [
            {"place": n.place, "values": list(n.values), "other_than": list(n.other_than), "mended": n.mended}
            for n in condition.needs
        ],
    }
