"""A tube along a path."""

import numpy as np
from numpy.typing import NDArray

from whorl.shapes.mesh import Mesh, grid
from whorl.shapes.spec import Four, Knot, PathRows, Shape

Rows = NDArray[np.float64]


def tube(path: PathRows, fine: int = 1, closed: bool = False) -> Mesh:
    """A tube through the points of a path, open at its ends or closed; u goes round it, v along it by length.

    The path is a Catmull–Rom spline, but where its points say how they are passed; its frames are carried along it
    without twisting (Wang et al., *Computation of Rotation Minimizing Frames*, 2008), so that u runs straight. What a
    closed path turns them by is spread over all of it.
    """
    rows, columns = 160 * fine, 24 * fine
    places, radii, tilts = along(path, rows + 1, closed)
    ahead = _unit(_slopes(places, closed))
    side = _carried(places, ahead)
    other = np.cross(ahead, side)
    turned = np.radians(tilts)
    if closed:
        gone = np.arctan2(side[-1] @ other[0], side[-1] @ side[0])
        turned = turned - gone * np.linspace(0.0, 1.0, rows + 1)
    cos, sin = np.cos(turned)[:, None], np.sin(turned)[:, None]
    side, other = side * cos + other * sin, other * cos - side * sin
    uvs, triangles = grid(columns, rows)
    row = np.repeat(np.arange(rows + 1), columns + 1)
    angle = uvs[:, 0].astype(np.float64) * 2 * np.pi
    out = np.cos(angle)[:, None] * side[row] + np.sin(angle)[:, None] * other[row]
    positions = places[row] + out * radii[row, None]
    # Where the tube grows thinner its sides face ahead.
    length = np.maximum(np.linalg.norm(_slopes(places, closed), axis=1), 1e-9)
    slope = _slopes(radii, closed) / length
    normals = _unit(out - ahead[row] * slope[row, None])
    return Mesh(positions.astype(np.float32), normals.astype(np.float32), uvs, triangles)


def _slopes(values: Rows, closed: bool) -> Rows:
    """How much values change from row to row; the last row of what is closed is its first."""
    if not closed:
        return np.asarray(np.gradient(values, axis=0))
    round_ = np.concatenate([values[-2:-1], values, values[1:2]])
    return np.asarray((round_[2:] - round_[:-2]) / 2)


def along(path: PathRows, count: int, closed: bool = False) -> tuple[Rows, NDArray[np.float64], NDArray[np.float64]]:
    """So many places along a path, evenly by length, and the radius and the tilt in degrees at each."""
    points, came, left = _ways(path, closed)
    segments = len(path) if closed else len(path) - 1
    t = np.linspace(0, segments, 64 * segments + 1)
    i = np.minimum(t.astype(int), segments - 1)
    f, k = (t - i)[:, None], (i + 1) % len(path)
    curve = _between(points[i], left[i], points[k], came[k], f)
    steps = np.linalg.norm(np.diff(curve[:, :3], axis=0), axis=1)
    passed = np.concatenate([[0.0], np.cumsum(np.maximum(steps, 1e-9))])
    at = np.linspace(0, passed[-1], count)
    even = np.stack([np.interp(at, passed, curve[:, k]) for k in range(5)], axis=1)
    return even[:, :3], np.maximum(even[:, 3], 1e-3), even[:, 4]


def _ways(path: PathRows, closed: bool) -> tuple[Rows, Rows, Rows]:
    """The points with radius and tilt, and by which ways each is come into and left."""
    points = np.array([[*k.at, k.tilt] for k in path], np.float64)
    if closed:
        around = np.concatenate([points[-1:], points, points[:1]])
    else:
        around = np.concatenate([[2 * points[0] - points[1]], points, [2 * points[-1] - points[-2]]])
    came = (around[2:] - around[:-2]) / 2
    left = came.copy()
    for i, knot in enumerate(path):
        if knot.before:
            came[i, :4] = knot.before
        if knot.after:
            left[i, :4] = knot.after
    return points, came, left


def _between(p: Rows, m: Rows, q: Rows, n: Rows, f: Rows) -> Rows:
    """Cubics from p to q with derivatives m and n, at shares f."""
    return np.asarray(
        (2 * f**3 - 3 * f**2 + 1) * p + (f**3 - 2 * f**2 + f) * m + (3 * f**2 - 2 * f**3) * q + (f**3 - f**2) * n
    )


def inserted(path: PathRows, segment: int, closed: bool = False) -> PathRows:
    """One more point in the middle of a segment, which leaves the path where it is: both halves are parts of the cubic
    that was there, so the ways by which its ends are passed are told, and half as long on that side."""
    points, came, left = _ways(path, closed)
    i, k = segment, (segment + 1) % len(path)
    p, m, q, n = points[i], left[i], points[k], came[k]
    middle = _between(p, m, q, n, np.array(0.5))
    way = 1.5 * (q - p) - 0.25 * (m + n)
    new = Knot(_four(middle), float(middle[4]), _four(way / 2), _four(way / 2))
    out = list(path)
    out[i] = out[i]._replace(before=out[i].before or _four(came[i]), after=_four(m / 2))
    out[k] = out[k]._replace(before=_four(n / 2), after=out[k].after or _four(left[k]))
    return (*out[: i + 1], new, *out[i + 1 :])


def _four(row: Rows) -> Four:
    x, y, z, r = (float(v) for v in row[:4])
    return x, y, z, r


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
    lambda given: tube(given.path, given.fine, given.closed),
    round=frozenset({0}),
    lies="unrolled",
)
