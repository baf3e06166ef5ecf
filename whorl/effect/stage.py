"""The stage: the scene the effect is tried in."""

from collections.abc import Iterator
from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import Field, model_validator

from whorl.effect.described import Condition, Need, choice, linear, number, part, still, switch, text, whole
from whorl.effect.surface import CLEAR, LIT, SECOND_CLEAR, SECOND_LIT
from whorl.effect.upgrade import stage as upgraded
from whorl.effect.value import Finite, Id, Model, Name, Value
from whorl.images.solid import MOST_PARTS
from whorl.shapes import SHAPES, Edges, fresh
from whorl.shapes import made as made_of
from whorl.shapes.fine import Fine
from whorl.shapes.mesh import Mesh
from whorl.shapes.spec import File, Given, Knot

ON = Condition("", "", (Need("on", (True,)),))


def _neighbour(name: str) -> Condition:
    return Condition(f"a {name}", f"put up a {name}", (Need(f"stage/neighbours/{name}/on", (True,)),))


#: What lamps and sky fall on.
SHONE_ON = (
    LIT,
    CLEAR,
    *map(_neighbour, ("floor", "wall", "post", "ball")),
    Condition("another neighbour", "", (Need("stage/neighbours/objects", other_than=((),)),)),
    SECOND_LIT,
    SECOND_CLEAR,
)


class Lamp(Model):
    """A light far away, in degrees about the stage: yaw 0 is the viewer's side, pitch goes up."""

    on: bool = switch(True, "Whether it shines.")
    yaw: Value = number(
        0.0,
        "From which side: 0 is the viewer's, 90 the right.",
        (-180, 180),
        (-1000, 1000),
        "degrees",
        wrap=360.0,
        acts=(ON,),
    )
    pitch: Value = number(0.0, "From how high.", (-90, 90), (-90, 90), "degrees", acts=(ON,))
    colour: Value = linear((1.0, 1.0, 1.0), "Its colour.", acts=(ON,))
    strength: Value = number(1.0, "How bright; 1 makes white matte that faces it 1.", (0, 4), (0, 1000), acts=(ON,))


class Lamps(Model):
    """The three lights of the stage."""

    key: Lamp = part(
        Lamp(yaw=40.0, pitch=42.0, colour=(1.0, 0.94, 0.86), strength=1.6), "The main light.", label="the key lamp"
    )
    fill: Lamp = part(
        Lamp(yaw=-55.0, pitch=12.0, colour=(0.72, 0.84, 1.0), strength=0.35),
        "Softens the shadows.",
        label="the fill lamp",
    )
    rim: Lamp = part(
        Lamp(yaw=-150.0, pitch=28.0, colour=(0.9, 0.96, 1.0)), "Draws the outline from behind.", label="the rim lamp"
    )


PICTURED = Condition("surroundings that are a picture", "", (Need("stage/sky/picture", other_than=("",)),))


class Sky(Model):
    """The light from all round: overhead, at eye level and from below; or that of a panorama.

    `picture` is the id of an asset, which is taken as equirectangular: its middle lies behind the stage, and `turn` is
    how far it is turned to the right.
    """

    zenith: Value = linear((0.16, 0.2, 0.26), "The light from overhead.")
    horizon: Value = linear((0.3, 0.31, 0.32), "The light at eye level.")
    ground: Value = linear((0.07, 0.065, 0.06), "The light from below.")
    strength: Value = number(1.0, "How bright; 1 is as its colours are.", (0, 4), (0, 1000))
    picture: Annotated[str, Field(max_length=64)] = text(
        "", "A panorama instead: light from all round, mirrored and falling on what is lit.", refers="picture"
    )
    turn: Value = number(
        0.0,
        "How far the panorama is turned to the right.",
        (-180, 180),
        (-36000, 36000),
        "degrees",
        wrap=360.0,
        acts=(PICTURED,),
    )


