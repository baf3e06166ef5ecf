"""glTF 2.0, binary (Khronos, 2021): the shape, its surface as maps, and its turn as an animation."""

import io
import json
import struct
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from whorl.bake.options import slug
from whorl.bake.scene.baked import Baked, Format, SceneOptions, Told, also_told, encoded, measured, quiet
from whorl.bake.whole import whole
from whorl.effect import Effect
from whorl.effect.read import state_of
from whorl.shapes import SHAPES

_FLOAT, _UINT = 5126, 5125
_SIZES = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}
#: Dielectrics mirror by this where nothing is said (glTF 2.0, section 3.9.6).
_INDEX = 1.5


class Builder:
    """A glTF's JSON and its binary chunk."""

    def __init__(self) -> None:
        self.json: dict[str, Any] = {"asset": {"version": "2.0"}, "buffers": [{"byteLength": 0}]}
        self.bytes = bytearray()
        self.used: set[str] = set()

    def add(self, kind: str, item: dict[str, Any]) -> int:
        """One more of a kind; gives its number."""
        self.json.setdefault(kind, []).append(item)
        return len(self.json[kind]) - 1

    def view(self, data: bytes, **more: int) -> int:
        """Bytes of the buffer."""
        self.bytes += b"\0" * (-len(self.bytes) % 4)
        at = len(self.bytes)
        self.bytes += data
        return self.add("bufferViews", {"buffer": 0, "byteOffset": at, "byteLength": len(data), **more})

    def accessor(self, values: NDArray[Any], kind: str, target: int = 0, bounds: bool = False) -> int:
        """An array as the format has it: floats, or corners of triangles."""
        whole_numbers = np.issubdtype(values.dtype, np.integer)
        data = np.ascontiguousarray(values, np.uint32 if whole_numbers else np.float32)
        view = self.view(data.tobytes(), **({"target": target} if target else {}))
        made: dict[str, Any] = {
            "bufferView": view,
            "componentType": _UINT if whole_numbers else _FLOAT,
            "count": data.size // _SIZES[kind],
            "type": kind,
        }
        if bounds:
            rows = data.reshape(-1, _SIZES[kind])
            made |= {"min": rows.min(axis=0).tolist(), "max": rows.max(axis=0).tolist()}
        return self.add("accessors", made)

    def picture(self, pixels: NDArray[np.uint8], name: str, sampler: int) -> int:
        """A picture as a texture."""
        out = io.BytesIO()
        Image.fromarray(pixels[..., 0] if pixels.shape[2] == 1 else pixels).save(out, "PNG", compress_level=6)
        image = self.add("images", {"bufferView": self.view(out.getvalue()), "mimeType": "image/png", "name": name})
        return self.add("textures", {"source": image, "sampler": sampler, "name": name})

    def extension(self, of: dict[str, Any], name: str, value: dict[str, Any]) -> None:
        """An extension on an object."""
        self.used.add(name)
        of.setdefault("extensions", {})[name] = value

    def whole(self) -> bytes:
        """The file (section 4.4)."""
        if self.used:
            self.json["extensionsUsed"] = sorted(self.used)
        self.bytes += b"\0" * (-len(self.bytes) % 4)
        self.json["buffers"][0]["byteLength"] = len(self.bytes)
        text = json.dumps(self.json, separators=(",", ":")).encode()
        text += b" " * (-len(text) % 4)
        size = 12 + 8 + len(text) + 8 + len(self.bytes)
        head = struct.pack("<4sII", b"glTF", 2, size)
        chunks = struct.pack("<I4s", len(text), b"JSON") + text + struct.pack("<I4s", len(self.bytes), b"BIN\0")
        return head + chunks + bytes(self.bytes)


