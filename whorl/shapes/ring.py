"""A ring."""

from whorl.shapes.fine import Fine
from whorl.shapes.mesh import Mesh, arc, revolved
from whorl.shapes.spec import Shape


def ring(fine: Fine = Fine()) -> Mesh:
    """A torus: a tube of radius 0.3 round a circle of 0.75; v runs round the tube from its inner side."""
    return revolved([arc(0.3, -180, 180, across=0.75, steps=fine.of(48))], fine.of(128))


SHAPE = Shape("ring", "a torus", lambda given: ring(given.fine), closed=True, round=frozenset({0, 1}))
