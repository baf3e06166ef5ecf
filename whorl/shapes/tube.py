"""A tube along a path."""

import numpy as np
from numpy.typing import NDArray

from whorl.shapes.mesh import Mesh, grid
from whorl.shapes.spec import PathRows, Shape

Rows = NDArray[np.float64]


def tube(path: PathRows, fine: int = 1) -> Mesh:
    """A tube through the points of a path, open at its ends; u goes round it, v along it by length.

    The path is a Catmull–Rom spline, and its frames are carried along it without twisting (Wang et
    al., *Computation of Rotation Minimizing Frames*, 2008), so that u runs straight.
    """
    rows, columns = 160 * fine, 24 * fine
    places, radii = along(path, rows + 1)
    ahead = _unit(np.gradient(places, axis=0))
    side = _carried(places, ahead)
    uvs, triangles = grid(columns, rows)
    row = np.repeat(np.arange(rows + 1), columns + 1)
    angle = uvs[:, 0].astype(np.float64) * 2 * np.pi
    other = np.cross(ahead, side)
    out = np.cos(angle)[:, None] * side[row] + np.sin(angle)[:, None] * other[row]
    positions = places[row] + out * radii[row, None]
    # Where the tube grows thinner its sides face ahead.
    length = np.maximum(np.linalg.norm(np.gradient(places, axis=0), axis=1), 1e-9)
    slope = np.gradient(radii) / length
    normals = _unit(out - ahead[row] * slope[row, None])
    return Mesh(positions.astype(np.float32), normals.astype(np.float32), uvs, triangles)


def along(path: PathRows, count: int) -> tuple[Rows, NDArray[np.float64]]:
    """So many places along a path, evenly by length, and the radius at each."""
    points = np.array(path, np.float64)
    ends = np.concatenate([[2 * points[0] - points[1]], points, [2 * points[-1] - points[-2]]])
    t = np.linspace(0, len(points) - 1, 64 * (len(points) - 1) + 1)
    i = np.minimum(t.astype(int), len(points) - 2)
    f = (t - i)[:, None]
    a, b, c, d = (ends[i + k] for k in range(4))
    curve = 0.5 * (2 * b + (c - a) * f + (2 * a - 5 * b + 4 * c - d) * f**2 + (3 * b - a - 3 * c + d) * f**3)
    steps = np.linalg.norm(np.diff(curve[:, :3], axis=0), axis=1)
    passed = np.concatenate([[0.0], np.cumsum(np.maximum(steps, 1e-9))])
    at = np.linspace(0, passed[-1], count)
    even = np.stack([np.interp(at, passed, curve[:, k]) for k in range(4)], axis=1)
    return even[:, :3], np.maximum(even[:, 3], 1e-3)


def _carried(places: Rows, ahead: Rows) -> Rows:
    """A direction square to a path, carried along it by double reflection."""
    first = ahead[0]
    spare = np.array([0.0, 1.0, 0.0]) if abs(first[1]) < 0.9 else np.array([1.0, 0.0, 0.0])
    side = np.empty_like(places)
    side[0] = _unit((spare - first * (spare @ first))[None])[0]
    for i in range(len(places) - 1):
        v1 = places[i + 1] - places[i]
        c1 = max(float(v1 @ v1), 1e-18)
        turned = side[i] - v1 * (2 / c1 * (v1 @ side[i]))
        onward = ahead[i] - v1 * (2 / c1 * (v1 @ ahead[i]))
        v2 = ahead[i + 1] - onward
        c2 = float(v2 @ v2)
        side[i + 1] = turned - v2 * (2 / c2 * (v2 @ turned)) if c2 > 1e-18 else turned
    return side


def _unit(v: Rows) -> Rows:
    return np.asarray(v / np.maximum(np.linalg.norm(v, axis=1, keepdims=True), 1e-12))


SHAPE = Shape(
    "tube",
    "a tube along a path that is dragged on the stage",
    lambda given: tube(given.path, given.fine),
    round=frozenset({0}),
    lies="unrolled",
)
