"""Squares: one of side 2, upright and facing the viewer, and a larger one that lies flat."""

import numpy as np

from whorl.stage.mesh import Mesh, grid


def plane(fine: int = 1) -> Mesh:
    """UV runs from the lower left; the normal is +z. 1, 16, 64 or 256 squares a side."""
    return _square({1: 1, 2: 16, 4: 64, 8: 256}[fine])


def _square(count: int) -> Mesh:
    uvs, triangles = grid(count, count)
    positions = np.concatenate([uvs * 2 - 1, np.zeros((len(uvs), 1))], axis=1).astype(np.float32)
    normals = np.tile(np.array([0, 0, 1], np.float32), (len(uvs), 1))
    return Mesh(positions, normals, uvs, triangles)


def cloth(fine: int = 1) -> Mesh:
    """The plane, fine enough to swell."""
    return _square(64 * fine)


def level(fine: int = 1) -> Mesh:
    """A square of side 4 that lies flat, like water; u runs to the right, v away from the viewer, normal +y."""
    upright = plane(fine)
    x, y, z = (upright.positions * 2).T
    return Mesh(np.stack([x, z, -y], axis=1), upright.normals[:, [0, 2, 1]], upright.uvs, upright.triangles)
