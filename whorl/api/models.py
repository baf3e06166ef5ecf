"""What the API takes and gives beside the document itself."""

from datetime import UTC, datetime
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field

from whorl.bake.options import BakeOptions
from whorl.checks import Bad, Finding
from whorl.effect import Effect, splices
from whorl.effect.described import Gone, Kind, Structural, param
from whorl.effect.document import ASKED, MOST_HITS, MOST_LEVERS, Hit, Lever, Turn
from whorl.effect.mapped import MOST_MAPS, MapGiven
from whorl.effect.problems import Change, Problem
from whorl.effect.stage import MOST_POINTS, PathPoint, Placed, Stage
from whorl.effect.tree import motions
from whorl.effect.value import Amount, Finite, Keys, Levered, Motion
from whorl.images.maps import Use
from whorl.images.sequence import MOST_FRAMES
from whorl.images.sheet import Reading
from whorl.stage.ready import Condition, ReadyStage
from whorl.store.bakes import Job
from whorl.store.effects import Kept
from whorl.store.splices import KeptSplice

EXAMPLE: dict[str, Any] = {
    "format": "whorl-effect",
    "version": 1,
    "name": "Fog Gate",
    "strands": [{"id": "mist", "name": "Mist", "beads": [{"id": "b1", "kind": "uv"}, {"id": "b2", "kind": "noise"}]}],
    "surface": {"channels": {"emission": [{"strand": "mist", "gain": 2.0}]}},
}


def _in_utc(moment: datetime) -> datetime:
    return moment if moment.tzinfo else moment.replace(tzinfo=UTC)


#: A moment with its zone; the database keeps UTC without one.
Moment = Annotated[datetime, AfterValidator(_in_utc)]


class Body(BaseModel):
    """What is sent to Whorl: a text is no number, and what is not known is told."""

    model_config = ConfigDict(strict=True, extra="forbid")


class Told(BaseModel):
    """What went wrong, in words; with faults of a document, each in its place."""

    words: str
    problems: list[Problem] = []
    head: int | None = None


class KeptEffect(BaseModel):
    """An effect and the revision it stands at."""

    id: str
    revision: int
    changed: Moment
    document: Effect = Field(examples=[EXAMPLE])

    @classmethod
    def of(cls, kept: Kept) -> "KeptEffect":
        return cls(id=kept.id, revision=kept.revision, changed=kept.changed, document=kept.effect)


class ShelfVariant(BaseModel):
    """A variant as the shelf lists it."""

    model_config = ConfigDict(from_attributes=True)

    id: str
    name: str


class ShelfEffect(BaseModel):
    """An effect as the shelf lists it; `words` say why it cannot be opened, where it cannot."""

    model_config = ConfigDict(from_attributes=True)

    id: str
    name: str
    revision: int
    created: Moment
    changed: Moment
    seconds: float
    fps: int
    tags: list[str]
    #: Whether it came with Whorl.
    shipped: bool
    words: str
    variants: list[ShelfVariant]


class Tags(Body):
    """Words that an effect is found by."""

    tags: list[Annotated[str, Field(min_length=1, max_length=40)]] = Field(max_length=16, examples=[["water"]])


class Two(Body):
    """Two documents to be compared."""

    before: dict[str, Any] = Field(examples=[EXAMPLE])
    after: dict[str, Any] = Field(examples=[EXAMPLE])


class Changed(BaseModel):
    """A difference: where, what in words, and what stood and stands there."""

    model_config = ConfigDict(from_attributes=True)

    place: str
    kind: Literal["added", "removed", "changed", "moved"]
    words: str
    before: str
    after: str


class Room(BaseModel):
    """Files that nothing refers to, and how many bytes they take."""

    files: int
    bytes: int


class Save(Body):
    """A document to save upon a revision."""

    base: int = Field(ge=1, examples=[3])
    document: dict[str, Any] = Field(examples=[EXAMPLE])


