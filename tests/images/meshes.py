"""Small meshes of several parts, as files."""

import numpy as np
import trimesh

COLOURS = {"cloak": (200, 30, 30), "eyes": (20, 40, 220)}


def pieces():
    """A figure: a round cloak and two eyes before it, each with its colour."""
    cloak = trimesh.creation.icosphere(subdivisions=3, radius=1.0)
    eyes = [trimesh.creation.box((0.3, 0.3, 0.3)) for _ in range(2)]
    for eye, x in zip(eyes, (-0.35, 0.35), strict=True):
        eye.apply_translation((x, 0.2, 1.0))
    both = trimesh.util.concatenate(eyes)
    return {"cloak": cloak, "eyes": both}


def obj(by="usemtl"):
    """The figure as OBJ, its parts by material, group or object; the cloak's faces in two runs."""
    lines, first = [], 1
    for name, mesh in pieces().items():
        lines += [f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in mesh.vertices]
        half = len(mesh.faces) // 2
        for k, run in enumerate((mesh.faces[:half], mesh.faces[half:])):
            lines += ["o whole"] if by != "o" and k == 0 and first == 1 else []
            lines += [f"{by} {name}", *("f " + " ".join(str(i + first) for i in f) for f in run)]
        first += len(mesh.vertices)
    return "\n".join(lines).encode()


def second_uv(positions):
    """The second set of UV of the figure: as it is seen from before."""
    return np.asarray(positions)[:, :2] * 0.4 + 0.5


def glb(coloured=True, second=False, whole=False):
    """The figure as binary glTF, a node for each part; its cloak with a second set of UV, of whole numbers or not."""
    scene = trimesh.Scene()
    for name, mesh in pieces().items():
        if coloured:
            mesh.visual.vertex_colors = np.tile([*COLOURS[name], 255], (len(mesh.vertices), 1)).astype(np.uint8)
        if second and name == "cloak":
            # The format has v downwards. Written under a name of the same length that the writer takes.
            uv = second_uv(mesh.vertices) * [1, -1] + [0, 1]
            made = np.round(uv * 65535).astype(np.uint16) if whole else uv.astype(np.float32)
            mesh.vertex_attributes["_EXCOORD_1"] = made
        scene.add_geometry(mesh, node_name=name, geom_name=name)
    return scene.export(file_type="glb").replace(b'"_EXCOORD_1"', b'"TEXCOORD_1"')
