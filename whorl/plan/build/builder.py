"""From an effect to its plan: order, types, periods, uniforms, and every fault found on the way."""

from collections.abc import Callable, Sequence
from dataclasses import replace

from whorl.beads.catalogue import CATALOGUE
from whorl.beads.common import WRAP
from whorl.beads.spec import COLOUR, COORDS, DIRECTION, LISTS, VALUE, Bead, Numbers, Param, Signal
from whorl.effect import places
from whorl.effect.document import Beacon, Effect
from whorl.effect.problems import BadEffect, Problem, not_here
from whorl.effect.strands import Bead as OnStrand
from whorl.effect.strands import Strand
from whorl.effect.value import MOTIONS, Drift, Feed, Motion, Point, Stop, Sway
from whorl.fields import body, colour, directions
from whorl.images.library import library
from whorl.motion.values import fill
from whorl.plan.build.maker import A, listed
from whorl.plan.build.surface import SurfaceNodes
from whorl.plan.build.surroundings import LIGHTS, Surroundings
from whorl.plan.graph import (
    Arg,
    Footprint,
    FromCamera,
    FromNode,
    FromPeriod,
    FromPicture,
    FromPoint,
    FromUniform,
    Literals,
    Node,
    OfNode,
    Period,
    Picture,
    Plan,
    Uniform,
)
from whorl.shade import Unchecked

_INCOMING = ("below", "p")
_BARE = FromPoint("at_normal")
#: How far off neighbouring points are whose coordinates say which way these run, in units.
_NEAR = Literals((0.001,))
#: The phase of the turn, as a number in motion.
PHASE = Param("phase", "Where the turn is.", (0.0,), wrap=1.0)


def build(effect: Effect) -> Plan:
    """The plan of an effect. Raises BadEffect with every problem there is."""
    builder = _Builder(effect)
    plan = builder.build()
    if builder.problems:
        raise BadEffect(builder.problems)
    return plan


#: How what is known of a surface point changes to that of a point beside it.
_MOVED: dict[str, Unchecked] = {
    "at_uv": directions.moved_uv,
    "at_object": directions.moved_position,
    "at_world": directions.moved_position,
    "at_box": directions.moved_box,
}


_LOWERED: dict[str, Unchecked] = {
    "at_uv": body.lowered_uv,
    "at_object": body.lowered_place,
    "at_world": body.lowered_place,
    "at_box": body.lowered_box,
}


class _Fault(Exception):
    """A bead that cannot be planned; what is wrong has been said."""


