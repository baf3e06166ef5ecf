"""The rasteriser: which triangle each sample of a pixel sees, and the surface point there.

Homogeneous edge functions, so that nothing needs clipping (Olano and Greer, *Triangle Scan
Conversion using 2D Homogeneous Coordinates*, 1997). Coverage is taken on four samples a pixel
and the surface point at the pixel's centre, as a multisampling GPU does it.
"""

import itertools
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from whorl.plan.graph import POINTS
from whorl.shade.kernel import Floats
from whorl.shade.loops import F32_1, F32_2, F32_3, F64_1, F64_2, I32_1, I32_2, U8_1, loops
from whorl.shapes.mesh import MORE, Mesh

T = TypeVar("T")

#: What the rasteriser says of a surface point, in this order, and in how many numbers.
_APART = {"at_back", "at_ray", *(f"at_{name}" for name in MORE)}
LAYOUT = {name: count for name, count in POINTS.items() if name not in _APART}
ROWS = sum(LAYOUT.values())
#: The first row of each, by its name; constants, so that compiled functions may use them.
_FIRST = dict(zip(LAYOUT, itertools.accumulate([0, *LAYOUT.values()]), strict=False))
UV, OBJECT, WORLD, BOX, EXTENT, NORMAL, ALONG_U, ALONG_V, VIEW, SCREEN, DISTANCE = (
    _FIRST[f"at_{name}"]
    for name in (
        "uv",
        "object",
        "world",
        "box",
        "box_size",
        "normal",
        "along_u",
        "along_v",
        "view",
        "screen",
        "distance",
    )
)
#: Where what is interpolated of a vertex stands in `_vertices`.
PLACE, TURNED, MADE, TEXTURE, RISE_U, RISE_V = 0, 3, 6, 9, 11, 14
#: How many are interpolated at a time, so that their numbers stay in the nearest cache.
BLOCK = 256
#: How many rows of pixels are covered at a time, likewise.
BAND = 64
#: Two triangles in a quad belong to one surface if the cosine between them is at least this ...
ALIKE = 0.998
#: ... and if at the quad's middle their planes lie this close, as a share of the distance, ...
CLOSE = 0.01
#: ... their normals' cosine is at least this ...
LEVEL = 0.9995
#: ... and their UV differ by no more than this: a seam is an edge too.
SEAM = 5e-4


#: A direction, or three numbers of a kind.
Way = tuple[float, float, float]


@dataclass(frozen=True)
class Fragments:
    """One side of a shape as a list of 2×2 quads, helper pixels included.

    `pixels` (4q,) are flat indices, row 0 at the top, −1 for a pixel outside the picture; `samples`
    (4q,) has a bit for each of the pixel's four samples that this is seen at, none for a helper.
    Where surfaces meet, a pixel has a fragment for each triangle in it; elsewhere just one.
    `points` holds the surface points as `plan.run.evaluate` takes them.
    """

    pixels: NDArray[np.int32]
    samples: NDArray[np.uint8]
    points: dict[str, list[Floats]]

    @property
    def coverage(self) -> NDArray[np.float32]:
        """The share of its pixel that each fragment covers, 0..1."""
        return np.asarray(np.bitwise_count(self.samples) / np.float32(4), np.float32)


