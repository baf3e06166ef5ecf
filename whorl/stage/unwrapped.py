"""A shape unwrapped over its UV: which point of it lies at each texel of a map."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from whorl.plan.run.samples import on_mesh
from whorl.shade.kernel import Floats
from whorl.shade.loops import F64_2, F64_3, I64_2, loops
from whorl.shapes.mesh import Mesh


@loops
def _covering(uvs: F64_2, triangles: I64_2, size: int, found: I64_2, weights: F64_3) -> None:
    """Per texel the triangle whose UV hold its middle, and the weights of its corners; else they stay.

    Texels run from v = 1 down. Of triangles that lie over one another the last is taken.
    """
    for t in range(len(triangles)):
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ax, ay = uvs[i, 0] * size, (1.0 - uvs[i, 1]) * size
        bx, by = uvs[j, 0] * size, (1.0 - uvs[j, 1]) * size
        cx, cy = uvs[k, 0] * size, (1.0 - uvs[k, 1]) * size
        area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if abs(area) < 1e-12:
            continue
        left, right = int(np.floor(min(ax, bx, cx) - 0.5)), int(np.ceil(max(ax, bx, cx) - 0.5))
        top, bottom = int(np.floor(min(ay, by, cy) - 0.5)), int(np.ceil(max(ay, by, cy) - 0.5))
        for y in range(max(top, 0), min(bottom, size - 1) + 1):
            for x in range(max(left, 0), min(right, size - 1) + 1):
                px, py = x + 0.5, y + 0.5
                wb = ((px - ax) * (cy - ay) - (py - ay) * (cx - ax)) / area
                wc = ((bx - ax) * (py - ay) - (by - ay) * (px - ax)) / area
                wa = 1.0 - wb - wc
                if wa >= -1e-9 and wb >= -1e-9 and wc >= -1e-9:
                    found[y, x] = t
                    weights[y, x, 0], weights[y, x, 1], weights[y, x, 2] = wa, wb, wc


def unwrapped(
    mesh: Mesh, size: int, larger: float, laid: NDArray[np.float32] | None = None
) -> tuple[dict[str, list[Floats]], NDArray[np.bool_]]:
    """Surface points in quad order for each texel of a square map of an even size, and which texels are covered
    (size, size), row 0 at v = 1. `larger` is how many times as large as it is made the shape stands on the stage.

    Maps lie over the mesh's own UV, or over others that are `laid` instead. A texel that nothing covers has a point of
    its quad, so that differences within the quad are small.
    """
    found, weights = np.full((size, size), -1, np.int64), np.zeros((size, size, 3))
    uvs = (mesh.uvs if laid is None else laid).astype(np.float64)
    _covering(uvs, mesh.triangles.astype(np.int64), size, found, weights)
    covered = found >= 0
    triangle = _quads(found).reshape(-1, 4)
    weight = np.stack([_quads(weights[..., i]).reshape(-1, 4) for i in range(3)], axis=-1)
    # Where one of a quad is covered, the others go on with it; where none is, it matters to nobody.
    best = (triangle >= 0).argmax(axis=1)
    rows = np.arange(len(triangle))
    missing = triangle < 0
    triangle = np.where(missing, triangle[rows, best][:, None], triangle)
    weight = np.where(missing[..., None], weight[rows, best][:, None], weight)
    weight[triangle < 0] = 1 / 3
    triangle = np.maximum(triangle, 0)
    return on_mesh(mesh, triangle.ravel(), weight.reshape(-1, 3), larger), covered


def _quads(values: NDArray[Any]) -> NDArray[Any]:
    """A picture in quad order, four in a row being 2 × 2."""
    h, w = values.shape
    return values.reshape(h // 2, 2, w // 2, 2).transpose(0, 2, 1, 3).ravel()


def spread_out(values: Floats, covered: NDArray[np.bool_], by: int) -> Floats:
    """A map whose uncovered texels, up to `by` texels off, have the mean of their covered neighbours: (h, w, c)."""
    made, known = values.copy(), covered.copy()
    made[~known] = 0.0
    for _ in range(by):
        if known.all():
            break
        total, count = np.zeros_like(made), np.zeros(known.shape, np.float32)
        for dy in (-1, 0, 1):
            for dx in (-1, 0, 1):
                at = _shifted(known, dy, dx)
                total += np.where(at[..., None], _shifted(made, dy, dx), 0.0)
                count += at
        new = ~known & (count > 0)
        made[new] = total[new] / count[new][:, None]
        known |= new
    return made


def _shifted(values: NDArray[Any], dy: int, dx: int) -> NDArray[Any]:
    """Each texel's neighbour; nothing beyond the border."""
    out = np.zeros_like(values)
    h, w = values.shape[:2]
    to = (slice(max(dy, 0), h + min(dy, 0)), slice(max(dx, 0), w + min(dx, 0)))
    of = (slice(max(-dy, 0), h + min(-dy, 0)), slice(max(-dx, 0), w + min(-dx, 0)))
    out[to] = values[of]
    return out