class Backdrop(Model):
    """What lies behind everything.

    A gradient goes from `colour` at the foot to `second`; `picture` is the id of an asset, which
    covers the lesser side of what is seen and is mirrored beyond it.
    """

    kind: Literal["plain", "gradient", "checker", "picture", "surroundings"] = choice(
        "checker",
        "What it is.",
        {
            "plain": "one colour",
            "gradient": "from its colour at the foot to another at the top",
            "checker": "squares, to see through glass by",
            "picture": "a picture of yours",
            "surroundings": "the panorama that gives the light; its colour until there is one",
        },
    )
    picture: Annotated[str, Field(max_length=64)] = text(
        "",
        "Which of the effect's pictures it shows.",
        refers="picture",
        acts=(Condition("a picture as backdrop", "", (Need("kind", ("picture",)),)),),
    )
    colour: Value = linear((0.03, 0.03, 0.03), "Its colour, at its foot.", label="backdrop colour")
    second: Value = linear(
        (0.12, 0.12, 0.12),
        "The colour at the top of a gradient.",
        label="at the top",
        acts=(Condition("a gradient", "", (Need("kind", ("gradient",)),)),),
    )


_FINISHES = {"plain": "one colour", "tiles": "with joints, to see what bends it"}
_SIZED = (-2, 2), (-100, 100), "units"


class Floor(Model):
    """A level floor, so many units over the stage's middle."""

    on: bool = switch(False, "Whether it is there.")
    height: Value = number(
        -1.0, "How high the floor lies over the stage's middle.", (-2, 1), (-100, 100), "units", acts=(ON,)
    )
    colour: Value = linear((0.18, 0.18, 0.18), "Its colour.", acts=(ON,))
    finish: Literal["plain", "tiles"] = choice("tiles", "What it is laid with.", _FINISHES, acts=(ON,))


class Wall(Model):
    """An upright wall, so many units behind the stage's middle."""

    on: bool = switch(False, "Whether it is there.")
    depth: Value = number(
        2.0, "How far behind the stage's middle the wall stands.", (0, 4), (-100, 100), "units", acts=(ON,)
    )
    colour: Value = linear((0.18, 0.18, 0.18), "Its colour.", acts=(ON,))
    finish: Literal["plain", "tiles"] = choice("tiles", "What it is laid with.", _FINISHES, acts=(ON,))


class Post(Model):
    """An upright post with a round head: its axis begins at `foot` and is `tall` units long."""

    on: bool = switch(False, "Whether it is there.")
    foot: Value = number((1.3, -1.0, 0.2), "Where the post begins.", *_SIZED, acts=(ON,))
    tall: Value = number(1.6, "How long the post is, without its head.", (0, 4), (0, 100), "units", acts=(ON,))
    radius: Value = number(0.16, "How thick it is.", (0.02, 1), (0.001, 100), "units", acts=(ON,))
    colour: Value = linear((0.22, 0.16, 0.11), "Its colour.", acts=(ON,))


class Orb(Model):
    """A ball beside the effect."""

    on: bool = switch(False, "Whether it is there.")
    centre: Value = number((-1.3, -0.55, 0.5), "Where the ball's middle is.", *_SIZED, acts=(ON,))
    radius: Value = number(0.45, "How large it is.", (0.02, 1), (0.001, 100), "units", acts=(ON,))
    colour: Value = linear((0.3, 0.3, 0.3), "Its colour.", acts=(ON,))


#: What an object on the stage may be, in the order of `fields.solids.size_of`.
FORMS = {
    "plane": "a sheet: so wide and so deep",
    "ball": "a ball: as wide as its first number",
    "box": "a box: so wide, high and deep",
    "capsule": "a rod with round ends: so thick and so long",
    "cylinder": "a drum: so thick and so high",
}
#: Objects of one stage beside its floor, wall, post and ball.
MOST_OBJECTS = 8


