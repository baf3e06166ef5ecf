"""The plane, fine enough to swell."""

from whorl.shapes.mesh import Mesh, square
from whorl.shapes.spec import Shape


def cloth(fine: int = 1) -> Mesh:
    """The plane, fine enough to swell."""
    return square(64 * fine)


SHAPE = Shape("cloth", "a square, fine enough to swell", lambda given: cloth(given.fine))
