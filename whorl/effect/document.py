"""The effect document: what a `*.whorl.json` file holds."""

from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Discriminator, Field, Tag, model_validator

Finite = Annotated[float, Field(allow_inf_nan=False, strict=False)]
Numbers = Annotated[list[Finite], Field(min_length=1, max_length=3)]
Amount = Finite | Numbers
Name = Annotated[str, Field(min_length=1, max_length=120)]
Id = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")]
Colour = Annotated[list[Annotated[Finite, Field(ge=0, le=1000)]], Field(min_length=3, max_length=3)]


class Model(BaseModel):
    """Strict about what it does not know, so that a slip of the pen is told, not lost."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Turn(Model):
    """One pass of the loop. The number of frames is seconds × fps, and whole."""

    seconds: Annotated[Finite, Field(gt=0, le=120)] = 4.0
    fps: Annotated[int, Field(ge=1, le=120)] = 24

    @property
    def frames(self) -> int:
        return max(1, round(self.seconds * self.fps))


class Drift(Model):
    """Constant rate: `base` plus `cycles` wraps a turn (or plain units, without a wrap)."""

    motion: Literal["drift"]
    cycles: Amount = 1.0
    base: Amount | None = None


class Sway(Model):
    """A sine: `base` ± `amount`, `cycles` times a turn, begun at `start` of a cycle."""

    motion: Literal["sway"]
    amount: Amount = 0.1
    cycles: Finite = 1.0
    start: Finite = 0.0
    base: Amount | None = None


class Key(Model):
    """A value at a phase, and how it goes on from there to the next key."""

    phase: Annotated[Finite, Field(ge=0, le=1)]
    value: Amount
    ease: Literal["linear", "eased", "held"] = "eased"


class Keys(Model):
    """Values at phases. After the last key it goes on to the first, across the join."""

    motion: Literal["keys"]
    keys: Annotated[list[Key], Field(min_length=1, max_length=64)]


class Feed(Model):
    """The result of a strand above, or of one bead of it."""

    strand: Id
    bead: Id | None = None


class Stop(Model):
    """One colour of a ramp: linear RGB, which may exceed 1."""

    at: Annotated[Finite, Field(ge=-1000, le=1000)]
    colour: Colour


class Point(Model):
    """One point of a curve."""

    at: Annotated[Finite, Field(ge=-1000, le=1000)]
    value: Annotated[Finite, Field(ge=-1000, le=1000)]


Motion = Annotated[Drift | Sway | Keys, Field(discriminator="motion")]


def _kind_of(value: Any) -> str | None:
    if isinstance(value, bool):
        return None
    if isinstance(value, int | float):
        return "number"
    if isinstance(value, list):
        first = value[0] if value else None
        if isinstance(first, Point) or (isinstance(first, dict) and "value" in first):
            return "curve"
        return "stops" if isinstance(first, dict | Stop) else "numbers"
    if isinstance(value, dict):
        return "motion" if "motion" in value else "feed" if "strand" in value else None
    return "feed" if isinstance(value, Feed) else "motion" if isinstance(value, Drift | Sway | Keys) else None


Value = Annotated[
    Annotated[Finite, Tag("number")]
    | Annotated[Numbers, Tag("numbers")]
    | Annotated[Annotated[list[Stop], Field(min_length=1, max_length=8)], Tag("stops")]
    | Annotated[Annotated[list[Point], Field(min_length=1, max_length=8)], Tag("curve")]
    | Annotated[Motion, Tag("motion")]
    | Annotated[Feed, Tag("feed")],
    Discriminator(
        _kind_of,
        custom_error_type="value_kind",
        custom_error_message="a number, numbers, stops, points, a motion or a strand is wanted",
    ),
]


class Bead(Model):
    """One operation on a strand; what it may hold is in the catalogue under its kind.

    A muted bead passes on what comes into it.
    """

    id: Id
    kind: Name
    settings: dict[str, bool | int | str] = {}
    params: dict[str, Value] = {}
    muted: bool = False


class Strand(Model):
    """A named chain of beads, read left to right.

    A muted strand feeds no channel, and what brings it in passes on what comes in; taps still go
    on from it. While any strand is solo, only solo strands give light. A folded strand shows its
    end alone.
    """

    id: Id
    name: Name
    beads: Annotated[list[Bead], Field(max_length=64)] = []
    note: Annotated[str, Field(max_length=2000)] = ""
    folded: bool = False
    muted: bool = False
    solo: bool = False


class Entry(Model):
    """One strand on a channel, through a tint and a gain."""

    strand: Id
    bead: Id | None = None
    tint: Colour = [1.0, 1.0, 1.0]
    gain: Value = 1.0


Entries = Annotated[list[Entry], Field(max_length=8)]


class Channels(Model):
    """Which strands feed which channels."""

    base: Entries = []
    emission: Entries = []
    opacity: Entries = []
    roughness: Entries = []
    metallic: Entries = []
    normal: Entries = []
    occlusion: Entries = []
    refraction: Entries = []
    absorption: Entries = []
    scattering: Entries = []
    film: Entries = []
    background: Entries = []
    cast: Entries = []
    displacement: Entries = []


class Second(Model):
    """A second surface on the same shape, where the mask of a strand is 1; between, the two are mixed.

    Of its channels base, emission, opacity, roughness, metallic, normal and occlusion are used. Its
    front, where the mask passes from 0 to 1, glows in a colour.
    """

    strand: Id
    bead: Id | None = None
    roughness: Value = 0.5
    metallic: Value = 0.0
    gloss: bool = False
    front: Colour = [0.3, 1.0, 0.72]
    front_gain: Value = 0.0
    front_width: Value = 0.5
    channels: Channels = Channels()


class Surface(Model):
    """How the effect composites. `cut` is the opacity where a cut-away surface ends.

    `opacity`, `roughness` and `metallic` are what it is where no strand says otherwise; with
    `gloss`, strands on the roughness channel are taken as gloss and turned round. `index` is what
    it mirrors by.

    With `body`, a see-through surface is clear matter: `filled` all through, or a `hollow` skin.
    What lies behind is bent by `refraction`, takes on the colour `absorbed` at the depth
    `absorbed_at`, is veiled by `scattering` a unit, and multiplied by `background`. `film` is the
    thickness of a skin on it in nanometres, of `film_index`; 0 is none.

    The displacement channel's strands add up and move the surface by `displacement` times as many
    units, along its normal or in a `direction`.
    """

    composite: Literal["solid", "cut away", "see-through", "glowing"] = "see-through"
    sides: Literal["front", "back", "both"] = "both"
    lighting: Literal["self-lit", "lit"] = "self-lit"
    far: Value = 1.0
    cut: Value = 0.5
    roughness: Value = 0.5
    metallic: Value = 0.0
    index: Value = 1.5
    gloss: bool = False
    opacity: Value = 1.0
    body: Literal["none", "filled", "hollow"] = "none"
    refraction: Value = 1.0
    absorbed: Colour = [1.0, 1.0, 1.0]
    absorbed_at: Value = 1.0
    milk: Colour = [0.8, 0.9, 1.0]
    scattering: Value = 0.0
    background: Value = 1.0
    film: Value = 0.0
    film_index: Value = 1.33
    displaced: Literal["along the normal", "in a direction"] = "along the normal"
    displacement: Value = 0.1
    direction: Value = [0.0, 1.0, 0.0]
    second: Second | None = None
    channels: Channels = Channels()


class Lamp(Model):
    """A light far away, in degrees about the stage: yaw 0 is the viewer's side, pitch goes up."""

    on: bool = True
    yaw: Value = 0.0
    pitch: Value = 0.0
    colour: Colour = [1.0, 1.0, 1.0]
    strength: Value = 1.0