class New(Body):
    """A new effect: from a document or a starter, or empty under a name."""

    name: str | None = Field(default=None, min_length=1, max_length=120, examples=["Harbour Glow"])
    document: dict[str, Any] | None = Field(default=None, examples=[EXAMPLE])
    starter: str | None = Field(default=None, max_length=60, examples=["shell"])


class Starter(BaseModel):
    """What a new effect may begin from."""

    slug: str
    document: Effect


class Document(Body):
    """A document to look at without saving it."""

    document: dict[str, Any] = Field(examples=[EXAMPLE])


class LookRequest(Document):
    """A document to look at, whether also for all the ways that its levers are likely to stand, and whether beside a
    picture that plays, which goes first."""

    everywhere: bool = True
    gently: bool = False


class CompileRequest(Document):
    """A document, and how it was when it had no fault."""

    last: dict[str, Any] | None = None


class FrameRequest(Document):
    """A document and the moment it is wanted at."""

    phase: float = Field(default=0.0, ge=0, le=1)
    size: int = Field(default=256, ge=16, le=2048)
    peek: str | None = Field(default=None, examples=["mist/b2"])


class SignalRequest(Document):
    """A document and the bead whose signal is looked at."""

    place: str = Field(examples=["mist/b2"])


class Signal(BaseModel):
    """How often each value comes in, over the shape and the turn: parts of all in equal bins."""

    low: float
    high: float
    least: float
    most: float
    parts: list[float]


class OverTurn(BaseModel):
    """How often each value comes out, at moments spread evenly over the turn: parts of all in equal bins."""

    low: float
    high: float
    moments: list[list[float]]


class ResponseRequest(Body):
    """A bead, the values that it is given, rising evenly, and the levers that may move its numbers."""

    levers: list[dict[str, Any]] = Field([], max_length=MOST_LEVERS)

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
    saved: Moment


class UniformInfo(BaseModel):
    """A number of the program: where it comes from, its value, and its motion's rows if it moves."""

    name: str
    place: str
    size: int
    value: list[float]
    rows: list[list[float]] | None
    #: Whether its rows are found out from the shape, and whether they still are.
    measured: bool
    pending: bool


class MadeOf(BaseModel):
    """How a picture is made, as a name that stays while that does, and which of the program's uniforms are read."""

    name: str
    asks: list[int]


class Peek(BaseModel):
    """What `peek` shows by this number."""

    place: str
    number: int
    signal: str
    period: list[float] | None
    of: MadeOf


class Filter(BaseModel):
    """A program of full-screen passes."""

    fragment: str
    samplers: list[str]
    numbers: list[str]


class FilterPass(BaseModel):
    """A full-screen pass: what it draws, by which of the filters, from which pictures in the order of its samplers.

    Only pictures of more pixels than `above` on their lesser side have it; what was not drawn is black.
    """

    output: str
    level: int
    above: float
    filter: int
    inputs: list[str]


class PictureInfo(BaseModel):
    """A picture the program samples, by the name of its sampler. Of a sequence of several frames it is the one that the
    uniform `at` counts to, whole numbers being frames, or so many ahead of it; beyond the last they begin again."""

    name: str
    hash: str
    read: Reading
    frames: int
    ahead: int
    at: str


class MapProposed(BaseModel):
    """A picture of a set of maps: kept, and what it is likely for and why."""

    name: str
    hash: str
    width: int
    height: int
    use: Use
    why: str
    flip_green: bool


class MapsProposed(BaseModel):
    """A set of maps, and what was in it that is none."""

    maps: list[MapProposed]
    refused: list[str]
    #: All that a map may be for.
    uses: list[Use]


class MapsRequest(Body):
    """A set of maps to be wired into an effect."""

    document: Effect
    maps: list[MapGiven] = Field(min_length=1, max_length=MOST_MAPS)


