"""A ring."""

from whorl.shapes.mesh import Mesh, arc, revolved
from whorl.shapes.spec import Shape


def ring(fine: int = 1) -> Mesh:
    """A torus: a tube of radius 0.3 round a circle of 0.75; v runs round the tube from its inner side."""
    return revolved([arc(0.3, -180, 180, across=0.75, steps=48 * fine)], 128 * fine)


SHAPE = Shape("ring", "a torus", lambda given: ring(given.fine), closed=True, round=frozenset({0, 1}))
