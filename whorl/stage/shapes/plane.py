"""A square of side 2, upright, facing the viewer."""

import numpy as np

from whorl.stage.mesh import Mesh, grid


def plane() -> Mesh:
    """UV runs from the lower left; the normal is +z."""
    uvs, triangles = grid(1, 1)
    positions = np.concatenate([uvs * 2 - 1, np.zeros((len(uvs), 1))], axis=1).astype(np.float32)
    normals = np.tile(np.array([0, 0, 1], np.float32), (len(uvs), 1))
    return Mesh(positions, normals, uvs, triangles)
