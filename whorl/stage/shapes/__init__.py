"""The shapes an effect can be tried on; one shape a file."""

from collections.abc import Callable
from functools import lru_cache

from whorl.stage.mesh import Mesh
from whorl.stage.shapes.ball import ball
from whorl.stage.shapes.box import box
from whorl.stage.shapes.plane import plane

SHAPES: dict[str, Callable[[], Mesh]] = {"plane": plane, "ball": ball, "box": box}


@lru_cache(maxsize=16)
def shape(name: str) -> Mesh:
    """The mesh of a shape by its name; KeyError where there is none."""
    return SHAPES[name]()
