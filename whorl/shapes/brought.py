"""A mesh that was brought in, made to fit the stage."""

import numpy as np

from whorl.images.library import NotKept, library
from whorl.images.solid import Solid, read_solid
from whorl.shapes.ball import ball
from whorl.shapes.mesh import Mesh
from whorl.shapes.spec import Given, Shape


def brought(digest: str, up: str, plain: tuple[str, ...] = (), hidden: tuple[str, ...] = ()) -> Mesh:
    """The mesh of a file, its middle at the stage's and its largest extent 2.

    Without normals of its own it is smooth where its faces meet at less than 40 degrees; without UV it
    has those of the box around it. Parts that are `hidden` are left out, those that are `plain` do not wear the effect.
    Raises NotKept where the file is not here, BadSolid where it is no mesh.
    """
    data = library.data(digest)
    if data is None:
        raise NotKept("the file of the mesh is damaged or gone; bring it in once more")
    return fitted(read_solid(data), up, plain, hidden)


def fitted(solid: Solid, up: str, plain: tuple[str, ...] = (), hidden: tuple[str, ...] = ()) -> Mesh:
    """A mesh on the stage, turned so that this axis of the file points upwards."""
    turn = np.array([[1, 0, 0], [0, 0, 1], [0, -1, 0]], float) if up == "z" else np.eye(3)
    used = solid.positions[np.unique(solid.triangles)]
    low, high = used.min(axis=0), used.max(axis=0)
    positions = ((solid.positions - (low + high) / 2) * (2 / (high - low).max())) @ turn.T
    positions = np.clip(positions, -1e3, 1e3)
    # Where it stands does not depend on what is shown of it. A mesh of hidden parts alone is shown whole.
    numbers = [[k for k, name in enumerate(solid.parts) if name in names] for names in (plain, hidden)]
    shown = ~np.isin(solid.part, numbers[1])
    shown = shown if shown.any() else np.ones_like(shown)
    triangles = solid.triangles[shown]
    worn = ~np.isin(solid.part[shown], numbers[0])
    crosses = np.cross(
        positions[triangles[:, 1]] - positions[triangles[:, 0]], positions[triangles[:, 2]] - positions[triangles[:, 0]]
    )
    # What the file says of vertices beyond their places and normals.
    said = {"uvs": solid.uvs, "colours": solid.colours, "second_uvs": solid.second_uvs}
    told = {name: a for name, a in said.items() if a is not None}

    def at_corners(corners: np.ndarray) -> dict[str, np.ndarray]:
        return {name: a[corners].reshape(-1, a.shape[1]) for name, a in told.items()}

    if solid.normals is not None:
        normals, corners = solid.normals @ turn.T, triangles
        flat = positions
    else:
        # Each corner by itself, its normal the mean of the faces about its place that lie near to its own.
        normals = _corner_normals(positions, triangles, crosses)
        flat = positions[triangles].reshape(-1, 3)
        told, corners = at_corners(triangles), np.arange(len(flat)).reshape(-1, 3)
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    normals = np.where(length > 1e-12, normals / np.maximum(length, 1e-12), np.array([0.0, 1.0, 0.0]))
    if "uvs" not in told or not worn.all():
        # A triangle lies on one side of the box as a whole, and is of one part: its corners stand by themselves.
        flat, normals = flat[corners].reshape(-1, 3), normals[corners].reshape(-1, 3)
        told, corners = at_corners(corners), np.arange(len(flat)).reshape(-1, 3)
    if "uvs" not in told:
        told["uvs"] = _box_uvs(flat, np.repeat(crosses, 3, axis=0))
    painted = None
    if "colours" in told or not worn.all():
        wears = np.ones(len(flat)) if worn.all() else np.repeat(worn, 3).astype(float)
        colours = told.get("colours", np.ones((len(flat), 3)))
        painted = np.column_stack([colours, wears]).astype(np.float32)
    uvs, second = (None if a is None else _held(a) for a in (told["uvs"], told.get("second_uvs")))
    assert uvs is not None
    placed = flat.astype(np.float32), normals.astype(np.float32)
    return Mesh(*placed, uvs, corners.astype(np.int32), painted, second)


def _held(uvs: np.ndarray) -> np.ndarray:
    return np.asarray(np.clip(uvs, -1e4, 1e4), np.float32)


def _corner_normals(positions: np.ndarray, triangles: np.ndarray, crosses: np.ndarray) -> np.ndarray:
    length = np.linalg.norm(crosses, axis=1, keepdims=True)
    own = np.repeat(crosses / np.maximum(length, 1e-18), 3, axis=0)
    # Each face counts by its angle there, so that it does not matter how it is cut into triangles.
    corners = positions[triangles]
    to_next = np.roll(corners, -1, axis=1) - corners
    to_last = np.roll(corners, 1, axis=1) - corners
    sizes = np.maximum(np.linalg.norm(to_next, axis=2) * np.linalg.norm(to_last, axis=2), 1e-18)
    angle = np.arccos(np.clip((to_next * to_last).sum(axis=2) / sizes, -1, 1)).ravel()
    _, place = np.unique(np.round(positions, 6), axis=0, return_inverse=True)
    at = place.ravel()[triangles].ravel()
    total = np.zeros((at.max() + 1, 3))
    np.add.at(total, at, own * angle[:, None])
    mean = total[at]
    near = (mean * own).sum(axis=1) > np.cos(np.radians(40)) * np.linalg.norm(mean, axis=1)
    return np.where(near[:, None], mean, own)


def _box_uvs(positions: np.ndarray, faces: np.ndarray) -> np.ndarray:
    """UV from the side of the box around it that each face looks to most, 0..1 over each."""
    low, extent = positions.min(axis=0), np.ptp(positions, axis=0)
    inside = (positions - low) / np.where(extent > 1e-9, extent, 1.0)
    axis = np.abs(faces).argmax(axis=1)
    u = np.where(axis == 0, inside[:, 2], inside[:, 0])
    v = np.where(axis == 1, inside[:, 2], inside[:, 1])
    return np.stack([u, v], axis=1)


def _given(given: Given) -> Mesh:
    # Until one is brought in a ball stands in for it.
    return brought(*given.file) if given.file else ball(given.fine)


SHAPE = Shape("mesh", "a mesh of your own", _given, closed=True)
