"""A mesh file read into arrays: OBJ, PLY, STL and binary glTF; bounded, and refused in plain words."""

import io
import json
import warnings
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from whorl.refused import Refused

if TYPE_CHECKING:
    import trimesh

MOST_BYTES, MOST_TRIANGLES = 64 * 1024 * 1024, 2_000_000
#: Nodes of a scene; each is joined by itself, which takes its time.
MOST_INSTANCES = 500


class BadSolid(Refused):
    """A mesh that is too large, empty, malformed or of a kind that is not read; says so in words."""


@dataclass(frozen=True)
class Solid:
    """(n, 3) positions and (m, 3) triangles; normals (n, 3) and UV (n, 2) where the file has them."""

    positions: NDArray[np.float64]
    triangles: NDArray[np.int64]
    normals: NDArray[np.float64] | None
    uvs: NDArray[np.float64] | None


def kind_of(data: bytes) -> str:
    """Which kind of file it is, by its beginning."""
    if data[:4] == b"glTF":
        return "glb"
    if data[:3] == b"ply":
        return "ply"
    head = data[:512].lstrip().lower()
    binary_stl = len(data) >= 84 and len(data) == 84 + 50 * int.from_bytes(data[80:84], "little")
    return "stl" if binary_stl or head.startswith(b"solid") else "obj"


def read_solid(data: bytes) -> Solid:
    """The mesh of a file. Raises BadSolid."""
    if len(data) > MOST_BYTES:
        raise BadSolid(f"the file is {len(data) / 2**20:.0f} MiB; up to {MOST_BYTES // 2**20} MiB are taken")
    # Only effects with a mesh of their own wait for it.
    import trimesh

    kind = kind_of(data)
    if kind == "glb":
        _counted(data)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            more: dict[str, Any] = {"skip_materials": True} if kind == "obj" else {}
            made: Any = trimesh.load(io.BytesIO(data), file_type=kind, process=False, maintain_order=True, **more)
            mesh = made.to_mesh() if isinstance(made, trimesh.Scene) else made
    except Exception as e:
        raise BadSolid("this is not a mesh that is read here: OBJ, PLY, STL or binary glTF (.glb)") from e
    triangles = np.asarray(getattr(mesh, "faces", ()), np.int64)
    positions = np.asarray(getattr(mesh, "vertices", ()), np.float64)
    if len(triangles) == 0 or len(positions) == 0:
        raise BadSolid("the mesh has no triangles")
    if len(triangles) > MOST_TRIANGLES:
        raise BadSolid(f"the mesh has {len(triangles):,} triangles; up to {MOST_TRIANGLES:,} are taken")
    if triangles.min() < 0 or triangles.max() >= len(positions):
        raise BadSolid("the mesh's triangles name vertices that are not there")
    if not np.isfinite(positions).all():
        raise BadSolid("the mesh holds places that are not finite")
    used = positions[np.unique(triangles)]
    if np.ptp(used, axis=0).max() < 1e-12:
        raise BadSolid("the mesh is a single point")
    if np.abs(used).max() > 1e12:
        raise BadSolid("the mesh lies more than 10¹² units off")
    return Solid(positions, triangles, _normals(mesh, positions), _uvs(mesh, len(positions)))


def _counted(data: bytes) -> None:
    """Refuses a binary glTF that comes to too many triangles once all its instances are made.

    Counted from its JSON alone (glTF 2.0, section 3.7.2.1): a small file may name one mesh thousands of times.
    """
    try:
        length = int.from_bytes(data[12:16], "little")
        tree = json.loads(data[20 : 20 + length])
        accessors, nodes = tree.get("accessors", []), tree.get("nodes", [])
        sizes = []
        for mesh in tree.get("meshes", []):
            counted = [p.get("indices", p["attributes"]["POSITION"]) for p in mesh["primitives"]]
            sizes.append(sum(int(accessors[i]["count"]) // 3 for i in counted))
        scenes = tree.get("scenes", [])
        scene = scenes[tree.get("scene", 0)] if scenes else {"nodes": range(len(nodes))}
        waiting, instances, triangles = list(scene.get("nodes", [])), 0, 0
        while waiting:
            node = nodes[waiting.pop()]
            waiting += node.get("children", [])
            instances += 1
            triangles += sizes[node["mesh"]] if "mesh" in node else 0
            if instances > MOST_INSTANCES:
                raise BadSolid(f"the mesh has more than {MOST_INSTANCES:,} nodes; join some of them")
            if triangles > MOST_TRIANGLES:
                raise BadSolid(f"the mesh has over {MOST_TRIANGLES:,} triangles, which is more than are taken")
    except (ValueError, KeyError, IndexError, TypeError, AttributeError, RecursionError) as e:
        if isinstance(e, BadSolid):
            raise
        raise BadSolid("this is not a mesh that is read here: OBJ, PLY, STL or binary glTF (.glb)") from e


def _normals(mesh: "trimesh.Trimesh", positions: NDArray[np.float64]) -> NDArray[np.float64] | None:
    """The file's own normals; trimesh makes up those that are missing, which is told by its cache."""
    if "vertex_normals" not in mesh._cache.cache:
        return None
    normals = np.asarray(mesh._cache.cache["vertex_normals"], np.float64)
    return normals if normals.shape == positions.shape and np.isfinite(normals).all() else None


def _uvs(mesh: "trimesh.Trimesh", count: int) -> NDArray[np.float64] | None:
    uv = getattr(mesh.visual, "uv", None)
    if uv is None:
        return None
    uvs = np.asarray(uv, np.float64)
    return uvs[:, :2] if uvs.shape[0] == count and uvs.shape[1] >= 2 and np.isfinite(uvs).all() else None
