"""The strands of a document as nodes of a plan, bead by bead."""

from collections.abc import Callable

from whorl.beads import formulas
from whorl.beads.catalogue import CATALOGUE
from whorl.beads.common import WRAP
from whorl.beads.spec import COLOUR, COORDS, DIRECTION, VALUE, Bead, Param, Signal
from whorl.effect.document import Beacon
from whorl.effect.problems import Mend, Spot
from whorl.effect.strands import Bead as OnStrand
from whorl.effect.strands import Strand
from whorl.effect.value import Feed, Levered, Stop
from whorl.fields import around as sides
from whorl.fields import body, colour, evening, shaping
from whorl.plan.build.hits import Hits
from whorl.plan.build.parts import A, Parts, listed
from whorl.plan.build.surroundings import Surroundings
from whorl.plan.graph import (
    Arg,
    Footprint,
    FromCamera,
    FromNode,
    FromPeriod,
    FromPoint,
    FromUniform,
    Literals,
    Node,
    Period,
    Uniform,
)
from whorl.plan.run.ranks import PLAIN, Ranks
from whorl.plan.run.steps import source
from whorl.shade import Unchecked
from whorl.shade.written import FormulaError
from whorl.shapes import SHAPES

#: How places of a surface lie, as `fields.hits` counts it.
WAYS = ("straight", "arc", "unrolled")

_INCOMING = ("below", "p")
#: What comes in, as it would be with the UV of a picture that looks along an axis at the shape.
_SIDES = ("at_side_x", "at_side_y", "at_side_z")
_BARE = FromPoint("at_normal")
#: The colour that a lever gives a stop.
_DYE = Param("colour", "The colour of a stop.", (1.0, 1.0, 1.0), hard=(0, 1000), type="colour", label="a stop")
#: How far off neighbouring points are whose coordinates say which way these run, in units.
_NEAR = Literals((0.001,))


class _Fault(Exception):
    """A bead that cannot be planned; what is wrong has been said."""