class Placed(Model):
    """An object beside the effect, with a place and a turn of its own.

    `yaw` and `pitch` turn the axis that it stands about, as those of a beacon do; `spin` turns it about that.
    """

    id: Id
    name: Name
    form: Literal["plane", "ball", "box", "capsule", "cylinder"] = choice("box", "What it is.", FORMS)
    position: Value = number((0.6, -0.5, 0.3), "Where its middle is.", *_SIZED)
    size: Value = number((0.5, 0.5, 0.5), "How wide, high and deep it is.", (0.02, 2), (0.001, 100), "units")
    yaw: Value = number(
        0.0,
        "Which way its axis leans: 0 to the viewer, 90 to the right.",
        (-180, 180),
        (-1000, 1000),
        "degrees",
        wrap=360.0,
    )
    pitch: Value = number(90.0, "How steeply its axis rises; 90 is upright.", (-90, 90), (-90, 90), "degrees")
    spin: Value = number(
        0.0, "How far it is turned about its axis.", (-180, 180), (-36000, 36000), "degrees", wrap=360.0
    )
    colour: Value = linear((0.3, 0.3, 0.3), "Its colour.")


class Neighbours(Model):
    """What else stands on the stage. Every number may be in motion."""

    floor: Floor = part(Floor(), "A level floor.")
    wall: Wall = part(Wall(), "An upright wall behind.")
    post: Post = part(Post(), "An upright post.")
    ball: Orb = part(Orb(), "A ball beside it.")
    objects: Annotated[tuple[Placed, ...], Field(max_length=MOST_OBJECTS)] = part(
        (), "Planes, balls, boxes, capsules and cylinders, each placed and turned."
    )

    @property
    def any(self) -> bool:
        """Whether there is anything."""
        return any((self.floor.on, self.wall.on, self.post.on, self.ball.on, self.objects))


Three = Annotated[tuple[Annotated[Finite, Field(ge=-100, le=100)], ...], Field(min_length=3, max_length=3)]
_Near = Annotated[tuple[Annotated[Finite, Field(ge=-50, le=50)], ...], Field(min_length=3, max_length=3)]


class Camera(Model):
    """An orbit about `target`, in degrees; distance in stage units, `view` the angle of the lesser side."""

    yaw: Finite = still(0.0, "From which side.", (-180, 180), (-36000, 36000), "degrees")
    pitch: Finite = still(0.0, "From how high.", (-89, 89), (-89, 89), "degrees")
    distance: Finite = still(4.0, "From how far.", (2, 8), (0.5, 100), "units")
    view: Finite = still(34.0, "How much the lens takes in.", (15, 70), (5, 120), "degrees", label="lens")
    target: _Near = still((0.0, 0.0, 0.0), "What it looks at.", (-2, 2), (-50, 50), "units")


class Travel(Model):
    """How the camera goes over the turn, beside where it stands: it is there that much further round, higher, times as
    far off, and so on."""

    yaw: Value = number(0.0, "How far round it goes.", (-180, 180), (-36000, 36000), "degrees", wrap=360.0)
    pitch: Value = number(0.0, "How far up it goes.", (-45, 45), (-178, 178), "degrees")
    distance: Value = number(1.0, "How many times as far off it is.", (0.5, 2), (0.02, 50), "times")
    view: Value = number(0.0, "How much more its lens takes in.", (-20, 20), (-115, 115), "degrees", label="lens")
    target: Value = number((0.0, 0.0, 0.0), "How far what it looks at goes.", (-2, 2), (-50, 50), "units")


class SavedView(Model):
    """A camera by a name."""

    name: Name
    camera: Camera


class Bloom(Model):
    """How what is brighter than white spreads."""

    threshold: Value = number(1.0, "What is brighter than this glows.", (0, 3), (0, 100))
    strength: Value = number(0.35, "How much it glows.", (0, 1.5), (0, 10))
    radius: int = whole(4, "How far the glow reaches.", (1, 7), "levels")


