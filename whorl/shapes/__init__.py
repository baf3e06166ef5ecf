"""The shapes an effect can be tried on: one file each, with its facts. One more is one more file, named here."""

from functools import lru_cache
from typing import Literal

from whorl.shapes import (
    ball,
    box,
    brought,
    capsule,
    cloth,
    cone,
    cylinder,
    disc,
    dome,
    icosphere,
    level,
    plane,
    ring,
    tube,
)
from whorl.shapes.fine import Fine
from whorl.shapes.mesh import Mesh
from whorl.shapes.spec import Given, Shape

_FILES = (plane, cloth, level, disc, ball, icosphere, box, capsule, cylinder, cone, ring, dome, tube, brought)
SHAPES: dict[str, Shape] = {f.SHAPE.name: f.SHAPE for f in _FILES}
Edges = Literal["as made", "smooth", "hard"]


@lru_cache(maxsize=32)
def made(name: str, given: Given, edges: Edges = "as made") -> Mesh:
    """The mesh of a shape; the last few are kept. Raises NotKept where a mesh that was brought in is not here."""
    return fresh(name, given, edges)


def fresh(name: str, given: Given, edges: Edges = "as made") -> Mesh:
    """The same, made anew."""
    mesh = SHAPES[name].make(given)
    if edges == "hard":
        return mesh.faceted().gathered()
    return mesh.gathered().smooth() if edges == "smooth" else mesh.gathered()


def shape(name: str, subdivision: int = 0) -> Mesh:
    """The mesh of a shape by its name alone, for those that need no more."""
    return made(name, Given(Fine(2**subdivision)))
