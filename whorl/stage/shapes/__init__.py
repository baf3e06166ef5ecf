"""The shapes an effect can be tried on; those that are turned share a file."""

from collections.abc import Callable
from functools import lru_cache

from whorl.stage.mesh import Mesh
from whorl.stage.shapes.ball import ball
from whorl.stage.shapes.box import box
from whorl.stage.shapes.plane import cloth, level, plane
from whorl.stage.shapes.round import capsule, cone, cylinder, disc, dome, ring

SHAPES: dict[str, Callable[[int], Mesh]] = {
    f.__name__: f for f in (plane, cloth, level, disc, ball, box, capsule, cylinder, cone, ring, dome)
}


@lru_cache(maxsize=32)
def shape(name: str, subdivision: int = 0) -> Mesh:
    """The mesh of a shape by its name, 0..3 times finer; KeyError where there is none."""
    return SHAPES[name](2**subdivision).gathered()
