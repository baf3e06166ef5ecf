"""A mesh file read into arrays: OBJ, PLY, STL and binary glTF; bounded, and refused in plain words."""

import io
import itertools
import json
import re
import warnings
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from whorl.images import srgb
from whorl.refused import Refused

if TYPE_CHECKING:
    import trimesh

MOST_BYTES, MOST_TRIANGLES = 64 * 1024 * 1024, 2_000_000
#: Parts of a mesh that are told apart; those beyond belong to the last.
MOST_PARTS = 64
#: Nodes of a scene; each is joined by itself, which takes its time.
MOST_INSTANCES = 500


class BadSolid(Refused):
    """A mesh that is too large, empty, malformed or of a kind that is not read; says so in words."""


@dataclass(frozen=True)
class Solid:
    """(n, 3) positions and (m, 3) triangles; where the file has them normals (n, 3), UV (n, 2), colours (n, 3), linear,
    and a second set of UV (n, 2). `parts` are the names of its materials, groups or objects, `part` (m,) which of them
    a triangle is of."""

    positions: NDArray[np.float64]
    triangles: NDArray[np.int64]
    normals: NDArray[np.float64] | None
    uvs: NDArray[np.float64] | None
    colours: NDArray[np.float64] | None
    parts: tuple[str, ...]
    part: NDArray[np.int64]
    second_uvs: NDArray[np.float64] | None = None


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
        data = _kept_second(data)
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            runs: list[tuple[str, int]] = []
            more: dict[str, Any] = {}
            if kind == "obj":
                data, runs = _by_part(data)
                more = {"skip_materials": True}
            made: Any = trimesh.load(io.BytesIO(data), file_type=kind, process=False, maintain_order=True, **more)
            pieces: list[Any] = [made]
            if isinstance(made, trimesh.Scene):
                # By name, since a scene gives its pieces in another order each time.
                dumped: list[Any] = made.dump(concatenate=False)
                pieces = sorted(dumped, key=lambda p: str(p.metadata.get("name", "")))
            mesh: Any = trimesh.util.concatenate(pieces) if len(pieces) > 1 else pieces[0] if pieces else made
            runs = runs or [(_called(p), len(p.faces)) for p in pieces]
            parts, part = _parts(runs, len(mesh.faces))
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
    colours = _colours(pieces, len(positions), kind == "glb")
    normals, second = _normals(mesh, positions), _second(pieces, len(positions))
    return Solid(positions, triangles, normals, _uvs(mesh, len(positions)), colours, parts, part, second)


#: Lines of an OBJ file that begin another material, group or object.
_BEGINS = re.compile(rb"^[ \t]*(usemtl|g|o)(?:[ \t]+([^\r\n]*))?\r?$", re.MULTILINE)
_POLYGON = re.compile(rb"^[ \t]*f((?:[ \t]+[^\s#]+){4,})[^\n]*$", re.MULTILINE)
_FACE = re.compile(rb"^[ \t]*f[ \t]", re.MULTILINE)


def _by_part(data: bytes) -> tuple[bytes, list[tuple[str, int]]]:
    """An OBJ file as triangles of one piece; and its parts in the order of the file, each with how many triangles lie
    there: its materials where it has several, else groups, else objects."""
    begins = list(_BEGINS.finditer(data))
    of = {word: {m[2] for m in begins if m[1] == word} for word in (b"usemtl", b"g", b"o")}
    by = next((word for word, found in of.items() if len(found) > 1), None)
    if by is None:
        return _BEGINS.sub(b"", data), []
    runs: list[tuple[str, int]] = []
    out, name, at = [], "", 0
    for m in [*(m for m in begins if m[1] == by), None]:
        text = _POLYGON.sub(_fan, data[at : m.start() if m else len(data)])
        if count := len(_FACE.findall(text)):
            runs.append((name, count))
        out.append(text)
        if m:
            name, at = (m[2] or b"").decode("utf-8", "replace"), m.end()
    return _BEGINS.sub(b"", b"".join(out)), runs


def _fan(polygon: "re.Match[bytes]") -> bytes:
    """A polygon as triangles about its first corner."""
    first, *rest = polygon[1].split()
    return b"\n".join(b"f %b %b %b" % (first, a, b) for a, b in itertools.pairwise(rest))


