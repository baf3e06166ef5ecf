"""Triangle meshes as the stage draws them."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True)
class Mesh:
    """Vertices and triangles; counter-clockwise faces the viewer.

    `positions` and `normals` are (n, 3) and `uvs` (n, 2) float32; `triangles` (m, 3) int32.
    """

    positions: NDArray[np.float32]
    normals: NDArray[np.float32]
    uvs: NDArray[np.float32]
    triangles: NDArray[np.int32]

    @cached_property
    def low(self) -> NDArray[np.float32]:
        """The least corner of the bounds."""
        return np.asarray(self.positions.min(axis=0))

    @cached_property
    def size(self) -> NDArray[np.float32]:
        """The extent of the bounds; a flat axis counts as 1, so that positions across it are 0."""
        extent = self.positions.max(axis=0) - self.low
        return np.where(extent > 1e-6, extent, 1.0).astype(np.float32)

    @cached_property
    def gradients(self) -> NDArray[np.float32]:
        """(2, n, 3): which way u and v rise over the surface at each vertex, and by how much a unit."""
        corners = self.positions.astype(np.float64)[self.triangles]
        uvs = self.uvs.astype(np.float64)[self.triangles]
        e1, e2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
        normal = np.cross(e1, e2)
        square = np.maximum((normal**2).sum(axis=1, keepdims=True), 1e-18)
        area = np.sqrt(square)
        out = np.zeros((2, len(self.positions), 3))
        total = np.zeros((len(self.positions), 1))
        for k in range(3):
            np.add.at(total, self.triangles[:, k], area)
        for axis in range(2):
            d1, d2 = (uvs[:, k, axis] - uvs[:, 0, axis] for k in (1, 2))
            slope = (d1[:, None] * np.cross(e2, normal) + d2[:, None] * np.cross(normal, e1)) / square
            for k in range(3):
                np.add.at(out[axis], self.triangles[:, k], slope * area)
        return (out / np.maximum(total, 1e-18)).astype(np.float32)


def grid(columns: int, rows: int) -> tuple[NDArray[np.float32], NDArray[np.int32]]:
    """UV of a grid's vertices, row by row from v = 0, and its triangles."""
    u, v = np.meshgrid(np.linspace(0, 1, columns + 1), np.linspace(0, 1, rows + 1))
    uvs = np.stack([u.ravel(), v.ravel()], axis=1).astype(np.float32)
    i, j = np.meshgrid(np.arange(columns), np.arange(rows))
    a = (j * (columns + 1) + i).ravel()
    b, c, d = a + 1, a + columns + 2, a + columns + 1
    triangles = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)]).astype(np.int32)
    return uvs, triangles