class MapsMade(BaseModel):
    """An effect with its maps."""

    document: Effect


class PanoramaInfo(BaseModel):
    """A panorama that comes with Whorl."""

    slug: str
    name: str
    words: str


class StoredPicture(BaseModel):
    """A picture that was brought in, or a sequence of several frames."""

    hash: str
    width: int
    height: int
    channels: Literal["grey", "colour"]
    frames: int = 1
    #: What a sequence of several files is called; a single one has its own name.
    name: str = ""


class Numbered(BaseModel):
    """A picture that is kept, under the name that its file had."""

    name: str = Field(max_length=200)
    hash: str = Field(pattern=r"^[0-9a-f]{64}$")


class SequenceRequest(BaseModel):
    """Numbered pictures that are kept, in any order."""

    files: list[Numbered] = Field(min_length=1, max_length=MOST_FRAMES)


class StoredMesh(BaseModel):
    """A mesh that was brought in."""

    hash: str
    vertices: int
    triangles: int
    uv: bool
    colours: bool = Field(description="Whether its vertices have colours.")
    second_uv: bool = Field(description="Whether it has a second set of UV.")
    parts: list[str] = Field(description="Its materials, groups or objects by name.")


class Pair(BaseModel):
    """A vertex and a fragment program."""

    vertex: str
    fragment: str


class GripInfo(BaseModel):
    """A point of a curve that can be taken by the hand; a handle belongs to (`of`) its key."""

    model_config = ConfigDict(from_attributes=True)

    name: str
    words: str
    phase: float
    value: float
    of: str
    #: Whether it may be removed.
    taken: bool


class TrackInfo(BaseModel):
    """A curve of the ring: one axis of the rows of a number in motion."""

    place: str
    #: The place of the uniform whose rows it is a column of.
    uniform: str
    axis: int
    words: str
    short: str
    closed: bool
    rounds: float | None
    grips: list[GripInfo]


class LampProgram(Pair):
    """What draws the three squares that the key lamp sees of the shape, each of so many pixels a side; `room` is how
    much further they reach than the corner of the shape's box."""

    side: int
    room: float


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
    #: What light is cast from, where a picture of the shape is drawn for that.
    lamp: LampProgram | None
    frames: int
    #: How many frames it is from phase 0 to phase 1.
    steps: int
    looping: bool
    far: str
    uniforms: list[UniformInfo]
    #: What the whole picture is made of, but for the passes that finish it.
    of: MadeOf
    peeks: list[Peek]
    closed: dict[str, list[bool]]
    tracks: list[TrackInfo]
    findings: list[Finding]
    filters: list[Filter]
    passes: list[FilterPass]
    pictures: list[PictureInfo]


class Measured(BaseModel):
    """By the places of their uniforms, the rows of tables that are found out from the shape."""

    rows: dict[str, list[list[float]]]


class HitsRequest(Body):
    """Hits, the stage they are on, and the turn."""

    hits: tuple[Hit, ...] = Field(max_length=MOST_HITS, strict=False)
    stage: Stage
    turn: Turn


class PathRequest(Body):
    """A tube's path, and the segment that gets one more point in its middle: the one after a point, from 0."""

    path: list[PathPoint] = Field(min_length=2, max_length=MOST_POINTS - 1)
    closed: bool = False
    segment: int = Field(ge=0, strict=True)


_AT, _RADIUS = (param(PathPoint, name).hard for name in ("at", "radius"))
_Drawn = Annotated[list[Annotated[float, Field(ge=_AT[0], le=_AT[1])]], Field(min_length=3, max_length=3)]


class DrawnRequest(Body):
    """A line that was drawn by hand, in units on the stage, and how thick the tube along it is to be."""

    line: list[_Drawn] = Field(min_length=2, max_length=4000)
    radius: float = Field(ge=_RADIUS[0], le=_RADIUS[1])


