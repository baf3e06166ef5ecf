"""A dome."""

from whorl.shapes.mesh import Mesh, arc, revolved
from whorl.shapes.spec import Shape


def dome(fine: int = 1) -> Mesh:
    """The upper half of a ball of radius 1.1, open below."""
    return revolved([arc(1.1, 0, 90, up=-0.55, steps=32 * fine)], 96 * fine)


SHAPE = Shape("dome", "the upper half of a ball", lambda given: dome(given.fine), round=frozenset({0}))
