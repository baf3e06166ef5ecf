"""The plane, fine enough to swell."""

from whorl.shapes.fine import Fine
from whorl.shapes.mesh import Mesh, square
from whorl.shapes.spec import Shape


def cloth(fine: Fine = Fine()) -> Mesh:
    """The plane, fine enough to swell."""
    return square(fine.of(64))


SHAPE = Shape("cloth", "a square, fine enough to swell", lambda given: cloth(given.fine))
