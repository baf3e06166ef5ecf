"""A box of side 1.5 with a UV square on each face."""

import numpy as np

from whorl.shapes.fine import Fine
from whorl.shapes.mesh import Mesh, grid
from whorl.shapes.spec import Shape

_HALF = 0.75
#: Each face's normal, then the directions its u and v run along.
_FACES = (
    ((0, 0, 1), (1, 0, 0), (0, 1, 0)),
    ((0, 0, -1), (-1, 0, 0), (0, 1, 0)),
    ((1, 0, 0), (0, 0, -1), (0, 1, 0)),
    ((-1, 0, 0), (0, 0, 1), (0, 1, 0)),
    ((0, 1, 0), (1, 0, 0), (0, 0, -1)),
    ((0, -1, 0), (1, 0, 0), (0, 0, 1)),
)


def box(fine: Fine = Fine()) -> Mesh:
    """Six faces with hard edges; UV 0..1 on each."""
    uvs, triangles = grid(fine.straight, fine.straight)
    positions, normals, corners = [], [], []
    for i, (normal, along, up) in enumerate(_FACES):
        across = (uvs[:, :1] * 2 - 1) * np.array(along) + (uvs[:, 1:] * 2 - 1) * np.array(up)
        positions.append((across + np.array(normal)) * _HALF)
        normals.append(np.tile(np.array(normal), (len(uvs), 1)))
        corners.append(triangles + i * len(uvs))
    return Mesh(
        np.concatenate(positions).astype(np.float32),
        np.concatenate(normals).astype(np.float32),
        np.tile(uvs, (6, 1)),
        np.concatenate(corners).astype(np.int32),
    )


SHAPE = Shape("box", "a box with a UV square on each face", lambda given: box(given.fine), closed=True)
