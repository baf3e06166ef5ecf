"""What the API takes and gives beside the document itself."""

from datetime import datetime
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from whorl.bake.options import BakeOptions
from whorl.checks import Finding
from whorl.effect import Effect
from whorl.effect.described import Gone, Kind, Structural
from whorl.effect.problems import Problem
from whorl.effect.value import Drift, Finite, Keys, Sway
from whorl.stage.ready import BadCondition, ReadyStage
from whorl.store.bakes import Job
from whorl.store.effects import Kept

EXAMPLE: dict[str, Any] = {
    "format": "whorl-effect",
    "version": 1,
    "name": "Fog Gate",
    "strands": [{"id": "mist", "name": "Mist", "beads": [{"id": "b1", "kind": "uv"}, {"id": "b2", "kind": "noise"}]}],
    "surface": {"channels": {"emission": [{"strand": "mist", "gain": 2.0}]}},
}


class Told(BaseModel):
    """What went wrong, in words; with faults of a document, each in its place."""

    words: str
    problems: list[Problem] = []
    head: int | None = None


class KeptEffect(BaseModel):
    """An effect and the revision it stands at."""

    id: str
    revision: int
    changed: datetime
    document: Effect = Field(examples=[EXAMPLE])

    @classmethod
    def of(cls, kept: Kept) -> "KeptEffect":
        return cls(id=kept.id, revision=kept.revision, changed=kept.changed, document=kept.effect)


class ShelfEffect(BaseModel):
    """An effect as the shelf lists it."""

    id: str
    name: str
    revision: int
    changed: datetime
    seconds: float
    fps: int


class Save(BaseModel):
    """A document to save upon a revision."""

    base: int = Field(ge=1, examples=[3])
    document: dict[str, Any] = Field(examples=[EXAMPLE])


class New(BaseModel):
    """A new effect: from a document, or empty under a name."""

    name: str | None = Field(default=None, min_length=1, max_length=120, examples=["Harbour Glow"])
    document: dict[str, Any] | None = Field(default=None, examples=[EXAMPLE])


class Document(BaseModel):
    """A document to look at without saving it."""

    document: dict[str, Any] = Field(examples=[EXAMPLE])


class FrameRequest(Document):
    """A document and the moment it is wanted at."""

    phase: float = Field(default=0.0, ge=0, le=1)
    size: int = Field(default=256, ge=16, le=2048)
    peek: str | None = Field(default=None, examples=["mist/b2"])


class SignalRequest(Document):
    """A document and the bead whose incoming signal is looked at."""

    place: str = Field(examples=["mist/b2"])


class Signal(BaseModel):
    """How often each value comes in, over the shape and the turn: parts of all in equal bins."""

    low: float
    high: float
    least: float
    most: float
    parts: list[float]


class ResponseRequest(BaseModel):
    """A bead and the values that it is given, rising evenly."""

    bead: dict[str, Any] = Field(examples=[{"id": "cut", "kind": "threshold", "params": {"level": 0.4}}])
    low: float = Field(default=0.0, ge=-100000, le=100000)
    high: float = Field(default=1.0, ge=-100000, le=100000)
    phase: float = Field(default=0.0, ge=0, le=1)


class BeadResponse(BaseModel):
    """What the bead makes of them: one or three numbers for each."""

    values: list[list[float]]


class Revision(BaseModel):
    """One saved state."""

    number: int
    saved: datetime


class UniformInfo(BaseModel):
    """A number of the program: where it comes from, its value, and its motion's rows if it moves."""

    name: str
    place: str
    size: int
    value: list[float]
    rows: list[list[float]] | None


class Peek(BaseModel):
    """What `peek` shows by this number."""

    place: str
    number: int
    signal: str
    period: list[float] | None


class FilterPass(BaseModel):
    """A full-screen pass."""

    output: str
    level: int
    fragment: str
    inputs: list[str]
    numbers: list[str]


class PictureInfo(BaseModel):
    """A picture the program samples, by the name of its sampler."""

    name: str
    hash: str
    srgb: bool


class StoredPicture(BaseModel):
    """A picture that was brought in."""

    hash: str
    width: int
    height: int
    channels: Literal["grey", "colour"]


class StoredMesh(BaseModel):
    """A mesh that was brought in."""

    hash: str
    vertices: int
    triangles: int
    uv: bool


class Pair(BaseModel):
    """A vertex and a fragment program."""

    vertex: str
    fragment: str


