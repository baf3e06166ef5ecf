"""Triangle meshes as the stage draws them."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from whorl.shapes.fine import Fine

#: What some meshes say of their vertices beyond what all do, and in how many numbers: a colour in linear light with 1
#: where it wears the effect, and a second set of UV with which way each of its axes rises, by how much a unit.
MORE = {"colour": 4, "second_uv": 3, "second_u": 3, "second_v": 3}

#: Pixels that the edges of a mesh may have in a small picture. Drivers draw in blocks of pixels, several times over
#: where triangles are smaller than those, and a small picture shows no more of them.
SMALL_EDGE = 2.5


@dataclass(frozen=True)
class Mesh:
    """Vertices and triangles; counter-clockwise faces the viewer.

    `positions` and `normals` are (n, 3) and `uvs` (n, 2) float32; `triangles` (m, 3) int32. `painted`, where a file
    says more of its vertices, is (n, 4): their colour in linear light, and 1 where they wear the effect; `second_uvs`
    (n, 2) is a second set of UV.
    """

    positions: NDArray[np.float32]
    normals: NDArray[np.float32]
    uvs: NDArray[np.float32]
    triangles: NDArray[np.int32]
    painted: NDArray[np.float32] | None = None
    second_uvs: NDArray[np.float32] | None = None

    @cached_property
    def more(self) -> dict[str, NDArray[np.float32]]:
        """What this one says of its vertices beyond what all do, as `MORE` has it: each (n, numbers)."""
        out = {} if self.painted is None else {"colour": self.painted}
        if self.second_uvs is not None:
            along_u, along_v = self._gradients(self.second_uvs)
            padded = np.pad(self.second_uvs, ((0, 0), (0, 1)))
            out |= {"second_uv": padded, "second_u": along_u, "second_v": along_v}
        return out

    @property
    def told(self) -> dict[str, NDArray[np.float32]]:
        """All of `MORE`: where it says nothing, white that wears the effect, and the UV that all have."""
        rest = {
            "colour": np.ones((len(self.positions), 4), np.float32),
            "second_uv": np.pad(self.uvs, ((0, 0), (0, 1))),
            "second_u": self.gradients[0],
            "second_v": self.gradients[1],
        }
        return rest | self.more

    def of(self, chosen: Any, **changed: NDArray[Any]) -> "Mesh":
        """Some of its vertices, by their numbers, with what is changed."""
        names = ("positions", "normals", "uvs", "painted", "second_uvs")
        each = {name: getattr(self, name) for name in names if getattr(self, name) is not None}
        kept: dict[str, Any] = {name: a[chosen].reshape(-1, a.shape[1]) for name, a in each.items()}
        return replace(self, **{**kept, **changed})

    @cached_property
    def together(self) -> NDArray[np.float32]:
        """(n, 3): the first vertex at each one's place, how many lie there, and its own number.

        Vertices that share a place follow one another, see `gathered`.
        """
        rounded = np.round(self.positions.astype(np.float64), 5)
        fresh = np.concatenate([[True], (rounded[1:] != rounded[:-1]).any(axis=1)])
        group = np.cumsum(fresh) - 1
        first, count = np.flatnonzero(fresh), np.bincount(group)
        return np.stack([first[group], count[group], np.arange(len(group))], axis=1).astype(np.float32)

    @cached_property
    def shared_normals(self) -> NDArray[np.float32]:
        """(n, 3): the mean normal of all vertices at a place, so that they move together."""
        first = self.together[:, 0].astype(int)
        total = np.zeros((len(first), 3))
        # Each direction counts once, however many triangles meet there.
        _, once = np.unique(np.column_stack([first, np.round(self.normals, 3)]), axis=0, return_index=True)
        np.add.at(total, first[once], self.normals[once].astype(np.float64))
        mean = total[first]
        length = np.linalg.norm(mean, axis=1, keepdims=True)
        return np.where(length > 1e-6, mean / np.maximum(length, 1e-6), self.normals).astype(np.float32)

    def faceted(self) -> "Mesh":
        """The same mesh with an edge between all its triangles; those of no area keep their normals."""
        corners = self.positions.astype(np.float64)[self.triangles]
        normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        length = np.linalg.norm(normal, axis=1)[:, None, None]
        own = self.normals[self.triangles]
        flat = np.where(length > 1e-12, normal[:, None] / np.maximum(length, 1e-12), own).astype(np.float32)
        index = np.arange(self.triangles.size, dtype=np.int32).reshape(-1, 3)
        return self.of(self.triangles, normals=flat.reshape(-1, 3), triangles=index)

    def smooth(self) -> "Mesh":
        """The same mesh without an edge anywhere; its vertices are gathered."""
        return replace(self, normals=self.shared_normals)

    def gathered(self) -> "Mesh":
        """The same mesh, its vertices in such an order that those that share a place follow one another."""
        order = np.lexsort(np.round(self.positions.astype(np.float64), 5).T)
        back = np.empty_like(order)
        back[order] = np.arange(len(order))
        return self.of(order, triangles=back[self.triangles].astype(np.int32))

    def sampled(self, every: int) -> "Mesh":
        """Every so many of its places, without triangles; what is known of their surroundings stays."""
        group = np.cumsum(self.together[:, 0] == self.together[:, 2]) - 1
        chosen = group % every == 0
        made = self.of(chosen, triangles=np.empty((0, 3), np.int32))
        more = {name: a[chosen] for name, a in self.more.items()}
        made.__dict__.update(gradients=self.gradients[:, chosen], more=more, low=self.low, size=self.size)
        return made

    def grown(self, by: float) -> "Mesh":
        """The same mesh so many times as large."""
        return replace(self, positions=self.positions * np.float32(by))

    @cached_property
    def low(self) -> NDArray[np.float32]:
        """The least corner of the bounds."""
        return np.asarray(self.positions.min(axis=0))

    @cached_property
    def size(self) -> NDArray[np.float32]:
        """The extent of the bounds; a flat axis counts as 1, so that positions across it are 0."""
        extent = self.positions.max(axis=0) - self.low
        return np.where(extent > 1e-6, extent, 1.0).astype(np.float32)

    @cached_property
    def spacing(self) -> float:
        """How far apart its vertices are: the median over the edges of its triangles, in units."""
        corners = self.positions.astype(np.float64)[self.triangles]
        edges = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2)
        return max(float(np.median(edges)), 1e-4)

    @cached_property
    def gradients(self) -> NDArray[np.float32]:
        """(2, n, 3): which way u and v rise over the surface at each vertex, and by how much a unit."""
        return self._gradients(self.uvs)

    def _gradients(self, of: NDArray[np.float32]) -> NDArray[np.float32]:
        corners = self.positions.astype(np.float64)[self.triangles]
        uvs = of.astype(np.float64)[self.triangles]
        e1, e2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
        normal = np.cross(e1, e2)
        square = np.maximum((normal**2).sum(axis=1, keepdims=True), 1e-18)
        area = np.sqrt(square)
        out = np.zeros((2, len(self.positions), 3))
        total = np.zeros((len(self.positions), 1))
        for k in range(3):
            np.add.at(total, self.triangles[:, k], area)
        for axis in range(2):
            d1, d2 = (uvs[:, k, axis] - uvs[:, 0, axis] for k in (1, 2))
            slope = (d1[:, None] * np.cross(e2, normal) + d2[:, None] * np.cross(normal, e1)) / square
            for k in range(3):
                np.add.at(out[axis], self.triangles[:, k], slope * area)
        return (out / np.maximum(total, 1e-18)).astype(np.float32)


def grid(columns: int, rows: int) -> tuple[NDArray[np.float32], NDArray[np.int32]]:
    """UV of a grid's vertices, row by row from v = 0, and its triangles."""
    u, v = np.meshgrid(np.linspace(0, 1, columns + 1), np.linspace(0, 1, rows + 1))
    uvs = np.stack([u.ravel(), v.ravel()], axis=1).astype(np.float32)
    i, j = np.meshgrid(np.arange(columns), np.arange(rows))
    a = (j * (columns + 1) + i).ravel()
    b, c, d = a + 1, a + columns + 2, a + columns + 1
    triangles = np.concatenate([np.stack([a, b, c], 1), np.stack([a, c, d], 1)]).astype(np.int32)
    return uvs, triangles


