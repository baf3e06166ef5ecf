"""What a shape says of itself."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from whorl.fields.cast import NO_CAST
from whorl.shapes.fine import Fine
from whorl.shapes.mesh import Mesh

#: x, y, z and a radius.
Four = tuple[float, float, float, float]


class Knot(NamedTuple):
    """A point of a path with its radius, and by how many degrees it is turned about the path.

    `before` and `after` are the ways by which it is come into and left, as derivatives over a segment; where they are
    not given they follow from its neighbours (Catmull and Rom 1974).
    """

    at: Four
    tilt: float = 0.0
    before: Four | None = None
    after: Four | None = None


PathRows = tuple[Knot, ...]


class File(NamedTuple):
    """A mesh that was brought in: its hash, which of its axes points upwards, and which of its parts are plain, or
    hidden."""

    digest: str
    up: str
    plain: tuple[str, ...] = ()
    hidden: tuple[str, ...] = ()


@dataclass(frozen=True)
class Given:
    """What a shape may be made from: how fine, a path and whether its end leads into its beginning, and the file of a
    mesh."""

    fine: Fine = field(default_factory=Fine)
    path: PathRows = ()
    closed: bool = False
    file: "File | None" = None


@dataclass(frozen=True)
class Shape:
    """One shape and its facts.

    `closed` shapes have an inside. `round` are the UV axes on which it comes back to where it began.
    `cast` is how the ray from a lamp through it is worked out in closed form, NO_CAST where it is
    not. `close` is how the small picture of a bead is taken of it: it fills the picture as it lies
    ("flat"), is seen from above, or through a lens of so many degrees. `lies` is how distances along it are found.
    """

    name: str
    words: str
    make: Callable[[Given], Mesh]
    closed: bool = False
    round: frozenset[int] = frozenset()
    cast: int = NO_CAST
    close: Literal["flat", "above"] | float = 37.0
    #: How far apart two places on it are along the surface: straight, round the middle, or by its UV.
    lies: Literal["straight", "arc", "unrolled"] = "straight"
