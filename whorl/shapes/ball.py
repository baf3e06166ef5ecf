"""A ball of radius 1 with its poles up and down."""

import numpy as np

from whorl.fields.cast import BALL
from whorl.shapes.fine import Fine
from whorl.shapes.mesh import Mesh, grid
from whorl.shapes.spec import Shape


def ball(fine: Fine = Fine()) -> Mesh:
    """UV: u round the equator, eastwards from behind; v from the south pole to the north."""
    uvs, triangles = grid(fine.of(96), fine.of(48))
    around = (uvs[:, 0].astype(np.float64) * 2 - 1) * np.pi
    up = (uvs[:, 1].astype(np.float64) - 0.5) * np.pi
    positions = np.stack([np.cos(up) * np.sin(around), np.sin(up), np.cos(up) * np.cos(around)], axis=1)
    positions = positions.astype(np.float32)
    return Mesh(positions, positions.copy(), uvs, triangles)


SHAPE = Shape(
    "ball",
    "a ball with poles",
    lambda given: ball(given.fine),
    closed=True,
    round=frozenset({0}),
    lies="arc",
    cast=BALL,
    close=29.2,
)
