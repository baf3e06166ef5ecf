"""Shapes that are turned about an upright axis, and the disc."""

import numpy as np

from whorl.stage.mesh import Mesh, arc, revolved


def disc(rings: int = 24, columns: int = 96) -> Mesh:
    """A flat disc of radius 1 that faces the viewer; UV as on the plane around it, normal +z."""
    turned = revolved([np.stack([np.linspace(1, 0, rings + 1), np.zeros(rings + 1)], axis=1)], columns)
    x, _, z = turned.positions.T
    positions = np.stack([x, -z, np.zeros_like(x)], axis=1).astype(np.float32)
    normals = np.tile(np.array([0, 0, 1], np.float32), (len(positions), 1))
    return Mesh(positions, normals, (positions[:, :2] * 0.5 + 0.5).astype(np.float32), turned.triangles)


def cylinder() -> Mesh:
    """Of radius 0.75 and height 1.7, closed, with hard edges."""
    r, h = 0.75, 0.85
    return revolved([_level(0, r, -h), np.array([[r, -h], [r, h]]), _level(r, 0, h)])


def cone() -> Mesh:
    """A cone of radius 0.9 and height 1.7 on its base."""
    side = np.stack([np.linspace(0.9, 0, 33), np.linspace(-0.85, 0.85, 33)], axis=1)
    return revolved([_level(0, 0.9, -0.85), side])


def capsule() -> Mesh:
    """A cylinder of radius 0.55 and height 0.9 between two half balls."""
    r, h = 0.55, 0.45
    return revolved([np.concatenate([arc(r, -90, 0, up=-h), arc(r, 0, 90, up=h)])])


def dome() -> Mesh:
    """The upper half of a ball of radius 1.1, open below."""
    return revolved([arc(1.1, 0, 90, up=-0.55)])


def ring() -> Mesh:
    """A torus: a tube of radius 0.3 round a circle of 0.75; v runs round the tube from its inner side."""
    return revolved([arc(0.3, -180, 180, across=0.75, steps=48)], 128)


def _level(start: float, stop: float, height: float) -> np.ndarray:
    return np.array([[start, height], [stop, height]], np.float64)