class Lamps(Model):
    """The three lights of the stage."""

    key: Lamp = Lamp(yaw=40.0, pitch=42.0, colour=[1.0, 0.94, 0.86], strength=1.6)
    fill: Lamp = Lamp(yaw=-55.0, pitch=12.0, colour=[0.72, 0.84, 1.0], strength=0.35)
    rim: Lamp = Lamp(yaw=-150.0, pitch=28.0, colour=[0.9, 0.96, 1.0], strength=1.0)


class Sky(Model):
    """The light from all round: overhead, at eye level and from below."""

    zenith: Colour = [0.16, 0.2, 0.26]
    horizon: Colour = [0.3, 0.31, 0.32]
    ground: Colour = [0.07, 0.065, 0.06]
    strength: Value = 1.0


class Backdrop(Model):
    """What lies behind everything.

    A gradient goes from `colour` at the foot to `second`; `picture` is the id of an asset, which
    covers the lesser side of what is seen and is mirrored beyond it.
    """

    kind: Literal["plain", "gradient", "checker", "picture"] = "checker"
    picture: Annotated[str, Field(max_length=64)] = ""
    colour: Colour = [0.03, 0.03, 0.03]
    second: Colour = [0.12, 0.12, 0.12]


Finish = Literal["plain", "tiles"]


class Floor(Model):
    """A level floor, so many units over the stage's middle."""

    on: bool = False
    height: Value = -1.0
    colour: Colour = [0.18, 0.18, 0.18]
    finish: Finish = "tiles"


class Wall(Model):
    """An upright wall, so many units behind the stage's middle."""

    on: bool = False
    depth: Value = 2.0
    colour: Colour = [0.18, 0.18, 0.18]
    finish: Finish = "tiles"


class Post(Model):
    """An upright post with a round head: its axis begins at `foot` and is `tall` units long."""

    on: bool = False
    foot: Value = [1.3, -1.0, 0.2]
    tall: Value = 1.6
    radius: Value = 0.16
    colour: Colour = [0.22, 0.16, 0.11]


class Orb(Model):
    """A ball beside the effect."""

    on: bool = False
    centre: Value = [-1.3, -0.55, 0.5]
    radius: Value = 0.45
    colour: Colour = [0.3, 0.3, 0.3]


class Neighbours(Model):
    """What else stands on the stage. Every number may be in motion."""

    floor: Floor = Floor()
    wall: Wall = Wall()
    post: Post = Post()
    ball: Orb = Orb()