_Way = Annotated[tuple[Annotated[Finite, Field(ge=-1000, le=1000)], ...], Field(min_length=4, max_length=4)]


class PathPoint(Model):
    """One point of a tube's path: where it is, and how thick the tube is there."""

    at: Three = still((0.0, 0.0, 0.0), "Where it is.", (-2, 2), (-100, 100), "units")
    radius: Finite = still(0.12, "How thick the tube is there.", (0.02, 0.4), (0.001, 10), "units")
    tilt: Finite = still(0.0, "How far it is turned about the path there.", (-180, 180), (-3600, 3600), "degrees")
    before: _Way | None = part(None, "By which way it is come into, with the radius.", structural="never")
    after: _Way | None = part(None, "By which way it is left, with the radius.", structural="never")

    @property
    def knot(self) -> Knot:
        """As the shape takes it."""
        x, y, z = self.at
        return Knot((x, y, z, self.radius), self.tilt, self.before, self.after)  # pyrefly: ignore[bad-argument-type]

    @classmethod
    def of(cls, knot: Knot) -> "PathPoint":
        """The point of a knot."""
        *at, radius = knot.at
        return cls(at=tuple(at), radius=max(radius, 0.001), tilt=knot.tilt, before=knot.before, after=knot.after)


#: Points of one path.
MOST_POINTS = 24
#: How often the edges of a mesh are made twice as long for small pictures.
MOST_HALVED = 3
PATH = (
    PathPoint(at=(-1.2, -0.5, 0.0), radius=0.1),
    PathPoint(at=(-0.4, 0.45, 0.35), radius=0.13),
    PathPoint(at=(0.45, -0.25, -0.35), radius=0.13),
    PathPoint(at=(1.2, 0.5, 0.0), radius=0.1),
)


class MeshPart(Model):
    """A part of a mesh, by its name in the file: a material, a group or an object."""

    name: Name
    wears: Literal["the effect", "plain", "hidden"] = choice(
        "the effect",
        "What is seen of it.",
        {
            "the effect": "wears the effect",
            "plain": "matte and solid, in the light of the stage",
            "hidden": "is left out",
        },
    )


class MeshFile(Model):
    """A mesh that was brought in, known by the SHA-256 of its file.

    `up` is the file's axis that points upwards. It is made to fit the stage. Of `parts` those wear the effect that are
    not said to be plain or hidden; of a mesh whose parts are all hidden all are shown.
    """

    name: Name
    hash: Annotated[str, Field(pattern=r"^[0-9a-f]{64}$")]
    up: Literal["y", "z"] = choice(
        "y", "Which of the file's axes points upwards.", {"y": "y is up", "z": "z is up"}, label="up axis"
    )
    parts: Annotated[tuple[MeshPart, ...], Field(max_length=MOST_PARTS)] = part(
        (), "What it is made of.", structural="always"
    )

    @property
    def file(self) -> File:
        """As the shape takes it."""
        return File(
            self.hash, self.up, *(tuple(p.name for p in self.parts if p.wears == w) for w in ("plain", "hidden"))
        )


# The list of shapes stands with the shapes.
if TYPE_CHECKING:
    Shape = str
else:
    Shape = Literal[tuple(SHAPES)]


def _is_shape(*names: str) -> tuple[Condition, ...]:
    return (Condition(f"the shape {names[0]}", f"make it a {names[0]}", (Need("shape", names),)),)