class PathMade(BaseModel):
    """A path, and whether its end leads into its beginning."""

    path: list[PathPoint]
    closed: bool = False


class Picked(BaseModel):
    """A place of the shape, on it as it is made; nothing where the shape is not."""

    position: list[float] | None


class PickRequest(Body):
    """A place of a picture of the stage, 0..1 from its left and its top."""

    stage: Stage
    x: float = Field(ge=0, le=1)
    y: float = Field(ge=0, le=1)


class ScatterRequest(Body):
    """How many hits are to be scattered over a stage's shape and over the turn."""

    stage: Stage
    turn: Turn
    count: int = Field(ge=1, le=MOST_HITS)
    seed: int = Field(ge=0, le=1_000_000)


class RepeatRequest(Body):
    """Hits, one of which is to strike again every so many frames of a turn."""

    hits: tuple[Hit, ...] = Field(max_length=MOST_HITS, strict=False)
    id: str
    every: int = Field(ge=int(ASKED["every"].hard[0]), le=int(ASKED["every"].hard[1]))
    turn: Turn


class Scattered(BaseModel):
    """Hits."""

    hits: list[Hit]


class Compile(BaseModel):
    """The program, or why there is none."""

    program: Compiled | None = None
    problems: list[Problem] = []
    #: Where the program draws what was before there was a fault.
    stood: list[str] = []


class BakeRequest(Body):
    """A bake of an effect's newest revision."""

    effect: str = Field(examples=["fog-gate"])
    options: BakeOptions = BakeOptions()


class SheetRequest(Body):
    """Frames of a turn, and how they are to be baked."""

    frames: int = Field(ge=1, le=1_000_000)
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
    #: Whether a strand gives it, and never a number; and whether it has no rest without one.
    only_fed: bool
    needed: bool
    when: dict[str, Any] | None
    axes: list[str]


class Offer(BaseModel):
    """A function that a formula may call."""

    name: str
    takes: str
    words: str


class SettingInfo(BaseModel):
    """One structural setting of a kind of bead."""

    name: str
    label: str
    words: str
    kind: Literal["choice", "switch", "whole", "picture", "beacon", "formula"]
    options: list[str]
    low: int
    high: int
    default: str | int | bool
    #: Whether its options are best told apart by what each makes of what comes in.
    by_look: bool
    offers: list[Offer]


class Fit(BaseModel):
    """Why a bead cannot stand in a place, or which kinds are put before it so that it can."""

    misfit: str | None
    brings: list[str]


class BeadInfo(BaseModel):
    """One kind of bead."""

    kind: str
    title: str
    group: str
    #: What stands under its picture: `{name}` is a setting, a number, or the strand that is brought in.
    short: str
    #: Whether it only passes on what it brings in.
    goes_on: bool
    #: Whether it shows what strikes the effect.
    takes_hits: bool
    #: Whether it can stand where nothing ("") or a signal comes in.
    fits: dict[str, Fit]
    #: By each signal that cannot come in: why what gives it cannot stand before.
    refuses: dict[str, str]
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
    #: In few words: `{name}` stands for a number of it, or how many a list has.
    short: str
    #: Where in it stands what the number was before it moved.
    rests: str
    #: Whether only what has several components takes it, and whether it follows another number.
    several: bool
    follows: bool


class ShapeInfo(BaseModel):
    """A shape, and how a small picture is taken of it."""

    name: str
    words: str
    close: Literal["flat", "above"] | float


class FileInfo(BaseModel):
    """A kind of video that a bake makes: its name, and what it can hold."""

    kind: str
    title: str
    words: str


class Carried(BaseModel):
    """What a form carries of an effect, what it carries nearly, and what is lost in it."""

    model_config = ConfigDict(from_attributes=True)

    carried: list[str]
    nearly: list[str]
    lost: list[str]


class Estimate(BaseModel):
    """What a bake comes to."""

    model_config = ConfigDict(from_attributes=True)

    frames: int
    seconds: float
    bytes: int