class _Builder:
    def __init__(self, effect: Effect) -> None:
        self.effect = effect
        self.plan = Plan(effect)
        self.problems: list[Problem] = []
        self.ends: dict[str, Node | None] = {}
        self.plain: dict[object, int] = {}
        self.stepped: set[int] = set()
        self.places: dict[object, Node] = {}
        self.all_strands = {s.id: s for s in effect.strands}
        self.around = Surroundings(self)

    def fault(self, place: str, words: str) -> None:
        self.problems.append(Problem(place=place, words=words))

    def build(self) -> Plan:
        seen: set[str] = set()
        for strand in self.effect.strands:
            place = f"strands/{strand.id}"
            if strand.id in seen:
                self.fault(place, f"two strands have the id '{strand.id}'; give one another")
                continue
            seen.add(strand.id)
            self.strand(strand, place)
        mesh = self.effect.stage.mesh
        if self.effect.stage.shape == "mesh" and mesh and not library.has(mesh.hash):
            self.fault("stage/mesh", not_here(mesh.name))
        surface = SurfaceNodes(self, self.around)
        surface.build()
        self.plan.scene = len(self.plan.nodes)
        ray = FromPoint("at_ray")
        self.plan.backdrop = self.around.picture(surface.cast(FromCamera("eye"), ray))
        return self.plan

    # --- strands ----------------------------------------------------------------------

    def strand(self, strand: Strand, place: str) -> None:
        self.ends[strand.id] = None
        below: Node | None = None
        ids: set[str] = set()
        broken = False
        for i, bead in enumerate(strand.beads):
            at = f"{place}/{bead.id}"
            if bead.id in ids:
                self.fault(at, f"two beads of this strand have the id '{bead.id}'; give one another")
                broken = True
            ids.add(bead.id)
            spec = CATALOGUE.get(bead.kind)
            if spec is None:
                self.fault(at, f"there is no kind of bead called '{bead.kind}'")
                broken = True
                continue
            try:
                node = self.bead(strand, bead, spec, at, below, i == 0, broken)
            except _Fault:
                broken = True
                continue
            if not broken:
                below = node
                self.plan.beads[f"{strand.id}/{bead.id}"] = node
        self.ends[strand.id] = None if broken else below

    def bead(
        self,
        strand: Strand,
        bead: OnStrand,
        spec: Bead,
        at: str,
        below: Node | None,
        first: bool,
        broken: bool,
    ) -> Node:
        before = len(self.problems)
        settings = self.settings(bead, spec, at)
        for name in bead.params:
            if spec.param(name) is None:
                known = ", ".join(p.name for p in spec.inputs) or "none"
                self.fault(f"{at}/{name}", f"{spec.kind} has no param '{name}'; it has {known}")
        incoming: dict[str, Arg] = {p.name: self.param(strand, bead, p, at) for p in spec.inputs}
        if first and not spec.is_source:
            self.fault(
                at, f"a strand starts with a source; {spec.kind} takes {listed(spec.takes)}, so put one before it"
            )
        if not first and spec.is_source:
            self.fault(at, f"{spec.title or spec.kind} starts a strand; it cannot stand behind another bead")
        if first and bead.muted:
            self.fault(at, "what starts a strand cannot be muted; mute the strand")
        if broken or len(self.problems) > before:
            raise _Fault
        if below is not None and (bead.muted or self.brings_muted(bead, spec)):
            # Another name for what comes in, as a tap is.
            assert below.gives is not None
            return self.add(at, below.gives, None, (), (FromNode(below, below.gives),), below.period)
        brought = incoming.get(spec.brings.name) if spec.brings else None
        if spec.kind == "tap":
            if not isinstance(brought, FromNode):
                self.fault(f"{at}/from", "a tap needs the strand, or the bead of one, that it goes on from")
                raise _Fault
            tapped = brought.node
            return self.add(at, tapped.gives, None, (), (FromNode(tapped, tapped.gives or VALUE),), tapped.period)
        signals: list[Signal] = []
        if below is not None:
            assert below.gives is not None
            if below.gives not in spec.accepts:
                self.fault(at, f"{spec.kind} takes {listed(spec.takes)}; what comes in is {A[below.gives]}")
                raise _Fault
            signals.append(below.gives)
        if isinstance(brought, FromNode):
            assert brought.node.gives is not None
            signals.append(brought.node.gives)
        gives = spec.result(settings, signals)
        if spec.kind == "parallax" and below is not None:
            return self.lowered(below, incoming, int(settings["steps"]), at)
        node = self.call(spec, settings, incoming, below, gives, at)
        if spec.stepped(settings):
            self.stepped.add(node.index)
        return node

    def brings_muted(self, bead: OnStrand, spec: Bead) -> bool:
        value = bead.params.get(spec.brings.name) if spec.brings else None
        return isinstance(value, Feed) and self.is_muted(value.strand)

    def is_muted(self, strand: str) -> bool:
        return strand in self.all_strands and self.all_strands[strand].muted

    def call(
        self,
        spec: Bead,
        settings: dict[str, str | int | bool],
        incoming: dict[str, Arg],
        below: Node | None,
        gives: Signal,
        at: str,
    ) -> Node:
        function = spec.function(gives)
        names = {p.name: p.type.size for p in function.tree.params}
        if below is not None and below.gives is COLOUR and names.get("below") == 1:
            below = self.add(at, VALUE, colour.luminance, (), (FromNode(below, COLOUR),))
        fixed = tuple(
            (p.name, setting.number(settings[p.name]))
            for p in function.tree.params
            if p.fixed and (setting := spec.setting(p.name))
        )
        came_with = below.period if below else None
        args: list[Arg] = []
        for p in function.tree.params:
            if p.fixed:
                continue
            wanted = VALUE if p.type.size == 1 else COLOUR
            if p.name in _INCOMING:
                assert below is not None and below.gives is not None
                args.append(FromNode(below, below.gives if below.gives in (COORDS, DIRECTION) else wanted))
            elif p.name == "period":
                args.append(FromPeriod(came_with))
            elif p.name == "footprint" or p.name.endswith("_footprint"):
                of = below if p.name == "footprint" else _node(incoming[p.name.removesuffix("_footprint")])
                args.append(self.footprint(of, p.type.size, settings, at))
            elif p.name in ("beside", "beyond"):
                assert below is not None
                moved = self.moved(below, incoming.get("distance", _NEAR), int(p.name == "beyond"))
                args.append(FromNode(moved, below.gives if below.gives is COORDS else VALUE))
            elif p.name == "texel":
                assert below is not None
                args.append(self.texel(settings, below, incoming["detail"], at))
            elif p.name == "at_phase":
                args.append(FromUniform(self.phase()))
            elif p.name in ("at_gap", "at_behind", "at_thickness"):
                args.append(getattr(self.around, p.name.removeprefix("at_")))
            elif p.name.removeprefix("at_") in LIGHTS:
                args.append(self.around.lights[LIGHTS.index(p.name.removeprefix("at_"))])
            elif p.name == "at_beacon":
                args.append(self.around.measured_from(self.beacon(str(settings["beacon"]), at)))
            elif p.name.startswith("at_"):
                args.append(FromPoint(p.name))
            else:
                arg = incoming[p.name]
                if isinstance(arg, FromNode):
                    arg = FromNode(arg.node, DIRECTION if arg.node.gives is DIRECTION else wanted)
                elif isinstance(arg, FromUniform) and arg.uniform.param.size < p.type.size and p.type.size == 3:
                    arg = FromUniform(arg.uniform, COLOUR)
                args.append(arg)
        period = self.period(spec, settings, incoming, came_with) if gives is COORDS else None
        return self.add(at, gives, function, fixed, tuple(args), period)

    def footprint(self, node: Node | None, size: int, settings: dict[str, str | int | bool], at: str) -> Arg:
        """How much a node changes from pixel to pixel; nothing where edges are to be hard."""
        if node is None or settings.get("edges") == "hard" or node.index in self.stepped:
            # What jumps from piece to piece changes in none of them: a pixel on the border is on one side.
            return Literals((0.0,) * size)
        if size == 1 and node.gives is COLOUR:
            node = self.add(at, VALUE, colour.luminance, (), (FromNode(node, COLOUR),))
        return Footprint(node, node.period if node.gives is COORDS else None)

    def texel(self, settings: dict[str, str | int | bool], below: Node, detail: Arg, at: str) -> Arg:
        """What a bead's picture holds; before one is chosen, a flat middle."""
        chosen = str(settings["picture"])
        if not chosen:
            return Literals((0.5, 0.5, 1.0, 1.0))
        use = settings.get("encoding", "data")
        # Colour is looked at, so it is written in sRGB; a channel by itself, or a normal, is a measure.
        srgb = use == "sRGB" or (use == "by use" and settings["take"] in ("colour", "luminance"))
        picture = self.picture(chosen, srgb, f"{at}/picture")
        if picture is None:
            raise _Fault
        wrap = WRAP.number(settings["wrap"])
        return FromPicture(picture, below, below, below.period, detail, wrap, settings["filter"] == "blocks")

    def picture(self, asset: str, srgb: bool, place: str) -> Picture | None:
        found = next((a for a in self.effect.assets if a.id == asset), None)
        if found is None:
            self.fault(place, f"the effect has no picture '{asset}'; choose one that is there")
            return None
        if not library.has(found.hash):
            self.fault(place, not_here(found.name))
            return None
        known = next((p for p in self.plan.pictures if (p.hash, p.srgb) == (found.hash, srgb)), None)
        if known is None:
            known = Picture(f"picture_{len(self.plan.pictures)}", found.hash, srgb)
            self.plan.pictures.append(known)
        return known

    def beacon(self, chosen: str, at: str) -> Beacon | None:
        """The beacon a bead is measured from: the one that is named, or else the first."""
        known = self.effect.beacons
        if not chosen:
            return known[0] if known else None
        found = next((b for b in known if b.id == chosen), None)
        if found is None:
            self.fault(f"{at}/beacon", f"the effect has no beacon '{chosen}'; choose one that is there")
            raise _Fault
        return found

    def phase(self) -> Uniform:
        """The phase of the turn as a number in motion; one serves the whole effect."""
        known = next((u for u in self.plan.uniforms if u.param is PHASE), None)
        if known is None:
            drift = Drift(motion="drift", cycles=1.0, base=0.0)
            known = Uniform(f"u{len(self.plan.uniforms)}", "turn/phase", PHASE, (0.0,), drift)
            self.plan.uniforms.append(known)
        return known

    # --- neighbouring points ----------------------------------------------------------

    def twin(self, node: Node, elsewhere: Callable[[FromPoint], Arg], beside: bool = False) -> Node:
        """The node once more, as it would be where the surface point is another.

        Where that is only `beside`, as much changes from pixel to pixel as here: a difference of the
        two shall tell of the field alone, and not of how finely it is looked at.
        """
        twins: dict[int, Node] = {}

        def arg(a: Arg) -> Arg:
            if isinstance(a, Footprint) and beside:
                return a
            if isinstance(a, FromPicture):
                span = a.span if beside else twins.get(a.span.index, a.span)
                return replace(a, node=twins.get(a.node.index, a.node), span=span)
            if isinstance(a, OfNode):
                return replace(a, node=twins.get(a.node.index, a.node))
            return elsewhere(a) if isinstance(a, FromPoint) else a

        for n in self.plan.needed(node):
            args = tuple(map(arg, n.args))
            if args != n.args:
                twins[n.index] = self.add(n.place, n.gives, n.function, n.fixed, args, n.period)
        return twins.get(node.index, node)

    def moved(self, node: Node, distance: Arg, second: int) -> Node:
        """The node once more, as it would be a distance away on the surface: one way or square to it."""

        def beside(point: FromPoint) -> Arg:
            if point.name not in _MOVED:
                return point
            key = (point.name, distance, second)
            if key not in self.places:
                function = _MOVED[point.name]
                args = [
                    point if p.name == "at" else distance if p.name == "distance" else FromPoint(p.name)
                    for p in function.tree.params
                    if not p.fixed
                ]
                self.places[key] = self.add(node.place, COORDS, function, (("second", second),), tuple(args))
            return FromNode(self.places[key], COORDS)

        return self.twin(node, beside, beside=True)

    def lowered(self, below: Node, given: dict[str, Arg], steps: int, at: str) -> Node:
        """Coordinates as they are where the line of sight comes to a depth, or meets a height, below the surface."""
        seen = (_BARE, FromPoint("at_view"), FromCamera("side"), given["index"], given["grazing"])
        ray = FromNode(self.add(at, DIRECTION, body.sight_below, (), seen), DIRECTION)
        depth, height = given["depth"], given["height"]
        if not isinstance(height, FromNode):
            # One height all over is one depth.
            reached = self.add(at, VALUE, body.flat_depth, (), (height,))
            return self.at_offset(below, ray, depth, FromNode(reached, VALUE), at)
        fixed = (("steps", steps),)
        known: Arg = Literals((2.0,))
        last: tuple[Arg, Arg] = (Literals((0.0,)), height)
        for i in range(1, steps + 1):
            share = Literals((i / steps,))
            args = (ray, depth, share, given["jitter"], FromPoint("at_screen"))
            offset = FromNode(self.add(at, DIRECTION, body.depth_step, fixed, args), DIRECTION)
            there = FromNode(self.twin(height.node, self.by_offset(offset, at)), height.wanted)
            met = (known, last[0], there, last[1], share)
            known = FromNode(self.add(at, VALUE, body.reached_depth, (), met), VALUE)
            last = (share, there)
        return self.at_offset(below, ray, depth, known, at)

    def at_offset(self, below: Node, ray: Arg, depth: Arg, reached: Arg, at: str) -> Node:
        offset = FromNode(self.add(at, DIRECTION, body.depth_offset, (), (ray, depth, reached)), DIRECTION)
        twin = self.twin(below, self.by_offset(offset, at))
        return self.add(at, COORDS, None, (), (FromNode(twin, COORDS),), below.period)

    def by_offset(self, offset: Arg, at: str) -> Callable[[FromPoint], Arg]:
        """What is known of a surface point, an offset away from it."""

        def elsewhere(point: FromPoint) -> Arg:
            function = _LOWERED.get(point.name)
            if function is None:
                return point
            args = tuple(
                point if p.name == "at" else offset if p.name == "offset" else FromPoint(p.name)
                for p in function.tree.params
            )
            key = (point.name, offset)
            if key not in self.places:
                self.places[key] = self.add(at, COORDS, function, (), args)
            return FromNode(self.places[key], COORDS)

        return elsewhere

    def period(
        self, spec: Bead, settings: dict[str, str | int | bool], incoming: dict[str, Arg], came_with: Period | None
    ) -> Period:
        rule = spec.period
        assert rule is not None
        name = f"q{len(self.plan.nodes)}"
        args: list[Arg] = []
        for p in rule.tree.params:
            if p.fixed:
                continue
            arg: Arg = FromPeriod(came_with) if p.name == "period" else incoming[p.name]
            if isinstance(arg, FromNode):
                # What differs from pixel to pixel leaves nothing that repeats.
                return Period(name, None)
            args.append(arg)
        fixed = tuple(
            (p.name, setting.number(settings[p.name]))
            for p in rule.tree.params
            if p.fixed and (setting := spec.setting(p.name))
        )
        return Period(name, rule, fixed, tuple(args))

    def settings(self, bead: OnStrand, spec: Bead, at: str) -> dict[str, str | int | bool]:
        out: dict[str, str | int | bool] = {s.name: s.default for s in spec.settings}
        for name, value in bead.settings.items():
            setting = spec.setting(name)
            where = f"{at}/{name}"
            if setting is None:
                known = ", ".join(s.name for s in spec.settings) or "none"
                self.fault(where, f"{spec.kind} has no setting '{name}'; it has {known}")
            elif setting.kind in ("picture", "beacon") and not isinstance(value, str):
                self.fault(where, f"a {setting.kind} is named by its id, not {value!r}")
            elif setting.kind == "choice" and str(value) not in setting.options:
                self.fault(where, f"'{value}' is not one of {', '.join(setting.options)}")
            elif setting.kind == "switch" and not isinstance(value, bool):
                self.fault(where, f"{name} is true or false, not {value!r}")
            elif setting.kind == "whole" and (isinstance(value, bool) or not isinstance(value, int)):
                self.fault(where, f"{name} is a whole number, not {value!r}")
            elif setting.kind == "whole" and not setting.low <= int(value) <= setting.high:
                self.fault(where, f"{name} goes from {setting.low} to {setting.high}, not {value}")
            else:
                out[name] = value
        return out

    # --- numbers ----------------------------------------------------------------------

    def param(self, strand: Strand, bead: OnStrand, param: Param, at: str) -> Arg:
        value = bead.params.get(param.name)
        where = f"{at}/{param.name}"
        if isinstance(value, Feed):
            if param.feed is None:
                self.fault(where, f"{param.name} is one number for the whole picture and takes no strand")
                return Literals((0.0,) * param.size)
            node = self.reference(value.strand, value.bead, strand.id, where)
            if node is None:
                return Literals((0.0,) * param.size)
            assert node.gives is not None
            if bead.kind != "tap" and self.is_muted(value.strand):
                return FromUniform(self.number(None, param, where)) if param.type != "direction" else _BARE
            fitting = _fed_by(param)
            if bead.kind != "tap" and node.gives not in fitting:
                self.fault(where, f"{param.name} takes {listed(fitting)}; that strand gives {A[node.gives]}")
            return FromNode(node, param.feed)
        if param.type == "direction":
            if value is not None:
                self.fault(where, f"{param.name} takes a strand that gives a direction, not a number")
            return _BARE
        return FromUniform(self.number(value, param, where))

    def number_at(self, place: str) -> Uniform:
        param = places.param_at(place)
        assert param is not None
        return self.number(places.stands(self.effect, place), param, place)

    def number(self, value: object, param: Param, place: str) -> Uniform:
        name = f"u{len(self.plan.uniforms)}"
        numbers, motion = self.numbers(value, param, place), None
        if isinstance(value, MOTIONS):
            motion = value
            self.moving(motion, param, place)
        uniform = Uniform(name, place, param, numbers, motion)
        self.plan.uniforms.append(uniform)
        return uniform

    def numbers(self, value: object, param: Param, place: str) -> Numbers:
        if param.type in LISTS:
            return self.points(value, param, place)
        default: Numbers = tuple(param.default)  # type: ignore[arg-type]
        if value is None or isinstance(value, MOTIONS):
            return default
        if isinstance(value, tuple) and value and isinstance(value[0], Stop | Point):
            self.fault(place, f"{param.name} takes numbers, not a list of stops or points")
            return default
        if not isinstance(value, int | float | tuple):
            self.fault(place, f"{param.name} takes a number")
            return default
        count = 1 if isinstance(value, int | float) else len(value)
        if count > param.size or (param.type == "colour" and count != 3):
            self.fault(place, f"{param.name} takes {param.size} number{'s' * (param.size > 1)}, not {count}")
            return default
        given = fill(value, default)
        for x in given:
            if not param.hard[0] <= x <= param.hard[1]:
                self.fault(place, f"{param.name} goes from {param.hard[0]:g} to {param.hard[1]:g}, not {x:g}")
                break
        return tuple(float(round(x)) for x in given) if param.whole else given

    def points(self, value: object, param: Param, place: str) -> Numbers:
        """The rows of a table: three components and, last, a place."""
        rows: Sequence[Sequence[float]] = param.default  # type: ignore[assignment]
        wanted = Stop if param.type == "stops" else Point
        if isinstance(value, tuple) and value and isinstance(value[0], wanted):
            # They may be written in any order; the program walks along them.
            rows = [_row(p) for p in sorted(value, key=lambda p: p.at)]
        elif value is not None:
            each = "stops, each with 'at' and 'colour'" if wanted is Stop else "points, each with 'at' and 'value'"
            self.fault(place, f"{param.name} takes a list of {each}, and does not move")
        full = [*rows, *[rows[-1]] * (8 - len(rows))]
        return tuple(float(x) for row in full for x in row)

    def moving(self, motion: Motion, param: Param, place: str) -> None:
        """Faults of a motion: too many components, or values outside the hard limits."""
        if param.type in LISTS:
            return
        parts: list[object]
        if isinstance(motion, Drift):
            parts = [motion.base, motion.cycles]
        elif isinstance(motion, Sway):
            parts = [motion.base, motion.amount]
        else:
            parts = [k.value for k in motion.keys]
        if any(isinstance(p, tuple) and len(p) > param.size for p in parts):
            self.fault(place, f"{param.name} takes {param.size} number{'s' * (param.size > 1)} at a time")
            return
        low, high = param.hard
        frames = self.effect.turn.frames
        uniform = Uniform("", place, param, (), motion)
        for f in range(frames):
            worst = next((x for x in uniform.at(f / frames) if not low <= x <= high), None)
            if worst is not None:
                words = f"in motion {param.name} reaches {worst:g}; it goes from {low:g} to {high:g}"
                self.fault(place, words)
                return

    def reference(self, strand: str, bead: str | None, user: str | None, place: str) -> Node | None:
        """The node a strand or bead ends in; says what is wrong where there is none."""
        if strand not in self.all_strands:
            self.fault(place, f"there is no strand '{strand}'; choose one that is there")
            return None
        named = self.all_strands[strand].name
        if strand == user:
            self.fault(place, f"'{named}' cannot use itself; a strand uses only strands above its own")
            return None
        if strand not in self.ends:
            words = f"'{named}' is made further down; a strand uses only strands above its own, so move it up"
            self.fault(place, words)
            return None
        if bead is not None:
            node = self.plan.beads.get(f"{strand}/{bead}")
            if node is None and not any(b.id == bead for b in self.all_strands[strand].beads):
                self.fault(place, f"'{named}' has no bead '{bead}'")
            elif node is None:
                self.fault(place, f"'{named}' has a fault of its own before that bead")
            return node
        node = self.ends[strand]
        if node is None:
            empty = not self.all_strands[strand].beads
            self.fault(place, f"'{named}' has no beads yet" if empty else f"'{named}' has a fault of its own")
        return node

    def add(
        self,
        place: str,
        gives: Signal | None,
        function: object,
        fixed: tuple[tuple[str, int], ...],
        args: tuple[Arg, ...],
        period: Period | None = None,
    ) -> Node:
        if function is not None and not any(isinstance(a, FromUniform) for a in args):
            # What takes no numbers of its own and does what another did is that other's result.
            same = self.plain.setdefault((function, fixed, args), len(self.plan.nodes))
            if same < len(self.plan.nodes):
                first = self.plan.nodes[same]
                function, fixed, args, period = None, (), (FromNode(first, gives or VALUE),), first.period
        node = Node(len(self.plan.nodes), place, gives, function, fixed, args, period)  # type: ignore[arg-type]
        self.plan.nodes.append(node)
        made_of = [a for a in args if not isinstance(a, FromUniform | FromPeriod | FromCamera | Literals)]
        if made_of and all(isinstance(a, FromNode) and a.node.index in self.stepped for a in made_of):
            self.stepped.add(node.index)
        return node


def _row(point: Stop | Point) -> tuple[float, ...]:
    if isinstance(point, Stop):
        return (*point.colour, point.at)
    return (point.value, point.value, point.value, point.at)


def _node(arg: Arg) -> Node | None:
    return arg.node if isinstance(arg, FromNode) else None


def _fed_by(param: Param) -> tuple[Signal, ...]:
    """What a strand may give in place of a param."""
    if param.type == "direction":
        return (DIRECTION,)
    return (VALUE, COLOUR, DIRECTION) if param.type == "triple" else (VALUE, COLOUR)
