"""A tube along a path."""

import numpy as np
from numpy.typing import NDArray

from whorl.refused import Refused
from whorl.shapes.fine import Fine
from whorl.shapes.mesh import Mesh, grid
from whorl.shapes.spec import Four, Knot, PathRows, Shape

Rows = NDArray[np.float64]


def tube(path: PathRows, fine: Fine = Fine(), closed: bool = False) -> Mesh:
    """A tube through the points of a path, open at its ends or closed; u goes round it, v along it by length.

    The path is a Catmull–Rom spline, but where its points say how they are passed; its frames are carried along it
    without twisting (Wang et al., *Computation of Rotation Minimizing Frames*, 2008), so that u runs straight. What a
    closed path turns them by is spread over all of it.
    """
    rows, columns = fine.of(160), fine.of(24)
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


#: A drawn line is followed as near as this share of its extent, and is closed where its ends are nearer than this share
#: of its length.
NEAR, MEETS = 0.012, 0.06
_SAMPLES = 400


def fitted(stroke: Rows, radius: float, most: int) -> tuple[PathRows, bool]:
    """A path along a line (n, 3) that was drawn by hand, with as few points as follow it, up to `most`; and whether it
    is closed. Trembling is smoothed away. Each point is passed the way the line goes there. Raises Refused.

    Points are put in where the path is farthest off, as Schneider does (*An Algorithm for Automatically Fitting
    Digitized Curves*, Graphics Gems, 1990).
    """
    steps = np.linalg.norm(np.diff(stroke, axis=0), axis=1)
    length = float(steps.sum())
    if length < 1e-3:
        raise Refused("the line is too short for a path; draw it in one long stroke")
    closed = bool(np.linalg.norm(stroke[-1] - stroke[0]) < MEETS * length)
    line = np.concatenate([stroke, stroke[:1]]) if closed else stroke
    steps = np.linalg.norm(np.diff(line, axis=0), axis=1)
    passed = np.concatenate([[0.0], np.cumsum(steps)])
    at = np.linspace(0.0, passed[-1], _SAMPLES + 1)
    even = np.stack([np.interp(at, passed, line[:, k]) for k in range(3)], axis=1)
    even = _smoothed(even, closed)
    off = NEAR * float(np.ptp(even, axis=0).max())
    knots = [0, _SAMPLES // 3, 2 * _SAMPLES // 3] if closed else [0, _SAMPLES]
    while True:
        path = _through(even, sorted(knots), radius, closed)
        places, _, _ = along(path, 2 * _SAMPLES, closed)
        far = _nearest(even, places)
        for k in knots:
            far[max(k - 3, 0) : k + 4] = 0.0
        if far.max() <= off or len(knots) >= most:
            return path, closed
        knots.append(int(far.argmax()))


def _nearest(line: Rows, places: Rows) -> NDArray[np.float64]:
    """How far each place of a line is from the nearest of others, by one product of matrices."""
    middle = line.mean(axis=0)
    line, places = line - middle, places - middle
    squares = (line**2).sum(axis=1)[:, None] + (places**2).sum(axis=1) - 2.0 * line @ places.T
    return np.asarray(np.sqrt(np.maximum(squares.min(axis=1), 0.0)))


def _smoothed(line: Rows, closed: bool) -> Rows:
    """Evenly spaced places, each the mean of those about it; ends stay."""
    weights = np.hanning(2 * (_SAMPLES // 40) + 3)[1:-1]
    weights /= weights.sum()
    wide = len(weights) // 2
    if closed:
        around = np.concatenate([line[-wide - 1 : -1], line, line[1 : wide + 1]])
    else:
        # Mirrored about its ends, which so stay where they are.
        first, last = 2 * line[0] - line[wide:0:-1], 2 * line[-1] - line[-2 : -wide - 2 : -1]
        around = np.concatenate([first, line, last])
    return np.stack([np.convolve(around[:, k], weights, "valid") for k in range(3)], axis=1)


def _through(line: Rows, knots: list[int], radius: float, closed: bool) -> PathRows:
    """A path through places of a line, the ways it goes there as long as the pieces between."""
    ahead = _unit(_slopes(line, closed))
    passed = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    whole = passed[-1]
    out = []
    for i, k in enumerate(knots):
        before = passed[k] - passed[knots[i - 1]] + (whole if i == 0 else 0.0)
        after = passed[knots[(i + 1) % len(knots)]] - passed[k] + (whole if i == len(knots) - 1 else 0.0)
        ways = [
            None if not closed and i == end else (*map(float, ahead[k] * by), 0.0)
            for end, by in ((0, before), (len(knots) - 1, after))
        ]
        x, y, z = (float(v) for v in line[k])
        out.append(Knot((x, y, z, radius), 0.0, *ways))  # pyrefly: ignore[bad-argument-type]
    return tuple(out)


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