class FormInfo(BaseModel):
    """A form that an effect can be handed over in; one that is `made` at once needs no bake."""

    key: str
    title: str
    words: str
    made: bool


class ReceiverInfo(BaseModel):
    """Who takes an effect: the forms that serve them, and what a bake for them begins with."""

    key: str
    title: str
    words: str
    forms: list[str]
    bake: dict[str, Any]


class Catalogue(BaseModel):
    """All that Whorl knows: beads, what each part of a document says of itself, motions, stages, shapes."""

    beads: list[BeadInfo]
    parts: dict[str, list[FieldInfo]]
    defaults: Effect
    motions: list[MotionInfo]
    stages: list[ReadyStage]
    figure: list[Placed]
    #: Numbers that people are asked for and the document does not keep.
    asked: dict[str, ParamInfo]
    conditions: list[Condition]
    on_shapes: list[Condition]
    #: What is less bright everywhere cannot be seen, of what a screen shows at the most.
    unseen: float
    #: How bad findings may be, the worst first.
    gravity: list[Bad]
    shapes: list[ShapeInfo]
    #: Of any colour.
    strength: ParamInfo
    camera: list[str]
    #: The field of a lever that holds where it stands, by its kind, and the one that a reset goes back to.
    lever_holds: dict[str, list[str]]
    stills: list[FileInfo]
    videos: list[FileInfo]
    layers: list[FileInfo]
    languages: list[FileInfo]
    forms: list[FormInfo]
    receivers: list[ReceiverInfo]


class MotionRequest(Body):
    """A number to be set moving: its place, what it is now, and the kind of its bead where it is on one."""

    motion: Annotated[str, Field(json_schema_extra={"enum": [str(k["kind"]) for k in motions()]})]
    place: str = Field(examples=["stage/lamps/key/yaw"])
    now: list[Finite] = Field(min_length=1, max_length=3)
    bead: str | None = None
    #: Wanted for what follows another number of it.
    document: dict[str, Any] | None = None


class Done(Body):
    """What the hand does with a motion.

    `pull` moves grips by `phase` of a turn and by `value`; `add` puts a point at `phase`, `remove` takes
    points away; `shift` moves all of it later by `phase`, `reverse` turns it round, and `fit` makes that
    of another number fit.
    """

    kind: Literal["pull", "add", "remove", "shift", "reverse", "fit"]
    names: list[Annotated[str, Field(max_length=20)]] = Field([], max_length=130)
    phase: Annotated[Finite, Field(ge=-2, le=2)] = 0.0
    value: Finite = 0.0
    axis: Annotated[int, Field(ge=0, le=2)] = 0
    #: Whether it comes to rest at frames.
    snap: bool = True


class RowsRequest(Body):
    """A number in motion: its place, the kind of its bead where it is on one, the turn, and what is done with it."""

    motion: Motion = Field(discriminator="motion")
    place: str = Field(examples=["stage/lamps/key/yaw"])
    bead: str | None = None
    turn: Turn
    document: dict[str, Any] | None = None
    deed: Done | None = None


class Rows(BaseModel):
    """A motion with its components, a row for each frame, and what of its curve can be taken by the hand."""

    motion: Motion = Field(discriminator="motion")
    rows: list[list[float]]
    axis: int
    rounds: float | None
    grips: list[GripInfo]
    #: The point that was added.
    added: str
    #: In few words.
    short: str


class BetweenRequest(Body):
    """A document, and how many parts a frame is to have."""

    document: dict[str, Any] = Field(examples=[EXAMPLE])
    parts: int = Field(ge=1, le=16)


class SpeedRequest(Body):
    """A document, and the place of a number in motion."""

    document: dict[str, Any] = Field(examples=[EXAMPLE])
    place: str = Field(examples=["strands/mist/scroll/offset"], max_length=200)