@loops
def _edges(clip: F64_2, triangles: I32_2, out: F64_2, area: F64_1, bounds: F64_2) -> None:
    """Per triangle its three edge functions' coefficients, its signed area and where it lies in the picture.

    That is the least x, the most x, the least y and the most y, −1..1; all of it where some of it is behind the eye.
    """
    for t in range(len(triangles)):
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay, aw = clip[i, 0], clip[i, 1], clip[i, 3]
        bx, by, bw = clip[j, 0], clip[j, 1], clip[j, 3]
        cx, cy, cw = clip[k, 0], clip[k, 1], clip[k, 3]
        out[t, 0], out[t, 1], out[t, 2] = by * cw - cy * bw, cx * bw - bx * cw, bx * cy - cx * by
        out[t, 3], out[t, 4], out[t, 5] = cy * aw - ay * cw, ax * cw - cx * aw, cx * ay - ax * cy
        out[t, 6], out[t, 7], out[t, 8] = ay * bw - by * aw, bx * aw - ax * bw, ax * by - bx * ay
        area[t] = ax * out[t, 0] + ay * out[t, 1] + aw * out[t, 2]
        if min(aw, bw, cw) > 1e-6:
            ax, bx, cx, ay, by, cy = ax / aw, bx / bw, cx / cw, ay / aw, by / bw, cy / cw
            bounds[t, 0], bounds[t, 1] = min(ax, bx, cx), max(ax, bx, cx)
            bounds[t, 2], bounds[t, 3] = min(ay, by, cy), max(ay, by, cy)
        else:
            bounds[t, 0], bounds[t, 1], bounds[t, 2], bounds[t, 3] = -1.0, 1.0, -1.0, 1.0


@loops
def _cover(
    edges: F64_2,
    area: F64_1,
    bounds: F64_2,
    width: int,
    height: int,
    front: bool,
    off: float,
    top: int,
    end: int,
    ids: I32_2,
    depth: F64_2,
) -> None:
    """The nearest triangle of one side at each sample of the rows from `top` to before `end`, into `ids`.

    Sizes are in samples. `depth` is nought at first. `off` is how far each lies from its square's middle, alternately:
    by 0.25 the two by two of a pixel lie on four rows and four columns, where GPUs have them.
    """
    step = 2.0 / width
    # The picture's y at the upper and the lower end of the rows, with room for samples off their middles.
    upper, lower = 1.0 - 2.0 * (top - 1) / height, 1.0 - 2.0 * (end + 1) / height
    for t in range(len(area)):
        whole = area[t]
        if whole == 0.0 or (whole > 0.0) != front or bounds[t, 2] > upper or bounds[t, 3] < lower:
            continue
        x0 = max(int(np.floor((bounds[t, 0] * 0.5 + 0.5) * width - 0.75)), 0)
        x1 = min(int(np.floor((bounds[t, 1] * 0.5 + 0.5) * width - 0.25)), width - 1)
        y0 = max(int(np.floor((0.5 - bounds[t, 3] * 0.5) * height - 0.75)), top)
        y1 = min(int(np.floor((0.5 - bounds[t, 2] * 0.5) * height - 0.25)), end - 1)
        # A triangle's own sense, so that being inside is being above nought.
        turn = 1.0 if whole > 0.0 else -1.0
        a0, a1, a2 = edges[t, 0] * turn, edges[t, 1] * turn, edges[t, 2] * turn
        b0, b1, b2 = edges[t, 3] * turn, edges[t, 4] * turn, edges[t, 5] * turn
        c0, c1, c2 = edges[t, 6] * turn, edges[t, 7] * turn, edges[t, 8] * turn
        scale = turn / whole
        # How far along a row each edge goes for each unit of its function.
        wa, wb, wc = -width / (2.0 * a0), -width / (2.0 * b0), -width / (2.0 * c0)
        for j in range(y0, y1 + 1):
            aside = 0.5 + (-off if j % 2 == 0 else off)
            left, middle = aside * step - 1.0, width / 2 - aside
            for odd in range(2):
                y = 1.0 - 2.0 * (j + 0.5 + (off if odd == 0 else -off)) / height
                a, b, c = a1 * y + a2, b1 * y + b2, c1 * y + c2
                # Where the row enters and leaves the triangle, with a little room for rounding.
                low, high = _narrowed(a0, a * wa + middle, float(x0), float(x1))
                low, high = _narrowed(b0, b * wb + middle, low, high)
                low, high = _narrowed(c0, c * wc + middle, low, high)
                first, last = int(np.ceil(low - 0.01)), int(np.floor(high + 0.01))
                for i in range(first + ((first ^ odd) & 1), last + 1, 2):
                    x = left + i * step
                    ea, eb, ec = a0 * x + a, b0 * x + b, c0 * x + c
                    if min(ea, eb, ec) >= 0.0:
                        # The sum over the area is 1 / w: the larger, the nearer.
                        near = (ea + eb + ec) * scale
                        if near > depth[j - top, i]:
                            depth[j - top, i] = near
                            ids[j - top, i] = t


