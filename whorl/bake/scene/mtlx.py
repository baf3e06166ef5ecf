"""MaterialX 1.39: an OpenPBR surface (version 1.1) of the effect, made by a graph of standard nodes where its beads
have equals there, and by maps where they have none."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import MaterialX as mx  # noqa: N813 - as its own documentation has it
import numpy as np

from whorl.bake.maps import gathered
from whorl.bake.options import slug
from whorl.bake.scene.baked import Baked, Format, SceneOptions, Told, also_told, quiet
from whorl.bake.scene.graphs import Definitions, Graph, NotCarried, Value, call_of, constant, written
from whorl.bake.still import save_exr
from whorl.bake.whole import whole
from whorl.beads.spec import COLOUR, VALUE
from whorl.effect import Effect
from whorl.effect.document import HOLDS
from whorl.effect.read import made_by, state_of
from whorl.fields import colour as colours
from whorl.motion.thinning import thinned
from whorl.motion.values import HOW, Track
from whorl.plan.build.numbers import PHASE
from whorl.plan.graph import (
    Arg,
    Footprint,
    FromCamera,
    FromNode,
    FromPeriod,
    FromPoint,
    FromUniform,
    Literals,
    Made,
    Node,
    Period,
    Uniform,
)
from whorl.plan.print.code import identifier, placed
from whorl.shade.types import F32, TABLES, VEC2, VEC3, floats
from whorl.stage import flat
from whorl.stage.unwrapped import spread_out

#: Maps of beads of one effect, at the most: beyond that its channels are maps as a whole.
MOST_MAPS = 12
#: Straight pieces of one motion.
MOST_KNOTS = 48


class Material:
    """An effect as a MaterialX document. `folder` takes its maps; None writes none, for those that only look."""

    def __init__(self, baked: Baked, folder: Path | None) -> None:
        self.baked, self.plan, self.effect, self.folder = baked, baked.plan, baked.effect, folder
        self.doc = mx.createDocument()
        self.definitions = Definitions(self.doc)
        self.base = identifier(self.effect.name) or "effect"
        self.graph = Graph(self.doc.addNodeGraph(f"NG_{self.base}"), self.base)
        self.values: dict[int, Value] = {}
        self.periods: dict[str, Value] = {}
        self.maps: dict[str, Path] = {}
        #: Beads that are carried as they are, and those that became maps, with the reason.
        self.carried: list[str] = []
        self.mapped: dict[str, str] = {}
        self.words = {x.id: x for x in self.effect.levers}
        self.levers: dict[str, Value] = {}

    # --- beads ------------------------------------------------------------------------

    def node(self, node: Node) -> Value:
        """What a node gives: by nodes, or as a map of a value or colour. Raises NotCarried."""
        if node.index not in self.values:
            try:
                self.values[node.index] = self.equal(node)
                if node.function is not None:
                    self.carried.append(node.place)
            except NotCarried as e:
                if node.gives not in (VALUE, COLOUR) or len(self.maps) >= MOST_MAPS:
                    raise
                self.mapped[node.place] = str(e)
                self.values[node.index] = self.map_of(node)
        return self.values[node.index]

    def equal(self, node: Node) -> Value:
        if node.function is None:
            tapped = node.args[0]
            assert isinstance(tapped, FromNode)
            return self.node(tapped.node)
        params = [p for p in node.function.tree.params if not p.fixed]
        if any(p.type.fields for p in params):
            raise NotCarried("it is about neighbours or lamps")
        # A fault of the function itself is found before anything is made for it.
        named = dict(zip((p.name for p in params), map(self.arg, node.args), strict=True))
        name = placed(node.place) or "bead"
        made = call_of(self.definitions, self.graph, node.function, node.fixed, named, f"{name}_of")
        if node.gives is None:
            return made
        low, high = constant(-65504.0), constant(65504.0)
        return self.graph.node("clamp", made.type, name, **{"in": made, "low": low, "high": high})

    def arg(self, arg: Arg) -> Value:
        match arg:
            case FromUniform(uniform=u, wanted=wanted):
                value = self.uniform(u)
                return self.graph.spread(value, VEC3) if wanted is COLOUR and value.type == F32 else value
            case FromNode(node=n, wanted=wanted):
                value = self.node(n)
                if wanted is COLOUR and n.gives is VALUE:
                    return self.graph.spread(value, VEC3)
                if wanted is VALUE and n.gives is COLOUR:
                    given = {colours.luminance.tree.params[0].name: value}
                    return call_of(self.definitions, self.graph, colours.luminance, (), given)
                return value
            case FromPoint(name=name):
                return self.point(name)
            case FromCamera(name=name) if name in ("side", "size"):
                return constant(1.0)
            case FromPeriod(of=of):
                return self.period(of)
            case Footprint(node=n):
                # There are no differences from pixel to pixel: edges are as sharp as their softness says.
                return constant(*(0.0,) * n.size)
            case Literals(values=values):
                return constant(*values)
        raise NotCarried("pictures and what is seen from the camera")

    def period(self, period: Period | None) -> Value:
        if period is None or period.function is None:
            return constant(0.0, 0.0, 0.0)
        if period.name not in self.periods:
            params = (p.name for p in period.function.tree.params if not p.fixed)
            named = dict(zip(params, map(self.arg, period.args), strict=True))
            made = call_of(self.definitions, self.graph, period.function, period.fixed, named, "period1")
            self.periods[period.name] = made
        return self.periods[period.name]

    # --- numbers ----------------------------------------------------------------------

    def uniform(self, u: Uniform) -> Value:
        if u.made is not None:
            return self.of_others(u.made)
        if u.param is PHASE:
            return self.phase()
        if u.param.size in TABLES:
            return Value(TABLES[u.param.size], self.table(u))
        if isinstance(u.track, Track):
            form = HOW[type(u.track.motion)].closed_form(u.track.motion, u.param)
            if form is None:
                return self.knotted(u.track)
            way = self.phase()
            if form.way is not None:
                names = [p.name for p in form.way.tree.params if not p.fixed]
                named = dict(zip(names, [way, *map(constant, form.args)], strict=True))
                way = call_of(self.definitions, self.graph, form.way, form.fixed, named)
            moved = self.graph.binary("*", constant(*form.amount), way)
            return self.graph.binary("+", moved, constant(*form.base))
        if u.track is not None:
            raise NotCarried("a table that is measured")
        parts = u.place.split("/")
        if len(parts) == 3 and parts[0] == "levers" and parts[2] in {stands for stands, _ in HOLDS.values()}:
            return self.lever(parts[1], u)
        return constant(*u.value)

    def table(self, u: Uniform) -> tuple[float, ...]:
        """A table that is the same all through the turn."""
        if u.track is None:
            return u.value
        made = np.asarray(u.track.rows(self.effect.turn.phases))
        if (made != made[0]).any():
            raise NotCarried("it reads a table that changes over the turn")
        return tuple(made[0].tolist())

    def knotted(self, track: Track) -> Value:
        """A motion as straight pieces, each of which adds to the slope of those before it."""
        count = 4 * self.effect.turn.steps
        phases = np.arange(count + 1) / count
        made = np.asarray(track.rows(np.minimum(phases, 1.0 - 1e-9)))
        knots, off = thinned(phases, made, reach := 2e-3 * max(float(np.ptp(made, axis=0).max()), 1e-9), MOST_KNOTS)
        if off > reach:
            raise NotCarried("its motion has too many turns")
        slopes = np.diff(made[knots], axis=0) / np.diff(phases[knots])[:, None]
        g, at = self.graph, self.phase()
        total = constant(*made[0])
        for i, (knot, slope) in enumerate(zip(knots[:-1], slopes, strict=True)):
            past = g.call("maximum", F32, [g.binary("-", at, constant(float(phases[knot]))), constant(0.0)])
            more = slope - slopes[i - 1] if i else slope
            total = g.binary("+", g.binary("*", constant(*more), past), total)
        return total

    def of_others(self, made: Made) -> Value:
        params = (p.name for p in made.function.tree.params if not p.fixed)
        given = [self.uniform(a) if isinstance(a, Uniform) else constant(a) for a in made.args]
        named = dict(zip(params, given, strict=True))
        return call_of(self.definitions, self.graph, made.function, made.fixed, named, "lever1")

    def lever(self, id: str, u: Uniform) -> Value:
        """A lever as an input of the graph."""
        lever, graph = self.words[id], self.graph.graph
        if id not in self.levers:
            name = graph.createValidChildName(identifier(lever.name) or identifier(id))
            self.levers[id] = value = Value(floats(u.param.size), given=name)
            made = graph.addInput(name, value.kind)
            made.setValue(written(u.value), value.kind)
            made.setAttribute("uiname", lever.name)
            if lever.note:
                made.setAttribute("doc", " ".join(lever.note.split()))
            if lever.kind == "number":
                made.setAttribute("uisoftmin", f"{lever.least:g}")
                made.setAttribute("uisoftmax", f"{lever.most:g}")
        return self.levers[id]

    def phase(self) -> Value:
        """Where in the turn it is, from the time in seconds."""
        turn, g = self.effect.turn, self.graph
        at = g.binary("/", g.node("time", F32, "time"), constant(float(turn.seconds)))
        if turn.looping:
            return g.node("modulo", F32, "phase", in1=at, in2=constant(1.0))
        return g.node("clamp", F32, "phase", **{"in": at, "low": constant(0.0), "high": constant(1.0)})

    def point(self, name: str) -> Value:
        g, stage = self.graph, self.effect.stage
        mesh = stage.mesh_of()
        space = {"space": "object"}
        if name == "at_uv":
            if self.baked.apart:
                raise NotCarried("parts of the shape share UV, and have others there")
            uv = g.node("texcoord", VEC2, "uv")
            return g.vector([g.part(uv, 0), g.part(uv, 1), constant(0.0)])
        if name in ("at_object", "at_world", "at_box"):
            here = self.spaced("position", space)
            if name == "at_world":
                return here
            here = g.binary("/", here, constant(float(stage.size)))
            if name == "at_object":
                return here
            low, size = (constant(*(float(x) for x in v)) for v in (mesh.low, mesh.size))
            return g.binary("/", g.binary("-", here, low), size)
        if name == "at_box_size":
            return constant(*(float(x) for x in mesh.size))
        if name == "at_normal":
            return self.spaced("normal", space)
        if name == "at_view":
            # It runs from the eye to the point there.
            return g.binary("*", self.spaced("viewdirection", space), constant(-1.0))
        raise NotCarried(f"what is known of a point here alone: {name.removeprefix('at_').replace('_', ' ')}")

    def spaced(self, category: str, space: dict[str, str]) -> Value:
        made = self.graph.node(category, VEC3, category)
        if made.node.getInput("space") is None:
            made.node.setInputValue("space", space["space"], "string")
        return made

    # --- maps -------------------------------------------------------------------------

    def map_of(self, node: Node) -> Value:
        """A value or colour over UV, with the frames of the turn in a grid where it moves."""
        over, size = self.baked.over, self.baked.options.size

        def values(phase: float) -> Any:
            from whorl.plan.run.evaluate import evaluate

            made = evaluate(self.plan, node, over.points, phase, 2)
            stacked = np.stack([flat.unquad(a, over.side, over.side) for a in made], axis=-1)
            return spread_out(stacked, over.covered, over.options.padding)[:size, :size]

        return self.image(placed(node.place) or "map", values, node.size)

    def image(self, name: str, values: Callable[[float], Any], size: int) -> Value:
        """A map as an image node, with colour as three plain numbers."""
        b = self.baked
        cells = []
        for n, phase in enumerate(b.phases):
            b.tick(f"{name.replace('_', ' ')}, {n + 1} of {b.frames}")
            cells.append(values(phase))
        made = np.asarray(gathered(cells, *b.grid), np.float32)
        path = Path("maps") / f"{slug(self.effect.name)}-{name.replace('_', '-')}.exr"
        if self.folder is not None:
            (self.folder / "maps").mkdir(parents=True, exist_ok=True)
            save_exr(made, self.folder / path, half=True, said=made_by(self.effect))
        self.maps[name] = path
        kind = floats(size)
        node = self.graph.node("image", kind, f"map_{name}", texcoord=self.framed())
        node.node.setInputValue("file", path.as_posix(), "filename")
        for way in ("uaddressmode", "vaddressmode"):
            node.node.setInputValue(way, "clamp" if b.frames > 1 else "periodic", "string")
        return node

    def framed(self) -> Value:
        """Texture coordinates of the frame that is on, from the time."""
        b, g = self.baked, self.graph
        uv = g.node("texcoord", VEC2, "uv")
        if b.frames == 1:
            return uv
        columns, rows = b.grid
        count = b.frames
        last = count if self.effect.turn.looping else count - 1
        at = g.binary("*", self.phase(), constant(float(last)))
        frame = g.call("minimum", F32, [g.node("floor", F32, "frame", **{"in": at}), constant(float(count - 1))])
        row = g.node(
            "floor", F32, "row", **{"in": g.binary("/", g.binary("+", frame, constant(0.5)), constant(float(columns)))}
        )
        column = g.binary("-", frame, g.binary("*", row, constant(float(columns))))
        up = g.binary("-", constant(float(rows - 1)), row)
        half = 0.5 / b.options.size
        held = g.call("clamp", VEC2, [uv, constant(half), constant(1.0 - half)])
        moved = g.binary("+", held, g.vector([column, up]))
        return g.binary("/", moved, constant(float(columns), float(rows)))

    # --- the surface ------------------------------------------------------------------

    def output(self, name: str, value: Value) -> str:
        """An output of the graph; a colour is told to be one."""
        g = self.graph
        if value.node is None:
            value = g.node("dot", value.type, f"{name}_1", **{"in": value})
        kind = value.kind
        if name in _COLOURS:
            made = g.graph.addNode("convert", g.graph.createValidChildName(f"{name}_colour"), "color3")
            g.connect(made, "in", value)
            value, kind = Value(VEC3, node=made), "color3"
        g.graph.addOutput(name, kind).setNodeName(value.node.getName())
        return kind

    def channel(self, name: str) -> Value:
        """One channel of the surface: by nodes, with maps of what has no equal; or as a map of it all."""
        given = self.plan.outputs[name]
        if not isinstance(given, FromNode):
            return self.arg(given)
        try:
            return self.node(given.node)
        except NotCarried:
            return self.map_of(given.node)

    def document(self) -> Any:
        """The whole document."""
        b, doc, s = self.baked, self.doc, self.baked.surface
        doc.setDocString(f"{self.effect.name}, made by Whorl from state {state_of(self.effect)}")
        shader = doc.addNode("open_pbr_surface", f"{self.base}_surface", "surfaceshader")
        inputs: dict[str, Value] = {}
        if b.lit:
            inputs |= {
                "base_color": self.channel("base"),
                "specular_roughness": self.channel("roughness"),
                "base_metalness": self.channel("metallic"),
                "specular_ior": constant(
                    max(b.still("surface/refraction") if b.clear else b.still("surface/index"), 1.0)
                ),
            }
            if b.fed("emission"):
                inputs["emission_color"] = self.channel("emission")
        else:
            base, glow = (self.channel(n) for n in ("base", "emission"))
            inputs |= {"base_weight": constant(0.0), "specular_weight": constant(0.0)}
            inputs["emission_color"] = self.graph.binary("+", base, glow)
        if "emission_color" in inputs:
            # In multiples of the scene's own light, as the rest of the document is.
            inputs["emission_luminance"] = constant(1.0)
        if b.clear:
            clear = self.graph.binary("-", constant(1.0), self.channel("opacity"))
            inputs |= {"transmission_weight": clear, "transmission_color": self.channel("absorption")}
            if s.body == "filled":
                inputs["transmission_depth"] = constant(b.still("surface/absorbed_at"))
        elif b.covers:
            opacity = self.channel("opacity")
            if s.composite == "cut away":
                cut = constant(b.still("surface/cut"))
                opacity = self.graph.compared(">", opacity, cut, constant(1.0), constant(0.0))
            inputs["geometry_opacity"] = opacity
        if b.fed("film") or b.number("film") > 0:
            thick = self.graph.binary("*", self.channel("film"), constant(0.001))
            index = constant(max(b.still("surface/film_index"), 1.0))
            inputs |= {"thin_film_weight": constant(1.0), "thin_film_thickness": thick, "thin_film_ior": index}
        for name, value in inputs.items():
            self.input(shader, name, value)
        if b.fed("normal"):
            self.input(shader, "geometry_normal", self.normal())
        material = doc.addMaterialNode(self.base, shader)
        if b.fed("displacement"):
            self.displaced(material)
        if not self.graph.graph.getOutputs():
            doc.removeNodeGraph(self.graph.graph.getName())
        return doc

    def input(self, shader: Any, name: str, value: Value) -> None:
        """An input of the surface: a number, or an output of the graph."""
        colour = name in _COLOURS
        if value.known is not None:
            kind = "color3" if colour else value.kind
            known = value.known * 3 if colour and len(value.known) == 1 else value.known
            shader.setInputValue(name, mx.Color3(*known) if colour else written(known), kind)
            return
        kind = self.output(name, value)
        made = shader.addInput(name, kind)
        made.setNodeGraphString(self.graph.graph.getName())
        made.setOutputString(name)

    def normal(self) -> Value:
        """Normals as a map in tangent space, which the document's own tangents turn."""
        size = self.baked.options.size

        def values(phase: float) -> Any:
            return self.baked.over.values("normal", phase)[:size, :size] * 0.5 + 0.5

        return self.graph.node("normalmap", VEC3, "normal", **{"in": self.image("normal", values, 3)})

    def displaced(self, material: Any) -> None:
        """How far the shape is moved outwards, as a displacement shader."""
        height = self.channel("displacement")
        amount = constant(self.baked.farthest * self.effect.stage.size)
        made = self.doc.addNode("displacement", f"{self.base}_displacement", "displacementshader")
        self.input(made, "displacement", self.graph.binary("*", height, amount))
        made.setInputValue("scale", 1.0, "float")
        material.addInput("displacementshader", "displacementshader").setNodeName(made.getName())

    def told(self) -> Told:
        """What is carried as nodes, and what became maps."""
        out = Told()
        names = list(dict.fromkeys(map(_words, self.carried)))
        out.carried = [f"{n}, as nodes" for n in names if n not in {_words(p) for p in self.mapped}]
        out.nearly = [f"{_words(place)}: a map, since {why}" for place, why in self.mapped.items()]
        out.carried += [f"the lever {self.words[id].name}, as an input" for id in self.levers]
        out.lost = [f"the lever {x.name}: it stands as it does" for x in self.effect.levers if x.id not in self.levers]
        return out