class RetimeRequest(Body):
    """A document, and how many pixels a frame its busiest motion is to move in a picture of 512."""

    document: dict[str, Any] = Field(examples=[EXAMPLE])
    pixels: float = Field(ge=ASKED["pixels"].hard[0], le=ASKED["pixels"].hard[1])


class Retimed(BaseModel):
    """How long the turn is to last, in seconds."""

    seconds: float


class Speed(BaseModel):
    """How fast a number in motion goes: its own change a second, and pixels a frame in a picture of 512."""

    change: float
    phase: float
    pixels: float | None
    median: float | None
    #: Whether it goes more than half a repeat a frame.
    quick: bool
    words: str


class Between(BaseModel):
    """By the name of its uniform, what each number in motion is at each part of each frame."""

    parts: int
    rows: dict[str, list[list[float]]]


class Begun(BaseModel):
    """A motion."""

    motion: Motion = Field(discriminator="motion")


class LeverRequest(Document):
    """A document and the place of a number; with a lever, that one is to move it too."""

    place: str = Field(examples=["strands/mist/noise/scale"])
    lever: str | None = None


class Published(BaseModel):
    """A lever that is new, and what then stands at the place of what it moves."""

    lever: Lever | None
    value: Levered | str | None


class LeverNamed(Document):
    """A document and one of its levers."""

    lever: str


class VariantNamed(Document):
    """A document and one of its variants, or a name for a new one."""

    variant: str = Field(min_length=1, max_length=120)


class BetweenVariants(Document):
    """Part of the way from one variant to another."""

    first: str
    second: str
    part: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]


class DealRequest(Document):
    """A document whose levers are to be dealt anew."""

    seed: Annotated[int, Field(ge=0, le=2**31 - 1)]


class Changes(BaseModel):
    """Values to be put at places of the document, all in one step."""

    changes: list[Change]


class Dealt(BaseModel):
    """Ways for the levers to stand."""

    deals: list[Changes]


class Night(Body):
    """The ferry's night as it is to be played: from which seed, how fast, or not at all."""

    playing: bool
    seed: Annotated[int, Field(ge=ASKED["night"].hard[0], le=ASKED["night"].hard[1])] = 1
    speed: Annotated[float, Field(ge=ASKED["pace"].hard[0], le=ASKED["pace"].hard[1], allow_inf_nan=False)] = 1.0


class Listening(Body):
    """Whether signals are taken."""

    listening: bool


class PortInfo(BaseModel):
    """Where signals are taken, how many came, and how many were dropped since they were no messages or too many."""

    listening: bool
    host: str
    port: int
    count: int
    dropped: int
    night: Night


class KnownAddress(BaseModel):
    """An address that something came to: the newest of it, how often it comes, seconds since, what it moves.

    The trace is of the last ten seconds: how many seconds ago, and the number that came; the span is what a lever that
    is tied to it would go by.
    """

    address: str
    arguments: list[float | str]
    rate: float
    silent: float
    moves: list[str]
    trace: list[tuple[float, float]]
    span: tuple[float, float]


class Struck(BaseModel):
    """A hit that a signal brought: where on the shape as it is made, how hard, and where in UV."""

    position: tuple[float, float, float]
    strength: float
    uv: tuple[float, float]


class LiveState(BaseModel):
    """Where signals have levers, by their ids; what struck since, and the phase where they gave one."""

    levers: dict[str, Amount]
    strikes: list[Struck] = []
    phase: float | None = None


class LeverKeys(BaseModel):
    """What a signal did to a lever over a turn, as keys for a field of it, and by how much these are off at most."""

    lever: str
    field: str
    motion: Keys
    error: float


class Recorded(BaseModel):
    """What signals did over a turn."""

    levers: list[LeverKeys]
    hits: list[Hit]


