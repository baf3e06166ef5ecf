"""The surface of a plan: its channels, its light, how it composites and what is seen through it."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial
from typing import NamedTuple, Protocol

from whorl.beads.spec import COLOUR, COORDS, DIRECTION, VALUE, Signal
from whorl.effect import places
from whorl.effect.described import param
from whorl.effect.surface import Channels, Entry
from whorl.effect.surface import Material as MaterialOf
from whorl.effect.value import Feed
from whorl.fields import blending, body, caps, cast, displacement, film, lighting, pictures, surroundings
from whorl.fields import surface as composites
from whorl.plan.build.parts import A, Parts, listed
from whorl.plan.build.strands import Strands
from whorl.plan.build.surroundings import Surroundings
from whorl.plan.graph import (
    FAR,
    POINTS,
    Arg,
    Footprint,
    FromCamera,
    FromImage,
    FromNode,
    FromPoint,
    FromUniform,
    Layer,
    Literals,
    Node,
    Uniform,
)
from whorl.refused import Refused
from whorl.shade import Unchecked
from whorl.shade.specialise import Fixed
from whorl.shapes import SHAPES

_TINT, _GAIN = param(Entry, "tint"), param(Entry, "gain")
_COMPOSITES = {
    "solid": composites.solid,
    "cut away": composites.cut_away,
    "see-through": composites.see_through,
    "glowing": composites.glowing,
}
#: One more entry of a channel: what lies below it, what it brings, its gain → its function and args.
_Step = Callable[[Node | None, Node, FromUniform], tuple[Unchecked, Fixed, tuple[Arg, ...]]]
_BARE = FromPoint("at_normal")
_VIEW = FromPoint("at_view")
_ONE = Literals((1.0,))
_FLAT = Literals((0.0, 0.0, 0.0))
_WHITE = Literals((1.0, 1.0, 1.0))
_NO_BACK = Literals((0.0, 0.0, 0.0, 0.0))
_SECOND = "surface/second"
#: What every material has, in the order in which it is built.
_ALL = (
    *("base", "emission", "opacity", "cut", "roughness", "metallic", "occlusion", "normal"),
    *("film", "refraction", "absorbed", "absorbed_at", "milk", "scattering", "background", "shadow"),
)


class _Kind(NamedTuple):
    """What two materials have to have in common for what they are made of to be mixed, and lit once."""

    composite: str
    lit: bool
    body: str
    filmed: bool
    capped: bool = False

    @property
    def clear(self) -> bool:
        """Whether it is a body that is looked through."""
        return self.body != "none"


class Look(Protocol):
    """A material, or two that are mixed: what it comes to before any light, by name."""

    place: str
    kind: _Kind

    def arg(self, name: str) -> Arg:
        """A number, a channel, or what light does on its way through."""


#: What a channel gives, and where nothing is said of a material beside its numbers.
_GIVES = {
    "base": COLOUR,
    "emission": COLOUR,
    "normal": DIRECTION,
    "absorbed": COLOUR,
    "milk": COLOUR,
    "background": COLOUR,
    "shadow": COLOUR,
    "cap": COLOUR,
    "cap_glow": COLOUR,
}


class Material:
    """One material: its channels, each built when first asked for."""

    def __init__(self, surface: "Surface", place: str, given: MaterialOf) -> None:
        self.surface, self.place, self.given = surface, place, given
        self.named = place.removeprefix("surface").removeprefix("/")
        self.known: dict[str, Arg] = {}
        filmed = not isinstance(given.film, int | float) or given.film > 0
        body = given.body if given.composite == "see-through" else "none"
        lit = given.lighting == "lit"
        capped = given.capped and given.composite == "cut away" and SHAPES[surface.effect.stage.shape].closed
        self.kind = _Kind(given.composite, lit, body, filmed and lit, capped)

    def channel_name(self, name: str) -> str:
        """A channel as the plan calls it: "base", "second/base"."""
        return f"{self.named}/{name}" if self.named else name

    def arg(self, name: str) -> Arg:
        if name not in self.known:
            made = getattr(self, f"_{name}", None)
            self.known[name] = made() if made else self.surface.number(f"{self.place}/{name}")
        return self.known[name]

    def entries(self, name: str) -> Sequence[Entry]:
        found: Sequence[Entry] = getattr(self.given.channels, name)
        return found

    def _lights(self, name: str, step: object, rest: Arg) -> Arg:
        entries = dict(enumerate(self.entries(name)))
        if name in ("base", "emission"):
            entries = self.surface.sounding(self.given.channels)[name]
        node = self.surface.colour_channel(self.channel_name(name), entries, step, rest)
        return FromNode(node, COLOUR) if node else rest

    def _base(self) -> Arg:
        return self._lights("base", composites.laid_over, _FLAT)

    def _emission(self) -> Arg:
        return self._lights("emission", composites.added, _FLAT)

    def _shadow(self) -> Arg:
        return self._lights("cast", composites.laid_over, _WHITE)

    def _measure(self, name: str, turned: bool = False) -> Arg:
        return self.surface.measure_channel(self.channel_name(name), self.entries(name), turned)

    def _roughness(self) -> Arg:
        return self._measure("roughness", self.given.gloss)

    def _metallic(self) -> Arg:
        return self._measure("metallic")

    def _mask(self, name: str) -> Arg:
        """The masks of a channel; 1 where there is none."""
        mask = self.surface.mask_channel(self.channel_name(name), self.entries(name))
        return FromNode(mask, VALUE) if mask else _ONE

    def _occlusion(self) -> Arg:
        return self._mask("occlusion")

    def _normal(self) -> Arg:
        node = self.surface.normal_channel(self.entries("normal"), self.channel_name("normal"))
        return FromNode(node, DIRECTION) if node else _BARE

    def _rest(self, name: str) -> Arg:
        """A number through the masks of its channel."""
        number, mask = self.surface.number(f"{self.place}/{name}"), self._mask(name)
        return self.surface.value(f"{self.place}/{name}", body.times, number, mask) if mask != _ONE else number

    def _opacity(self) -> Arg:
        return self._rest("opacity")

    def _film(self) -> Arg:
        return self._rest("film")

    def _scattering(self) -> Arg:
        return self._rest("scattering")

    def _refraction(self) -> Arg:
        mask, index = self._mask("refraction"), self.surface.number(f"{self.place}/refraction")
        if mask == _ONE:
            return index
        return self.surface.value(f"{self.place}/refraction", body.index_through, index, mask)

    def _absorbed(self) -> Arg:
        return self._lights("absorption", composites.laid_over, self.surface.number(f"{self.place}/absorbed"))

    def _background(self) -> Arg:
        gain = self.surface.number(f"{self.place}/background")
        by = self._lights("background", composites.multiplied, _WHITE)
        return (
            gain if by == _WHITE else self.surface.light(f"{self.place}/background", composites.seen_through, gain, by)
        )


class Front(NamedTuple):
    """Where one material passes into another: the mask between them, and the glow."""

    part: Arg
    glow: tuple[Arg, ...]


class Mixed:
    """Two materials of a kind, mixed by a mask."""

    def __init__(self, surface: "Surface", first: Look, second: Look, front: Front) -> None:
        self.surface, self.first, self.second, self.front = surface, first, second, front
        self.place, self.kind = first.place, first.kind
        self.known: dict[str, Arg] = {}

    def arg(self, name: str) -> Arg:
        if name not in self.known:
            made = self.surface.mixed(_GIVES.get(name, VALUE), self.first.arg(name), self.second.arg(name), self.front)
            self.known[name] = self.surface.with_front(made, self.front) if name == "emission" else made
        return self.known[name]


class Lined:
    """A material with the glow of the front, where it is lit by itself."""

    def __init__(self, surface: "Surface", of: Look, front: Front) -> None:
        self.surface, self.of, self.front, self.place, self.kind = surface, of, front, of.place, of.kind

    def arg(self, name: str) -> Arg:
        given = self.of.arg(name)
        return self.surface.with_front(given, self.front) if name == "emission" else given


#: How dull plain parts of a mesh are.
_DULL = 0.7


class _Cap:
    """What the cap of a cut-away body is made of: colours of its own, and else as the body is."""

    def __init__(self, of: Look) -> None:
        self.of, self.place, self.kind = of, f"{of.place}/cap", of.kind

    def arg(self, name: str) -> Arg:
        return self.of.arg({"base": "cap", "emission": "cap_glow"}.get(name, name))


class _Plain:
    """What plain parts of a mesh are made of."""

    kind = _Kind("solid", True, "none", False)

    def __init__(self, surface: "Surface", place: str) -> None:
        self.surface, self.place = surface, place

    def arg(self, name: str) -> Arg:
        return {"emission": _FLAT, "metallic": Literals((0.0,)), "occlusion": _ONE, "index": Literals((1.5,))}[name]


class Surface:
    """Builds the surface of an effect into its plan."""

    def __init__(self, parts: Parts, around: Surroundings, strands: Strands) -> None:
        self.effect, self.plan, self.nodes = parts.effect, parts.plan, parts.nodes
        self.uniforms, self.fault = parts.uniforms, parts.faults.fault
        self.around, self.strands = around, strands
        self.surface = parts.effect.surface
        self.value = parts.nodes.value

    def light(self, place: str, function: object, *args: Arg, fixed: Fixed = ()) -> Arg:
        return FromNode(self.nodes.add(place, COLOUR, function, fixed, args), COLOUR)

    def way(self, place: str, function: object, *args: Arg) -> Arg:
        return FromNode(self.nodes.add(place, DIRECTION, function, (), args), DIRECTION)

    def number(self, place: str) -> Arg:
        """A number of the surface, or what a strand gives in its place."""
        value, param = places.stands(self.effect, place), places.param_at(place)
        assert param is not None
        if isinstance(value, Feed):
            return self.strands.fed(value, param, place)
        return FromUniform(self.uniforms.number(value, param, place))

    def build(self) -> None:
        """Adds the surface's nodes; the plan's picture is the last of them."""
        first = Material(self, "surface", self.surface)
        far = self.number("surface/far")
        # All is built whatever it is, so that each channel can be looked at where it is set.
        for name in _ALL:
            first.arg(name)
        materials, front = [first], None
        given = self.surface.second
        source = self.entry(Entry(strand=given.strand, bead=given.bead), _SECOND) if given else None
        if given and source:
            materials.append(Material(self, _SECOND, given))
            for name in _ALL:
                materials[1].arg(name)
            numbers = tuple(self.number(f"{_SECOND}/{name}") for name in ("front", "front_gain", "front_width"))
            front = Front(FromNode(source, VALUE), numbers)
        raised = self.displaced(materials, front)
        look: Look = Mixed(self, materials[0], materials[1], front) if front else first
        self.plan.outputs = {
            "base": look.arg("base"),
            "emission": look.arg("emission"),
            "opacity": look.arg("opacity"),
            "roughness": look.arg("roughness"),
            "metallic": look.arg("metallic"),
            "normal": look.arg("normal"),
            "occlusion": look.arg("occlusion"),
            "displacement": raised,
            "film": look.arg("film"),
            "refraction": look.arg("refraction"),
            "absorption": look.arg("absorbed"),
            "scattering": look.arg("scattering"),
        }
        if front is None or len({m.kind for m in materials}) == 1:
            self.passed = self.lets_by(look)
            self.shown(self.finished(look), far)
            return
        self.plan.partly = True
        lets = (FromNode(self.lets_by(m), COLOUR) for m in materials)
        self.passed = self.nodes.add("surface/cast", COLOUR, blending.mixed_colour, (), (*lets, front.part))
        seen = [FromNode(self.finished(Lined(self, m, front)), None) for m in materials]
        self.shown(self.nodes.add("surface", None, composites.one_into_another, (), (*seen, front.part)), far)

    def mixed(self, gives: Signal, first: Arg, second: Arg, front: Front) -> Arg:
        """What the first material has where the mask is 0, and the second where it is 1."""
        if first == second:
            return first
        function = {
            VALUE: blending.mixed_value,
            COLOUR: blending.mixed_colour,
            DIRECTION: composites.normal_laid_over,
        }[gives]
        return FromNode(self.nodes.add(_SECOND, gives, function, (), (first, second, front.part)), gives)

    def with_front(self, glow: Arg, front: Front) -> Arg:
        """Emission with the glow of the front."""
        return self.light(_SECOND, composites.with_front, glow, front.part, *front.glow)

    def lets_by(self, look: Look) -> Node:
        """What it lets by of the key light."""
        tint: Arg = _WHITE
        if look.kind.clear:
            given = (look.arg("absorbed"), look.arg("absorbed_at"), Literals((0.5,)))
            tint = self.light("surface/cast", body.absorbed, *given)
        kind = (("composite", list(_COMPOSITES).index(look.kind.composite)),)
        args = (look.arg("opacity"), look.arg("cut"), tint, look.arg("shadow"))
        return self.nodes.add("surface/cast", COLOUR, cast.let_by, kind, args)

    def finished(self, look: Look) -> Node:
        """The picture of a material in the light of the stage."""
        place = f"{look.place}/light"
        base, opacity, normal = (look.arg(name) for name in ("base", "opacity", "normal"))
        facing = self.way(place, body.facing, normal, _VIEW, FromCamera("side"))
        within: Arg = Footprint(normal.node) if isinstance(normal, FromNode) else _FLAT
        dull = self.value(place, lighting.blurred_roughness, look.arg("roughness"), within)
        glaze: Arg = _FLAT
        own = self.light(place, body.shown_share, base, opacity) if look.kind.clear else base
        if look.kind.lit:
            light, glaze = self.lit(look, own, dull, facing)
        else:
            light = self.light(place, composites.self_lit, own, look.arg("emission"))
        if look.kind.clear:
            return self.clear(look, light, dull, facing, glaze)
        footprint: Arg = Literals((0.0,))
        if isinstance(opacity, FromNode) and look.kind.composite == "cut away":
            footprint = Footprint(opacity.node)
        args = (light, opacity, footprint, look.arg("cut"))
        made = self.nodes.add(look.place, None, _COMPOSITES[look.kind.composite], (), args)
        if look.kind.capped and isinstance(opacity, FromNode):
            return self.capped(_Cap(look), made, opacity)
        return made

    def capped(self, look: _Cap, body_of: Node, opacity: FromNode) -> Node:
        """A side of a cut-away body, and the cap that is seen where its near side is gone and its far one is not."""
        place, cut, back = look.place, look.arg("cut"), FromPoint("at_back")
        level = opacity.node

        def within(part: Arg) -> FromNode:
            """The offset to a part of the way through the body."""
            way = (_VIEW, FromPoint("at_distance"), back, part)
            return FromNode(self.nodes.add(place, COORDS, caps.deeper, (), way), COORDS)

        def level_at(offset: FromNode) -> FromNode:
            return FromNode(self.nodes.twin(level, self.deep(place, offset)), VALUE)

        left = level_at(within(_ONE))
        if left.node is level:
            # It is the same all the way through.
            return body_of
        self.plan.back = True
        passage = FromNode(self.nodes.add(place, None, caps.beginning, (), (FromNode(level, VALUE), left)), None)
        for _ in range(caps.HALVINGS):
            there = level_at(within(self.value(place, caps.middle, passage)))
            passage = FromNode(self.nodes.add(place, None, caps.narrowed, (), (passage, there, cut)), None)
        met = within(self.value(place, caps.crossed, passage, cut))
        beside = []
        for axis in range(3):
            step = Literals(tuple(caps.APART * (k == axis) for k in range(3)))
            moved = FromNode(self.nodes.add(place, COORDS, caps.place_in, (), (met, step, _ONE)), COORDS)
            beside.append(level_at(moved))
        normal = self.way(place, caps.cap_normal, level_at(met), *beside, _VIEW)
        light = self.light(place, composites.self_lit, look.arg("base"), look.arg("emission"))
        if look.kind.lit:
            rough = self.value(place, lighting.blurred_roughness, look.arg("roughness"), _FLAT)
            light = self.lit(look, look.arg("base"), rough, _BARE)[0]
        assert isinstance(light, FromNode)
        seen = self.nodes.twin(light.node, self.deep(place, met, normal=normal))
        args = (
            FromNode(body_of, None),
            FromNode(seen, COLOUR),
            left,
            Footprint(left.node),
            cut,
            back,
            FromCamera("side"),
        )
        return self.nodes.add(place, None, caps.capped, (), args)

    def deep(self, place: str, offset: FromNode, normal: Arg | None = None) -> Callable[[FromPoint], Arg]:
        """What is known of a point within the body, an offset in units of the stage from one of its surface."""
        size = FromCamera("size")
        given: dict[str, tuple[object, tuple[Arg, ...]]] = {
            "at_object": (caps.place_in, (offset, size)),
            "at_world": (caps.place_in, (offset, _ONE)),
            "at_box": (caps.box_in, (offset, size, FromPoint("at_box_size"))),
        }

        def elsewhere(point: FromPoint) -> Arg:
            if point.name == "at_normal" and normal is not None:
                return normal
            if point.name not in given:
                return point
            function, more = given[point.name]
            return FromNode(self.nodes.add(place, COORDS, function, (), (point, *more)), COORDS)

        return elsewhere

    def shown(self, made: Node, far: Arg) -> None:
        """The picture of a side. How strong the far one is, is read apart where that is one number; else it is laid
        on here."""
        if not isinstance(far, FromUniform) or far.uniform.made:
            param = places.param_at("surface/far")
            assert param is not None
            args = (FromNode(made, None), far, FromCamera("side"))
            made = self.nodes.add("surface", None, composites.far_faded, (), args)
            far = FromUniform(self.uniforms.number(None, param, "surface/far/rest"))
        self.plan.far = far.uniform
        self.plan.picture = self.around.past(self.worn(made))

    def worn(self, made: Node) -> Node:
        """The picture of the effect, and in its place the plain look of those parts of a mesh that do not wear it."""
        if not self.effect.stage.has_plain:
            return made
        place = "stage/mesh"
        facing = self.way(place, body.facing, _BARE, _VIEW, FromCamera("side"))
        plain = self.lit(_Plain(self, place), self.number("stage/plain"), Literals((_DULL,)), facing)[0]
        whole = self.nodes.add(place, None, composites.solid, (), (plain, _ONE, Literals((0.0,)), _ONE))
        share = self.value(place, composites.worn_at, FromPoint("at_colour"))
        pictures = (FromNode(whole, None), FromNode(made, None), share)
        return self.nodes.add(place, None, composites.one_into_another, (), pictures)

    def lit(self, look: Look, base: Arg, rough: Arg, facing: Arg) -> tuple[Arg, Arg]:
        """The light of a surface under lamps, sky and neighbours, and what it mirrors by colour."""
        place = f"{look.place}/light"
        emission, metal, kept, index = (look.arg(name) for name in ("emission", "metallic", "occlusion", "index"))
        lights = self.around.lights
        if self.around.kinds:
            kept = self.value(place, body.times, kept, self.around.open_to(facing))
        bare = self.way(place, body.facing, _BARE, _VIEW, FromCamera("side"))
        ray = self.way(place, body.mirrored, facing, _VIEW, bare)
        assert isinstance(ray, FromNode)
        around = self.around.mirrored(place, ray, rough)
        if self.around.kinds:
            spread = self.value(place, surroundings.cone_of, rough, FromCamera("pixel"), Footprint(ray.node))
            around = self.around.seen(FromPoint("at_world"), ray, spread, around, start=self.around.wide)
        if look.kind.filmed:
            given = (facing, _VIEW, look.arg("film"), look.arg("film_index"), base, metal, index, rough)
            mirrored = self.light(place, film.coated, *given)
        else:
            mirrored = self.light(place, lighting.mirror_of, base, rough, metal, index, facing, _VIEW)
        fallen = self.around.fallen(place, facing)
        args = (base, emission, rough, metal, kept, index, facing, _VIEW, mirrored, around, fallen, *lights)
        return self.light(place, lighting.lit, *args, fixed=(("coated", int(look.kind.filmed)),)), mirrored

    def displaced(self, materials: Sequence[Material], front: Front | None) -> Arg:
        """How far the shape is moved outwards at each point of it."""
        moved, self.plan.amount = self.moved_by(materials, front)
        self.plan.whole = all(m.given.whole for m in materials)
        if moved is None:
            return Literals((0.0,))
        place, apart = "surface/displacement", Literals((self.spacing,))
        signal = VALUE if moved.gives is VALUE else DIRECTION
        if self.effect.stage.has_plain:
            # Parts that do not wear the effect stay where they are.
            scaled: object = displacement.scaled_height if signal is VALUE else displacement.scaled_way
            share = self.value(place, composites.worn_at, FromPoint("at_colour"))
            moved = self.nodes.add(place, signal, scaled, (), (FromNode(moved, signal), share))
        amount = FromUniform(self.plan.amount)
        here, beside, beyond = (
            FromNode(n, signal) for n in (moved, *(self.nodes.moved(moved, apart, k) for k in range(2)))
        )
        if signal is VALUE:
            risen = (here, beside, beyond, amount, apart)
            self.plan.raised = self.nodes.add(place, None, displacement.risen, (), risen)
            return here
        pulled = (here, beside, beyond, amount, apart, _BARE, FromPoint("at_along_u"))
        self.plan.raised, self.plan.offset = self.nodes.add(place, None, displacement.pulled, (), pulled), moved
        return self.value(place, displacement.out_of, here, _BARE)

    def moved_by(self, materials: Sequence[Material], front: Front | None) -> tuple[Node | None, Uniform]:
        """What moves the shape, a height or a way, and the number that multiplies it: of two materials, each by its
        own before they are mixed."""
        each = [self.offset_of(m) for m in materials]
        amounts = [self.uniforms.number_at(f"{m.place}/displacement") for m in materials]
        if front is None or not any(each):
            return each[0], amounts[0]
        signal = VALUE if all(n is None or n.gives is VALUE for n in each) else DIRECTION
        ways: list[Arg] = []
        for node, amount in zip(each, amounts, strict=True):
            at: Arg = Literals((0.0,) * signal.size)
            if node is not None:
                at = FromNode(node, node.gives)
                if signal is DIRECTION and node.gives is VALUE:
                    at = self.way(_SECOND, displacement.outwards, at, _BARE)
                far = (at, FromUniform(amount))
                scaled: object = displacement.scaled_height if signal is VALUE else displacement.scaled_way
                at = FromNode(self.nodes.add(_SECOND, signal, scaled, (), far), signal)
            ways.append(at)
        mixed: object = blending.mixed_value if signal is VALUE else blending.mixed_colour
        made = self.nodes.add(_SECOND, signal, mixed, (), (*ways, front.part))
        param = places.param_at("surface/displacement")
        assert param is not None
        return made, self.uniforms.number(None, replace(param, default=(1.0,)), f"{_SECOND}/displaced")

    def offset_of(self, material: Material) -> Node | None:
        """What a material moves the shape by: a height along the normal, or a way."""
        how, entries = material.given.displaced, material.entries("displacement")
        name = material.channel_name("displacement")
        if how == "as colours say":
            return self.channel(name, entries, COLOUR, partial(self.farther, material))
        height = self.channel(name, entries, VALUE, self.higher)
        if height is None or how == "along the normal":
            return height
        way = material.arg("direction")
        if isinstance(way, FromNode) and way.node.gives is DIRECTION:
            way = FromNode(way.node, DIRECTION)
        given = (way, FromNode(height, VALUE))
        return self.nodes.add(f"{material.place}/displacement", DIRECTION, displacement.along_way, (), given)

    @staticmethod
    def higher(below: Node | None, source: Node, gain: FromUniform) -> tuple[Unchecked, Fixed, tuple[Arg, ...]]:
        """One more height."""
        first: Arg = FromNode(below, VALUE) if below else Literals((0.0,))
        return displacement.summed, (), (first, FromNode(source, VALUE), gain)

    def farther(
        self, material: Material, below: Node | None, source: Node, gain: FromUniform
    ) -> tuple[Unchecked, Fixed, tuple[Arg, ...]]:
        """One more way that points go: a value's is along the normal."""
        place = f"{material.place}/displacement"
        first: Arg = FromNode(below, COLOUR) if below else _FLAT
        if source.gives is VALUE:
            way: Arg = self.way(place, displacement.outwards, FromNode(source, VALUE), _BARE)
        else:
            way = FromNode(source, source.gives)
            if material.given.space == "of the surface":
                way = self.way(place, displacement.on_surface, way, _BARE, FromPoint("at_along_u"))
        return displacement.gathered, (), (first, way, gain)

    @property
    def spacing(self) -> float:
        """How far apart the vertices of the shape are."""
        try:
            return self.effect.stage.mesh_of().spacing
        except Refused:
            # That its file is missing is told elsewhere.
            return 0.01

    def clear(self, look: Look, light: Arg, rough: Arg, facing: Arg, glaze: Arg) -> Node:
        """A clear body over its far side and the bent scene."""
        place = f"{look.place}/through"
        index, tint, depth, opacity = (look.arg(n) for n in ("refraction", "absorbed", "absorbed_at", "opacity"))
        milk, veil, gain = (look.arg(n) for n in ("milk", "scattering", "background"))
        filled = look.kind.body == "filled"
        self.plan.layered = self.effect.surface.sides == "both"
        self.plan.back = self.plan.back or filled or self.plan.layered
        at_back: Arg = FromPoint("at_back") if filled else _NO_BACK
        world = FromPoint("at_world")
        inner = self.way(place, body.entering, facing, _VIEW, index)
        behind = self.around.behind_along(inner)
        closed = (("closed", int(filled and SHAPES[self.effect.stage.shape].closed)),)
        way = self.value(place, body.through_of, at_back, FromPoint("at_distance"), behind, fixed=closed)
        out: Arg = inner
        exit_at: Arg = world
        if filled:
            met = (at_back, FromPoint("at_distance"), behind)
            at_back = FromNode(self.nodes.add(place, None, body.back_reached, (), met), None)
            out = self.way(place, body.leaving, inner, at_back, index)
            exit_at = self.way(place, body.exit_of, world, inner, at_back, way)
        blurs = (rough, index, look.arg("blur"), FromCamera("pixel"))
        spread = self.value(place, body.blurred_by, *blurs, fixed=(("inside", int(filled)),))
        basis = (FromCamera("right"), FromCamera("up"), FromCamera("scale"))
        at = self.nodes.add(place, COORDS, body.place_on, (), (out, *basis))
        wide = self.value(place, body.blur_on, spread, FromCamera("pixel"), FromCamera("scale"))
        drop = self.around.drop(FromNode(at, COORDS), wide)
        scene = self.around.seen(exit_at, out, spread, drop, self.cast(exit_at, out, spread), self.around.wide)
        left = self.light(place, body.absorbed, tint, depth, way)
        args = (milk, veil, way, facing, *self.around.lights)
        veiled = FromNode(self.nodes.add(place, None, body.milk_of, (), args), None)
        far: Arg = _NO_BACK
        if self.plan.layered:
            # Where the bent line of sight meets the far side, unless something in the body is met before.
            own = FromPoint("at_back")
            length = self.value(place, body.far_off, own, FromPoint("at_distance"))
            end = self.way(place, body.exit_of, world, inner, own, length)
            seen = (end, FromCamera("eye"), *basis, FromCamera("pixel"), spread, length)
            spot = FromNode(self.nodes.add(place, COORDS, body.far_place, (), seen), COORDS)
            far = FromNode(self.nodes.add(place, None, pictures.around, (), (FromImage(FAR), spot)), None)
            there = self.value(place, body.met_far, own, inner, _VIEW)
            far = self.around.free(world, inner, end, length, far, there)
        given = (light, opacity, scene, far, left, veiled, gain, glaze, FromCamera("bare"))
        return self.nodes.add(look.place, None, body.clear, (), given)

    def cast(self, origin: Arg, direction: Arg, spread: Arg) -> Arg:
        """What the effect lets by of the key light to the neighbour where a ray ends; all where none is there."""
        shape, every = SHAPES[self.effect.stage.shape].cast, self.effect.stage.cast == "by every shape"
        if not self.around.kinds or not self.effect.stage.lamps.key.on:
            return _WHITE
        if every and (shape == cast.NO_CAST or self.plan.raised):
            return self.cast_from_lamp(origin, direction, spread)
        if shape == cast.NO_CAST:
            return _WHITE
        place, fixed = "surface/cast", (("shape", shape),)
        size = FromCamera("size")
        args = (origin, direction, spread, *self.around.forms, self.around.lights[0], size)
        point = self.nodes.add(place, None, cast.cast_point, (("kinds", self.around.kinds), *fixed), args)
        on: tuple[Arg, ...] = (FromNode(point, None),)
        made, stands = (
            FromNode(self.nodes.add(place, COORDS, cast.cast_place, (), (*on, by)), COORDS)
            for by in (Literals((1.0,)), size)
        )
        uv = FromNode(self.nodes.add(place, COORDS, cast.cast_uv, fixed, on), COORDS)
        there: dict[str, Arg] = {
            "at_uv": uv,
            "at_second_uv": uv,
            "at_box": FromNode(self.nodes.add(place, COORDS, cast.cast_box, fixed, on), COORDS),
            "at_object": made,
            "at_world": stands,
            "at_normal": FromNode(self.nodes.add(place, DIRECTION, cast.cast_normal, fixed, on), DIRECTION),
            "at_view": self.around.lights[0],
            "at_distance": Literals((10.0,)),
            "at_colour": Literals((1.0, 1.0, 1.0, 1.0)),
        }

        return self.light(place, cast.cast_by, *on, self.passed_at(there))

    def passed_at(self, there: dict[str, Arg]) -> Arg:
        """What the surface lets by at a point of which so much is known."""

        def elsewhere(point: FromPoint) -> Arg:
            size = POINTS[point.name]
            return there.get(point.name, point if point.name == "at_screen" else Literals((0.0,) * size))

        return FromNode(self.nodes.twin(self.passed, elsewhere), COLOUR)

    def cast_from_lamp(self, origin: Arg, direction: Arg, spread: Arg) -> Arg:
        """The same for any shape, by what the key lamp sees of it."""
        place, kinds, to = "surface/cast", (("kinds", self.around.kinds),), self.around.lights[0]
        assert isinstance(to, FromNode)
        self.plan.lamp = to.node
        self.plan.lamp_moves = self.plan.raised is not None or self.nodes.moving(to.node)
        layer = FromImage(Layer("light_layer", self.plan.lamp_moves))

        def whole(function: object, *args: Arg, fixed: Fixed = ()) -> Arg:
            return FromNode(self.nodes.add(place, None, function, fixed, args), None)

        lit = whole(cast.lit_place, origin, direction, spread, *self.around.forms, fixed=kinds)
        spot = whole(cast.lamp_spot, layer, lit, to, FromCamera("reach"))
        made, worn, bounds = (whole(cast.lamp_held, layer, spot, fixed=(("square", k),)) for k in range(3))
        object_, world = (
            FromNode(self.nodes.add(place, COORDS, cast.held_place, (), (made, size)), COORDS)
            for size in (_ONE, FromCamera("size"))
        )
        uv = FromNode(self.nodes.add(place, COORDS, cast.held_uv, (), (worn,)), COORDS)
        passed = self.passed_at(
            {
                "at_uv": uv,
                "at_second_uv": uv,
                "at_box": FromNode(self.nodes.add(place, COORDS, cast.held_place, (), (bounds, _ONE)), COORDS),
                "at_object": object_,
                "at_world": world,
                "at_normal": FromNode(self.nodes.add(place, DIRECTION, cast.held_normal, (), (worn,)), DIRECTION),
                "at_view": to,
                "at_distance": Literals((10.0,)),
                "at_colour": Literals((1.0, 1.0, 1.0, 1.0)),
            }
        )
        return self.light(place, cast.cast_worn, whole(cast.held_share, spot, bounds), passed)

    def sounding(self, channels: Channels) -> dict[str, dict[int, Entry]]:
        """The entries of base colour and emission of a material, by their place, that are to be heard."""
        base, glow = dict(enumerate(channels.base)), dict(enumerate(channels.emission))
        alone = [s.id for s in self.effect.strands if s.solo]
        if not alone:
            return {"base": base, "emission": glow}
        base = {i: e for i, e in base.items() if e.strand in alone}
        glow = {i: e for i, e in glow.items() if e.strand in alone}
        each = (m.channels for m in self.surface.materials.values())
        heard = {e.strand for c in each for e in (*c.base, *c.emission)}
        # A solo strand that feeds neither of any material glows by itself, so that it can be looked at.
        for k, strand in enumerate(s for s in alone if s not in heard and self.is_light(s)):
            glow[len(channels.emission) + k] = Entry(strand=strand)
        return {"base": base, "emission": glow}

    def is_light(self, strand: str) -> bool:
        end = self.strands.ends.get(strand)
        return end is not None and end.gives in (VALUE, COLOUR)

    def colour_channel(self, name: str, entries: dict[int, Entry], step: object, rest: Arg = _FLAT) -> Node | None:
        node: Node | None = None
        for i, entry in entries.items():
            place = f"surface/{name}/{i}"
            source = self.entry(entry, place)
            tint = self.uniforms.number(entry.tint, _TINT, f"{place}/tint")
            gain = self.uniforms.number(self.no_feed(entry.gain, place), _GAIN, f"{place}/gain")
            if source is None:
                continue
            below = FromNode(node, COLOUR) if node else rest
            args = (below, FromNode(source, COLOUR), FromUniform(tint), FromUniform(gain))
            node = self.nodes.add(place, COLOUR, step, (), args)
        if node:
            self.plan.channels[name] = node
        return node

    def mask_channel(self, name: str, entries: Sequence[Entry]) -> Node | None:
        """Masks that multiply."""

        def step(below: Node | None, source: Node, gain: FromUniform) -> tuple[Unchecked, Fixed, tuple[Arg, ...]]:
            first: Arg = FromNode(below, VALUE) if below else Literals((1.0,))
            return composites.let_through, (), (first, FromNode(source, VALUE), gain)

        return self.channel(name, entries, VALUE, step)

    def measure_channel(self, name: str, entries: Sequence[Entry], turned: bool = False) -> Arg:
        """Measures of 0..1 that lie over each other, and over what it is at rest."""
        least = self.number(f"surface/{name}")

        def step(below: Node | None, source: Node, gain: FromUniform) -> tuple[Unchecked, Fixed, tuple[Arg, ...]]:
            first: Arg = FromNode(below, VALUE) if below else least
            args = (first, FromNode(source, VALUE), gain)
            return composites.measure_laid_over, (("turned", int(turned)),), args

        node = self.channel(name, entries, VALUE, step)
        return FromNode(node, VALUE) if node else least

    def normal_channel(self, entries: Sequence[Entry], name: str = "normal") -> Node | None:
        """Normals that lie over each other, and over the bare surface's."""

        def step(below: Node | None, source: Node, gain: FromUniform) -> tuple[Unchecked, Fixed, tuple[Arg, ...]]:
            first: Arg = FromNode(below, DIRECTION) if below else _BARE
            return composites.normal_laid_over, (), (first, FromNode(source, DIRECTION), gain)

        return self.channel(name, entries, DIRECTION, step)

    def channel(self, name: str, entries: Sequence[Entry], signal: Signal, step: _Step) -> Node | None:
        """The entries of a channel one after another; None where none is heard."""
        node: Node | None = None
        for i, entry in enumerate(entries):
            place = f"surface/{name}/{i}"
            takes = {DIRECTION: (DIRECTION,), COLOUR: (VALUE, COLOUR, DIRECTION)}.get(signal, (VALUE, COLOUR))
            source = self.entry(entry, place, takes)
            gain = self.uniforms.number(self.no_feed(entry.gain, place), _GAIN, f"{place}/gain")
            if source is not None:
                function, fixed, args = step(node, source, FromUniform(gain))
                node = self.nodes.add(place, signal, function, fixed, args)
        if node:
            self.plan.channels[name] = node
        return node

    def no_feed(self, value: object, place: str) -> object:
        if isinstance(value, Feed):
            self.fault(f"{place}/gain", "a channel's gain takes a number or a motion; bring a strand in with a blend")
            return None
        return value

    def entry(self, entry: Entry, place: str, takes: tuple[Signal, ...] = (VALUE, COLOUR)) -> Node | None:
        if self.strands.is_muted(entry.strand):
            return None
        node = self.strands.reference(entry.strand, entry.bead, None, place)
        if node is not None and node.gives not in takes:
            assert node.gives is not None
            self.fault(place, f"this channel takes {listed(takes)}; that strand gives {A[node.gives]}")
            return None
        return node