def revolved(outline: list[NDArray[np.float64]], columns: int = 96) -> Mesh:
    """A shape turned about the y axis from pieces of its outline, from the bottom up.

    Each piece is (k, 2): radius and height. Within a piece the surface is smooth, between pieces it
    has an edge. UV: u round the axis, eastwards from behind; v along the outline by its length.
    """
    lengths = [np.linalg.norm(np.diff(piece, axis=0), axis=1) for piece in outline]
    whole = sum(float(x.sum()) for x in lengths)
    passed, first = 0.0, 0
    parts: list[tuple[NDArray[np.float32], ...]] = []
    faces: list[NDArray[np.int32]] = []
    for piece, steps in zip(outline, lengths, strict=True):
        along = (passed + np.concatenate([[0.0], np.cumsum(steps)])) / whole
        passed += float(steps.sum())
        uvs, triangles = grid(columns, len(piece) - 1)
        row = np.rint(uvs[:, 1] * (len(piece) - 1)).astype(int)
        slope = np.gradient(piece, axis=0) if len(piece) > 2 else np.tile(piece[1] - piece[0], (2, 1))
        out = np.stack([slope[:, 1], -slope[:, 0]], axis=1)
        out /= np.linalg.norm(out, axis=1, keepdims=True)
        angle = (uvs[:, 0].astype(np.float64) * 2 - 1) * np.pi
        east, south = np.sin(angle), np.cos(angle)

        def turned(flat: NDArray[np.float64], row: Any = row, east: Any = east, south: Any = south) -> Any:
            return np.stack([flat[row, 0] * east, flat[row, 1], flat[row, 0] * south], axis=1).astype(np.float32)

        placed = np.stack([uvs[:, 0], along[row].astype(np.float32)], axis=1)
        parts.append((turned(piece), turned(out), placed))
        faces.append(triangles + np.int32(first))
        first += len(uvs)
    positions, normals, uvs = (np.concatenate(p) for p in zip(*parts, strict=True))
    triangles = np.concatenate(faces)
    corners = positions[triangles]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    # Where the outline meets the axis every other triangle is a line.
    return Mesh(positions, normals, uvs, triangles[area > 1e-9])


