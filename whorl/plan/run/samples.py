"""Surface points that no picture chose: samples spread evenly over a shape, and those nearest to given places."""

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from whorl.effect.stage import Stage
from whorl.plan.graph import POINTS
from whorl.shade.kernel import Floats
from whorl.shapes.mesh import Mesh

#: One component of many places, and all of them.
Place = NDArray[np.float64]
Places = NDArray[np.float64]


def spread(stage: Stage, count: int) -> tuple[dict[str, list[Floats]], Places]:
    """`count` surface points of a stage's shape, each standing for as much area, and their normals on the stage."""
    return _spread(_shape(stage), count)


def near(stage: Stage, places: Sequence[Sequence[float]]) -> dict[str, list[Floats]]:
    """The surface points of a stage's shape that lie nearest to places on it as it is made."""
    return _near(_shape(stage), tuple(tuple(p) for p in places))


def _shape(stage: Stage) -> Stage:
    """A stage with nothing but the shape of another."""
    return Stage(**{name: getattr(stage, name) for name in ("shape", "mesh", "subdivision", "path", "edges", "size")})


@lru_cache(maxsize=16)
def _near(stage: Stage, places: tuple[tuple[float, ...], ...]) -> dict[str, list[Floats]]:
    mesh = stage.mesh_of()
    return on_mesh(mesh, *nearest(mesh, places), stage.size)


@lru_cache(maxsize=4)
def _spread(stage: Stage, count: int) -> tuple[dict[str, list[Floats]], Places]:
    mesh, size = stage.mesh_of(), stage.size
    corners = mesh.positions.astype(np.float64)[mesh.triangles]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    if mesh.painted is not None:
        # What does not wear the effect counts for nothing.
        worn = area * mesh.painted[mesh.triangles, 3].mean(axis=1)
        area = worn if worn.sum() > 0 else area
    until = np.cumsum(area)
    at = (np.arange(count) + 0.5) / count * until[-1]
    triangle = np.minimum(np.searchsorted(until, at), len(area) - 1)
    # Within a triangle by the additive recurrence of Roberts (2018), folded into its half of the square.
    n = np.arange(count)
    u, v = (0.5 + n * 0.7548776662466927) % 1.0, (0.5 + n * 0.5698402909980532) % 1.0
    over = u + v > 1.0
    u, v = np.where(over, 1.0 - u, u), np.where(over, 1.0 - v, v)
    weights = np.stack([1.0 - u - v, u, v], axis=1)
    points = on_mesh(mesh, triangle, weights, size)
    return points, np.stack(points["at_normal"], axis=1).astype(np.float64)


def on_mesh(mesh: Mesh, triangle: NDArray[np.intp], weights: Places, size: float) -> dict[str, list[Floats]]:
    """What `graph.POINTS` names at places within triangles, looked at from straight before each; padded to fours."""
    triangle, weights = _fours(triangle), _fours(weights)
    corners = list(zip(np.ascontiguousarray(mesh.triangles[triangle].T), np.ascontiguousarray(weights.T), strict=True))

    def mixed(values: NDArray[np.float32]) -> list[Place]:
        # Component by component, which takes half as long. There may be few places, and many vertices.
        return [sum((row[at] * to for at, to in corners), nothing) for row in values.T]

    n = len(triangle)
    nothing, half, one = np.zeros(n), np.full(n, 0.5), np.ones(n)
    made, normal = mixed(mesh.positions), mixed(mesh.normals)
    long = np.maximum(np.sqrt(sum((x * x for x in normal), nothing)), 1e-10)
    normal = [x / long for x in normal]
    known = {
        "at_uv": [*mixed(mesh.uvs), nothing],
        "at_object": made,
        "at_world": [x * size for x in made],
        "at_box": [(x - low) / wide for x, low, wide in zip(made, mesh.low, mesh.size, strict=True)],
        "at_box_size": [wide * one for wide in mesh.size],
        "at_normal": normal,
        "at_along_u": mixed(mesh.gradients[0]),
        "at_along_v": mixed(mesh.gradients[1]),
        **{f"at_{name}": mixed(values) for name, values in mesh.told.items()},
        "at_view": normal,
        "at_screen": [half] * 3,
        "at_distance": [one],
    }
    return {
        name: [np.ascontiguousarray(x, np.float32) for x in known.get(name, [nothing] * count)]
        for name, count in POINTS.items()
        if name != "at_ray"
    }


def _fours(rows: NDArray) -> NDArray:  # pyrefly: ignore[implicit-any-type-argument]
    missing = -len(rows) % 4
    return np.concatenate([rows, np.repeat(rows[-1:], missing, axis=0)]) if missing else rows


def nearest(mesh: Mesh, places: Sequence[Sequence[float]]) -> tuple[NDArray[np.intp], Places]:
    """The triangles, and the places in them, that lie nearest to places: by projection onto every triangle."""
    corners = mesh.positions.astype(np.float64)[mesh.triangles]
    a, e1, e2 = corners[:, 0], corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    d11, d12, d22 = (e1 * e1).sum(1), (e1 * e2).sum(1), (e2 * e2).sum(1)
    det = np.maximum(d11 * d22 - d12 * d12, 1e-30)
    found, weights = [], []
    for place in places:
        p = np.asarray(place, np.float64) - a
        p1, p2 = (p * e1).sum(1), (p * e2).sum(1)
        v, w = (d22 * p1 - d12 * p2) / det, (d11 * p2 - d12 * p1) / det
        # Outside the triangle its edge is near enough: triangles are small.
        v, w = np.clip(v, 0.0, 1.0), np.clip(w, 0.0, 1.0)
        total = np.maximum(v + w, 1.0)
        v, w = v / total, w / total
        off = np.linalg.norm(p - v[:, None] * e1 - w[:, None] * e2, axis=1)
        best = int(off.argmin())
        found.append(best)
        weights.append((1.0 - v[best] - w[best], v[best], w[best]))
    return np.asarray(found, np.intp), np.asarray(weights)