class Stage(Model):
    """The scene the effect is tried in. Exposure in stops.

    `size` is how many times as large the shape is shown; `edges` are where it is made to have them,
    nowhere, or between all its triangles.
    """

    shape: Shape = choice(
        "plane",
        "What the effect is on.",
        {name: shape.words for name, shape in SHAPES.items()},
    )
    size: Finite = still(1.0, "How many times as large it is shown.", (0.5, 2), (0.01, 100))
    subdivision: int = whole(0, "How much finer its triangles are.", (0, 3), label="finer")
    edges: Edges = choice(
        "as made",
        "Where the shape has edges.",
        {"as made": "where the shape is made to have them", "smooth": "nowhere", "hard": "between all its triangles"},
    )
    path: Annotated[tuple[PathPoint, ...], Field(min_length=2, max_length=MOST_POINTS)] = part(
        PATH, "Where a tube runs.", structural="never", acts=_is_shape("tube")
    )
    path_closed: bool = switch(False, "Its end leads into its beginning.", label="closed path", acts=_is_shape("tube"))
    mesh: MeshFile | None = part(None, "The mesh that was brought in.", structural="always", acts=_is_shape("mesh"))
    plain: Value = linear(
        (0.3, 0.3, 0.32), "The colour of parts of a mesh that are plain.", label="plain parts", acts=_is_shape("mesh")
    )
    neighbours: Neighbours = part(Neighbours(), "What else stands on the stage.")
    backdrop: Backdrop = part(Backdrop(), "What lies behind everything.")
    camera: Camera = part(Camera(), "From where it is looked at.", structural="never")
    travel: Travel = part(Travel(), "How it goes over the turn.", label="the camera's travel")
    views: Annotated[tuple[SavedView, ...], Field(max_length=12)] = part(
        (), "Cameras kept by a name.", structural="never"
    )
    lamps: Lamps = part(Lamps(), "The lights of the stage.", acts=SHONE_ON)
    cast: Literal["by plain shapes", "by every shape"] = choice(
        "by plain shapes",
        "What casts the key lamp's light and shadow on neighbours.",
        {
            "by plain shapes": "a plane, a level, a disc or a ball, as they are before they are displaced",
            "by every shape": "any shape, as it is displaced; what the lamp sees of it is drawn too",
        },
        label="shadow",
        acts=(Condition("the key lamp", "turn the key lamp on", (Need("stage/lamps/key/on", (True,)),)),),
    )
    sky: Sky = part(Sky(), "The light from all round.", acts=SHONE_ON)
    exposure: Value = number(0.0, "How much light the picture takes in.", (-4, 4), (-16, 16), "stops")
    bloom: Bloom = part(Bloom(), "How what is brighter than white spreads.")
    dither: bool = switch(
        False,
        "Bakes of eight bits are spread by blue noise, so that no steps are seen.",
        label="dithered bakes",
    )

    @model_validator(mode="before")
    @classmethod
    def _older(cls, given: Any) -> Any:
        return upgraded(given)

    @property
    def has_plain(self) -> bool:
        """Whether parts of its mesh are plain."""
        return self.shape == "mesh" and self.mesh is not None and any(p.wears == "plain" for p in self.mesh.parts)

    def mesh_of(self, subdivision: int | None = None) -> Mesh:
        """The mesh of its shape as it is made. NotKept where a mesh that was brought in is not here."""
        return made_of(*self._made(Fine(2 ** (self.subdivision if subdivision is None else subdivision))))

    def _made(self, fine: Fine) -> tuple[str, Given, Edges]:
        """What its mesh is made from."""
        path = tuple(p.knot for p in self.path) if self.shape == "tube" else ()
        file = self.mesh.file if self.mesh and self.shape == "mesh" else None
        return self.shape, Given(fine, path, self.path_closed, file), self.edges

    def coarser(self) -> Iterator[Mesh]:
        """The mesh of its shape with edges twice as long, and again, as far as that makes fewer triangles. One that was
        brought in has none."""
        if self.shape == "mesh":
            return
        last = len(self.mesh_of().triangles)
        for halved in range(1, MOST_HALVED + 1):
            made = fresh(*self._made(Fine(2**self.subdivision, halved)))
            if len(made.triangles) >= last:
                return
            last = len(made.triangles)
            yield made
