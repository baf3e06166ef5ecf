"""A square of side 4 that lies flat."""

import numpy as np

from whorl.fields.cast import LEVEL
from whorl.shapes.fine import Fine
from whorl.shapes.mesh import Mesh
from whorl.shapes.plane import plane
from whorl.shapes.spec import Shape


def level(fine: Fine = Fine()) -> Mesh:
    """A square of side 4 that lies flat, like water; u runs to the right, v away from the viewer, normal +y."""
    upright = plane(fine)
    x, y, z = (upright.positions * 2).T
    return Mesh(np.stack([x, z, -y], axis=1), upright.normals[:, [0, 2, 1]], upright.uvs, upright.triangles)


SHAPE = Shape(
    "level", "a large square that lies flat, like water", lambda given: level(given.fine), cast=LEVEL, close="above"
)