@loops
def _narrowed(slope: float, at: float, low: float, high: float) -> tuple[float, float]:
    """The columns of a row, counted from `low` to `high`, on the inner side of an edge that is crossed `at`."""
    if slope > 1e-9:
        return max(low, at), high
    if slope < -1e-9:
        return low, min(high, at)
    return low, high


@loops
def _at(edges: F64_2, t: int, x: float, y: float) -> Way:
    """A triangle's three edge functions at a place of the picture, −1..1; their sum over its area is 1 / w."""
    a = edges[t, 0] * x + (edges[t, 1] * y + edges[t, 2])
    b = edges[t, 3] * x + (edges[t, 4] * y + edges[t, 5])
    c = edges[t, 6] * x + (edges[t, 7] * y + edges[t, 8])
    return a, b, c


@loops
def _facing(own: F32_2, triangles: I32_2, t: int) -> Way:
    """A triangle's normal, of any length."""
    i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
    ax, ay, az = own[0, j] - own[0, i], own[1, j] - own[1, i], own[2, j] - own[2, i]
    bx, by, bz = own[0, k] - own[0, i], own[1, k] - own[1, i], own[2, k] - own[2, i]
    return ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx


@loops
def _one_surface(
    own: F32_2, triangles: I32_2, edges: F64_2, area: F64_1, found: I32_1, count: int, x: float, y: float
) -> bool:
    """Whether the triangles of a quad go on from one another without an edge, a seam or a fold."""
    first = _facing(own, triangles, found[0])
    near, normal, u, v = _middle(own, triangles, edges, area, found[0], x, y)
    for k in range(1, count):
        if not _alike(first, _facing(own, triangles, found[k]), ALIKE):
            return False
        other, bent, s, t = _middle(own, triangles, edges, area, found[k], x, y)
        if not (abs(other - near) <= CLOSE * near and abs(s - u) <= SEAM and abs(t - v) <= SEAM):
            return False
        if not _alike(normal, bent, LEVEL):
            return False
    return True


@loops
def _middle(
    own: F32_2, triangles: I32_2, edges: F64_2, area: F64_1, t: int, x: float, y: float
) -> tuple[float, Way, float, float]:
    """At a place of the picture a triangle's 1 / w, its normal and its UV."""
    a, b, c = _at(edges, t, x, y)
    total = a + b + c
    by = 1.0 / total if abs(total) > 1e-30 else 1.0
    a, b, c = a * by, b * by, c * by
    i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
    normal = (
        own[3, i] * a + own[3, j] * b + own[3, k] * c,
        own[4, i] * a + own[4, j] * b + own[4, k] * c,
        own[5, i] * a + own[5, j] * b + own[5, k] * c,
    )
    u = own[9, i] * a + own[9, j] * b + own[9, k] * c
    v = own[10, i] * a + own[10, j] * b + own[10, k] * c
    return total / area[t], normal, u, v


@loops
def _alike(a: Way, b: Way, least: float) -> bool:
    """Whether the cosine between two directions of any length is at least so much; not where one has none."""
    along = a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
    lengths = (a[0] * a[0] + a[1] * a[1] + a[2] * a[2]) * (b[0] * b[0] + b[1] * b[1] + b[2] * b[2])
    return along > 0.0 and along * along >= least * least * lengths


