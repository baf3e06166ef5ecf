"""A disc."""

import numpy as np

from whorl.fields.cast import DISC
from whorl.shapes.fine import Fine
from whorl.shapes.mesh import Mesh, revolved
from whorl.shapes.spec import Shape


def disc(fine: Fine = Fine()) -> Mesh:
    """A flat disc of radius 1 that faces the viewer; UV as on the plane around it, normal +z."""
    rings, columns = fine.of(24), fine.of(96)
    turned = revolved([np.stack([np.linspace(1, 0, rings + 1), np.zeros(rings + 1)], axis=1)], columns)
    x, _, z = turned.positions.T
    positions = np.stack([x, -z, np.zeros_like(x)], axis=1).astype(np.float32)
    normals = np.tile(np.array([0, 0, 1], np.float32), (len(positions), 1))
    return Mesh(positions, normals, (positions[:, :2] * 0.5 + 0.5).astype(np.float32), turned.triangles)


SHAPE = Shape("disc", "a flat disc that faces the viewer", lambda given: disc(given.fine), cast=DISC, close="flat")