_COLOURS = ("base_color", "emission_color", "transmission_color")


def _words(place: str) -> str:
    parts = place.split("/")
    return " ".join(parts[1:3] if parts[0] == "strands" else parts[:2])


def material_of(
    effect: Effect, folder: Path | None, options: SceneOptions, tick: Callable[[str], None] = quiet
) -> Material:
    """An effect's MaterialX document, written into a folder as its maps are made."""
    made = Material(Baked(effect, options, heights=True, tick=tick), folder)
    made.document()
    return made


def write(effect: Effect, folder: Path, options: SceneOptions, tick: Callable[[str], None] = quiet) -> list[Path]:
    """Writes `NAME.mtlx`, its maps, and what becomes of the effect in it; gives all. Raises BadEffect, Refused."""
    folder.mkdir(parents=True, exist_ok=True)
    made = material_of(effect, folder, options, tick)
    out, beside = folder / f"{slug(effect.name)}.mtlx", folder / f"{slug(effect.name)}-mtlx.md"
    with whole(out) as part:
        mx.writeToXmlFile(made.doc, str(part))
    said, more = told(effect), made.told()
    said.carried += more.carried
    said.nearly += more.nearly
    said.lost += more.lost
    with whole(beside) as part:
        part.write_text(said.text(f"{effect.name} as MaterialX"), encoding="utf-8")
    return [out, *(folder / p for p in made.maps.values()), beside]


def told(effect: Effect) -> Told:
    """What MaterialX carries of an effect."""
    surface = effect.surface
    out = Told(["coordinates, arithmetic, ramps, levers and time, as nodes"])
    out.nearly.append("noise, cells and pictures: maps over the UV of the shape, at phases of the turn")
    out.nearly.append("edges: as sharp as their softness says, not softened to a pixel")
    if surface.lighting == "lit":
        out.carried.append("base colour, roughness, metal, index and normals")
    if surface.composite == "glowing":
        out.nearly.append("light that is only added: emission over a surface that hides by its opacity")
    if surface.clear:
        out.carried.append("clear matter with its colour by depth")
        out.lost.append("milk")
    if surface.film or surface.channels.film:
        out.carried.append("the thin film")
    out.lost.append("the shape: a glTF or USD has it")
    also_told(effect, out)
    out.lost.append("neighbours, lamps, sky and bloom: those of the renderer take their place")
    return out


MTLX = Format("mtlx", "MaterialX", "a material for renderers, as a graph of nodes with maps", write, told)
