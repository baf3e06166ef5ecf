"""A square of side 2, upright and facing the viewer."""

from whorl.fields.cast import PLANE
from whorl.shapes.fine import Fine
from whorl.shapes.mesh import Mesh, square
from whorl.shapes.spec import Shape


def plane(fine: Fine = Fine()) -> Mesh:
    """UV runs from the lower left; the normal is +z. 1, 16, 64 or 256 squares a side."""
    return square(fine.halves({1: 1, 2: 16, 4: 64, 8: 256}[fine.times]))


SHAPE = Shape("plane", "a square that faces the viewer", lambda given: plane(given.fine), cast=PLANE, close="flat")