@loops
def _most(ids: I32_2, found: I32_1) -> int:
    """How many triangles all quads of samples have, each counted by itself."""
    most = 0
    for q in range(ids.shape[0] // 4):
        for p in range(ids.shape[1] // 4):
            most += _distinct(ids, q, p, found)
    return most


@loops
def _quads(
    ids: I32_2,
    top: int,
    own: F32_2,
    triangles: I32_2,
    edges: F64_2,
    area: F64_1,
    width: int,
    height: int,
    found: I32_1,
    pixels: I32_1,
    samples: U8_1,
    tri: I32_1,
    places: I32_2,
) -> int:
    """Fragments in quads, from the row of pixels `top`: pixel, samples, triangle, and place (x, y); how many."""
    n = 0
    for q in range(ids.shape[0] // 4):
        for p in range(ids.shape[1] // 4):
            count = _distinct(ids, q, p, found)
            if count == 0:
                continue
            whole = True
            for j in range(4):
                for i in range(4):
                    if ids[4 * q + j, 4 * p + i] < 0 and top + 2 * q + j // 2 < height and 2 * p + i // 2 < width:
                        whole = False
            at_x, at_y = 2.0 * (2 * p + 1) / width - 1.0, 1.0 - 2.0 * (top + 2 * q + 1) / height
            one = whole and (count == 1 or _one_surface(own, triangles, edges, area, found, count, at_x, at_y))
            for k in range(1 if one else count):
                for m in range(4):
                    x, y = 2 * p + m % 2, top + 2 * q + m // 2
                    inside = x < width and y < height
                    pixels[n] = y * width + x if inside else -1
                    places[n, 0], places[n, 1] = x, y
                    tri[n] = found[k]
                    samples[n] = 0
                    if one:
                        samples[n] = 15 if inside else 0
                        if count > 1 and inside:
                            tri[n] = _nearest(ids, top, edges, x, y, width, height)
                    elif inside:
                        for s in range(4):
                            if ids[2 * (y - top) + s // 2, 2 * x + s % 2] == found[k]:
                                samples[n] |= 1 << s
                    n += 1
    return n


@loops
def _distinct(ids: I32_2, q: int, p: int, found: I32_1) -> int:
    """The triangles in a quad's sixteen samples, into `found`; how many there are."""
    count, before = 0, -1
    for j in range(4 * q, 4 * q + 4):
        for i in range(4 * p, 4 * p + 4):
            t = ids[j, i]
            if t == before or t < 0:
                continue
            before, k = t, 0
            while k < count and found[k] != t:
                k += 1
            if k == count:
                found[count] = t
                count += 1
    return count


@loops
def _nearest(ids: I32_2, top: int, edges: F64_2, x: int, y: int, width: int, height: int) -> int:
    """Of the triangles of a pixel's samples, the one its middle lies in or is nearest to."""
    up, left = 2 * (y - top), 2 * x
    chosen, best = int(ids[up, left]), -np.inf
    if ids[up, left + 1] == chosen and ids[up + 1, left] == chosen and ids[up + 1, left + 1] == chosen:
        return chosen
    for s in range(4):
        t = int(ids[up + s // 2, left + s % 2])
        a, b, c = _at(edges, t, 2.0 * (x + 0.5) / width - 1.0, 1.0 - 2.0 * (y + 0.5) / height)
        total = a + b + c
        inside = min(a / total, b / total, c / total) if abs(total) > 1e-30 else 0.0
        if inside > best:
            chosen, best = t, inside
    return chosen


class Canvas:
    """A scene that fragments are laid over: linear and premultiplied.

    Pixels that are covered in part have their four samples kept apart until the end.
    """

    def __init__(self, scene: NDArray[np.float32]) -> None:
        """`scene` is (4, height, width), contiguous, and is what `done` writes to."""
        assert scene.flags.c_contiguous
        self.scene = scene.reshape(4, -1)
        self.slots = np.full(self.scene.shape[1], -1, np.int32)
        self.fine = np.empty((0, 4, 4), np.float32)
        self.used = 0

    def lay(self, seen: Fragments, picture: list[Floats]) -> None:
        """Fragments, premultiplied, over what is there."""
        room = self.used + _partly(seen.samples)
        if room > len(self.fine):
            kept, self.fine = self.fine, np.empty((room, 4, 4), np.float32)
            self.fine[: self.used] = kept[: self.used]
        self.used = _lay(self.scene, self.slots, self.fine, self.used, seen.pixels, seen.samples, *picture)

    def done(self) -> None:
        """Brings the samples of each pixel together in the scene."""
        _together(self.scene, self.slots, self.fine)


@loops
def _partly(samples: U8_1) -> int:
    """How many pixels some samples of which, not all, are covered."""
    n = 0
    for i in range(len(samples)):
        if samples[i] > 0 and samples[i] < 15:
            n += 1
    return n


@loops
def _together(scene: F32_2, slots: I32_1, fine: F32_3) -> None:
    for at in range(len(slots)):
        if slots[at] >= 0:
            own = fine[slots[at]]
            for c in range(4):
                scene[c, at] = (own[0, c] + own[1, c] + own[2, c] + own[3, c]) * np.float32(0.25)


@loops
def _lay(
    scene: F32_2,
    slots: I32_1,
    fine: F32_3,
    used: int,
    pixels: I32_1,
    samples: U8_1,
    r: F32_1,
    g: F32_1,
    b: F32_1,
    a: F32_1,
) -> int:
    for i in range(len(pixels)):
        seen, at = samples[i], pixels[i]
        if seen == 0:
            continue
        rest = np.float32(1) - a[i]
        if seen == 15 and slots[at] < 0:
            scene[0, at] = r[i] + scene[0, at] * rest
            scene[1, at] = g[i] + scene[1, at] * rest
            scene[2, at] = b[i] + scene[2, at] * rest
            scene[3, at] = a[i] + scene[3, at] * rest
            continue
        if slots[at] < 0:
            slots[at] = used
            used += 1
            for s in range(4):
                for c in range(4):
                    fine[slots[at], s, c] = scene[c, at]
        for s in range(4):
            if seen >> s & 1 == 1:
                own = fine[slots[at], s]
                own[0] = r[i] + own[0] * rest
                own[1] = g[i] + own[1] * rest
                own[2] = b[i] + own[2] * rest
                own[3] = a[i] + own[3] * rest
    return used


def _covered(
    edges: NDArray[np.float64],
    area: NDArray[np.float64],
    bounds: NDArray[np.float64],
    width: int,
    height: int,
    front: bool,
    off: float,
    top: int,
    end: int,
) -> NDArray[np.int32]:
    """The nearest triangle of one side at each sample of some rows, −1 where there is none: whole quads of them."""
    ids = np.full((end - top + (end - top) % 4, width + width % 4), -1, np.int32)
    _cover(edges, area, bounds, width, height, front, off, top, end, ids, np.zeros((end - top, width)))
    return ids


def _block() -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """Room for the corners and weights of one block of points."""
    return np.empty((3, BLOCK), np.int32), np.empty((3, BLOCK), np.float32)


@dataclass(frozen=True)
class Seen:
    """A mesh from a camera.

    `rest` is the mesh as it is made, before it is moved and sized, whose places its points keep.
    """

    mesh: Mesh
    rest: Mesh
    edges: NDArray[np.float64]
    area: NDArray[np.float64]
    bounds: NDArray[np.float64]
    eye: NDArray[np.float64]

    @classmethod
    def through(
        cls, mesh: Mesh, matrix: NDArray[np.float64], eye: NDArray[np.float64], rest: Mesh | None = None
    ) -> "Seen":
        """Through a view-projection matrix (4, 4), from where the eye is (3,)."""
        clip = np.ascontiguousarray(mesh.positions.astype(np.float64) @ matrix[:, :3].T + matrix[:, 3])
        count = len(mesh.triangles)
        edges, area, bounds = np.empty((count, 9)), np.empty(count), np.empty((count, 4))
        _edges(clip, mesh.triangles, edges, area, bounds)
        return cls(mesh, rest or mesh, edges, area, bounds, eye)

    @cached_property
    def vertices(self) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
        """Of each vertex all that is interpolated, once for both sides; see `_vertices`."""
        return _vertices(self.mesh, self.rest)

    def fragments(self, width: int, height: int, front: bool, threads: int = 1) -> Fragments:
        """One side, at four samples a pixel."""
        own, _, _ = self.vertices
        sides, given = (self.edges, self.area, self.bounds), (own, self.mesh.triangles, self.edges, self.area)

        def covered(top: int, end: int) -> tuple[NDArray[Any], ...]:
            ids = _covered(*sides, width * 2, height * 2, front, 0.25, top * 2, end * 2)
            # At most every triangle of every quad: counted first.
            found = np.empty(16, np.int32)
            most = 4 * _most(ids, found)
            pixels, tri, places = (np.empty(of, np.int32) for of in (most, most, (most, 2)))
            samples = np.empty(most, np.uint8)
            n = _quads(ids, top, *given, width, height, found, pixels, samples, tri, places)
            return pixels[:n], samples[:n], tri[:n], places[:n]

        made = in_parts(covered, height, threads, BAND)
        pixels, samples, tri, places = (np.concatenate(parts) for parts in zip(*made, strict=True))
        points = named(self._rows(tri, places, width, height, threads))
        for name, values in self.rest.more.items():
            points[f"at_{name}"] = list(self._more(values, tri, places, width, height))
        return Fragments(pixels, samples, points)

    def behind(self, width: int, height: int, threads: int = 1) -> NDArray[np.float32]:
        """The far side at the middle of each pixel: its normal and its distance, (4, height · width).

        Nought where there is none.
        """
        given = self.edges, self.area, self.bounds, width, height, False, 0.0

        def covered(top: int, end: int) -> NDArray[np.int32]:
            return _covered(*given, top, end)[: end - top, :width]

        ids = np.concatenate(in_parts(covered, height, threads, BAND))
        y, x = np.nonzero(ids >= 0)
        rows = self._rows(ids[y, x], np.stack([x, y], axis=1).astype(np.int32), width, height, threads)
        out = np.zeros((4, height * width), np.float32)
        out[:, y * width + x] = rows[[NORMAL, NORMAL + 1, NORMAL + 2, DISTANCE]]
        return out

    def nearest(self, size: int, towards: NDArray[np.float64]) -> tuple[NDArray[np.intp], dict[str, list[Floats]]]:
        """What of either side lies furthest towards a lamp at the middle of each pixel of a square picture: the flat
        numbers of the pixels, row 0 at the top, and the surface points there."""
        given = self.edges, self.area, self.bounds, size, size
        found, ids = np.full((size, size), -np.inf), np.full((size, size), -1, np.int32)

        def places(y: NDArray[np.intp], x: NDArray[np.intp]) -> NDArray[np.int32]:
            return np.stack([x, y], axis=1).astype(np.int32)

        for front in (True, False):

            def covered(top: int, end: int, front: bool = front) -> NDArray[np.int32]:
                return _covered(*given, front, 0.0, top, end)[: end - top]

            one = np.concatenate(in_parts(covered, size, 1, BAND))
            y, x = np.nonzero(one >= 0)
            rows = self._rows(one[y, x], places(y, x), size, size, 1)
            near = rows[WORLD : WORLD + 3].T @ towards
            closer = near > found[y, x]
            y, x = y[closer], x[closer]
            found[y, x], ids[y, x] = near[closer], one[y, x]
        y, x = np.nonzero(ids >= 0)
        tri, at = ids[y, x], places(y, x)
        points = named(self._rows(tri, at, size, size, 1))
        for name, values in self.rest.more.items():
            points[f"at_{name}"] = list(self._more(values, tri, at, size, size))
        return y * size + x, points

    def _more(
        self, values: NDArray[np.float32], tri: NDArray[np.int32], places: NDArray[np.int32], width: int, height: int
    ) -> NDArray[np.float32]:
        rows = np.empty((values.shape[1], len(tri)), np.float32)
        own = np.ascontiguousarray(values.T)
        _more(own, self.mesh.triangles, tri, self.edges, places, width, height, rows)
        return rows

    def _rows(
        self,
        tri: NDArray[np.int32],
        places: NDArray[np.int32],
        width: int,
        height: int,
        threads: int,
    ) -> NDArray[np.float32]:
        own, low, size = self.vertices
        rows = np.empty((ROWS, len(tri)), np.float32)

        def fill(first: int, end: int) -> None:
            given = tri[first:end], self.edges, places[first:end], width, height, self.eye.astype(np.float32)
            _points(own, low, size, self.mesh.triangles, *given, rows[:, first:end], *_block())

        in_parts(fill, len(tri), threads, 1 << 16)
        return rows


def in_parts(work: Callable[[int, int], T], count: int, threads: int, each: int) -> list[T]:
    """What `work(first, end)` gives for each so many of a range, in order, on so many threads."""
    parts = [(first, min(first + each, count)) for first in range(0, max(count, 1), each)]
    if threads == 1 or len(parts) == 1:
        return [work(*part) for part in parts]
    with ThreadPoolExecutor(threads) as pool:
        return list(pool.map(lambda part: work(*part), parts))


def at_vertices(mesh: Mesh, eye: Sequence[float], rest: Mesh) -> dict[str, list[Floats]]:
    """The vertices of a mesh on the stage as surface points; `rest` is how it is made."""
    own, low, size = _vertices(mesh, rest)
    rows = np.empty((ROWS, own.shape[1]), np.float32)
    _own_points(own, low, size, np.asarray(eye, np.float32), rows, *_block())
    return named(rows) | {f"at_{name}": columns(values) for name, values in rest.more.items()}


def _vertices(mesh: Mesh, rest: Mesh) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.float32]]:
    """Of each vertex all that is interpolated, (17, n); the bounds' least corner and extent."""
    parts = [mesh.positions, mesh.normals, rest.positions, rest.uvs, rest.gradients[0], rest.gradients[1]]
    own = np.empty((sum(part.shape[1] for part in parts), len(mesh.positions)), np.float32)
    np.concatenate([part.T for part in parts], out=own)
    return own, rest.low, rest.size


@loops
def _points(
    own: F32_2,
    low: F32_1,
    size: F32_1,
    triangles: I32_2,
    tri: I32_1,
    edges: F64_2,
    places: I32_2,
    width: int,
    height: int,
    eye: F32_1,
    rows: F32_2,
    corners: I32_2,
    weights: F32_2,
) -> None:
    least = min(width, height)
    for first in range(0, len(tri), BLOCK):
        count = min(BLOCK, len(tri) - first)
        for n in range(count):
            t, x, y = tri[first + n], places[first + n, 0] + 0.5, places[first + n, 1] + 0.5
            nx, ny = 2.0 * x / width - 1.0, 1.0 - 2.0 * y / height
            a, b, c = _at(edges, t, nx, ny)
            total = a + b + c
            by = 1.0 / total if abs(total) > 1e-30 else 1.0
            weights[0, n], weights[1, n], weights[2, n] = a * by, b * by, c * by
            corners[0, n], corners[1, n], corners[2, n] = triangles[t, 0], triangles[t, 1], triangles[t, 2]
            rows[SCREEN, first + n] = (x - width / 2) / least + 0.5
            rows[SCREEN + 1, first + n] = (height / 2 - y) / least + 0.5
        _interpolated(own, low, size, corners, weights, eye, rows[:, first : first + count])


@loops
def _more(
    own: F32_2, triangles: I32_2, tri: I32_1, edges: F64_2, places: I32_2, width: int, height: int, rows: F32_2
) -> None:
    """What only some meshes say of their vertices, at fragments."""
    for n in range(len(tri)):
        t, x, y = tri[n], places[n, 0] + 0.5, places[n, 1] + 0.5
        a, b, c = _at(edges, t, 2.0 * x / width - 1.0, 1.0 - 2.0 * y / height)
        total = a + b + c
        by = 1.0 / total if abs(total) > 1e-30 else 1.0
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        for r in range(len(own)):
            rows[r, n] = own[r, i] * (a * by) + own[r, j] * (b * by) + own[r, k] * (c * by)


@loops
def _own_points(own: F32_2, low: F32_1, size: F32_1, eye: F32_1, rows: F32_2, corners: I32_2, weights: F32_2) -> None:
    for n in range(BLOCK):
        weights[0, n], weights[1, n], weights[2, n] = 1.0, 0.0, 0.0
    for n in range(own.shape[1]):
        rows[SCREEN, n] = rows[SCREEN + 1, n] = 0.5
    for first in range(0, own.shape[1], BLOCK):
        count = min(BLOCK, own.shape[1] - first)
        for n in range(count):
            corners[0, n] = corners[1, n] = corners[2, n] = first + n
        _interpolated(own, low, size, corners, weights, eye, rows[:, first : first + count])


@loops
def _interpolated(own: F32_2, low: F32_1, size: F32_1, corners: I32_2, weights: F32_2, eye: F32_1, rows: F32_2) -> None:
    """A block of `rows`, which are in the order of `LAYOUT`, but for the place on the screen."""
    count = rows.shape[1]
    _mixed(own[TEXTURE], corners, weights, rows[UV])
    _mixed(own[TEXTURE + 1], corners, weights, rows[UV + 1])
    for n in range(count):
        rows[UV + 2, n] = rows[SCREEN + 2, n] = 0.0
    for k in range(3):
        kept, way = rows[OBJECT + k], rows[VIEW + k]
        _mixed(own[MADE + k], corners, weights, kept)
        _mixed(own[PLACE + k], corners, weights, rows[WORLD + k])
        _mixed(own[TURNED + k], corners, weights, rows[NORMAL + k])
        _mixed(own[RISE_U + k], corners, weights, rows[ALONG_U + k])
        _mixed(own[RISE_V + k], corners, weights, rows[ALONG_V + k])
        for n in range(count):
            rows[BOX + k, n] = (kept[n] - low[k]) / size[k]
            way[n] = eye[k] - rows[WORLD + k, n]
            rows[EXTENT + k, n] = size[k]
    x, y, z = rows[NORMAL], rows[NORMAL + 1], rows[NORMAL + 2]
    a, b, c, far = rows[VIEW], rows[VIEW + 1], rows[VIEW + 2], rows[DISTANCE]
    for n in range(count):
        x[n], y[n], z[n], _ = _unit(x[n], y[n], z[n])
        a[n], b[n], c[n], far[n] = _unit(a[n], b[n], c[n])


@loops
def _mixed(values: F32_1, corners: I32_2, weights: F32_2, out: F32_1) -> None:
    """One number of the vertices between three of them each."""
    a, b, c = corners
    u, v, w = weights
    for n in range(len(out)):
        out[n] = values[a[n]] * u[n] + values[b[n]] * v[n] + values[c[n]] * w[n]


@loops
def _unit(x: np.float32, y: np.float32, z: np.float32) -> tuple[np.float32, np.float32, np.float32, np.float32]:
    """A direction of length 1, (0, 0, 1) where there is none, and what its length was."""
    length = np.sqrt(x * x + y * y + z * z)
    there = length > np.float32(1e-10)
    by = np.float32(1) / (length if there else np.float32(1))
    nought = np.float32(0)
    return x * by if there else nought, y * by if there else nought, z * by if there else np.float32(1), length


def named(rows: NDArray[np.float32]) -> dict[str, list[Floats]]:
    """What `graph.POINTS` names, from (ROWS, n) numbers in the order of `LAYOUT`."""
    out, first = {}, 0
    for name, count in LAYOUT.items():
        out[name] = list(rows[first : first + count])
        first += count
    nothing, whole = np.zeros(rows.shape[1], np.float32), np.ones(rows.shape[1], np.float32)
    second = {f"at_second_{name}": out[f"at_{of}"] for name, of in (("uv", "uv"), ("u", "along_u"), ("v", "along_v"))}
    return {**out, **second, "at_colour": [whole] * 4, "at_back": [nothing] * 4}


def unit(v: NDArray[np.float64]) -> NDArray[np.float64]:
    """Rows scaled to length 1; (0, 0, 1) where there is no direction."""
    length = np.linalg.norm(v, axis=1, keepdims=True)
    return np.where(length > 1e-10, v / np.maximum(length, 1e-10), np.array([0.0, 0.0, 1.0]))


def columns(rows: NDArray[Any]) -> list[Floats]:
    """(n, c) as c contiguous float32 arrays."""
    return [np.ascontiguousarray(rows[:, i], np.float32) for i in range(rows.shape[1])]