class _Scene:
    """One effect as a glTF."""

    def __init__(self, baked: Baked) -> None:
        self.baked, self.glb = baked, Builder()
        #: Where each texture stands in the JSON, for animations to point at.
        self.textures: list[tuple[str, dict[str, Any]]] = []

    def bytes(self) -> bytes:
        effect, glb = self.baked.effect, self.glb
        glb.json["asset"] |= {"generator": "Whorl", "extras": {"effect": effect.name, "state": state_of(effect)}}
        wrap = {"wrapS": 10497, "wrapT": 10497} if self.baked.frames == 1 else {"wrapS": 33071, "wrapT": 33071}
        self.sampler = glb.add("samplers", {"magFilter": 9729, "minFilter": 9729, **wrap})
        primitive = self.primitive()
        glb.add("materials", self.material())
        primitive["material"] = 0
        mesh: dict[str, Any] = {"primitives": [primitive], "name": effect.name}
        if "targets" in primitive:
            mesh["weights"] = [0.0] * len(primitive["targets"])
        glb.add("meshes", mesh)
        glb.add("nodes", {"mesh": 0, "name": effect.name})
        glb.add("scenes", {"nodes": [0], "name": effect.name})
        glb.json["scene"] = 0
        self.animation(len(primitive.get("targets", [])))
        return glb.whole()

    def primitive(self) -> dict[str, Any]:
        glb, b, mesh = self.glb, self.baked, self.baked.mesh
        uv = np.column_stack([b.uvs[:, 0], 1.0 - b.uvs[:, 1]])
        made: dict[str, Any] = {
            "attributes": {
                "POSITION": glb.accessor(mesh.positions, "VEC3", 34962, bounds=True),
                "NORMAL": glb.accessor(_unit(mesh.normals), "VEC3", 34962),
                "TANGENT": glb.accessor(self.baked.tangents(mesh), "VEC4", 34962),
                "TEXCOORD_0": glb.accessor(uv, "VEC2", 34962),
            },
            "indices": glb.accessor(mesh.triangles.ravel(), "SCALAR", 34963),
        }
        if self.baked.shape_moves and self.baked.options.frames > 1:
            made["targets"] = []
            for phase in self.shape_phases[1:]:
                there = self.baked.mesh_at(phase)
                off, tilt = there.positions - mesh.positions, _unit(there.normals) - _unit(mesh.normals)
                made["targets"].append(
                    {
                        "POSITION": glb.accessor(off, "VEC3", 34962, bounds=True),
                        "NORMAL": glb.accessor(tilt, "VEC3", 34962),
                    }
                )
        return made

    @property
    def shape_phases(self) -> list[float]:
        """The phases at which the shape is taken."""
        count, looping = self.baked.options.frames, self.baked.effect.turn.looping
        return [i / (count if looping else count - 1) for i in range(count)]

    # --- the material -----------------------------------------------------------------

    def material(self) -> dict[str, Any]:
        b = self.baked
        out: dict[str, Any] = {"name": b.effect.name, "doubleSided": b.surface.sides == "both"}
        pbr: dict[str, Any] = {}
        out["pbrMetallicRoughness"] = pbr
        alpha = b.alpha()
        colour: NDArray[np.float32] | tuple[float, ...] = (0.0, 0.0, 0.0)
        if b.unlit and b.light is not None:
            colour = b.light
            self.glb.extension(out, "KHR_materials_unlit", {})
        elif b.lit:
            colour = b.map("base") if b.fed("base") else b.colour("base")
        self.base(pbr, colour, alpha)
        if alpha is not None:
            cut = b.surface.composite == "cut away"
            out["alphaMode"] = "MASK" if cut else "BLEND"
            if cut:
                out["alphaCutoff"] = float(np.clip(b.still("surface/cut"), 0.0, 1.0))
        if b.lit:
            self.measures(pbr, out)
            self.extras(out)
        else:
            pbr |= {"metallicFactor": 0.0, "roughnessFactor": 1.0}
            if not b.unlit:
                # What no lamp falls on mirrors nothing.
                self.glb.extension(out, "KHR_materials_specular", {"specularFactor": 0.0})
        if b.light is not None and not b.unlit:
            self.emission(out)
        return out

    def base(self, pbr: dict[str, Any], colour: Any, alpha: Any) -> None:
        maps = [x for x in (colour, alpha) if isinstance(x, np.ndarray)]
        if not maps:
            pbr["baseColorFactor"] = [*np.clip(colour, 0, 1).tolist(), 1.0 if alpha is None else float(alpha)]
            return
        shape = maps[0].shape[:2]
        rgb = encoded(np.broadcast_to(np.asarray(colour, np.float32), (*shape, 3)))
        if alpha is not None:
            rgb = np.concatenate([rgb, measured(np.broadcast_to(np.asarray(alpha, np.float32), (*shape, 1)))], axis=2)
        pbr["baseColorTexture"] = self.texture(rgb, "base", "pbrMetallicRoughness/baseColorTexture")

    def measures(self, pbr: dict[str, Any], out: dict[str, Any]) -> None:
        b = self.baked
        pair = {"roughness": "roughnessFactor", "metallic": "metallicFactor"}
        if any(map(b.fed, pair)):
            shape = next(b.map(n).shape[:2] for n in pair if b.fed(n))
            planes = [np.zeros((*shape, 1), np.float32)]
            planes += [b.map(n) if b.fed(n) else np.full((*shape, 1), b.number(n), np.float32) for n in pair]
            pixels = measured(np.concatenate(planes, axis=2))
            where = "pbrMetallicRoughness/metallicRoughnessTexture"
            pbr["metallicRoughnessTexture"] = self.texture(pixels, "roughness and metallic", where)
        else:
            pbr |= {factor: b.number(name) for name, factor in pair.items()}
        if b.fed("normal"):
            pixels = measured(b.map("normal") * np.float32(0.5) + np.float32(0.5))
            out["normalTexture"] = self.texture(pixels, "normal", "normalTexture")
        if b.fed("occlusion"):
            pixels = np.repeat(measured(b.map("occlusion")), 3, axis=2)
            out["occlusionTexture"] = self.texture(pixels, "occlusion", "occlusionTexture")

    def emission(self, out: dict[str, Any]) -> None:
        b = self.baked
        assert b.light is not None
        strength = max(b.brightest, 1e-6)
        out["emissiveFactor"] = [1.0, 1.0, 1.0]
        out["emissiveTexture"] = self.texture(
            encoded(b.light / np.float32(max(strength, 1.0))), "emission", "emissiveTexture"
        )
        if strength > 1.0:
            self.glb.extension(out, "KHR_materials_emissive_strength", {"emissiveStrength": strength})

    def extras(self, out: dict[str, Any]) -> None:
        """What the surface has beyond metal and roughness: index, clear matter, a thin film."""
        b, glb = self.baked, self.glb
        index = max(b.still("surface/refraction") if b.clear else b.still("surface/index"), 1.0)
        if abs(index - _INDEX) > 1e-6:
            glb.extension(out, "KHR_materials_ior", {"ior": float(index)})
        if b.clear:
            through: dict[str, Any] = {"transmissionFactor": 1.0}
            if b.fed("opacity"):
                pixels = np.repeat(measured(1.0 - b.map("opacity")), 3, axis=2)
                where = "extensions/KHR_materials_transmission/transmissionTexture"
                through["transmissionTexture"] = self.texture(pixels, "transmission", where)
            else:
                through["transmissionFactor"] = float(np.clip(1.0 - b.number("opacity"), 0, 1))
            glb.extension(out, "KHR_materials_transmission", through)
            if b.surface.body == "filled":
                # A body that has an inside is seen from without (KHR_materials_volume).
                out["doubleSided"] = False
                thick = float(b.effect.stage.mesh_of().size.min() * b.effect.stage.size)
                colour = b.colour("absorption") if not b.fed("absorption") else (1.0, 1.0, 1.0)
                volume = {
                    "thicknessFactor": thick,
                    "attenuationColor": np.clip(colour, 0, 1).tolist(),
                    "attenuationDistance": b.still("surface/absorbed_at"),
                }
                glb.extension(out, "KHR_materials_volume", volume)
        if b.fed("film") or b.number("film") > 0:
            skin: dict[str, Any] = {
                "iridescenceFactor": 1.0,
                "iridescenceIor": max(b.still("surface/film_index"), 1.0),
            }
            if b.fed("film"):
                thickness = b.map("film")
                least, most = float(thickness.min()), float(thickness.max())
                share = (thickness - least) / np.float32(max(most - least, 1e-6))
                where = "extensions/KHR_materials_iridescence/iridescenceThicknessTexture"
                pixels = np.repeat(measured(share), 3, axis=2)
                skin |= {"iridescenceThicknessMinimum": max(least, 0.0), "iridescenceThicknessMaximum": max(most, 0.0)}
                skin["iridescenceThicknessTexture"] = self.texture(pixels, "film", where)
            else:
                skin["iridescenceThicknessMaximum"] = b.number("film")
            glb.extension(out, "KHR_materials_iridescence", skin)

    def texture(self, pixels: NDArray[np.uint8], name: str, where: str) -> dict[str, Any]:
        """A texture as a material has it; where frames lie on it, with the first of them in view."""
        info: dict[str, Any] = {"index": self.glb.picture(pixels, name, self.sampler)}
        b = self.baked
        if b.frames > 1:
            # Half a pixel of each frame's edge stays out of view, so that no neighbour shines in.
            columns, rows = b.grid
            scale = [(b.options.size - 1) / (b.options.size * n) for n in (columns, rows)]
            self.glb.extension(info, "KHR_texture_transform", {"offset": self.offset(0), "scale": scale})
            self.textures.append((where, info))
        elif b.scroll is not None:
            self.glb.extension(info, "KHR_texture_transform", {"offset": [0.0, 0.0]})
            self.textures.append((where, info))
        return info

    def offset(self, n: int) -> list[float]:
        """Where the nth frame begins, from the upper left."""
        columns, rows = self.baked.grid
        row, column = divmod(n, columns)
        half = 0.5 / self.baked.options.size
        return [(column + half) / columns, (row + half) / rows]

    # --- time -------------------------------------------------------------------------

    def animation(self, targets: int) -> None:
        """The turn: maps step from frame to frame, or glide where they scroll; the shape bends from one to the next."""
        b, glb = self.baked, self.glb
        seconds = b.effect.turn.seconds
        channels: list[dict[str, Any]] = []
        samplers: list[dict[str, Any]] = []
        if self.textures:
            if b.frames > 1:
                times = np.array([*b.phases, 1.0]) * seconds if b.effect.turn.looping else np.array(b.phases) * seconds
                numbers = [*range(b.frames), b.frames - 1] if b.effect.turn.looping else range(b.frames)
                values = np.array([self.offset(n) for n in numbers], np.float32)
                way = "STEP"
            else:
                assert b.scroll is not None
                # v runs the other way there, and what moves is the place that is looked up.
                times = np.array([0.0, seconds])
                values, way = np.array([[0.0, 0.0], [b.scroll[0], -b.scroll[1]]], np.float32), "LINEAR"
            sampler = self.sampled(samplers, times, values, "VEC2", way)
            glb.used.add("KHR_animation_pointer")
            for where, _ in self.textures:
                pointer = f"/materials/0/{where}/extensions/KHR_texture_transform/offset"
                target = {"path": "pointer", "extensions": {"KHR_animation_pointer": {"pointer": pointer}}}
                channels.append({"sampler": sampler, "target": target})
        if targets:
            phases = self.shape_phases + ([1.0] if b.effect.turn.looping else [])
            weights = np.zeros((len(phases), targets), np.float32)
            for i in range(1, targets + 1):
                weights[i, i - 1] = 1.0
            sampler = self.sampled(samplers, np.array(phases) * seconds, weights.ravel(), "SCALAR", "LINEAR")
            channels.append({"sampler": sampler, "target": {"node": 0, "path": "weights"}})
        if channels:
            glb.add("animations", {"name": "the turn", "channels": channels, "samplers": samplers})

    def sampled(self, samplers: list[dict[str, Any]], times: Any, values: Any, kind: str, way: str) -> int:
        when = self.glb.accessor(np.asarray(times, np.float32), "SCALAR", bounds=True)
        samplers.append({"input": when, "output": self.glb.accessor(values, kind), "interpolation": way})
        return len(samplers) - 1


