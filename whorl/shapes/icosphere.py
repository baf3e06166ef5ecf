"""A ball of radius 1 of triangles that are nearly alike."""

import numpy as np
from numpy.typing import NDArray

from whorl.fields.cast import BALL
from whorl.shapes.fine import Fine
from whorl.shapes.mesh import Mesh
from whorl.shapes.spec import Shape

#: Each edge of an icosahedron is cut into so many; even, so that the poles are vertices.
PARTS = 24


def icosphere(fine: Fine = Fine()) -> Mesh:
    """A ball of triangles that are nearly alike, from an icosahedron; its UV are those of the other ball.

    Triangles are cut where u begins anew.
    """
    corners = _halved(_icosahedron(fine.of(PARTS)))
    corners = np.round(corners / np.linalg.norm(corners, axis=2, keepdims=True), 12)
    u = np.arctan2(corners[:, :, 0], corners[:, :, 2]) / (2 * np.pi) + 0.5
    behind = (corners[:, :, 0] == 0) & (corners[:, :, 2] < 0)
    # On the seam u is 0 or 1, whichever the rest of the triangle is nearer to.
    u = np.where(behind, np.round(_rest(u, behind)), u)
    pole = np.abs(corners[:, :, 1]) == 1
    # At a pole u is anything: the middle of the others is seen least.
    u = np.where(pole, _rest(u, pole), u)
    v = np.arcsin(np.clip(corners[:, :, 1], -1, 1)) / np.pi + 0.5
    flat = np.concatenate([corners, u[:, :, None], v[:, :, None]], axis=2).reshape(-1, 5)
    vertices, index = np.unique(np.round(flat, 9), axis=0, return_inverse=True)
    positions = vertices[:, :3].astype(np.float32)
    triangles = index.reshape(-1, 3).astype(np.int32)
    return Mesh(positions, positions.copy(), vertices[:, 3:].astype(np.float32), triangles)


def _rest(values: NDArray[np.float64], without: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Per triangle the mean over its other corners, (n, 1)."""
    left = ~without
    return np.asarray((values * left).sum(axis=1, keepdims=True) / np.maximum(left.sum(axis=1, keepdims=True), 1))


def _icosahedron(parts: int) -> NDArray[np.float64]:
    """The faces of an icosahedron, each cut into parts², with an edge across each pole: (n, 3, 3)."""
    golden = (1 + np.sqrt(5)) / 2
    places = np.array([[s, t * golden, 0.0] for s in (-1, 1) for t in (-1, 1)])
    places = np.concatenate([places, places[:, [2, 0, 1]], places[:, [1, 2, 0]]])
    near = np.isclose(np.linalg.norm(places[:, None] - places[None], axis=2), 2)
    faces = []
    for a, b, c in np.argwhere(near[:, :, None] & near[None] & near[:, None]):
        if a < b and a < c and np.linalg.det(places[[a, b, c]]) > 0:
            faces.append(places[[a, b, c]])
    i, j = np.meshgrid(np.arange(parts), np.arange(parts))
    below = np.stack([i, j], axis=-1)[i + j < parts]
    above = below[below.sum(axis=1) < parts - 1]
    steps = np.concatenate(
        [below[:, None] + np.array([[0, 0], [1, 0], [0, 1]]), above[:, None] + np.array([[1, 0], [1, 1], [0, 1]])]
    )
    share = np.concatenate([parts - steps.sum(axis=2, keepdims=True), steps], axis=2) / parts
    return np.concatenate([share @ face for face in faces])


def _halved(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """Triangles (n, 3, 3) with those that x = 0 runs through behind the middle cut along it."""
    side = np.where(np.abs(corners[:, :, 0]) < 1e-9, 0, np.sign(corners[:, :, 0])).astype(int)
    across = (side.min(axis=1) < 0) & (side.max(axis=1) > 0) & (corners[:, :, 2].mean(axis=1) < 0)
    out = list(corners[~across])
    for triangle, sides in zip(corners[across], side[across], strict=True):
        # Turned so that the first corner is on the seam, or else alone on its side.
        alone = next(k for k in range(3) if sides[k] == 0 or ((sides == sides[k]).sum() == 1 and 0 not in sides))
        a, b, c = np.roll(triangle, -alone, axis=0)
        if sides[alone] == 0:
            m = _on_seam(b, c)
            out += [np.array([a, b, m]), np.array([a, m, c])]
        else:
            m, n = _on_seam(a, b), _on_seam(a, c)
            out += [np.array([a, m, n]), np.array([m, b, c]), np.array([m, c, n])]
    return np.array(out)


def _on_seam(a: NDArray[np.float64], b: NDArray[np.float64]) -> NDArray[np.float64]:
    made = a + (b - a) * (a[0] / (a[0] - b[0]))
    return np.array([0.0, made[1], made[2]])


SHAPE = Shape(
    "icosphere",
    "a ball of triangles nearly alike",
    lambda given: icosphere(given.fine),
    closed=True,
    round=frozenset({0}),
    lies="arc",
    cast=BALL,
    close=29.2,
)