class Camera(Model):
    """An orbit about `target`, in degrees; distance in stage units, `view` the angle of the lesser side."""

    yaw: Annotated[Finite, Field(ge=-36000, le=36000)] = 0.0
    pitch: Annotated[Finite, Field(ge=-89, le=89)] = 0.0
    distance: Annotated[Finite, Field(ge=0.5, le=100)] = 4.0
    view: Annotated[Finite, Field(ge=5, le=120)] = 34.0
    target: Annotated[list[Annotated[Finite, Field(ge=-50, le=50)]], Field(min_length=3, max_length=3)] = [
        0.0,
        0.0,
        0.0,
    ]


class SavedView(Model):
    """A camera by a name."""

    name: Name
    camera: Camera


class Bloom(Model):
    threshold: Annotated[Finite, Field(ge=0, le=100)] = 1.0
    strength: Annotated[Finite, Field(ge=0, le=10)] = 0.35
    radius: Annotated[int, Field(ge=1, le=7)] = 4


Shape = Literal[
    "plane",
    "cloth",
    "level",
    "disc",
    "ball",
    "icosphere",
    "box",
    "capsule",
    "cylinder",
    "cone",
    "ring",
    "dome",
    "tube",
    "mesh",
]
Three = Annotated[list[Annotated[Finite, Field(ge=-100, le=100)]], Field(min_length=3, max_length=3)]


class PathPoint(Model):
    """One point of a tube's path: where it is, and how thick the tube is there."""

    at: Three
    radius: Annotated[Finite, Field(ge=0.001, le=10)] = 0.12


PATH = [
    PathPoint(at=[-1.2, -0.5, 0.0], radius=0.1),
    PathPoint(at=[-0.4, 0.45, 0.35], radius=0.13),
    PathPoint(at=[0.45, -0.25, -0.35], radius=0.13),
    PathPoint(at=[1.2, 0.5, 0.0], radius=0.1),
]


class MeshFile(Model):
    """A mesh that was brought in, known by the SHA-256 of its file.

    `up` is the file's axis that points upwards. It is made to fit the stage.
    """

    name: Name
    hash: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    up: Literal["y", "z"] = "y"


class Stage(Model):
    """The scene the effect is tried in. Exposure in stops.

    `size` is how many times as large the shape is shown; `edges` are where it is made to have them,
    nowhere, or between all its triangles.
    """

    shape: Shape = "plane"
    size: Annotated[Finite, Field(ge=0.01, le=100)] = 1.0
    subdivision: Annotated[int, Field(ge=0, le=3)] = 0
    edges: Literal["as made", "smooth", "hard"] = "as made"
    path: Annotated[list[PathPoint], Field(min_length=2, max_length=24)] = PATH
    mesh: MeshFile | None = None
    neighbours: Neighbours = Neighbours()
    backdrop: Backdrop = Backdrop()
    camera: Camera = Camera()
    views: Annotated[list[SavedView], Field(max_length=12)] = []
    lamps: Lamps = Lamps()
    sky: Sky = Sky()
    exposure: Annotated[Finite, Field(ge=-16, le=16)] = 0.0
    bloom: Bloom = Bloom()

    @model_validator(mode="before")
    @classmethod
    def _of_every_shape(cls, given: Any) -> Any:
        """Meshes alone used to have a size, and edges that could be hard."""
        mesh = given.get("mesh") if isinstance(given, dict) else None
        if not isinstance(mesh, dict) or not {"size", "hard"} & set(mesh):
            return given
        now = {"size": mesh.get("size", 1.0), "edges": "hard" if mesh.get("hard") else "as made"}
        return {**now, **given, "mesh": {k: v for k, v in mesh.items() if k not in ("size", "hard")}}


Later = Annotated[list[Any], Field(max_length=0)]


class Beacon(Model):
    """A placed point with an axis that fields can be measured from.

    `yaw` and `pitch` turn the axis, in degrees: 0 and 0 point at the viewer's side, as lamps do.
    """

    id: Id
    name: Name
    position: Value = [0.0, 0.0, 0.0]
    yaw: Value = 0.0
    pitch: Value = 90.0


class Asset(Model):
    """A picture the effect brings in, known by the SHA-256 of its file."""

    id: Id
    name: Name
    hash: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    width: Annotated[int, Field(ge=1, le=8192)]
    height: Annotated[int, Field(ge=1, le=8192)]


class Effect(Model):
    """One moving material. Levers and variants are empty in this version."""

    format: Literal["whorl-effect"] = "whorl-effect"
    version: Literal[1] = 1
    name: Name
    notes: Annotated[str, Field(max_length=20000)] = ""
    turn: Turn = Turn()
    strands: Annotated[list[Strand], Field(max_length=200)] = []
    surface: Surface = Surface()
    levers: Later = []
    variants: Later = []
    beacons: Annotated[list[Beacon], Field(max_length=16)] = []
    stage: Stage = Stage()
    assets: Annotated[list[Asset], Field(max_length=64)] = []
