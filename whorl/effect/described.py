"""What a field of the document says of itself, beside itself: words, range, unit, and when it acts.

A field is declared as `yaw: Value = number(0.0, "From which side.", soft=(-180, 180), unit="degrees")`.
Everything that shows, checks or draws it reads it from here: the plan takes its hard range, the
interface its slider and its words, the JSON Schema its unit.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cache
from typing import Any, Literal, cast, get_args, get_origin

from pydantic import BaseModel, Field
from pydantic.fields import FieldInfo

from whorl.beads.spec import Param, Signal

Kind = Literal["number", "whole", "choice", "switch", "text", "part", "list", "picture", "params"]
Structural = Literal["always", "kind", "never"]


@dataclass(frozen=True)
class Need:
    """A place and what it has to hold: one of `values`, or none of `other_than`.

    A place without a slash is a neighbour in the same part; others go from the document's root, with
    every field named.
    """

    place: str
    values: tuple[Any, ...] = ()
    other_than: tuple[Any, ...] = ()
    #: What mends it, where that is not the first of `values`.
    mend: Any = None

    def met(self, value: Any) -> bool:
        """Whether a value will do."""
        return value in self.values if self.values else value not in self.other_than

    @property
    def mended(self) -> Any:
        """A value that will do; None where only a person can choose one."""
        return self.values[0] if self.mend is None and self.values else self.mend


@dataclass(frozen=True)
class Condition:
    """When something acts: all its needs are met. `words` name that state, `mend` brings it about."""

    words: str
    mend: str
    needs: tuple[Need, ...]


#: Where a part that is made like another stands in its stead: places that begin with the first begin with the second.
Elsewhere = tuple[str, str]


def there(need: Need, elsewhere: Elsewhere) -> Need:
    """A need of a part that stands elsewhere."""
    return replace(need, place=_moved(need.place, elsewhere))


def _moved(place: str, elsewhere: Elsewhere) -> str:
    was, now = elsewhere
    return now + place.removeprefix(was) if place.startswith(was) else place


@dataclass(frozen=True)
class Described:
    """What one field says of itself.

    `acts` are alternatives: it acts under any of them, and always where there are none. `silent`
    fields are left out of places: "surface/emission/0", not "surface/channels/emission/0".
    `structural` says what of it the program depends on: all of it, only which kind of value it is,
    or nothing; `apart` are numbers that make another program.
    """

    words: str
    label: str = ""
    param: Param | None = None
    options: Mapping[str, str] = field(default_factory=dict)
    #: What choosing an option sets besides, by place, where that still is as it begins.
    sets: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    acts: tuple[Condition, ...] = ()
    silent: bool = False
    refers: Literal["", "strand", "picture", "beacon", "lever"] = ""
    only: tuple[str, ...] = ()
    structural: Structural = "always"
    apart: tuple[float, ...] = ()
    #: For numbers of a motion: whose range is theirs.
    like: Literal["", "param", "reach", "rate"] = ""

    def at(self, elsewhere: Elsewhere) -> "Described":
        """What it says of itself where its part stands elsewhere."""
        acts = tuple(replace(c, needs=tuple(there(n, elsewhere) for n in c.needs)) for c in self.acts)
        sets = {option: {_moved(p, elsewhere): v for p, v in puts.items()} for option, puts in self.sets.items()}
        return replace(self, acts=acts, sets=sets)

    def __call__(self, schema: dict[str, Any]) -> None:
        """Adds to a field's JSON Schema what the schema has no words for."""
        schema.setdefault("description", self.words)
        if self.param:
            schema["x-slider"] = list(self.param.soft)
            if self.param.unit:
                schema["x-unit"] = self.param.unit


def _field(default: Any, described: Described, **more: Any) -> Any:
    return Field(default=default, json_schema_extra=described, **more)


def number(
    default: Any,
    words: str,
    soft: tuple[float, float] = (0.0, 1.0),
    hard: tuple[float, float] = (-100000.0, 100000.0),
    unit: str = "",
    *,
    label: str = "",
    wrap: float | None = None,
    acts: tuple[Condition, ...] = (),
    apart: tuple[float, ...] = (),
    like: Literal["", "param", "reach", "rate"] = "",
    fed: bool = False,
) -> Any:
    """A number, or three, that may be in motion, or `fed` by a strand."""
    given = (0.0,) if default is None else default if isinstance(default, tuple) else (default,)
    kind: Literal["number", "triple"] = "triple" if len(given) == 3 else "number"
    feed = (Signal.COLOUR if len(given) == 3 else Signal.VALUE) if fed else None
    param = Param("", words, given, soft, hard, unit, kind, wrap=wrap, label=label, feed=feed)
    return _field(default, Described(words, label, param, acts=acts, structural="kind", apart=apart, like=like))


def still(
    default: Any,
    words: str,
    soft: tuple[float, float],
    hard: tuple[float, float],
    unit: str = "",
    *,
    label: str = "",
    structural: bool = False,
) -> Any:
    """A number, or three, that does not move; held within its hard range when it is read. `...` must be given."""
    given = default if isinstance(default, tuple) else (0.0 if default is ... else default,)
    kind: Literal["number", "triple"] = "triple" if len(given) == 3 else "number"
    param = Param("", words, given, soft, hard, unit, kind, moves=False, label=label)
    held = {} if len(given) == 3 else {"ge": hard[0], "le": hard[1]}
    return _field(default, Described(words, label, param, structural="always" if structural else "never"), **held)