def arc(radius: float, start: float, stop: float, across: float = 0.0, up: float = 0.0, steps: int = 32) -> Any:
    """Part of a circle as an outline: degrees from level, round (across, up)."""
    a = np.radians(np.linspace(start, stop, steps + 1))
    # Sines and cosines that should be nought are.
    return np.round(np.stack([across + radius * np.cos(a), up + radius * np.sin(a)], axis=1), 12)


def straight(start: tuple[float, float], stop: tuple[float, float], fine: Fine) -> np.ndarray:
    """A straight piece of an outline, in more steps where it is to be finer."""
    return np.linspace(np.array(start, np.float64), np.array(stop, np.float64), fine.straight + 1)


def square(count: int) -> Mesh:
    """A square of side 2 that faces the viewer, cut into so many a side."""
    uvs, triangles = grid(count, count)
    positions = np.concatenate([uvs * 2 - 1, np.zeros((len(uvs), 1))], axis=1).astype(np.float32)
    normals = np.tile(np.array([0, 0, 1], np.float32), (len(uvs), 1))
    return Mesh(positions, normals, uvs, triangles)


def overlapping(mesh: Mesh) -> bool:
    """Whether parts of a mesh lie over one another in UV, or beyond 0..1: a map would serve only one of them."""
    corners = mesh.uvs.astype(np.float64)[mesh.triangles]
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    area = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum() / 2
    return bool(area > 1.02 or mesh.uvs.min() < -1e-4 or mesh.uvs.max() > 1 + 1e-4)


def side_by_side(mesh: Mesh, gap: float) -> NDArray[np.float32]:
    """(n, 2): UV whose connected pieces lie beside one another in a grid, each in a cell with so wide an edge, a share
    of the cell. A piece that lies over itself still does."""
    group = np.arange(len(mesh.uvs))
    while True:
        # Every vertex takes the least number among those it shares triangles with.
        least = group[mesh.triangles].min(axis=1)
        fresh = group.copy()
        for k in range(3):
            np.minimum.at(fresh, mesh.triangles[:, k], least)
        fresh = fresh[fresh]
        if (fresh == group).all():
            break
        group = fresh
    _, piece = np.unique(group, return_inverse=True)
    count = int(piece.max()) + 1
    columns = int(np.ceil(np.sqrt(count)))
    low = np.full((count, 2), np.inf)
    high = np.full((count, 2), -np.inf)
    np.minimum.at(low, piece, mesh.uvs)
    np.maximum.at(high, piece, mesh.uvs)
    within = (mesh.uvs - low[piece]) / np.maximum(high - low, 1e-9)[piece] * (1 - 2 * gap) + gap
    row, column = np.divmod(piece, columns)
    return np.asarray((within + np.stack([column, row], axis=1)) / columns, np.float32)