def _parts(runs: list[tuple[str, int]], count: int) -> tuple[tuple[str, ...], NDArray[np.int64]]:
    """What the parts of a mesh are called, each once, and which of them each triangle is of, from how many triangles
    follow one another under a name."""
    known: dict[str, int] = {}
    part = []
    for k, (given, many) in enumerate(runs):
        name = "".join(c for c in given if c.isprintable()).strip()[:120] or f"part {k + 1}"
        part.append(np.full(many, known.setdefault(name, min(len(known), MOST_PARTS - 1)), np.int64))
    if len(known) < 2 or sum(map(len, part)) != count:
        return ("whole",), np.zeros(count, np.int64)
    return tuple(known)[:MOST_PARTS], np.concatenate(part)


def _called(piece: Any) -> str:
    """What a piece of a scene is called: by its material, else by its own name."""
    material = getattr(getattr(piece.visual, "material", None), "name", None)
    return str(material or piece.metadata.get("name", ""))


def _colours(pieces: "list[Any]", count: int, linear: bool) -> NDArray[np.float64] | None:
    """The colours of vertices in linear light, white where a piece has none; glTF 2.0 has them linear (3.7.2.1)."""
    rows: list[NDArray[np.float64] | None] = []
    for piece in pieces:
        n = len(piece.vertices)
        given = getattr(piece.visual, "vertex_attributes", None) or {}
        own = given.get("color") if hasattr(given, "get") else None
        if own is None and getattr(piece.visual, "kind", None) == "vertex":
            own = piece.visual.vertex_colors
        if own is None or np.ndim(own) != 2 or np.shape(own)[0] != n or np.shape(own)[1] < 3:
            rows.append(None)
            continue
        read = np.asarray(own)[:, :3]
        most = np.iinfo(read.dtype).max if np.issubdtype(read.dtype, np.integer) else 1.0
        share = np.clip(np.nan_to_num(read.astype(np.float64) / most), 0, 1)
        rows.append(share if linear else srgb.decoded(share))
    if all(r is None for r in rows):
        return None
    white = (np.ones((len(p.vertices), 3)) for p in pieces)
    made = np.concatenate([w if r is None else r for w, r in zip(white, rows, strict=True)])
    return made if len(made) == count else None


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


#: The second set of UV in a binary glTF (2.0, section 3.7.2.1), and the name under which it gets through: a reader
#: keeps of others only those that begin so.
_SECOND, _KEPT_SECOND = "TEXCOORD_1", "_SECOND_UV"


def _kept_second(data: bytes) -> bytes:
    """A binary glTF whose second set of UV is called as the reader keeps it."""
    length = int.from_bytes(data[12:16], "little")
    if _SECOND.encode() not in data[20 : 20 + length]:
        return data
    tree = json.loads(data[20 : 20 + length])
    for mesh in tree.get("meshes", []):
        for piece in mesh["primitives"]:
            if isinstance(named := piece.get("attributes"), dict) and _SECOND in named:
                named[_KEPT_SECOND] = named.pop(_SECOND)
    text = json.dumps(tree).encode()
    text += b" " * (-len(text) % 4)
    rest = data[20 + length :]
    whole = (20 + len(text) + len(rest)).to_bytes(4, "little")
    return data[:8] + whole + len(text).to_bytes(4, "little") + data[16:20] + text + rest


def _second(pieces: "list[Any]", count: int) -> NDArray[np.float64] | None:
    """The second set of UV, v upwards as of the first, which pieces that have none lend theirs from; None where no
    piece has one."""
    rows, found = [], False
    for piece in pieces:
        n = len(piece.vertices)
        own: Any = (getattr(piece, "vertex_attributes", None) or {}).get(_KEPT_SECOND)
        if own is not None and np.shape(own) == (n, 2):
            found, read = True, np.asarray(own)
            most = np.iinfo(read.dtype).max if np.issubdtype(read.dtype, np.integer) else 1.0
            rows.append(np.nan_to_num(read.astype(np.float64) / most) * [1, -1] + [0, 1])
        else:
            first = _uvs(piece, n)
            rows.append(np.zeros((n, 2)) if first is None else first)
    made = np.concatenate(rows) if found else None
    return made if made is not None and len(made) == count else None


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
