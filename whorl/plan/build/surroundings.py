"""What is around a surface: lamps and sky, neighbours, backdrop and beacons, as nodes of a plan."""

from functools import cached_property

from whorl.beads.common import WRAP
from whorl.beads.spec import COLOUR, COORDS, DIRECTION, VALUE
from whorl.effect.document import Asset, Beacon
from whorl.effect.stage import Lamp
from whorl.fields import beacons, body, lighting, surroundings
from whorl.plan.build.maker import Maker
from whorl.plan.graph import (
    Arg,
    FromCamera,
    FromNode,
    FromPicture,
    FromPoint,
    FromUniform,
    Literals,
    Node,
    Picture,
    Uniform,
)

#: The lights in the order in which functions take them.
LIGHTS = ("key_to", "key", "fill_to", "fill", "rim_to", "rim", "zenith", "horizon", "ground")
_NONE = Literals((0.0,) * 4)
_DARK = Literals((0.0,) * 3)


class Surroundings:
    """The surroundings of one effect; each part is made when it is first asked for."""

    def __init__(self, maker: Maker) -> None:
        self.maker = maker
        self.stage = maker.effect.stage
        self.frames: dict[str, Node] = {}

    # --- light ------------------------------------------------------------------------

    @cached_property
    def lights(self) -> tuple[Arg, ...]:
        """Where each lamp stands and its light, and the three colours of the sky; see LIGHTS."""
        make, out = self.maker, list[Arg]()
        for name in ("key", "fill", "rim"):
            lamp: Lamp = getattr(self.stage.lamps, name)
            place = f"stage/lamps/{name}"
            if not lamp.on:
                out += [Literals((0.0, 0.0, 1.0)), _DARK]
                continue
            out.append(FromNode(self.turned(place), DIRECTION))
            out.append(self.shone(make.number_at(f"{place}/colour"), make.number_at(f"{place}/strength"), place))
        strength = make.number_at("stage/sky/strength")
        for name in LIGHTS[6:]:
            out.append(self.shone(make.number_at(f"stage/sky/{name}"), strength, "stage/sky"))
        return tuple(out)

    def turned(self, place: str) -> Node:
        """A direction by two angles."""
        angles = (self.maker.number_at(f"{place}/yaw"), self.maker.number_at(f"{place}/pitch"))
        return self.maker.add(place, DIRECTION, lighting.lamp_direction, (), tuple(map(FromUniform, angles)))

    def shone(self, colour: Uniform, strength: Uniform, place: str) -> Arg:
        made = self.maker.add(place, COLOUR, lighting.shone, (), (FromUniform(colour), FromUniform(strength)))
        return FromNode(made, COLOUR)

    # --- neighbours -------------------------------------------------------------------

    @property
    def kinds(self) -> int:
        """Which neighbours there are, as `fields.surroundings` counts them."""
        n = self.stage.neighbours
        laid = [(1 + (x.finish == "tiles")) * x.on for x in (n.floor, n.wall)]
        return laid[0] + 3 * laid[1] + 9 * n.post.on + 18 * n.ball.on

    @cached_property
    def forms(self) -> tuple[Arg, ...]:
        """Floor, wall, post and its skin, ball and its skin; nothing where there is none."""
        return (
            self.four("floor", "colour", "height"),
            self.four("wall", "colour", "depth"),
            self.four("post", "foot", "tall"),
            self.four("post", "colour", "radius"),
            self.four("ball", "centre", "radius"),
            self.four("ball", "colour", None),
        )

    def four(self, name: str, three: str, one: str | None) -> Arg:
        """Three numbers of a neighbour and a fourth."""
        if not getattr(self.stage.neighbours, name).on:
            return _NONE
        place = f"stage/neighbours/{name}"
        v = FromUniform(self.maker.number_at(f"{place}/{three}"))
        w: Arg = FromUniform(self.maker.number_at(f"{place}/{one}")) if one else Literals((0.0,))
        return FromNode(self.maker.add(place, None, surroundings.packed, (), (v, w)), None)

    @cached_property
    def gap(self) -> Arg:
        """The distance to the nearest neighbour."""
        return self._measured(surroundings.gap, FromPoint("at_world"))

    @cached_property
    def behind(self) -> Arg:
        """How far it is to the next neighbour along the view."""
        sight = self.maker.add("stage", DIRECTION, body.sent, (), (FromPoint("at_view"),))
        return self.behind_along(FromNode(sight, DIRECTION))

    def behind_along(self, direction: Arg) -> Arg:
        """How far it is to the next neighbour in a direction."""
        return self._measured(surroundings.behind, FromPoint("at_world"), direction)

    @cached_property
    def thickness(self) -> Arg:
        """How far it is to the shape's own far side, or to what lies behind."""
        self.maker.plan.back = True
        args = (FromPoint("at_back"), FromPoint("at_distance"), self.behind)
        return FromNode(self.maker.add("stage", VALUE, surroundings.thickness_of, (), args), VALUE)

    def _measured(self, function: object, *first: Arg) -> Arg:
        fixed = (("kinds", self.kinds),)
        return FromNode(self.maker.add("stage", VALUE, function, fixed, (*first, *self.forms[:5])), VALUE)

    def open_to(self, normal: Arg) -> Arg:
        """How much of the light from all round neighbours leave; all where there are none."""
        if not self.kinds:
            return Literals((1.0,))
        return self._measured(surroundings.open_to, FromPoint("at_world"), normal)

    @cached_property
    def wide(self) -> Arg:
        """Half of what a pixel covers of a surface that is seen straight on."""
        given = (FromPoint("at_distance"), FromCamera("pixel"))
        return FromNode(self.maker.add("stage", VALUE, surroundings.covered, (), given), VALUE)

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
        return FromNode(self.maker.add("stage", COLOUR, surroundings.seen, (("kinds", self.kinds),), args), COLOUR)

    def past(self, picture: Node) -> Node:
        """What is seen of the surface past the neighbours before it."""
        if not self.kinds:
            return picture
        sight = (FromPoint("at_world"), FromPoint("at_view"), FromPoint("at_distance"))
        camera = (FromCamera("eye"), FromCamera("pixel"))
        left = self._measured(surroundings.unhidden, *sight, *camera)
        self.maker.plan.hidden = True
        args = (FromNode(picture, None), left, FromCamera("alone"))
        return self.maker.add("surface", None, surroundings.uncovered, (), args)

    def free(self, start: Arg, direction: Arg, end: Arg, length: Arg, picture: Arg, share: Arg) -> Arg:
        """What of a share of a picture is seen at the end of a way past the neighbours along it."""
        left = share
        if self.kinds:
            back = FromNode(self.maker.add("stage", DIRECTION, body.sent, (), (direction,)), DIRECTION)
            left = self._measured(surroundings.unhidden, end, back, length, start, FromCamera("pixel"))
            left = FromNode(self.maker.add("stage", VALUE, body.times, (), (left, share)), VALUE)
        args = (picture, left, Literals((0.0,)))
        return FromNode(self.maker.add("surface", None, surroundings.uncovered, (), args), None)

    # --- what lies behind everything --------------------------------------------------

    def drop(self, place: Arg) -> Arg:
        """The backdrop's light at a place of the picture."""
        b, at = self.stage.backdrop, "stage/backdrop"
        if self.backdrop_picture:
            asset, picture = self.backdrop_picture
            aspect = Literals((asset.width / asset.height,))
            uv = self.maker.add(at, COORDS, surroundings.backdrop_uv, (), (place, aspect))
            texel = FromPicture(picture, uv, uv, None, Literals((0.0,)), WRAP.number("mirror"), False)
            seen = self.maker.add(at, COLOUR, surroundings.pictured, (), (texel, self.drop_colours[0]))
            return FromNode(seen, COLOUR)
        # Until a picture is chosen its colour stands for it.
        kind = {"checker": surroundings.CHECKER, "gradient": surroundings.GRADIENT}.get(b.kind, surroundings.PLAIN)
        args = (place, *self.drop_colours)
        return FromNode(self.maker.add(at, COLOUR, surroundings.backdrop, (("kind", kind),), args), COLOUR)

    @cached_property
    def backdrop_picture(self) -> tuple[Asset, Picture] | None:
        """What the backdrop shows, where that is a picture."""
        b = self.stage.backdrop
        if b.kind != "picture" or not b.picture:
            return None
        picture = self.maker.picture(b.picture, True, "stage/backdrop/picture")
        if picture is None:
            return None
        return next(a for a in self.maker.effect.assets if a.id == b.picture), picture

    @cached_property
    def drop_colours(self) -> tuple[Arg, Arg]:
        return (
            FromUniform(self.maker.number_at("stage/backdrop/colour")),
            FromUniform(self.maker.number_at("stage/backdrop/second")),
        )

    def picture(self, cast: Arg | None = None) -> Node:
        """All that lies behind the effect."""
        drop = self.drop(FromPoint("at_screen"))
        ray = FromPoint("at_ray")
        light = self.seen(FromCamera("eye"), ray, FromCamera("pixel"), drop, cast)
        return self.maker.add("stage/backdrop", None, surroundings.framed, (), (light,))

    # --- beacons ----------------------------------------------------------------------

    def measured_from(self, beacon: Beacon | None) -> Arg:
        """Coordinates from a beacon, y along its axis; from the middle, y up, where there is none."""
        if beacon is None:
            return FromPoint("at_world")
        if beacon.id not in self.frames:
            place = f"beacons/{beacon.id}"
            numbers = (self.maker.number_at(f"{place}/{name}") for name in ("position", "yaw", "pitch"))
            args: tuple[Arg, ...] = (FromPoint("at_world"), *map(FromUniform, numbers))
            self.frames[beacon.id] = self.maker.add(place, COORDS, beacons.measured, (), args)
        return FromNode(self.frames[beacon.id], COORDS)
