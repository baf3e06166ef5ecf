"""USD (OpenUSD 24 and later): the shape as a mesh, a UsdPreviewSurface with maps, and the MaterialX document beside."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from whorl.bake.options import slug
from whorl.bake.scene.baked import Baked, Format, SceneOptions, Told, also_told, encoded, measured, quiet
from whorl.bake.scene.mtlx import write as write_mtlx
from whorl.bake.still import texts
from whorl.bake.whole import whole
from whorl.effect import Effect
from whorl.effect.read import made_by, state_of
from whorl.plan.print.code import identifier


class _Stage:
    """One effect as a USD stage, whose maps go into a folder beside it."""

    def __init__(self, baked: Baked, out: Path) -> None:
        from pxr import Sdf, Usd, UsdGeom

        self.baked, self.effect, self.folder = baked, baked.effect, out.parent
        self.layer = Sdf.Layer.CreateAnonymous(".usdc")
        self.stage = Usd.Stage.Open(self.layer)
        self.files: list[Path] = []
        turn = self.effect.turn
        UsdGeom.SetStageUpAxis(self.stage, UsdGeom.Tokens.y)
        UsdGeom.SetStageMetersPerUnit(self.stage, 1.0)
        self.stage.SetTimeCodesPerSecond(turn.fps)
        self.stage.SetFramesPerSecond(turn.fps)
        self.stage.SetStartTimeCode(0)
        self.stage.SetEndTimeCode(turn.frames - 1)
        self.layer.customLayerData = {"creator": "Whorl", "effect": self.effect.name, "state": state_of(self.effect)}
        self.root = f"/{identifier(self.effect.name) or 'effect'}"

    def write(self, out: Path) -> None:
        """The whole stage, at its place."""
        from pxr import UsdGeom, UsdShade

        root = UsdGeom.Xform.Define(self.stage, self.root)
        self.stage.SetDefaultPrim(root.GetPrim())
        mesh = self.mesh()
        material = self.material()
        UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(material)
        with whole(out) as part:
            self.layer.Export(str(part))

    def mesh(self) -> Any:
        from pxr import Gf, Sdf, UsdGeom, Vt

        b = self.baked
        rest = b.mesh
        made = UsdGeom.Mesh.Define(self.stage, f"{self.root}/shape")
        made.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        made.CreateDoubleSidedAttr(b.surface.sides == "both")
        made.CreateFaceVertexCountsAttr(Vt.IntArray([3] * len(rest.triangles)))
        made.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(rest.triangles.ravel().astype(np.int32)))
        made.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
        points, normals = made.CreatePointsAttr(), made.CreateNormalsAttr()
        extent = made.CreateExtentAttr()
        moving = b.shape_moves and b.options.frames > 1
        for time, mesh in self.shapes() if moving else [(None, rest)]:
            at = () if time is None else (time,)
            points.Set(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(mesh.positions)), *at)
            normals.Set(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(mesh.normals)), *at)
            low, high = mesh.positions.min(axis=0), mesh.positions.max(axis=0)
            extent.Set(Vt.Vec3fArray([Gf.Vec3f(*map(float, low)), Gf.Vec3f(*map(float, high))]), *at)
        st = UsdGeom.PrimvarsAPI(made).CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.vertex)
        st.Set(Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(b.uvs)))
        return made

    def shapes(self) -> Any:
        """The shape at phases of the turn, with their time codes; a loop ends where it begins."""
        turn, count = self.effect.turn, self.baked.options.frames
        for i in range(count + 1 if turn.looping else count):
            phase = i / (count if turn.looping else count - 1)
            yield phase * turn.steps, self.baked.mesh_at(phase % 1.0 if turn.looping else phase)

    # --- the material -----------------------------------------------------------------

    def material(self) -> Any:
        from pxr import Sdf, UsdShade

        b = self.baked
        material = UsdShade.Material.Define(self.stage, f"{self.root}/material")
        shader = self.shader("surface", "UsdPreviewSurface")
        material.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
        self.where = self.coordinates()
        kinds = Sdf.ValueTypeNames
        alpha = b.alpha()
        base: Any = b.map("base") if b.fed("base") else b.colour("base")
        if not b.lit:
            base = (0.0, 0.0, 0.0)
        if isinstance(base, np.ndarray):
            self.mapped(shader, "diffuseColor", "base", encoded(base), "sRGB")
        else:
            self.set(shader, "diffuseColor", kinds.Color3f, tuple(float(x) for x in base))
        if alpha is not None:
            self.measure(shader, "opacity", alpha)
            if b.surface.composite == "cut away":
                cut = float(np.clip(b.still("surface/cut"), 1e-3, 1.0))
                self.set(shader, "opacityThreshold", kinds.Float, cut)
        elif b.clear:
            self.measure(shader, "opacity", b.map("opacity") if b.fed("opacity") else b.number("opacity"))
        if b.light is not None:
            strength = max(b.brightest, 1.0)
            self.mapped(shader, "emissiveColor", "emission", encoded(b.light / np.float32(strength)), "sRGB", strength)
        if not b.lit:
            # What no lamp falls on mirrors nothing.
            self.set(shader, "useSpecularWorkflow", kinds.Int, 1)
            self.set(shader, "specularColor", kinds.Color3f, (0.0, 0.0, 0.0))
            self.set(shader, "roughness", kinds.Float, 1.0)
            return material
        for name in ("roughness", "metallic", "occlusion"):
            self.measure(shader, name, b.map(name) if b.fed(name) else b.number(name))
        if b.fed("normal"):
            pixels = measured(b.map("normal") * np.float32(0.5) + np.float32(0.5))
            self.mapped(shader, "normal", "normal", pixels, "raw", 2.0, -1.0)
        index = b.still("surface/refraction" if b.clear else "surface/index")
        self.set(shader, "ior", kinds.Float, float(max(index, 1.0)))
        return material

    def shader(self, name: str, id: str) -> Any:
        from pxr import UsdShade

        made = UsdShade.Shader.Define(self.stage, f"{self.root}/material/{name}")
        made.CreateIdAttr(id)
        return made

    def set(self, shader: Any, name: str, kind: Any, value: Any) -> None:
        shader.CreateInput(name, kind).Set(value)

    def measure(self, shader: Any, name: str, value: NDArray[Any] | float) -> None:
        """A number, as a map where it is one."""
        from pxr import Sdf

        if isinstance(value, np.ndarray):
            self.mapped(shader, name, name, measured(value), "raw")
        else:
            self.set(shader, name, Sdf.ValueTypeNames.Float, float(value))

    def mapped(
        self,
        shader: Any,
        input: str,
        name: str,
        pixels: NDArray[np.uint8],
        space: str,
        scale: float = 1.0,
        bias: float = 0.0,
    ) -> None:
        """An input that is read from a map."""
        from pxr import Gf, Sdf

        (self.folder / "maps").mkdir(exist_ok=True)
        path = self.folder / "maps" / f"{slug(self.effect.name)}-{name}.png"
        with whole(path) as part:
            picture = Image.fromarray(pixels[..., 0] if pixels.shape[2] == 1 else pixels)
            picture.save(part, "PNG", compress_level=6, pnginfo=texts(made_by(self.effect)))
        self.files.append(path)
        kinds = Sdf.ValueTypeNames
        texture = self.shader(f"map_{name}", "UsdUVTexture")
        self.set(texture, "file", kinds.Asset, Sdf.AssetPath(f"./maps/{path.name}"))
        self.set(texture, "sourceColorSpace", kinds.Token, space)
        wrap = "clamp" if self.baked.frames > 1 else "repeat"
        for way in ("wrapS", "wrapT"):
            self.set(texture, way, kinds.Token, wrap)
        if (scale, bias) != (1.0, 0.0):
            self.set(texture, "scale", kinds.Float4, Gf.Vec4f(scale, scale, scale, 1.0))
        if bias:
            self.set(texture, "bias", kinds.Float4, Gf.Vec4f(bias, bias, bias, 0.0))
        texture.CreateInput("st", kinds.Float2).ConnectToSource(self.where, "result")
        if pixels.shape[2] == 1:
            texture.CreateOutput("r", kinds.Float)
            shader.CreateInput(input, kinds.Float).ConnectToSource(texture.ConnectableAPI(), "r")
        else:
            texture.CreateOutput("rgb", kinds.Float3)
            kind = kinds.Normal3f if input == "normal" else kinds.Color3f
            shader.CreateInput(input, kind).ConnectToSource(texture.ConnectableAPI(), "rgb")

    def coordinates(self) -> Any:
        """Where maps are read: at st, or in the frame that is on."""
        from pxr import Gf, Sdf

        b, kinds, turn = self.baked, Sdf.ValueTypeNames, self.effect.turn
        reader = self.shader("st", "UsdPrimvarReader_float2")
        self.set(reader, "varname", kinds.String, "st")
        reader.CreateOutput("result", kinds.Float2)
        if b.frames == 1 and b.scroll is None:
            return reader.ConnectableAPI()
        moved = self.shader("frame", "UsdTransform2d")
        moved.CreateInput("in", kinds.Float2).ConnectToSource(reader.ConnectableAPI(), "result")
        moved.CreateOutput("result", kinds.Float2)
        shift = moved.CreateInput("translation", kinds.Float2)
        if b.scroll is not None:
            shift.Set(Gf.Vec2f(0.0, 0.0), 0.0)
            shift.Set(Gf.Vec2f(*b.scroll), float(turn.steps))
            return moved.ConnectableAPI()
        columns, rows = b.grid
        size = b.options.size
        self.set(moved, "scale", kinds.Float2, Gf.Vec2f((size - 1) / size / columns, (size - 1) / size / rows))
        half = 0.5 / size
        for n, phase in enumerate(b.phases):
            row, column = divmod(n, columns)
            here = Gf.Vec2f((column + half) / columns, (rows - 1 - row + half) / rows)
            shift.Set(here, phase * turn.steps)
            # Between samples a reader goes straight on; a frame stands until the next.
            until = (b.phases[n + 1] if n + 1 < b.frames else 1.0) * turn.steps
            shift.Set(here, max(until - 1e-3, phase * turn.steps + 1e-4))
        return moved.ConnectableAPI()


def write(effect: Effect, folder: Path, options: SceneOptions, tick: Callable[[str], None] = quiet) -> list[Path]:
    """Writes `NAME.usdc` with its maps, the MaterialX beside it, and what becomes of the effect in it; gives all.
    Raises BadEffect, Refused."""
    folder.mkdir(parents=True, exist_ok=True)
    base = slug(effect.name)
    out, beside = folder / f"{base}.usdc", folder / f"{base}-usd.md"
    made = _Stage(Baked(effect, options, tick=tick), out)
    made.write(out)
    also = write_mtlx(effect, folder, options, tick)
    with whole(beside) as part:
        part.write_text(told(effect).text(f"{effect.name} as USD"), encoding="utf-8")
    return [out, *made.files, *also, beside]


def told(effect: Effect) -> Told:
    """What USD carries of an effect, in the surface that every reader of it knows."""
    surface = effect.surface
    out = Told(["shape with UV and normals", "base colour, opacity and emission beyond 1"])
    if surface.lighting == "lit":
        out.carried.append("roughness, metal, occlusion, index and normals")
    if surface.channels.displacement:
        out.carried.append("displacement, as a shape that moves over the turn")
    out.nearly.append("motion: maps at phases of the turn that follow each other; one that glides where all scrolls")
    if surface.composite == "glowing":
        out.nearly.append("light that is only added: hides by how bright it is")
    if surface.clear:
        out.nearly.append("clear matter: by its opacity; the MaterialX beside it has the body")
    if surface.film or surface.channels.film:
        out.lost.append("the thin film: the MaterialX beside it has it")
    out.nearly.append("what depends on the view: as seen straight from before each point")
    if effect.levers:
        out.lost.append("levers: they stand as they do")
    also_told(effect, out)
    out.lost.append("neighbours, lamps, sky and bloom: those of the renderer take their place")
    return out


USD = Format("usd", "USD", "a stage for films and scenes, with the MaterialX beside it", write, told)
