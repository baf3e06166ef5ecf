"""Shapes that are turned about an upright axis, and the disc."""

import itertools

import numpy as np

from whorl.stage.mesh import Mesh, arc, revolved


def disc(fine: int = 1) -> Mesh:
    """A flat disc of radius 1 that faces the viewer; UV as on the plane around it, normal +z."""
    rings, columns = 24 * fine, 96 * fine
    turned = revolved([np.stack([np.linspace(1, 0, rings + 1), np.zeros(rings + 1)], axis=1)], columns)
    x, _, z = turned.positions.T
    positions = np.stack([x, -z, np.zeros_like(x)], axis=1).astype(np.float32)
    normals = np.tile(np.array([0, 0, 1], np.float32), (len(positions), 1))
    return Mesh(positions, normals, (positions[:, :2] * 0.5 + 0.5).astype(np.float32), turned.triangles)


def cylinder(fine: int = 1) -> Mesh:
    """Of radius 0.75 and height 1.7, closed, with hard edges."""
    r, h = 0.75, 0.85
    ends = [(0, -h), (r, -h), (r, h), (0, h)]
    return revolved([_straight(a, b, fine) for a, b in itertools.pairwise(ends)], 96 * fine)


def cone(fine: int = 1) -> Mesh:
    """A cone of radius 0.9 and height 1.7 on its base."""
    side = np.stack([np.linspace(0.9, 0, 32 * fine + 1), np.linspace(-0.85, 0.85, 32 * fine + 1)], axis=1)
    return revolved([_straight((0, -0.85), (0.9, -0.85), fine), side], 96 * fine)


def capsule(fine: int = 1) -> Mesh:
    """A cylinder of radius 0.55 and height 0.9 between two half balls."""
    r, h = 0.55, 0.45
    lower, upper = arc(r, -90, 0, up=-h, steps=32 * fine), arc(r, 0, 90, up=h, steps=32 * fine)
    middle = _straight((r, -h), (r, h), fine)[1:-1]
    return revolved([np.concatenate([lower, middle, upper])], 96 * fine)


def dome(fine: int = 1) -> Mesh:
    """The upper half of a ball of radius 1.1, open below."""
    return revolved([arc(1.1, 0, 90, up=-0.55, steps=32 * fine)], 96 * fine)


def ring(fine: int = 1) -> Mesh:
    """A torus: a tube of radius 0.3 round a circle of 0.75; v runs round the tube from its inner side."""
    return revolved([arc(0.3, -180, 180, across=0.75, steps=48 * fine)], 128 * fine)


def _straight(start: tuple[float, float], stop: tuple[float, float], fine: int) -> np.ndarray:
    """A straight piece of an outline, in more steps where it is to be finer."""
    steps = 1 if fine == 1 else 12 * fine
    return np.linspace(np.array(start, np.float64), np.array(stop, np.float64), steps + 1)
