"""The surface of a plan: its channels, its light, how it composites and what is seen through it."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

from whorl.beads.spec import COLOUR, COORDS, DIRECTION, VALUE, Signal
from whorl.effect import places
from whorl.effect.described import param
from whorl.effect.surface import Channels, Entry, Second
from whorl.effect.value import Feed
from whorl.fields import blending, body, cast, displacement, film, lighting, pictures, surroundings
from whorl.fields import surface as composites
from whorl.plan.build.parts import A, Parts, listed
from whorl.plan.build.strands import Strands
from whorl.plan.build.surroundings import Surroundings
from whorl.plan.graph import (
    POINTS,
    Arg,
    Footprint,
    FromCamera,
    FromImage,
    FromNode,
    FromPoint,
    FromUniform,
    Literals,
    Node,
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


class _Look(NamedTuple):
    """What makes a surface look as it does."""

    base: Arg
    emission: Arg
    opacity: Arg
    rough: Arg
    metal: Arg
    occluded: Node | None
    normal: Node | None


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

    def number(self, name: str) -> Arg:
        """A number of the surface, or what a strand gives in its place."""
        place = f"surface/{name}"
        value, param = places.stands(self.effect, place), places.param_at(place)
        if isinstance(value, Feed) and param is not None:
            return self.strands.fed(value, param, place)
        return FromUniform(self.uniforms.number_at(place))

    def build(self) -> None:
        """Adds the surface's nodes; the plan's picture is the last of them."""
        surface, channels = self.surface, self.surface.channels
        clear = surface.composite == "see-through" and surface.body != "none"
        base_entries, glow_entries = self.sounding(channels)
        base = self.colour(self.colour_channel("base", base_entries, composites.laid_over))
        emission = self.colour(self.colour_channel("emission", glow_entries, composites.added))
        opacity = self.rest("opacity", channels.opacity)
        far = self.number("far")
        cut = self.number("cut")
        # Built whether lit or not, so that each can be looked at where it is set.
        rough = self.measure_channel("roughness", channels.roughness, surface.gloss)
        metal = self.measure_channel("metallic", channels.metallic)
        occluded = self.mask_channel("occlusion", channels.occlusion)
        normal = self.normal_channel(channels.normal)
        if surface.second:
            look = _Look(base, emission, opacity, rough, metal, occluded, normal)
            base, emission, opacity, rough, metal, occluded, normal = self.with_second(surface.second, look)
        filmed = self.rest("film", channels.film)
        raised = self.displaced(channels.displacement)
        through = self.through()
        self.plan.outputs = {
            "base": base,
            "emission": emission,
            "opacity": opacity,
            "roughness": rough,
            "metallic": metal,
            "normal": FromNode(normal, DIRECTION) if normal else _BARE,
            "occlusion": FromNode(occluded, VALUE) if occluded else _ONE,
            "displacement": raised,
            "film": filmed,
            "refraction": through[0],
            "absorption": through[1],
            "scattering": through[4],
        }
        shadow = self.colour_channel("cast", dict(enumerate(channels.cast)), composites.laid_over, _WHITE)
        tint = self.light("surface/cast", body.absorbed, through[1], through[2], Literals((0.5,))) if clear else _WHITE
        given = (opacity, cut, tint, FromNode(shadow, COLOUR) if shadow else _WHITE)
        kind = (("composite", list(_COMPOSITES).index(surface.composite)),)
        self.passed = self.nodes.add("surface/cast", COLOUR, cast.let_by, kind, given)
        bent = FromNode(normal, DIRECTION) if normal else _BARE
        facing = self.way("surface/light", body.facing, bent, _VIEW, FromCamera("side"))
        within: Arg = Footprint(normal) if normal else _FLAT
        dull = self.value("surface/light", lighting.blurred_roughness, rough, within)
        glaze: Arg = _FLAT
        own = base
        if clear:
            own = self.light("surface/light", body.shown_share, base, opacity)
        if surface.lighting == "lit":
            index = self.number("index")
            light, glaze = self.lit(own, emission, dull, metal, occluded, index, facing, filmed)
        else:
            light = self.light("surface/light", composites.self_lit, own, emission)
        if clear:
            self.shown(self.clear(light, opacity, dull, facing, glaze, through), far)
            return
        footprint: Arg = Literals((0.0,))
        if isinstance(opacity, FromNode) and surface.composite == "cut away":
            footprint = Footprint(opacity.node)
        args = (light, opacity, footprint, cut)
        self.shown(self.nodes.add("surface", None, _COMPOSITES[surface.composite], (), args), far)

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
        self.plan.picture = self.around.past(made)

    def with_second(self, second: Second, first: "_Look") -> "_Look":
        """Both surfaces, mixed by the mask between them, and the glow along its front."""
        place, channels = "surface/second", second.channels
        source = self.entry(Entry(strand=second.strand, bead=second.bead), place)
        if source is None:
            return first
        part = FromNode(source, VALUE)

        def lights(name: str, step: object) -> Arg:
            entries: Sequence[Entry] = getattr(channels, name)
            return self.colour(self.colour_channel(f"second/{name}", dict(enumerate(entries)), step))

        def measures(name: str, turned: bool = False) -> Arg:
            return self.measure_channel(f"second/{name}", getattr(channels, name), turned)

        base = self.light(place, blending.mixed_colour, first.base, lights("base", composites.laid_over), part)
        glow = self.light(place, blending.mixed_colour, first.emission, lights("emission", composites.added), part)
        front = [self.number(f"second/{name}") for name in ("front", "front_gain", "front_width")]
        glow = self.light(place, composites.with_front, glow, part, *front)
        over = self.mask_channel("second/opacity", channels.opacity)
        opacity = first.opacity
        if over:
            opacity = self.value(place, blending.mixed_value, opacity, FromNode(over, VALUE), part)
        rough = self.value(place, blending.mixed_value, first.rough, measures("roughness", second.gloss), part)
        metal = self.value(place, blending.mixed_value, first.metal, measures("metallic"), part)
        occluded, shut = first.occluded, self.mask_channel("second/occlusion", channels.occlusion)
        if occluded or shut:
            both = (FromNode(n, VALUE) if n else _ONE for n in (occluded, shut))
            occluded = self.nodes.add(place, VALUE, blending.mixed_value, (), (*both, part))
        normal, bent = first.normal, self.normal_channel(channels.normal, "second/normal")
        if normal or bent:
            ways = (FromNode(n, DIRECTION) if n else _BARE for n in (normal, bent))
            normal = self.nodes.add(place, DIRECTION, composites.normal_laid_over, (), (*ways, part))
        return _Look(base, glow, opacity, rough, metal, occluded, normal)

    def lit(
        self,
        base: Arg,
        emission: Arg,
        rough: Arg,
        metal: Arg,
        occluded: Node | None,
        index: Arg,
        facing: Arg,
        filmed: Arg,
    ) -> tuple[Arg, Arg]:
        """The light of a surface under lamps, sky and neighbours, and what it mirrors by colour."""
        place = "surface/light"
        lights = self.around.lights
        kept: Arg = FromNode(occluded, VALUE) if occluded else _ONE
        if self.around.kinds:
            kept = self.value(place, body.times, kept, self.around.open_to(facing))
        bare = self.way(place, body.facing, _BARE, _VIEW, FromCamera("side"))
        ray = self.way(place, body.mirrored, facing, _VIEW, bare)
        assert isinstance(ray, FromNode)
        around = self.around.mirrored(place, ray, rough)
        if self.around.kinds:
            spread = self.value(place, surroundings.cone_of, rough, FromCamera("pixel"), Footprint(ray.node))
            around = self.around.seen(FromPoint("at_world"), ray, spread, around, start=self.around.wide)
        if self.has_film:
            film_index = self.number("film_index")
            given = (facing, _VIEW, filmed, film_index, base, metal, index, rough)
            mirrored = self.light(place, film.coated, *given)
        else:
            mirrored = self.light(place, lighting.mirror_of, base, rough, metal, index, facing, _VIEW)
        fallen = self.around.fallen(place, facing)
        args = (base, emission, rough, metal, kept, index, facing, _VIEW, mirrored, around, fallen, *lights)
        return self.light(place, lighting.lit, *args, fixed=(("coated", int(self.has_film)),)), mirrored

    def displaced(self, entries: Sequence[Entry]) -> Arg:
        """How far the shape is moved outwards at each point of it."""
        amount, how = self.number("displacement"), self.surface.displaced
        self.plan.whole = self.surface.whole
        height = None if how == "as colours say" else self.channel("displacement", entries, VALUE, self.higher)
        offset = self.channel("displacement", entries, COLOUR, self.farther) if how == "as colours say" else None
        place = "surface/displacement"
        if height and how == "in a direction":
            way = self.number("direction")
            if isinstance(way, FromNode) and way.node.gives is DIRECTION:
                way = FromNode(way.node, DIRECTION)
            offset = self.nodes.add(place, DIRECTION, displacement.along_way, (), (way, FromNode(height, VALUE)))
        moved = offset or height
        if moved is None:
            return Literals((0.0,))
        apart = Literals((self.spacing,))
        signal = DIRECTION if offset else VALUE
        here, beside, beyond = (
            FromNode(n, signal) for n in (moved, *(self.nodes.moved(moved, apart, k) for k in range(2)))
        )
        if not offset:
            risen = (here, beside, beyond, amount, apart)
            self.plan.raised = self.nodes.add(place, None, displacement.risen, (), risen)
            return here
        pulled = (here, beside, beyond, amount, apart, _BARE, FromPoint("at_along_u"))
        self.plan.raised, self.plan.offset = self.nodes.add(place, None, displacement.pulled, (), pulled), offset
        return self.value(place, displacement.out_of, here, _BARE)

    @staticmethod
    def higher(below: Node | None, source: Node, gain: FromUniform) -> tuple[Unchecked, Fixed, tuple[Arg, ...]]:
        """One more height."""
        first: Arg = FromNode(below, VALUE) if below else Literals((0.0,))
        return displacement.summed, (), (first, FromNode(source, VALUE), gain)

    def farther(self, below: Node | None, source: Node, gain: FromUniform) -> tuple[Unchecked, Fixed, tuple[Arg, ...]]:
        """One more way that points go: a value's is along the normal."""
        place = "surface/displacement"
        first: Arg = FromNode(below, COLOUR) if below else _FLAT
        if source.gives is VALUE:
            way: Arg = self.way(place, displacement.outwards, FromNode(source, VALUE), _BARE)
        else:
            way = FromNode(source, source.gives)
            if self.surface.space == "of the surface":
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

    @property
    def has_film(self) -> bool:
        """Whether there is a film: one that is 0 and does not move is none."""
        rest = self.surface.film
        return not isinstance(rest, int | float) or rest > 0

    def through(self) -> tuple[Arg, ...]:
        """What light does on its way through: index, tint, depth, milk and its strength, background gain.

        Built whatever the composite, so that each channel can be looked at where it is set.
        """
        channels = self.surface.channels
        bend = self.mask_channel("refraction", channels.refraction)
        index = self.number("refraction")
        if bend:
            index = self.value("surface/refraction", body.index_through, index, FromNode(bend, VALUE))
        tint: Arg = self.number("absorbed")
        entries = dict(enumerate(channels.absorption))
        coloured = self.colour_channel("absorption", entries, composites.laid_over, tint)
        if coloured:
            tint = FromNode(coloured, COLOUR)
        depth = self.number("absorbed_at")
        milk: Arg = self.number("milk")
        veil = self.rest("scattering", channels.scattering)
        gain = self.number("background")
        by = self.colour_channel("background", dict(enumerate(channels.background)), composites.multiplied, _WHITE)
        if by:
            gain = self.light("surface/background", composites.seen_through, gain, FromNode(by, COLOUR))
        return index, tint, depth, milk, veil, gain

    def rest(self, name: str, entries: Sequence[Entry]) -> Arg:
        """A number of the surface through the masks of its channel."""
        number = self.number(name)
        mask = self.mask_channel(name, entries)
        return self.value(f"surface/{name}", body.times, number, FromNode(mask, VALUE)) if mask else number

    def clear(self, light: Arg, opacity: Arg, rough: Arg, facing: Arg, glaze: Arg, through: tuple[Arg, ...]) -> Node:
        """A clear body over its far side and the bent scene."""
        place = "surface/through"
        index, tint, depth, milk, veil, gain = through
        filled = self.surface.body == "filled"
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
        blurs = (rough, index, self.number("blur"), FromCamera("pixel"))
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
            far = FromNode(self.nodes.add(place, None, pictures.around, (), (FromImage(None), spot)), None)
            there = self.value(place, body.met_far, own, inner, _VIEW)
            far = self.around.free(world, inner, end, length, far, there)
        given = (light, opacity, scene, far, left, veiled, gain, glaze, FromCamera("bare"))
        return self.nodes.add("surface", None, body.clear, (), given)

    def cast(self, origin: Arg, direction: Arg, spread: Arg) -> Arg:
        """What the effect lets by of the key light to the neighbour where a ray ends; all where none is there."""
        shape = SHAPES[self.effect.stage.shape].cast
        if shape == cast.NO_CAST or not self.around.kinds or not self.effect.stage.lamps.key.on:
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
        there: dict[str, Arg] = {
            "at_uv": FromNode(self.nodes.add(place, COORDS, cast.cast_uv, fixed, on), COORDS),
            "at_box": FromNode(self.nodes.add(place, COORDS, cast.cast_box, fixed, on), COORDS),
            "at_object": made,
            "at_world": stands,
            "at_normal": FromNode(self.nodes.add(place, DIRECTION, cast.cast_normal, fixed, on), DIRECTION),
            "at_view": self.around.lights[0],
            "at_distance": Literals((10.0,)),
        }

        def elsewhere(point: FromPoint) -> Arg:
            size = POINTS[point.name]
            return there.get(point.name, point if point.name == "at_screen" else Literals((0.0,) * size))

        passed = FromNode(self.nodes.twin(self.passed, elsewhere), COLOUR)
        return self.light(place, cast.cast_by, *on, passed)

    def sounding(self, channels: Channels) -> tuple[dict[int, Entry], dict[int, Entry]]:
        """The entries of base colour and emission, by their place, that are to be heard."""
        base, glow = dict(enumerate(channels.base)), dict(enumerate(channels.emission))
        alone = [s.id for s in self.effect.strands if s.solo]
        if not alone:
            return base, glow
        base = {i: e for i, e in base.items() if e.strand in alone}
        glow = {i: e for i, e in glow.items() if e.strand in alone}
        heard = {e.strand for e in (*base.values(), *glow.values())}
        # A solo strand that feeds neither glows by itself, so that it can be looked at.
        for k, strand in enumerate(s for s in alone if s not in heard and self.is_light(s)):
            glow[len(channels.emission) + k] = Entry(strand=strand)
        return base, glow

    def is_light(self, strand: str) -> bool:
        end = self.strands.ends.get(strand)
        return end is not None and end.gives in (VALUE, COLOUR)

    @staticmethod
    def colour(node: Node | None) -> Arg:
        return FromNode(node, COLOUR) if node else _FLAT

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
        least = self.number(name)

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