def whole(
    default: int,
    words: str,
    hard: tuple[int, int],
    unit: str = "",
    *,
    soft: tuple[int, int] | None = None,
    label: str = "",
) -> Any:
    """A whole number that makes another program or mesh."""
    param = Param("", words, (float(default),), soft or hard, hard, unit, whole=True, moves=False, label=label)
    return _field(default, Described(words, label, param), ge=hard[0], le=hard[1], strict=True)


#: How many times brighter than its brightest showable self a colour is, for those who set that apart.
STRENGTH = Param("strength", "How many times brighter than white can show.", (1.0,), (1, 4), (1, 1000), moves=False)


def linear(
    default: tuple[float, float, float],
    words: str,
    *,
    label: str = "",
    acts: tuple[Condition, ...] = (),
    fed: bool = False,
) -> Any:
    """A linear colour, which may exceed 1, be in motion, or be `fed` by a strand."""
    feed = Signal.COLOUR if fed else None
    param = Param("", words, default, (0, 1), (0, 1000), type="colour", label=label, feed=feed)
    return _field(default, Described(words, label, param, acts=acts, structural="kind"))


def choice(
    default: Any,
    words: str,
    options: Mapping[str, str],
    *,
    label: str = "",
    acts: tuple[Condition, ...] = (),
    sets: Mapping[str, Mapping[str, Any]] | None = None,
) -> Any:
    """One of a few words, each with what it means and what choosing it sets besides. `...` must be given."""
    return _field(default, Described(words, label, options=options, acts=acts, sets=sets or {}))


def switch(default: bool, words: str, *, label: str = "", acts: tuple[Condition, ...] = ()) -> Any:
    """On or off."""
    return _field(default, Described(words, label, acts=acts), strict=True)


def text(
    default: Any, words: str, *, refers: Literal["", "picture", "lever"] = "", acts: tuple[Condition, ...] = ()
) -> Any:
    """Words of a person, or what refers to something by its id."""
    return _field(default, Described(words, refers=refers, acts=acts, structural="always" if refers else "never"))


def part(
    default: Any,
    words: str = "",
    *,
    label: str = "",
    silent: bool = False,
    acts: tuple[Condition, ...] = (),
    only: tuple[str, ...] = (),
    structural: Structural = "kind",
    **more: Any,
) -> Any:
    """Another part of the document, or a list of such; `only` names those of its fields that are used."""
    described = Described(words, label, silent=silent, acts=acts, only=only, structural=structural)
    return _field(default, described, **more)


# --- reading what is said ---------------------------------------------------------------


def described(model: type[BaseModel], name: str) -> Described:
    """What a field says of itself; a field that says nothing is text."""
    return fields(model)[name]


@cache
def fields(model: type[BaseModel]) -> dict[str, Described]:
    """All fields of a part, in order, each with its param named."""
    elsewhere: Elsewhere | None = getattr(model, "elsewhere", None)
    out = {}
    for name, info in model.model_fields.items():
        said = info.json_schema_extra
        if not isinstance(said, Described):
            said = Described("", structural="always" if name in ("id", "kind", "strand", "bead") else "never")
        if elsewhere:
            said = said.at(elsewhere)
        label = said.label or name.replace("_", " ")
        out[name] = replace(said, label=label, param=said.param and replace(said.param, name=name, label=label))
    return out


def param(model: type[BaseModel], name: str) -> Param:
    """The param of a number of the document. KeyError where it is none."""
    found = fields(model)[name].param
    if found is None:
        raise KeyError(name)
    return found


def part_of(info: FieldInfo) -> type[BaseModel] | None:
    """The model of a field that is a part, or a list or choice of parts."""
    return next(iter(_models(cast(Any, info.annotation))), None)


@cache
def _models(annotation: Any) -> tuple[type[BaseModel], ...]:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return (annotation,)
    inner = () if get_origin(annotation) is Literal else get_args(annotation)
    return tuple(model for one in inner for model in _models(one))


def is_list(info: FieldInfo) -> bool:
    """Whether a field is a list of parts."""
    origin = get_origin(info.annotation)
    return origin is tuple or origin is list


#: What becomes of a field when what it refers to goes: it is set to its default, the item goes out of the
#: list, the part goes that was there for it, or the number stays where it stood.
Gone = Literal["", "default", "entry", "part", "value"]


@cache
def gone(model: type[BaseModel], name: str) -> Gone:
    """What becomes of what a field refers to something by; nothing where it refers to nothing."""
    info, said = model.model_fields[name], fields(model)[name]
    what = kind(model, name)
    if what in ("part", "list"):
        inner = part_of(info)
        if inner is None or not {"strand", "lever"} & set(inner.model_fields):
            return ""
        return "entry" if what == "list" else "part"
    return "default" if said.refers or what in ("number", "params") else ""


@cache
def kind(model: type[BaseModel], name: str) -> Kind:
    """What sort of control a field wants."""
    said, info = fields(model)[name], model.model_fields[name]
    if said.param:
        return "whole" if said.param.whole else "number"
    if said.options:
        return "choice"
    if info.annotation is bool:
        return "switch"
    if said.refers == "picture":
        return "picture"
    if get_origin(info.annotation) is dict:
        return "params"
    if part_of(info) is None:
        return "text"
    return "list" if is_list(info) else "part"