class Compiled(BaseModel):
    """A program ready to draw, with what its loop does."""

    key: str
    vertex: str
    fragment: str
    backdrop: str
    #: The program of the shape's far side, where the surface asks for it; else nothing.
    back: str
    #: How the far side that is drawn by itself goes into the scene; nothing where it is not.
    layer: Literal["", "laid", "kept", "again"]
    #: What works out how far each vertex is moved, where the shape is.
    raised: Pair | None
    #: The uniform that says in which direction, or nothing for the normal's.
    direction: str
    frames: int
    far: str
    uniforms: list[UniformInfo]
    peeks: list[Peek]
    closed: dict[str, list[bool]]
    findings: list[Finding]
    passes: list[FilterPass]
    pictures: list[PictureInfo]


class Compile(BaseModel):
    """The program, or why there is none."""

    program: Compiled | None = None
    problems: list[Problem] = []


class BakeRequest(BaseModel):
    """A bake of an effect's newest revision."""

    effect: str = Field(examples=["fog-gate"])
    options: BakeOptions = BakeOptions()


class BakeJob(BaseModel):
    """A bake as it stands."""

    model_config = ConfigDict(from_attributes=True)

    id: str
    effect_id: str
    name: str
    state: Literal["waiting", "running", "done", "cancelled", "failed"]
    done: int
    total: int
    words: str
    files: list[str]

    @classmethod
    def of(cls, job: Job) -> "BakeJob":
        return cls.model_validate(job)


class ParamInfo(BaseModel):
    """One param of a kind of bead."""

    name: str
    label: str
    words: str
    type: Literal["number", "pair", "triple", "colour", "stops", "curve", "direction"]
    default: Any
    soft: list[float]
    hard: list[float]
    unit: str
    whole: bool
    moves: bool
    #: What a drift counts in.
    rate: str
    feed: str | None
    when: dict[str, Any] | None
    axes: list[str]


class SettingInfo(BaseModel):
    """One structural setting of a kind of bead."""

    name: str
    label: str
    words: str
    kind: Literal["choice", "switch", "whole", "picture", "beacon"]
    options: list[str]
    low: int
    high: int
    default: str | int | bool


class BeadInfo(BaseModel):
    """One kind of bead."""

    kind: str
    title: str
    group: str
    words: str
    takes: list[str]
    gives: str
    brings: ParamInfo | None
    params: list[ParamInfo]
    settings: list[SettingInfo]
    find: list[str]
    formula: str
    source: str


class OptionInfo(BaseModel):
    """One of a field's words; `sets` is what choosing it sets besides, by place, where that is as it begins."""

    value: str
    words: str
    sets: dict[str, Any]


class NeedInfo(BaseModel):
    """A place and what it has to hold: one of `values`, or none of `other_than`. Without a slash it is a
    neighbour in the same part; others name every field from the root."""

    place: str
    values: list[Any]
    other_than: list[Any]
    mended: Any


class ConditionInfo(BaseModel):
    """When something acts: all needs are met."""

    words: str
    mend: str
    needs: list[NeedInfo]


class FieldInfo(BaseModel):
    """What a field of the document says of itself; see `whorl.effect.described`."""

    name: str
    label: str
    words: str
    kind: Kind
    param: ParamInfo | None
    options: list[OptionInfo]
    part: str | None
    #: What it holds in a part that is made anew.
    fresh: Any
    optional: bool
    most: int | None
    silent: bool
    refers: str
    #: What becomes of the field when what it refers to goes.
    gone: Gone
    only: list[str]
    acts: list[ConditionInfo]
    structural: Structural
    apart: list[float]
    like: str


class MotionInfo(BaseModel):
    """A motion: its name in a document, and which part holds its numbers."""

    kind: str
    words: str
    part: str


class ShapeInfo(BaseModel):
    """A shape, and how a small picture is taken of it."""

    name: str
    words: str
    close: Literal["flat", "above"] | float


class Catalogue(BaseModel):
    """All that Whorl knows: beads, what each part of a document says of itself, motions, stages, shapes."""

    beads: list[BeadInfo]
    parts: dict[str, list[FieldInfo]]
    defaults: Effect
    motions: list[MotionInfo]
    stages: list[ReadyStage]
    conditions: list[BadCondition]
    shapes: list[ShapeInfo]
    #: Of any colour.
    strength: ParamInfo
    camera: list[str]


class MotionRequest(BaseModel):
    """A number to be set moving: its place, what it is now, and the kind of its bead where it is on one."""

    motion: Literal["drift", "sway", "keys"]
    place: str = Field(examples=["stage/lamps/key/yaw"])
    now: list[Finite] = Field(min_length=1, max_length=3)
    bead: str | None = None


class Begun(BaseModel):
    """A motion."""

    motion: Drift | Sway | Keys
