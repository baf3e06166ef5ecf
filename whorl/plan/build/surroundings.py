"""What is around a surface: lamps and sky, neighbours, backdrop and beacons, as nodes of a plan."""

from functools import cached_property

from whorl.beads.common import WRAP
from whorl.beads.spec import COLOUR, COORDS, DIRECTION, VALUE
from whorl.effect import places
from whorl.effect.document import Asset, Beacon
from whorl.effect.stage import FORMS, MOST_OBJECTS, Lamp, Placed
from whorl.fields import beacons, body, lighting, panorama, solids, surroundings
from whorl.images.library import library
from whorl.plan.build.parts import Parts
from whorl.plan.graph import (
    Arg,
    Footprint,
    FromCamera,
    FromImage,
    FromNode,
    FromPoint,
    FromSheet,
    FromUniform,
    Literals,
    Node,
    Picture,
    Uniform,
)

_DARK = Literals((0.0,) * 3)
_NONE = Literals((0.0,) * 4)


#: The numbers of each neighbour, in the order of `fields.surroundings.Neighbours`.
_FORMS = {
    "floor": ("colour", "height"),
    "wall": ("colour", "depth"),
    "post": ("colour", "foot", "tall", "radius"),
    "ball": ("colour", "centre", "radius"),
}


class Surroundings:
    """The surroundings of one effect; each part is made when it is first asked for."""

    def __init__(self, parts: Parts) -> None:
        self.effect, self.plan, self.nodes = parts.effect, parts.plan, parts.nodes
        self.uniforms, self.pictures, self.fault = parts.uniforms, parts.pictures, parts.faults.fault
        self.stage = parts.effect.stage
        self.frames: dict[str, Node] = {}

    # --- light ------------------------------------------------------------------------

    @cached_property
    def lights(self) -> tuple[Arg, ...]:
        """Where each lamp stands and its light, and the three colours of the sky; see `fields.lighting.Lights`."""
        number, out = self.uniforms.number_at, list[Arg]()
        for name in ("key", "fill", "rim"):
            lamp: Lamp = getattr(self.stage.lamps, name)
            place = f"stage/lamps/{name}"
            if not lamp.on:
                out += [Literals((0.0, 0.0, 1.0)), _DARK]
                continue
            out.append(FromNode(self.turned(place), DIRECTION))
            out.append(self.shone(number(f"{place}/colour"), number(f"{place}/strength"), place))
        strength = number("stage/sky/strength")
        if self.panorama:
            # What neighbours and milk have of it; the surface itself has all.
            for even in library.even_sky(self.panorama.hash):
                given = (Literals(even), FromUniform(strength))
                made = self.nodes.add("stage/sky", COLOUR, lighting.shone, (), given)
                out.append(FromNode(made, COLOUR))
            return tuple(out)
        for name in ("zenith", "horizon", "ground"):
            out.append(self.shone(number(f"stage/sky/{name}"), strength, "stage/sky"))
        return tuple(out)

    @cached_property
    def panorama(self) -> Picture | None:
        """The picture that gives the light from all round, where one does."""
        chosen = self.stage.sky.picture
        return self.pictures.picture(chosen, "around", "stage/sky/picture") if chosen else None

    @cached_property
    def _panorama_numbers(self) -> tuple[Arg, Arg]:
        number = self.uniforms.number_at
        return FromUniform(number("stage/sky/turn")), FromUniform(number("stage/sky/strength"))

    def from_panorama(self, place: str, direction: Arg, level: Arg) -> Arg:
        """The light of the panorama from around a direction."""
        assert self.panorama
        turn, strength = self._panorama_numbers
        given = (FromImage(self.panorama), FromSheet(self.panorama), direction, turn, level, strength)
        return FromNode(self.nodes.add(place, COLOUR, panorama.from_around, (), given), COLOUR)

    def mirrored(self, place: str, ray: FromNode, rough: Arg) -> Arg:
        """What facets of a roughness mirror from all round, past all neighbours."""
        if not self.panorama:
            made = self.nodes.add(place, COLOUR, lighting.mirrored_sky, (), (ray, rough, *self.lights))
            return FromNode(made, COLOUR)
        given = (rough, Footprint(ray.node))
        level = FromNode(self.nodes.add(place, VALUE, panorama.mirrored_level, (), given), VALUE)
        return self.from_panorama(place, ray, level)

    def fallen(self, place: str, normal: Arg) -> Arg:
        """The mean from all round that falls on a surface."""
        if self.panorama:
            return self.from_panorama(place, normal, Literals((panorama.MATTE,)))
        return FromNode(self.nodes.add(place, COLOUR, lighting.fallen_sky, (), (normal, *self.lights)), COLOUR)

    def turned(self, place: str) -> Node:
        """A direction by two angles."""
        angles = (self.uniforms.number_at(f"{place}/yaw"), self.uniforms.number_at(f"{place}/pitch"))
        return self.nodes.add(place, DIRECTION, lighting.lamp_direction, (), tuple(map(FromUniform, angles)))

    def shone(self, colour: Uniform, strength: Uniform, place: str) -> Arg:
        made = self.nodes.add(place, COLOUR, lighting.shone, (), (FromUniform(colour), FromUniform(strength)))
        return FromNode(made, COLOUR)

    # --- neighbours -------------------------------------------------------------------

    @property
    def kinds(self) -> int:
        """Which neighbours there are, as `fields.surroundings` counts them."""
        n = self.stage.neighbours
        laid = [(1 + (x.finish == "tiles")) * x.on for x in (n.floor, n.wall)]
        return laid[0] + 3 * laid[1] + 9 * n.post.on + 18 * n.ball.on + 36 * len(n.objects)

    @cached_property
    def forms(self) -> tuple[Arg, ...]:
        """All that `fields.surroundings.Neighbours` holds; nothing where there is none."""
        out = list[Arg]()
        for name, fields in _FORMS.items():
            on = getattr(self.stage.neighbours, name).on
            for field in fields:
                place = f"stage/neighbours/{name}/{field}"
                out.append(FromUniform(self.uniforms.number_at(place)) if on else self.nothing(place))
        seen = set[str]()
        for placed in self.stage.neighbours.objects:
            if placed.id in seen:
                words = f"two objects have the id '{placed.id}'; give one another"
                self.fault(f"stage/neighbours/objects/{placed.id}", words)
            seen.add(placed.id)
            out += self._object(placed)
        missing = MOST_OBJECTS - len(self.stage.neighbours.objects)
        return (*out, *(_DARK, _DARK, _NONE, _NONE) * missing)

    def _object(self, placed: Placed) -> tuple[Arg, ...]:
        """An object's colour, middle, turn and size."""
        place = f"stage/neighbours/objects/{placed.id}"
        number = {
            name: FromUniform(self.uniforms.number_at(f"{place}/{name}"))
            for name in ("colour", "position", "yaw", "pitch", "spin", "size")
        }
        angles = (number["yaw"], number["pitch"], number["spin"])
        turn = FromNode(self.nodes.add(place, None, solids.turn_of, (), angles), None)
        form = (("form", list(FORMS).index(placed.form)),)
        size = FromNode(self.nodes.add(place, None, solids.size_of, form, (number["size"],)), None)
        return number["colour"], number["position"], turn, size

    @staticmethod
    def nothing(place: str) -> Arg:
        """As many noughts as the number at a place has components."""
        param = places.param_at(place)
        assert param is not None
        return Literals((0.0,) * param.size)

    @cached_property
    def gap(self) -> Arg:
        """The distance to the nearest neighbour."""
        return self._measured(surroundings.gap, FromPoint("at_world"))

    @cached_property
    def behind(self) -> Arg:
        """How far it is to the next neighbour along the view."""
        sight = self.nodes.add("stage", DIRECTION, body.sent, (), (FromPoint("at_view"),))
        return self.behind_along(FromNode(sight, DIRECTION))

    def behind_along(self, direction: Arg) -> Arg:
        """How far it is to the next neighbour in a direction."""
        return self._measured(surroundings.behind, FromPoint("at_world"), direction)

    @cached_property
    def thickness(self) -> Arg:
        """How far it is to the shape's own far side, or to what lies behind."""
        self.plan.back = True
        args = (FromPoint("at_back"), FromPoint("at_distance"), self.behind)
        return FromNode(self.nodes.add("stage", VALUE, surroundings.thickness_of, (), args), VALUE)

    def _measured(self, function: object, *first: Arg) -> Arg:
        fixed = (("kinds", self.kinds),)
        return FromNode(self.nodes.add("stage", VALUE, function, fixed, (*first, *self.forms)), VALUE)

    def open_to(self, normal: Arg) -> Arg:
        """How much of the light from all round neighbours leave; all where there are none."""
        if not self.kinds:
            return Literals((1.0,))
        return self._measured(surroundings.open_to, FromPoint("at_world"), normal)

    @cached_property
    def wide(self) -> Arg:
        """Half of what a pixel covers of a surface that is seen straight on."""
        given = (FromPoint("at_distance"), FromCamera("pixel"))
        return FromNode(self.nodes.add("stage", VALUE, surroundings.covered, (), given), VALUE)

    def seen(
        self,
        origin: Arg,
        direction: Arg,
        spread: Arg,
        beyond: Arg,
        cast: Arg | None = None,
        start: Arg = Literals((0.0,)),
    ) -> Arg:
        """The light a ray brings from the neighbours, and from `beyond` past them."""
        if not self.kinds:
            return beyond
        args = (origin, direction, start, spread, beyond, cast or Literals((1.0, 1.0, 1.0)), *self.forms, *self.lights)
        return FromNode(self.nodes.add("stage", COLOUR, surroundings.seen, (("kinds", self.kinds),), args), COLOUR)

    def past(self, picture: Node) -> Node:
        """What is seen of the surface past the neighbours before it."""
        if not self.kinds:
            return picture
        sight = (FromPoint("at_world"), FromPoint("at_view"), FromPoint("at_distance"))
        camera = (FromCamera("eye"), FromCamera("pixel"))
        left = self._measured(surroundings.unhidden, *sight, *camera)
        self.plan.hidden = True
        args = (FromNode(picture, None), left, FromCamera("alone"))
        return self.nodes.add("surface", None, surroundings.uncovered, (), args)

    def free(self, start: Arg, direction: Arg, end: Arg, length: Arg, picture: Arg, share: Arg) -> Arg:
        """What of a share of a picture is seen at the end of a way past the neighbours along it."""
        left = share
        if self.kinds:
            back = FromNode(self.nodes.add("stage", DIRECTION, body.sent, (), (direction,)), DIRECTION)
            left = self._measured(surroundings.unhidden, end, back, length, start, FromCamera("pixel"))
            left = FromNode(self.nodes.add("stage", VALUE, body.times, (), (left, share)), VALUE)
        args = (picture, left, Literals((0.0,)))
        return FromNode(self.nodes.add("surface", None, surroundings.uncovered, (), args), None)

    # --- what lies behind everything --------------------------------------------------

    def drop(self, place: Arg, wide: Arg | None = None) -> Arg:
        """The backdrop's light at a place of the picture, averaged over what is `wide` there."""
        b, at = self.stage.backdrop, "stage/backdrop"
        if self.backdrop_picture:
            asset, picture = self.backdrop_picture
            aspect = Literals((asset.width / asset.height,))
            uv = self.nodes.add(at, COORDS, surroundings.backdrop_uv, (), (place, aspect))
            texel = self.pictures.look_up(at, picture, uv, Literals((0.0,)), WRAP.number("mirror"), False, wide)
            seen = self.nodes.add(at, COLOUR, surroundings.pictured, (), (texel, self.drop_colours[0]))
            return FromNode(seen, COLOUR)
        if b.kind == "surroundings" and self.panorama:
            way = (FromCamera("right"), FromCamera("up"), FromCamera("scale"))
            ray = FromNode(self.nodes.add(at, DIRECTION, body.looked, (), (place, *way)), DIRECTION)
            given = (wide or Literals((0.0,)), FromCamera("scale"))
            level = FromNode(self.nodes.add(at, VALUE, panorama.seen_level, (), given), VALUE)
            return self.from_panorama(at, ray, level)
        # Until a picture is chosen its colour stands for it.
        kind = {"checker": surroundings.CHECKER, "gradient": surroundings.GRADIENT}.get(b.kind, surroundings.PLAIN)
        args = (place, *self.drop_colours, wide or Literals((0.0,)))
        return FromNode(self.nodes.add(at, COLOUR, surroundings.backdrop, (("kind", kind),), args), COLOUR)

    @cached_property
    def backdrop_picture(self) -> tuple[Asset, Picture] | None:
        """What the backdrop shows, where that is a picture."""
        b = self.stage.backdrop
        if b.kind != "picture" or not b.picture:
            return None
        picture = self.pictures.picture(b.picture, "colour", "stage/backdrop/picture")
        if picture is None:
            return None
        return next(a for a in self.effect.assets if a.id == b.picture), picture

    @cached_property
    def drop_colours(self) -> tuple[Arg, Arg]:
        return (
            FromUniform(self.uniforms.number_at("stage/backdrop/colour")),
            FromUniform(self.uniforms.number_at("stage/backdrop/second")),
        )

    def picture(self, cast: Arg | None = None) -> Node:
        """All that lies behind the effect."""
        drop = self.drop(FromPoint("at_screen"))
        ray = FromPoint("at_ray")
        light = self.seen(FromCamera("eye"), ray, FromCamera("pixel"), drop, cast)
        return self.nodes.add("stage/backdrop", None, surroundings.framed, (), (light,))

    def behind_at(self, at: str, place: Arg, normal: Arg, index: Arg, blur: Arg) -> Node:
        """What lies behind the surface as it is seen at a place of the picture, bent and blurred."""
        way, add = (FromCamera("right"), FromCamera("up"), FromCamera("scale")), self.nodes.add
        straight = FromNode(add(at, DIRECTION, body.looked, (), (place, *way)), DIRECTION)
        origin = add(at, DIRECTION, body.looked_from, (), (FromCamera("eye"), straight, FromPoint("at_distance")))
        given = (straight, normal, FromPoint("at_view"), FromCamera("side"), index)
        bent = FromNode(add(at, DIRECTION, body.bent_behind, (), given), DIRECTION)
        spread = (Literals((0.0,)), index, blur, FromCamera("pixel"))
        cone = FromNode(add(at, VALUE, body.blurred_by, (("inside", 0),), spread), VALUE)
        wide = add(at, VALUE, body.blur_on, (), (cone, FromCamera("pixel"), FromCamera("scale")))
        on = add(at, COORDS, body.place_on, (), (bent, *way))
        drop = self.drop(FromNode(on, COORDS), FromNode(wide, VALUE))
        made = self.seen(FromNode(origin, DIRECTION), bent, cone, drop, start=self.wide)
        assert isinstance(made, FromNode)
        return add(at, COLOUR, None, (), (made,))

    # --- beacons ----------------------------------------------------------------------

    def measured_from(self, beacon: Beacon | None) -> Arg:
        """Coordinates from a beacon, y along its axis; from the middle, y up, where there is none."""
        if beacon is None:
            return FromPoint("at_world")
        if beacon.id not in self.frames:
            place = f"beacons/{beacon.id}"
            numbers = (self.uniforms.number_at(f"{place}/{name}") for name in ("position", "yaw", "pitch"))
            args: tuple[Arg, ...] = (FromPoint("at_world"), *map(FromUniform, numbers))
            self.frames[beacon.id] = self.nodes.add(place, COORDS, beacons.measured, (), args)
        return FromNode(self.frames[beacon.id], COORDS)