class LiveTold(BaseModel):
    """What `/api/signals/live` tells; of each message one of these is there."""

    state: LiveState | None = None
    port: PortInfo | None = None
    known: list[KnownAddress] | None = None
    name: str | None = Field(default=None, description="What the effect is called in addresses.")
    recorded: Recorded | None = None
    wrong: str | None = None


class RecordAsked(Body):
    """A turn is to be kept: by how many hundredths of a lever's slider keys may be off."""

    tolerance: Annotated[
        float, Field(ge=ASKED["tolerance"].hard[0], le=ASKED["tolerance"].hard[1], allow_inf_nan=False)
    ] = 1.0


class LiveAsked(Body):
    """What `/api/signals/live` is told: which effect is to follow, whether it does, what is to be shown or kept."""

    use: dict[str, Any] | None = None
    follow: bool | None = None
    watch: bool | None = None
    record: RecordAsked | None = None
    forget: bool | None = None


class Live(BaseModel):
    """Both ways of the WebSocket at `/api/signals/live`, each message as JSON."""

    asked: LiveAsked
    told: LiveTold


class InletInfo(BaseModel):
    """What a splice needs from where it is put."""

    strand: str
    name: str
    gives: str = Field(description="What runs along it.")


class SpliceInfo(BaseModel):
    """A splice: its state, whether it ships with Whorl, and the effect that shows it."""

    id: str
    name: str
    words: str
    digest: str
    shipped: bool
    inlets: list[InletInfo]
    document: Effect

    @classmethod
    def of(cls, kept: KeptSplice) -> "SpliceInfo":
        splice = kept.splice
        names = {s.id: s.name for s in splice.effect.strands}
        return cls(
            id=kept.id,
            name=splice.name,
            words=splice.words,
            digest=kept.digest,
            shipped=kept.shipped,
            inlets=[InletInfo(strand=i.strand, name=names[i.strand], gives=i.gives) for i in splice.inlets],
            document=splice.effect,
        )


Strands = Annotated[list[Annotated[str, Field(max_length=40)]], Field(min_length=1, max_length=200)]


class Needed(Document):
    """Some strands of a document."""

    strands: Strands = Field(examples=[["mist"]])


class CutRequest(Needed):
    """Strands that are to be kept as a splice; with an id, in the place of one that is there."""

    name: str = Field(min_length=1, max_length=120, examples=["Mist"])
    words: str = Field(default="", max_length=500)
    id: str | None = None


class PutRequest(Document):
    """Where a splice is to be put: what its inlets are joined to, whether it goes to the surface, before which row."""

    joins: dict[str, str] = Field(default={}, examples=[{"mist": "mist/noise"}])
    surface: bool = True
    row: int | None = Field(default=None, ge=0, le=200)


class TakeRequest(Document):
    """Which effect of the shelf is to be a document's second surface, and where it shows: where that strand is 1. With
    none, a front comes along that passes over the shape in the course of a turn."""

    effect: str = Field(max_length=64, examples=["night-river"])
    strand: str | None = Field(default=None, max_length=40)
    bead: str | None = Field(default=None, max_length=40)


class SplicedIn(Document):
    """A document and what came into it as a splice."""

    id: str = Field(examples=["shell-glow"])


class ScaleRequest(SplicedIn):
    """How many times as large it is to be."""

    times: Annotated[float, Field(allow_inf_nan=False)]


class WithSplice(BaseModel):
    """A document with a splice put in, or changed as one; `kept` counts values that were changed here and stay."""

    document: Effect
    id: str
    kept: int = 0


class FitInfo(BaseModel):
    """What could be joined to an inlet: strands ("mist") and beads ("mist/noise"), and the best of them."""

    strand: str
    name: str
    gives: str
    options: list[str]
    best: str | None

    @classmethod
    def of(cls, fit: splices.Fit) -> "FitInfo":
        return cls(strand=fit.strand, name=fit.name, gives=fit.gives, options=fit.options, best=fit.best)