class Strands:
    """Builds the strands of an effect into its plan, and finds where they end."""

    def __init__(self, parts: Parts, around: Surroundings) -> None:
        self.effect, self.plan, self.nodes = parts.effect, parts.plan, parts.nodes
        self.uniforms, self.pictures = parts.uniforms, parts.pictures
        self.faults, self.fault = parts.faults, parts.faults.fault
        self.around = around
        self.hits = Hits(parts.plan, parts.effect.hits, parts.effect.turn, parts.effect.stage)
        self.ends: dict[str, Node | None] = {}
        #: Nodes whose results are shares of the surface, 0..1.
        self.shares: set[int] = set()
        self.all_strands = {s.id: s for s in parts.effect.strands}
        self.off = {x.id for x in parts.effect.levers if x.kind == "switch" and not x.on}

    def build(self) -> None:
        """Adds the nodes of all strands."""
        seen: set[str] = set()
        for strand in self.effect.strands:
            place = f"strands/{strand.id}"
            if strand.id in seen:
                self.fault(place, f"two strands have the id '{strand.id}'; give one another")
                continue
            seen.add(strand.id)
            self.strand(strand, place)

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
        before = len(self.faults.problems)
        settings = self.settings(bead, spec, at)
        for name in bead.params:
            if spec.param(name) is None:
                known = ", ".join(p.name for p in spec.inputs) or "none"
                self.fault(f"{at}/{name}", f"{spec.kind} has no param '{name}'; it has {known}")
        incoming: dict[str, Arg] = {p.name: self.param(strand, bead, p, at) for p in spec.inputs}
        if first and not spec.is_source and not spec.alone:
            self.fault(
                at, f"a strand starts with a source; {spec.kind} takes {listed(spec.takes)}, so put one before it"
            )
        if not first and spec.is_source:
            self.fault(at, f"{spec.title or spec.kind} starts a strand; it cannot stand behind another bead")
        if first and bead.muted:
            self.fault(at, "what starts a strand cannot be muted; mute the strand")
        if broken or len(self.faults.problems) > before:
            raise _Fault
        if below is not None and (bead.muted or self.brings_muted(bead, spec)):
            # Another name for what comes in, as a tap is.
            assert below.gives is not None
            return self.nodes.add(at, below.gives, None, (), (FromNode(below, below.gives),), below.period)
        brought = incoming.get(spec.brings.name) if spec.brings else None
        if spec.goes_on:
            if not isinstance(brought, FromNode):
                self.fault(f"{at}/from", "a tap needs the strand, or the bead of one, that it goes on from")
                raise _Fault
            tapped = brought.node
            return self.nodes.add(at, tapped.gives, None, (), (FromNode(tapped, tapped.gives or VALUE),), tapped.period)
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
        if spec.looks_behind:
            place: Arg = FromNode(below, COORDS) if below else FromPoint(spec.alone)
            return self.around.behind_at(at, place, *(incoming[p.name] for p in spec.params))
        if spec.lowers and below is not None:
            return self.lowered(below, incoming, int(settings["steps"]), at)
        node = self.call(spec, settings, incoming, below, gives, at)
        if along := next((p for p in spec.params if p.type == "stops"), None):
            node = self.dyed(node, spec, bead, along.name, settings, incoming, below)
        if node.function is evening.even:
            self.shares.add(node.index)
        if spec.stepped(settings):
            self.nodes.stepped.add(node.index)
        return node

    def brings_muted(self, bead: OnStrand, spec: Bead) -> bool:
        value = bead.params.get(spec.brings.name) if spec.brings else None
        return isinstance(value, Feed) and self.is_muted(value.strand)

    def is_muted(self, strand: str) -> bool:
        found = self.all_strands.get(strand)
        return found is not None and (found.muted or found.sounds_with in self.off)

    def call(
        self,
        spec: Bead,
        settings: dict[str, str | int | bool],
        incoming: dict[str, Arg],
        below: Node | None,
        gives: Signal,
        at: str,
    ) -> Node:
        function = self.formula(spec, settings, incoming, below, gives, at) if spec.writes else spec.function(gives)
        names = {p.name: p.type.size for p in function.tree.params}
        if below is not None and below.gives is COLOUR and names.get("below") == 1:
            below = self.nodes.add(at, VALUE, colour.luminance, (), (FromNode(below, COLOUR),))
        fixed = tuple(
            (p.name, setting.number(settings[p.name]))
            for p in function.tree.params
            if p.fixed and (setting := spec.setting(p.name))
        )
        if settings.get("way") == "along":
            # How places of a surface lie depends on the shape; those of coordinates that come in lie straight.
            lies = "straight" if below else SHAPES[self.effect.stage.shape].lies
            fixed = tuple((n, WAYS.index(lies) if n == "way" else v) for n, v in fixed)
        came_with = below.period if below else None
        args: list[Arg] = []
        for p in function.tree.params:
            if p.fixed:
                continue
            wanted = VALUE if p.type.size == 1 else COLOUR
            if p.name in _INCOMING and below is None:
                args.append(FromPoint(spec.alone))
            elif p.name in _INCOMING:
                assert below is not None and below.gives is not None
                args.append(FromNode(below, below.gives if below.gives in (COORDS, DIRECTION) else wanted))
            elif p.name == "period":
                args.append(FromPeriod(came_with))
            elif p.name == "footprint" or p.name.endswith("_footprint"):
                of = below if p.name == "footprint" else _node(incoming[p.name.removesuffix("_footprint")])
                args.append(self.footprint(of, p.type.size, settings, at))
            elif p.name in ("beside", "beyond"):
                assert below is not None
                moved = self.nodes.moved(below, incoming.get("distance", _NEAR), int(p.name == "beyond"))
                args.append(FromNode(moved, below.gives if below.gives is COORDS else VALUE))
            elif p.name in _SIDES:
                assert below is not None
                side = self.nodes.twin(below, self.seen_along(_SIDES.index(p.name), settings, incoming["scale"], at))
                args.append(FromNode(side, wanted))
            elif p.name == "texel":
                assert below is not None
                args.append(self.texel(settings, below, incoming, at))
            elif p.name == "at_hits":
                args.append(FromUniform(self.hits.places(below)))
            elif p.name == "at_ages":
                args.append(FromUniform(self.hits.ages()))
            elif p.name == "at_ranks":
                assert below is not None
                args.append(FromUniform(self.ranks(below, str(settings["over"]), at)))
            elif p.name == "at_phase":
                args.append(FromUniform(self.uniforms.phase()))
            elif p.name in ("at_gap", "at_behind", "at_thickness"):
                args.append(getattr(self.around, p.name.removeprefix("at_")))
            elif p.name == "at_lights":
                args += self.around.lights
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
        return self.nodes.add(at, gives, function, fixed, tuple(args), period)

    def dyed(
        self,
        node: Node,
        spec: Bead,
        bead: OnStrand,
        name: str,
        settings: dict[str, str | int | bool],
        incoming: dict[str, Arg],
        below: Node | None,
    ) -> Node:
        """A ramp some of whose stops have the colours of levers. It goes evenly with the colour of each, so each lever
        adds what its stop's colour differs by, as far as that stop reaches."""
        given = bead.params.get(name)
        stops = [s for s in given if isinstance(s, Stop)] if isinstance(given, tuple) else []
        setting = spec.setting("interpolation")
        way = setting.number(settings[setting.name]) if setting else 0
        # In the order of the table's rows.
        order = sorted(range(len(stops)), key=lambda i: stops[i].at)
        for row, i in enumerate(order):
            stop = stops[i]
            if not stop.lever or below is None:
                continue
            where = f"{node.place}/{name}/{i}/lever"
            colour = self.uniforms.number(Levered(lever=stop.lever), _DYE, where)
            last = 7 if row == len(order) - 1 else row
            fixed = (("first", row), ("last", last), ("interpolation", way))
            args = (FromNode(node, COLOUR), FromNode(below, VALUE), incoming[name], FromUniform(colour))
            node = self.nodes.add(node.place, COLOUR, shaping.dyed, fixed, args)
        return node

    def formula(
        self,
        spec: Bead,
        settings: dict[str, str | int | bool],
        incoming: dict[str, Arg],
        below: Node | None,
        gives: Signal,
        at: str,
    ) -> Unchecked:
        """The function that an artist has written."""
        text = str(settings[spec.writes])
        strands = {name: node.gives if (node := _node(arg)) else None for name, arg in incoming.items()}
        try:
            return formulas.function_of(text, below.gives if below else None, strands, gives)
        except FormulaError as e:
            mends = []
            if e.comes_to:
                # One number is a value; three are what comes in if that is of three, or a colour.
                comes = VALUE if e.comes_to.size == 1 else COORDS if below is None or below.gives is COORDS else COLOUR
                words = next(words for words, signal in formulas.GIVES.items() if signal is comes)
                mends = [Mend.of(f"let it give {A[comes]}", (f"{at}/gives", words))]
            self.fault(f"{at}/{spec.writes}", e.reason, mends=mends, spot=Spot(start=e.start, end=e.end))
            raise _Fault from None

    def seen_along(
        self, axis: int, settings: dict[str, str | int | bool], scale: Arg, at: str
    ) -> Callable[[FromPoint], Arg]:
        """What is known of a surface point, with the UV of a picture that looks along an axis at the shape."""
        place, fixed = FromPoint("at_object" if settings["space"] == "object" else "at_world"), (("axis", axis),)
        given = (place, _BARE, scale)
        uv = FromNode(self.nodes.add(at, COORDS, sides.projected, fixed, given), COORDS)
        there: dict[str, Arg] = {"at_uv": uv, "at_second_uv": uv}
        for second, axis_name in enumerate("uv"):
            way = (*fixed, ("second", second))
            made = self.nodes.add(at, DIRECTION, sides.projected_way, way, (_BARE, scale))
            there |= dict.fromkeys((f"at_along_{axis_name}", f"at_second_{axis_name}"), FromNode(made, DIRECTION))
        return lambda point: there.get(point.name, point)

    def ranks(self, below: Node, over: str, at: str) -> Uniform:
        """The quantiles of what comes in, which are measured when they are first asked for."""
        param = Param("ranks", "How what comes in is spread over the shape.", PLAIN, type="table", moves=False)
        track = Ranks(self.plan, below, self.effect.stage, self.effect.turn, over)  # pyrefly: ignore[bad-argument-type]
        uniform = Uniform(f"u{len(self.plan.uniforms)}", f"{at}/ranks", param, PLAIN, track)
        self.plan.uniforms.append(uniform)
        return uniform

    def footprint(self, node: Node | None, size: int, settings: dict[str, str | int | bool], at: str) -> Arg:
        """How much a node changes from pixel to pixel; nothing where edges are to be hard."""
        if node is None or settings.get("edges") == "hard" or node.index in self.nodes.stepped:
            # What jumps from piece to piece changes in none of them: a pixel on the border is on one side.
            return Literals((0.0,) * size)
        if size == 1 and node.gives is COLOUR:
            node = self.nodes.add(at, VALUE, colour.luminance, (), (FromNode(node, COLOUR),))
        if source(node).index in self.shares:
            # An edge a pixel wide would leave specks where a share is nearly 0 or 1.
            args = (FromNode(node, VALUE), Footprint(node))
            return FromNode(self.nodes.add(at, VALUE, evening.to_ends, (), args), VALUE)
        return Footprint(node, node.period if node.gives is COORDS else None)

    def texel(self, settings: dict[str, str | int | bool], below: Node, incoming: dict[str, Arg], at: str) -> Arg:
        """What a bead's picture holds; before one is chosen, a flat middle."""
        chosen = str(settings["picture"])
        if not chosen:
            return Literals((0.5, 0.5, 1.0, 1.0))
        use = settings.get("encoding", "data")
        # Colour is looked at, so it is written in sRGB; a channel by itself, or a normal, is a measure.
        srgb = use == "sRGB" or (use == "by use" and settings["take"] in ("colour", "luminance"))
        picture = self.pictures.picture(chosen, "colour" if srgb else "data", f"{at}/picture")
        if picture is None:
            raise _Fault
        wrap = WRAP.number(settings["wrap"])
        detail, blocky = incoming["detail"], settings["filter"] == "blocks"
        if settings["seams"] == "blended":
            return self.pictures.meeting(at, picture, below, detail, blocky, incoming["blend"])
        return self.pictures.look_up(at, picture, below, detail, wrap, blocky)

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

    def lowered(self, below: Node, given: dict[str, Arg], steps: int, at: str) -> Node:
        """What comes in as it is where the line of sight comes to a depth, or meets a height, below the surface."""
        seen = (_BARE, FromPoint("at_view"), FromCamera("side"), given["index"], given["grazing"])
        ray = FromNode(self.nodes.add(at, DIRECTION, body.sight_below, (), seen), DIRECTION)
        depth, height = given["depth"], given["height"]
        if not isinstance(height, FromNode):
            # One height all over is one depth.
            reached = self.nodes.add(at, VALUE, body.flat_depth, (), (height,))
            return self.at_offset(below, ray, depth, FromNode(reached, VALUE), at)
        fixed = (("steps", steps),)
        known: Arg = Literals((2.0,))
        last: tuple[Arg, Arg] = (Literals((0.0,)), height)
        for i in range(1, steps + 1):
            share = Literals((i / steps,))
            args = (ray, depth, share, given["jitter"], FromPoint("at_screen"))
            offset = FromNode(self.nodes.add(at, DIRECTION, body.depth_step, fixed, args), DIRECTION)
            there = FromNode(self.nodes.twin(height.node, self.nodes.by_offset(offset, at)), height.wanted)
            met = (known, last[0], there, last[1], share)
            known = FromNode(self.nodes.add(at, VALUE, body.reached_depth, (), met), VALUE)
            last = (share, there)
        return self.at_offset(below, ray, depth, known, at)

    def at_offset(self, below: Node, ray: Arg, depth: Arg, reached: Arg, at: str) -> Node:
        offset = FromNode(self.nodes.add(at, DIRECTION, body.depth_offset, (), (ray, depth, reached)), DIRECTION)
        twin = self.nodes.twin(below, self.nodes.by_offset(offset, at))
        return self.nodes.add(at, below.gives, None, (), (FromNode(twin, below.gives or VALUE),), below.period)

    def period(
        self, spec: Bead, settings: dict[str, str | int | bool], incoming: dict[str, Arg], came_with: Period | None
    ) -> Period:
        rule = spec.period
        name = f"q{len(self.plan.nodes)}"
        if rule is None:
            # Of what an artist writes nothing is known.
            return Period(name, None)
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
            elif setting.kind == "formula" and not isinstance(value, str):
                self.fault(where, f"a formula is a text, not {value!r}")
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

    def param(self, strand: Strand, bead: OnStrand, param: Param, at: str) -> Arg:
        value = bead.params.get(param.name)
        where = f"{at}/{param.name}"
        if isinstance(value, Feed):
            return self.fed(value, param, where, strand.id, CATALOGUE[bead.kind].goes_on)
        if param.type == "direction":
            if value is not None:
                self.fault(where, f"{param.name} takes a strand that gives a direction, not a number")
            return _BARE
        if param.by_strand and value is not None:
            self.fault(where, f"{param.label or param.name} takes a strand, not a number")
            value = None
        return FromUniform(self.uniforms.number(value, param, where))

    def fed(self, value: Feed, param: Param, where: str, user: str | None = None, goes_on: bool = False) -> Arg:
        """What a strand gives in place of a number; what `goes_on` takes whatever there is."""
        name = param.label or param.name
        if param.feed is None:
            self.fault(where, f"{name} is one number for the whole picture and takes no strand")
            return Literals((0.0,) * param.size)
        node = self.reference(value.strand, value.bead, user, where)
        if node is None:
            return Literals((0.0,) * param.size)
        assert node.gives is not None
        if not goes_on and self.is_muted(value.strand):
            return FromUniform(self.uniforms.number(None, param, where)) if param.type != "direction" else _BARE
        fitting = _fed_by(param)
        if not goes_on and node.gives not in fitting:
            self.fault(where, f"{name} takes {listed(fitting)}; that strand gives {A[node.gives]}")
        return FromNode(node, param.feed)

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
                self.fault(place, f"'{named}' has a fault of its own before that bead", f"strands/{strand}")
            return node
        node = self.ends[strand]
        if node is None:
            empty = not self.all_strands[strand].beads
            if empty:
                self.fault(place, f"'{named}' has no beads yet")
            else:
                self.fault(place, f"'{named}' has a fault of its own", f"strands/{strand}")
        return node


def _node(arg: Arg) -> Node | None:
    return arg.node if isinstance(arg, FromNode) else None


def _fed_by(param: Param) -> tuple[Signal, ...]:
    """What a strand may give in place of a param."""
    if param.type == "direction":
        return (DIRECTION,)
    return (VALUE, COLOUR, DIRECTION) if param.type == "triple" else (VALUE, COLOUR)