def _unit(values: NDArray[np.float32]) -> NDArray[np.float32]:
    length = np.linalg.norm(values.astype(np.float64), axis=1, keepdims=True)
    return np.asarray(values / np.maximum(length, 1e-12), np.float32)


def write(effect: Effect, folder: Path, options: SceneOptions, tick: Callable[[str], None] = quiet) -> list[Path]:
    """Writes `NAME.glb` and what becomes of the effect in it; gives both. Raises BadEffect, Refused."""
    made = _Scene(Baked(effect, options, tick=tick)).bytes()
    folder.mkdir(parents=True, exist_ok=True)
    out, beside = folder / f"{slug(effect.name)}.glb", folder / f"{slug(effect.name)}-glb.md"
    with whole(out) as part:
        part.write_bytes(made)
    with whole(beside) as part:
        part.write_text(told(effect).text(f"{effect.name} as glTF"), encoding="utf-8")
    return [out, beside]


def told(effect: Effect) -> Told:
    """What glTF carries of an effect."""
    surface = effect.surface
    out = Told(["shape with UV, normals and tangents", "base colour, opacity, emission beyond 1"])
    if surface.lighting == "lit":
        out.carried.append("roughness, metal, normals and occlusion as maps")
    if surface.composite == "cut away":
        out.carried.append("where it is cut away")
    if surface.channels.displacement:
        out.nearly.append("displacement: the shape at phases of the turn, bent from one to the next")
    out.nearly.append(
        "motion: maps at phases of the turn that follow each other, or one map that glides where it scrolls"
    )
    if surface.composite == "glowing":
        out.nearly.append("light that is only added: hides by how bright it is")
    if surface.clear:
        out.nearly.append("clear matter: index, colour by depth and one thickness; the viewer bends what is behind")
        out.lost.append("milk")
    if surface.film or surface.channels.film:
        out.carried.append("the thin film")
    out.nearly.append("what depends on the view: as seen straight from before each point")
    if effect.levers:
        out.lost.append("levers: they stand as they do")
    if surface.far != 1.0:
        out.lost.append("how much of the far side shows")
    also_told(effect, out)
    out.lost.append("neighbours, lamps, sky and bloom: those of the viewer take their place")
    if SHAPES[effect.stage.shape].closed is False:
        out.carried.append("both sides of an open shape")
    return out


GLB = Format("glb", "glTF", "one binary file, for games, shows and the web", write, told)
