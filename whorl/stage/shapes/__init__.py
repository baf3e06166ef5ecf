"""The shapes an effect can be tried on; those that are turned share a file."""

from collections.abc import Callable
from functools import lru_cache

from whorl.stage.mesh import Mesh
from whorl.stage.shapes.ball import ball
from whorl.stage.shapes.box import box
from whorl.stage.shapes.plane import level, plane
from whorl.stage.shapes.round import capsule, cone, cylinder, disc, dome, ring

SHAPES: dict[str, Callable[[], Mesh]] = {
    f.__name__: f for f in (plane, level, disc, ball, box, capsule, cylinder, cone, ring, dome)
}


@lru_cache(maxsize=16)
def shape(name: str) -> Mesh:
    """The mesh of a shape by its name; KeyError where there is none."""
    return SHAPES[name]()
