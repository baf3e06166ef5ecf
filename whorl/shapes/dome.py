"""A dome."""

from whorl.shapes.fine import Fine
from whorl.shapes.mesh import Mesh, arc, revolved
from whorl.shapes.spec import Shape


def dome(fine: Fine = Fine()) -> Mesh:
    """The upper half of a ball of radius 1.1, open below."""
    return revolved([arc(1.1, 0, 90, up=-0.55, steps=fine.of(32))], fine.of(96))


SHAPE = Shape("dome", "the upper half of a ball", lambda given: dome(given.fine), round=frozenset({0}))
