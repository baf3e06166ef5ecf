"""The rasteriser: which triangle each pixel sees, and the surface point there.

Homogeneous edge functions, so that nothing needs clipping (Olano and Greer, *Triangle Scan
Conversion using 2D Homogeneous Coordinates*, 1997). Coverage is taken on four samples a pixel
and the surface point at the pixel's centre, as a multisampling GPU does it.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from whorl.shade.kernel import Floats
from whorl.stage.mesh import Mesh


@dataclass(frozen=True)
class Fragments:
    """One side of a shape as a list of 2×2 quads, helper pixels included.

    `pixels` (4q,) are flat indices, row 0 at the top, −1 for a pixel outside the picture;
    `coverage` (4q,) is 0..1 and `at_middle` whether the pixel's middle is covered. `points` holds
    the surface points as `plan.evaluate` takes them.
    """

    pixels: NDArray[np.int64]
    coverage: NDArray[np.float32]
    at_middle: NDArray[np.bool_]
    points: dict[str, list[Floats]]


@njit(cache=True, nogil=True)
def _edges(clip, triangles):  # type: ignore[no-untyped-def]
    """Per triangle the coefficients of its three edge functions, and its signed area."""
    m = len(triangles)
    out = np.empty((m, 3, 3))
    area = np.empty(m)
    for t in range(m):
        a, b, c = clip[triangles[t, 0]], clip[triangles[t, 1]], clip[triangles[t, 2]]
        for k in range(3):
            p = b if k == 0 else (c if k == 1 else a)
            q = c if k == 0 else (a if k == 1 else b)
            out[t, k, 0] = p[1] * q[3] - q[1] * p[3]
            out[t, k, 1] = q[0] * p[3] - p[0] * q[3]
            out[t, k, 2] = p[0] * q[1] - q[0] * p[1]
        area[t] = a[0] * out[t, 0, 0] + a[1] * out[t, 0, 1] + a[3] * out[t, 0, 2]
    return out, area


@njit(cache=True, nogil=True)
def _cover(clip, triangles, edges, area, width, height, front):  # type: ignore[no-untyped-def]
    """The nearest triangle of one side at each sample, −1 where there is none.

    Each pixel's two by two samples lie on four rows and four columns, where GPUs have them.
    """
    ids = np.full((height, width), -1, np.int32)
    depth = np.zeros((height, width))
    for t in range(len(triangles)):
        if area[t] == 0.0 or (area[t] > 0.0) != front:
            continue
        x0, x1, y0, y1 = 0, width - 1, 0, height - 1
        ahead = True
        for k in range(3):
            if clip[triangles[t, k], 3] <= 1e-6:
                ahead = False
        if ahead:
            least_x, most_x, least_y, most_y = 1e30, -1e30, 1e30, -1e30
            for k in range(3):
                v = clip[triangles[t, k]]
                x = (v[0] / v[3] * 0.5 + 0.5) * width
                y = (0.5 - v[1] / v[3] * 0.5) * height
                least_x, most_x = min(least_x, x), max(most_x, x)
                least_y, most_y = min(least_y, y), max(most_y, y)
            x0, x1 = max(0, int(np.floor(least_x - 0.75))), min(width - 1, int(np.ceil(most_x)))
            y0, y1 = max(0, int(np.floor(least_y - 0.75))), min(height - 1, int(np.ceil(most_y)))
        e = edges[t]
        sign = 1.0 if area[t] > 0.0 else -1.0
        for j in range(y0, y1 + 1):
            aside = -0.25 if j % 2 == 0 else 0.25
            for i in range(x0, x1 + 1):
                nx = 2.0 * (i + 0.5 + aside) / width - 1.0
                ny = 1.0 - 2.0 * (j + 0.5 + (0.25 if i % 2 == 0 else -0.25)) / height
                a = (e[0, 0] * nx + e[0, 1] * ny + e[0, 2]) * sign
                b = (e[1, 0] * nx + e[1, 1] * ny + e[1, 2]) * sign
                c = (e[2, 0] * nx + e[2, 1] * ny + e[2, 2]) * sign
                if a < 0.0 or b < 0.0 or c < 0.0:
                    continue
                # The sum over the area is 1 / w: the larger, the nearer.
                near = (a + b + c) / (area[t] * sign)
                if near > depth[j, i]:
                    depth[j, i] = near
                    ids[j, i] = t
    return ids


@njit(cache=True, nogil=True)
def _lay(scene, pixels, coverage, r, g, b, a):  # type: ignore[no-untyped-def]
    for i in range(len(pixels)):
        share = coverage[i]
        if share > 0:
            at = pixels[i]
            rest = np.float32(1) - a[i] * share
            scene[0, at] = r[i] * share + scene[0, at] * rest
            scene[1, at] = g[i] * share + scene[1, at] * rest
            scene[2, at] = b[i] * share + scene[2, at] * rest
            scene[3, at] = a[i] * share + scene[3, at] * rest


def lay(scene: NDArray[np.float32], seen: Fragments, picture: list[Floats]) -> None:
    """Fragments over a scene (4, pixels), in place; both are premultiplied."""
    _lay(scene, seen.pixels, seen.coverage, *picture)


def rasterise(
    mesh: Mesh,
    matrix: NDArray[np.float64],
    eye: NDArray[np.float64],
    width: int,
    height: int,
    front: bool,
    rest: Mesh | None = None,
) -> Fragments:
    """One side of a mesh through a view-projection matrix, at four samples a pixel.

    `rest` is the mesh as it was before it was moved, whose places its points keep.
    """
    positions = np.concatenate([mesh.positions.astype(np.float64), np.ones((len(mesh.positions), 1))], axis=1)
    clip = np.ascontiguousarray(positions @ matrix.T)
    edges, area = _edges(clip, mesh.triangles)
    even_w, even_h = width + width % 2, height + height % 2
    ids = np.full((even_h * 2, even_w * 2), -1, np.int32)
    ids[: height * 2, : width * 2] = _cover(clip, mesh.triangles, edges, area, width * 2, height * 2, front)
    # (rows, sample, columns, sample) → (rows, columns, samples)
    samples = ids.reshape(even_h, 2, even_w, 2).transpose(0, 2, 1, 3).reshape(even_h, even_w, 4)
    coverage = (samples >= 0).mean(axis=2).astype(np.float32)
    chosen = _at_centres(samples, edges, width, height)
    quads = chosen.reshape(even_h // 2, 2, even_w // 2, 2).transpose(0, 2, 1, 3).reshape(-1, 4)
    seen = np.flatnonzero((quads >= 0).any(axis=1))
    quads = quads[seen]
    # Helper pixels carry on the triangle of a pixel that is covered.
    tri = np.where(quads >= 0, quads, quads.max(axis=1, keepdims=True)).ravel()
    qy, qx = np.divmod(seen, even_w // 2)
    xs = (qx[:, None] * 2 + np.array([0, 1, 0, 1])).ravel()
    ys = (qy[:, None] * 2 + np.array([0, 0, 1, 1])).ravel()
    inside = (xs < width) & (ys < height)
    pixels = np.where(inside, ys * width + xs, -1)
    weights = _barycentric(edges[tri], xs, ys, width, height)
    least = min(width, height)
    screen = np.stack([(xs + 0.5 - width / 2) / least, (height / 2 - ys - 0.5) / least], axis=1) + 0.5
    points = _points(mesh, rest or mesh, tri, weights, eye, screen)
    covered = (coverage[ys, xs] * inside).astype(np.float32)
    return Fragments(pixels, covered, (covered == 1) | ((covered > 0) & (weights.min(axis=1) >= 0)), points)


def _at_centres(samples: NDArray[np.int32], edges: NDArray[np.float64], width: int, height: int) -> NDArray[np.int32]:
    """For each pixel, the triangle among those of its samples that its centre lies in or nearest to."""
    chosen = samples.max(axis=2)
    ys, xs = np.nonzero(samples.min(axis=2) != chosen)
    best = np.full(len(xs), -np.inf)
    for k in range(4):
        tri = samples[ys, xs, k]
        inside = _barycentric(edges[np.maximum(tri, 0)], xs, ys, width, height).min(axis=1)
        better = (tri >= 0) & (inside > best)
        best = np.where(better, inside, best)
        chosen[ys[better], xs[better]] = tri[better]
    return np.asarray(chosen)


def _barycentric(
    edges: NDArray[np.float64], xs: NDArray[np.int64], ys: NDArray[np.int64], width: int, height: int
) -> NDArray[np.float64]:
    nx, ny = 2 * (xs + 0.5) / width - 1, 1 - 2 * (ys + 0.5) / height
    e = edges[:, :, 0] * nx[:, None] + edges[:, :, 1] * ny[:, None] + edges[:, :, 2]
    total = e.sum(axis=1, keepdims=True)
    return e / np.where(np.abs(total) > 1e-30, total, 1.0)


def _points(
    mesh: Mesh,
    rest: Mesh,
    tri: NDArray[np.int32],
    weights: NDArray[np.float64],
    eye: NDArray[np.float64],
    screen: NDArray[np.float64],
) -> dict[str, list[Floats]]:
    corners = mesh.triangles[tri]

    def at(values: NDArray[np.float32]) -> NDArray[np.float64]:
        return np.asarray(np.einsum("nk,nkc->nc", weights, values[corners].astype(np.float64)))

    position, normal, kept = at(mesh.positions), at(mesh.normals), at(rest.positions)
    along_u, along_v = rest.gradients
    away = eye - position
    return surface_points(
        uv=at(rest.uvs),
        position=kept,
        world=position,
        box=(kept - rest.low) / rest.size,
        box_size=rest.size.astype(np.float64),
        normal=unit(normal),
        along=(at(along_u), at(along_v)),
        view=unit(away),
        distance=np.linalg.norm(away, axis=1),
        screen=screen,
    )


def surface_points(
    *,
    uv: NDArray[np.float64],
    position: NDArray[np.float64],
    box: NDArray[np.float64],
    box_size: NDArray[np.float64],
    normal: NDArray[np.float64],
    along: tuple[NDArray[np.float64], NDArray[np.float64]],
    view: NDArray[np.float64],
    distance: NDArray[np.float64],
    screen: NDArray[np.float64],
    world: NDArray[np.float64] | None = None,
) -> dict[str, list[Floats]]:
    """What `plan.POINTS` names, each as contiguous rows, from (n, 2) and (n, 3) arrays."""
    n = len(uv)
    zero = np.zeros((n, 1))
    place = columns(position)
    nothing = np.zeros(n, np.float32)
    return {
        "at_uv": columns(np.concatenate([uv, zero], axis=1)),
        "at_object": place,
        # A shape that is not moved stands where the stage's own axes have their middle.
        "at_world": place if world is None else columns(world),
        "at_box": columns(box),
        "at_box_size": columns(np.tile(box_size, (n, 1))),
        "at_normal": columns(normal),
        "at_along_u": columns(along[0]),
        "at_along_v": columns(along[1]),
        "at_view": columns(view),
        "at_distance": columns(distance[:, None]),
        "at_screen": columns(np.concatenate([screen, zero], axis=1)),
        "at_back": [nothing] * 4,
        "at_far": [nothing] * 4,
    }


def unit(v: NDArray[np.float64]) -> NDArray[np.float64]:
    """Rows scaled to length 1; (0, 0, 1) where there is no direction."""
    length = np.linalg.norm(v, axis=1, keepdims=True)
    return np.where(length > 1e-10, v / np.maximum(length, 1e-10), np.array([0.0, 0.0, 1.0]))


def columns(rows: NDArray[np.float64]) -> list[Floats]:
    """(n, c) as c contiguous float32 arrays."""
    return [np.ascontiguousarray(rows[:, i], np.float32) for i in range(rows.shape[1])]
