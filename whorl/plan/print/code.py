"""A plan as code to be given away: one readable file of a language, that depends on nothing else.

What the effect is stands under names of its own: levers are parameters with range and default, numbers are
constants where they are used, motions are functions of the phase, beads are called as the document calls them. Its
channels come apart from any light, for the receiver's own lighting to take.
"""

import re
import textwrap
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from importlib import import_module
from typing import Any

import numpy as np

from whorl.beads.spec import Numbers
from whorl.effect.document import HOLDS, Lever
from whorl.effect.levers import param_of
from whorl.effect.read import state_of
from whorl.effect.value import MOTIONS, Apart, Motion
from whorl.fields import surface
from whorl.images.library import library
from whorl.motion.apart import component
from whorl.motion.kind import Times, default
from whorl.motion.values import HOW, Track, rows
from whorl.plan.build import Planned
from whorl.plan.build.numbers import PHASE
from whorl.plan.graph import (
    CAMERA,
    CAMERA_WORDS,
    OUTPUTS,
    POINT_WORDS,
    POINTS,
    Arg,
    FromNode,
    Layer,
    Node,
    Period,
    Picture,
    Uniform,
)
from whorl.plan.print.languages.shell import Entry, Member, Shell, Struct
from whorl.plan.print.walk import Walk
from whorl.shade.builtins import BUILTINS
from whorl.shade.clike import CLikePrinter
from whorl.shade.types import F32, I32, VEC3, VEC4, ShadeType, floats

#: What a program of one's own would not take for the name of anything.
_OWN = frozenset(("at", "params", "result", "channels", "input", "picture", "phase", "rows", "wide"))
_LEVER = re.compile(rf"levers/([^/]+)/(?:{'|'.join(stands for stands, _ in HOLDS.values())})")
#: Ends of ranges need no name: they stand in the one line that uses them.
_INLINE = ("least", "most", "low", "high", "base", "slip", "off", "full")
#: The width of a comment.
_WIDE = 110
#: What the program shows where it is not asked for one channel.
PICTURE = "picture"


@dataclass(frozen=True)
class Parameter:
    """One parameter: its name in the code, what it is, and what it is where nobody sets it."""

    name: str
    kind: str
    words: str
    value: Numbers
    least: float | None = None
    most: float | None = None
    unit: str = ""
    #: Of what moves with the turn and cannot be written as code: a row a frame.
    rows: tuple[Numbers, ...] = ()


@dataclass(frozen=True)
class Code:
    """The text of an effect in one language, with what its receiver has to give and gets."""

    text: str
    #: The same without the program around the functions.
    functions: str
    channels: str
    picture: str
    height: str
    parameters: tuple[Parameter, ...]
    offsets: dict[str, int]
    point: dict[str, str]
    outputs: dict[str, str]
    pictures: dict[str, Picture]
    #: Motions that are tables of the turn's frames, by what moves.
    tables: tuple[str, ...] = ()
    entry: Entry = field(repr=False, kw_only=True)


def code(plan: Planned, shell: Shell, shows: str = PICTURE) -> Code:
    """An effect's code in a language. What its program `shows` is the picture, or one channel of the surface."""
    # Names of functions are known once all of them have been asked for.
    first = _Written(plan, shell, frozenset())
    first.text(shows)
    return _Written(plan, shell, frozenset(first.printer.printed)).text(shows)


def self_lit(plan: Planned) -> bool:
    """Whether its picture needs no light but its own, and nothing that was drawn before it."""
    return (
        all(m.lighting == "self-lit" for m in plan.effect.surface.materials.values())
        and not plan.effect.stage.has_plain
        and not plan.back
        and not plan.layered
        and not plan.hidden
    )


class _Written(Walk):
    plan: Planned

    def __init__(self, plan: Planned, shell: Shell, functions: frozenset[str]) -> None:
        super().__init__(plan, CLikePrinter(shell.dialect))
        self.effect, self.shell = plan.effect, shell
        self.base = identifier(plan.effect.name) or "effect"
        self.kind = "".join(part.capitalize() for part in self.base.split("_"))
        self.taken = {*functions, *_OWN, *shell.dialect.taken, "Input", "Block"}
        self.names: dict[object, str] = {}
        #: The names of parameters, by what they are.
        self.told: dict[str, str] = {}
        self.parameters: dict[str, Parameter] = {}
        self.members: dict[str, Member] = {}
        self.points: dict[str, Member] = {}
        self.pictures: dict[str, Picture] = {}
        self.moving: list[list[str]] = []
        self.tables: list[str] = []
        self.heard = {x.id: x for x in plan.effect.levers}
        self.begin()

    def begin(self) -> None:
        """A new function: nothing has been worked out in it."""
        self.lines: list[str] = []
        self.said = ""
        self.kept: set[str] = set()
        self.known: dict[int, str] = {}
        self.periods.clear()
        self.made.clear()

    # --- the whole --------------------------------------------------------------------

    def text(self, shows: str) -> Code:
        names = {n: f"{self.base}_{n}" for n in ("channels", "picture", "height")}
        written: list[list[str]] = []
        self.parameter("phase", "phase", "where in the turn, 0..1", (0.0,))
        channels = self.channels()
        body, self.apart = self.lines, False
        has_picture, has_height = self_lit(self.plan), self.plan.raised is not None
        later: list[tuple[str, list[str], str]] = []
        if has_picture:
            self.begin()
            later.append((names["picture"], self.picture_lines(), self.shell.dialect.named(VEC4)))
        if has_height:
            self.begin()
            self.apart = True
            returns = self.shell.dialect.named(VEC3 if self.plan.offset else F32)
            later.append((names["height"], self.height_lines(), returns))
        if not self.points:
            # There are no structs without members.
            self.point("at_uv")
        point = Struct(f"{self.kind}Point", tuple(self.points.values()))
        params = Struct(f"{self.kind}Params", tuple(sorted(self.members.values(), key=_packing)))
        pictures = tuple(self.pictures)
        written.append([self.shell.function(names["channels"], point, params, pictures, channels.name), *body, "}"])
        for name, lines, returns in later:
            written.append([self.shell.function(name, point, params, pictures, returns), *lines, "}"])
        entry = self.entry(point, params, shows if shows != PICTURE or has_picture else "", names)
        parts = [
            self.header(point, params, channels, has_picture, has_height, names),
            self.shell.head(entry),
            self.shell.struct(point),
            self.shell.struct(params),
            self.shell.struct(channels),
            *([self.shell.dialect.declared_record(r)] for r in self.printer.records.values()),
            *self.functions(),
            *self.moving,
            *written,
        ]
        # A version has to come before everything else.
        if parts[1] and parts[1][0].startswith("#version"):
            parts.insert(0, [parts[1].pop(0)])
        functions = "\n\n".join("\n".join(p) for p in parts if p) + "\n"
        words = self.comment("The program: inputs as a vertex program gives them, one result.")
        return Code(
            "\n".join([functions, words, *self.shell.main(entry), ""]),
            functions,
            names["channels"],
            names["picture"] if has_picture else "",
            names["height"] if has_height else "",
            tuple(self.parameters.values()),
            self.shell.offsets(params),
            {m.name: m.words for m in point.members},
            {m.name: m.words for m in channels.members},
            dict(self.pictures),
            tuple(self.tables),
            entry=entry,
        )

    def channels(self) -> Struct:
        """The lines that work out the channels, and what they are."""
        out = [(n, a) for n, a in self.plan.outputs.items() if self.is_given(n, a)]
        needed = [m for _, a in out if isinstance(a, FromNode) for m in self.plan.needed(a.node)]
        for node in sorted({n.index: n for n in needed}.values(), key=lambda n: n.index):
            self.single(node)
        struct = Struct(
            f"{self.kind}Channels",
            tuple(Member(self.shell.dialect.safe(n), floats(OUTPUTS[n].size), OUTPUTS[n].words) for n, _ in out),
        )
        self.say("what comes out")
        self.lines.append(f"  {self.shell.result(struct)}")
        for (name, arg), member in zip(out, struct.members, strict=True):
            value = self.arg(arg)
            if OUTPUTS[name].scaled and isinstance(arg, FromNode):
                value = f"{value} * {self.amount}"
            self.lines.append(f"  result.{member.name} = {value};")
        self.lines.append("  return result;")
        return struct

    def is_given(self, name: str, arg: Arg) -> bool:
        """Whether a channel is one that a receiver would miss."""
        if name in ("refraction", "absorption", "scattering"):
            return any(m.clear for m in self.effect.surface.materials.values())
        if name in ("film", "displacement", "occlusion", "normal"):
            return isinstance(arg, FromNode)
        return True

    @property
    def amount(self) -> str:
        """What a channel that is scaled is multiplied by."""
        assert self.plan.amount is not None
        return self.uniform(self.plan.amount)

    def picture_lines(self) -> list[str]:
        """The lines of a self-lit effect's picture: scene light, premultiplied."""
        assert self.plan.picture is not None and self.plan.far is not None
        d = self.shell.dialect
        called = ", ".join(["at", "params", *self.pictures])
        kind = f"{self.kind}Channels"
        self.lines.append("  " + d.kept.format(type=kind, name="channels", value=f"{self.base}_channels({called})"))
        # What the channels hold has been worked out.
        self.known = {
            a.node.index: f"channels.{d.safe(n)}"
            for n, a in self.plan.outputs.items()
            if isinstance(a, FromNode) and self.is_given(n, a) and not OUTPUTS[n].scaled
        }
        for node in self.beyond(self.plan.picture):
            self.single(node)
        strength = self.uniform(self.plan.far)
        share = d.choice.format(test=f"{self.camera('side')} > 0.0", yes=d.literal(1.0), no=strength)
        faded = self.printer.need(surface.faded)
        return [*self.lines, f"  return {faded}({self.node(self.plan.picture)}, {share});"]

    def beyond(self, end: Node) -> list[Node]:
        """What a node is made from, as far as the channels do not hold it."""
        wanted: set[int] = set()
        waiting = [end]
        while waiting:
            n = waiting.pop()
            if n.index not in wanted and n.index not in self.known:
                wanted.add(n.index)
                waiting += n.takes
        return [n for n in self.plan.nodes if n.index in wanted]

    def height_lines(self) -> list[str]:
        """The lines of how far a vertex is moved, without differences from pixel to pixel."""
        arg = self.plan.outputs["displacement"]
        assert isinstance(arg, FromNode)
        moved = self.plan.offset or arg.node
        for node in self.plan.needed(moved):
            self.single(node)
        # Asking for it may add a line of its own.
        amount = self.amount
        return [*self.lines, f"  return {self.node(moved)} * {amount};"]

    def entry(self, point: Struct, params: Struct, shows: str, names: dict[str, str]) -> Entry:
        d = self.shell.dialect
        given = ", ".join(["at", "u_params", *(f"u_{p}" for p in self.pictures)])
        kind = f"{self.kind}Channels"
        if shows == PICTURE:
            return Entry(point, params, kind, tuple(self.pictures), (), f"{names['picture']}({given})")
        called = f"{names['channels']}({given})"
        line = "  " + d.kept.format(type=kind, name="channels", value=called)
        vector = d.named(VEC4)
        if shows:
            size, shown = OUTPUTS[shows].size, f"channels.{d.safe(shows)}"
            inner = f"{shown}, 1.0" if size == 3 else f"{shown}, {shown}, {shown}, 1.0"
            return Entry(point, params, kind, tuple(self.pictures), (line,), f"{vector}({inner})")
        # Seen by its own light alone, which is what there is without lamps.
        light = "(channels.base + channels.emission) * channels.opacity"
        return Entry(point, params, kind, tuple(self.pictures), (line,), f"{vector}({light}, channels.opacity)")

    # --- names ------------------------------------------------------------------------

    def named(self, key: object, wanted: str) -> str:
        """A name that nothing else has."""
        if key not in self.names:
            name, n = wanted, 1
            while name in self.taken:
                n += 1
                name = f"{wanted}_{n}"
            self.taken.add(name)
            self.names[key] = name
        return self.names[key]

    def node(self, node: Node) -> str:
        if node.index in self.known:
            return self.known[node.index]
        return self.named(node.index, placed(node.place) or "point")

    def period_name(self, period: Period) -> str:
        return self.named(period.name, "period")

    def record_name(self, name: str) -> str:
        return self.named(f"record {name} {len(self.made)}", name)

    def point(self, name: str) -> str:
        own = name.removeprefix("at_")
        safe = self.shell.dialect.safe(own)
        self.points[name] = Member(safe, floats(POINTS[name]), POINT_WORDS[name])
        return f"at.{safe}"

    def camera(self, name: str) -> str:
        words = CAMERA_WORDS[name]
        value = {"side": (1.0,), "size": (float(self.effect.stage.size),), "up": (0.0, 1.0, 0.0)}.get(name)
        if not isinstance(value, tuple):
            value = {"right": (1.0, 0.0, 0.0), "eye": (0.0, 0.0, 4.0), "scale": (2.0,)}.get(name, (0.0,) * CAMERA[name])
        return self.parameter(f"camera_{name}", "camera", words, value)

    def picture(self, picture: Picture | Layer) -> str:
        assert isinstance(picture, Picture)
        name = self.named(picture.name, f"picture_{len(self.pictures) + 1}")
        self.pictures[name] = picture
        return name

    def sheet(self, picture: Picture) -> str:
        return self.shell.dialect.number(VEC4, [float(x) for x in library.sheet(picture.hash, picture.read).size])

    # --- numbers ----------------------------------------------------------------------

    def parameter(
        self,
        name: str,
        kind: str,
        words: str,
        value: Numbers,
        least: float | None = None,
        most: float | None = None,
        unit: str = "",
        table: tuple[Numbers, ...] = (),
    ) -> str:
        """A parameter of the effect, under its name."""
        safe = self.shell.dialect.safe(name)
        if name not in self.parameters:
            size = len(value)
            self.parameters[name] = Parameter(safe, kind, words, value, least, most, unit, table)
            default = "" if size > 4 else f", by default {_shown(value)}"
            span = f", {_short(least)} to {_short(most)}" if least is not None and most is not None else ""
            told = words + span + (f" {unit}" if unit and span else "") + (default if kind != "camera" else "")
            self.members[name] = Member(safe, _type_of(size), _one_line(told))
        return f"params.{safe}"

    def uniform(self, uniform: Uniform) -> str:
        u, d = uniform, self.shell.dialect
        if u.made is not None:
            made = u.made
            return self.worked_out(u, lambda: self.of_others(made))
        if u.param is PHASE:
            return "params.phase"
        last = u.place.rpartition("/")[2]
        lever = _LEVER.fullmatch(u.place)
        if lever and not isinstance(u.track, Track):
            return self.lever(self.heard[lever[1]], u)
        if isinstance(u.track, Track):
            name = self.named(u.place, placed(u.place))
            return self.worked_out(u, lambda: self.in_motion(u, name))
        if u.track is not None:
            return self.table(u)
        if u.place.startswith("beacons/"):
            return self.beacon(u)
        if u.param.size == 1 and last in _INLINE:
            return d.literal(_single(u.value[0]))
        name = self.named(u.place, placed(u.place))
        if u.place not in self.kept:
            self.kept.add(u.place)
            line = d.fixed(_type_of(u.param.size), name, [_single(x) for x in u.value])
            self.lines.append(f"  {line}")
        return name

    def worked_out(self, u: Uniform, value: Any) -> str:
        """A number that is worked out once, where it is first asked for."""
        name = self.named(u.place, placed(u.place))
        if u.place not in self.kept:
            self.kept.add(u.place)
            made = value()
            self.keep(_type_of(u.param.size), name, made)
        return name

    def lever(self, lever: Lever, u: Uniform) -> str:
        """A lever as a parameter."""
        words = lever.name + (f": {lever.note}" if lever.note else "")
        name = self.member(f"lever {lever.id}", identifier(lever.name) or identifier(lever.id))
        if lever.kind == "number":
            held = param_of(lever)
            return self.parameter(name, "number", words, u.value, lever.least, lever.most, held.unit)
        return self.parameter(name, lever.kind, words, u.value)

    def beacon(self, u: Uniform) -> str:
        """Where a beacon stands and which way its axis points, which are its receiver's to say."""
        _, id, number = u.place.split("/")[:3]
        found = next(b for b in self.effect.beacons if b.id == id)
        name = self.member(u.place, f"beacon_{identifier(found.name) or identifier(id)}_{number}")
        words = f"{number} of the beacon {found.name}, on the stage"
        return self.parameter(name, "beacon", words, u.value, unit=u.param.unit)

    def member(self, key: str, wanted: str) -> str:
        """What something is called among the parameters, which share their names with nothing else."""
        taken = {name for other, name in self.told.items() if other != key}
        taken |= {"phase", *(f"camera_{name}" for name in CAMERA)}
        name, n = wanted, 1
        while name in taken:
            n += 1
            name = f"{wanted}_{n}"
        return self.told.setdefault(key, name)

    def table(self, u: Uniform) -> str:
        """A table that is measured, or that hits fill: one that never changes is written down."""
        turn = self.effect.turn
        assert u.track is not None
        found = np.asarray(u.track.rows(turn.phases))
        name = placed(u.place)
        if (found == found[0]).all() and not u.place.startswith("hits"):
            name = self.named(u.place, name)
            if u.place not in self.kept:
                self.kept.add(u.place)
                values = [_single(x) for x in found[0]]
                self.lines.append("  " + self.shell.dialect.fixed(_type_of(len(values)), name, values))
            return name
        words = "of each hit: seconds ago, seconds known for, and its u and v"
        if u.place.startswith("assets"):
            words = "where the sequence stands, in frames"
        elif not u.place.startswith("hits"):
            words = "64 quantiles, from the least to the most"
        elif not u.place.startswith("hits/ages"):
            words = "of each hit: where it is, and its strength; 0 where there is none"
        rows_ = tuple(tuple(_single(x) for x in row) for row in found)
        if (found == found[0]).all():
            rows_ = rows_[:1]
        return self.parameter(self.member(u.place, name), "table", words, rows_[0], table=rows_)

    def in_motion(self, u: Uniform, name: str) -> str:
        """A number in motion: in closed form, or read from a table of the turn's frames."""
        track = u.track
        assert isinstance(track, Track)
        return self.motion(track.motion, track, u.param, name, None)

    def motion(self, motion: Motion, track: Track, param: Any, name: str, axis: int | None) -> str:
        d, kind = self.shell.dialect, _type_of(param.size)
        if isinstance(motion, Apart):
            each = []
            for i in range(param.size):
                one = motion.axes[i] if i < len(motion.axes) else default(param)[i]
                if isinstance(one, MOTIONS):
                    each.append(self.motion(one, track, component(param, i), f"{name}_{'xyzw'[i]}", i))
                else:
                    assert isinstance(one, int | float)
                    each.append(d.literal(float(one)))
            return f"{d.named(kind)}({', '.join(each)})" if param.size > 1 else each[0]
        form = HOW[type(motion)].closed_form(motion, param)
        if form is None:
            phases = [i / self.effect.turn.steps for i in range(self.effect.turn.steps + 1)]
            made = rows(motion, param, Times.of(phases, track.looping, track.others))
            return self.read_off(name, kind, made)
        way = "params.phase"
        if form.way is not None:
            given = ", ".join([way, *map(d.literal, form.args)])
            way = f"{self.printer.need(form.way, form.fixed)}({given})"
        # Where it stands still at first, only the way counts.
        moved = way if form.amount == (1.0,) else f"{d.number(kind, form.amount)} * {way}"
        return moved if not any(form.base) else f"{d.number(kind, form.base)} + {moved}"

    def read_off(self, name: str, kind: ShadeType, made: Any) -> str:
        """A function that reads a motion off a table, straight from frame to frame; gives its call."""
        d = self.shell.dialect
        called = self.named(f"function {name}", f"{name}_over")
        count = len(made)
        if called not in self.tables:
            self.tables.append(called)
            row, whole = d.named(kind), d.named(I32)
            values = ", ".join(d.number(kind, [_single(x) for x in r]) for r in made)
            value = textwrap.fill(d.rows.format(row=row, count=count, values=values), _WIDE, subsequent_indent="    ")
            floor = d.call(BUILTINS["floor"], ["at"])
            last = d.call(BUILTINS["minimum"], [f"{whole}({floor})", str(count - 2)])
            mixed = d.call(BUILTINS["mix"], ["rows[i]", "rows[i + 1]", f"at - {d.named(F32)}(i)"])
            if d.splats and kind.is_vector:
                mixed = f"rows[i] + (rows[i + 1] - rows[i]) * (at - {d.named(F32)}(i))"
            head = d.head.format(returns=row, name=called, params=d.declared(F32, "phase"))
            self.moving.append(
                [
                    self.comment(f"What {name} is over the turn, frame by frame."),
                    head + " {",
                    "  " + d.table_constant.format(row=row, name="rows", rows=count, value=value),
                    "  " + d.kept.format(type=d.named(F32), name="at", value=f"phase * {d.literal(count - 1)}"),
                    "  " + d.kept.format(type=whole, name="i", value=last),
                    f"  return {mixed};",
                    "}",
                ]
            )
        return f"{called}(params.phase)"

    # --- what is said -----------------------------------------------------------------

    def comment(self, words: str) -> str:
        return f"{self.shell.comment} {_one_line(words)}"

    def say(self, words: str) -> None:
        """A line of its own that says what comes next, unless that has just been said."""
        if words != self.said:
            self.said = words
            self.lines.append(f"  {self.comment(words)}")

    def single(self, node: Node) -> None:
        if node.function is not None:
            self.say(self.about(node.place))
        super().single(node)

    def about(self, place: str) -> str:
        """The strand and bead at a place, or the channel, as people call them."""
        part, _, rest = place.partition("/")
        if part != "strands":
            return f"surface, {rest.split('/')[0]}" if rest else "surface"
        strand, _, bead = rest.partition("/")
        found = next((s for s in self.effect.strands if s.id == strand), None)
        return f"{found.name if found else strand}: {bead.split('/')[0]}"

    def functions(self) -> Iterator[list[str]]:
        """Every function that is used, after what it says of itself."""
        for name, text in self.printer.printed.items():
            owner = self.printer.owner[name]
            first = (owner.__doc__ or "").strip().split("\n\n")[0]
            chosen = ", ".join(f"{n} {v}" for n, v in self.printer.fixed[name])
            said = textwrap.wrap(" ".join(first.split()) + (f" Here: {chosen}." if chosen else ""), _WIDE)
            yield [*(f"{self.shell.comment} {line}" for line in said), text.rstrip("\n")]

    def sources(self) -> Iterator[str]:
        """Where the functions come from, as their modules say it."""
        seen: set[str] = set()
        for owner in self.printer.owner.values():
            module = owner.__module__
            if module in seen:
                continue
            seen.add(module)
            words = " ".join((import_module(module).__doc__ or "").split())
            yield f"{module.rpartition('.')[2]}: {words}"

    def header(
        self, point: Struct, params: Struct, channels: Struct, picture: bool, height: bool, names: dict[str, str]
    ) -> list[str]:
        effect = self.effect
        lines = [f"{effect.name}, in {self.shell.title}.", ""]
        if effect.notes:
            lines += [effect.notes, ""]
        lines += [f"Made by Whorl from state {state_of(effect)} of the effect."]
        turn = effect.turn
        way = "looping" if turn.looping else "played once"
        lines += [f"A turn takes {_short(turn.seconds)} s, {way}: phase is time / {_short(turn.seconds)}.", ""]
        lines += [f"{names['channels']}: the surface at a point, before any light falls on it."]
        if picture:
            lines += [f"{names['picture']}: its picture by its own light, linear, premultiplied."]
        if height:
            way = "in the space of the shape" if self.plan.offset else "outwards"
            lines += [f"{names['height']}: how far a vertex is moved {way}; for a vertex program."]
        lines += ["", "Where the functions come from:"]
        lines += [f"- {source}" for source in self.sources()]
        out = []
        for line in lines:
            wrapped = textwrap.wrap(_one_line(line), _WIDE, subsequent_indent="  " if line.startswith("- ") else "")
            out += [f"{self.shell.comment} {w}".rstrip() for w in wrapped or [""]]
        return out


def identifier(name: str) -> str:
    """A name as code has it: small letters, digits and single underscores, a letter first; empty where none is left.

    >>> identifier("Fog Gate"), identifier("2nd glow"), identifier("潮")
    ('fog_gate', 'n2nd_glow', '')
    """
    plain = re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_")[:48].strip("_")
    return f"n{plain}" if plain[:1].isdigit() else plain


def placed(place: str) -> str:
    """A place of the document as code has it.

    >>> placed("strands/mist/noise/scale"), placed("surface/emission/0/tint")
    ('mist_noise_scale', 'emission_1_tint')
    """
    parts = place.split("/")
    if parts[0] in ("strands", "surface", "levers", "stage") and len(parts) > 1:
        parts = parts[1:]
    return identifier("_".join(str(int(p) + 1) if p.isdigit() else p for p in parts))


def _packing(member: Member) -> int:
    """Tables first, then vectors, then numbers: so all layouts agree on where each lies."""
    return 0 if member.type.rows else 1 if member.type == VEC4 else 2 if member.type == VEC3 else 3


def _type_of(size: int) -> ShadeType:
    from whorl.shade.types import TABLES

    return TABLES.get(size) or floats(size)


def _single(x: float) -> float:
    """A number with as many digits as single floats tell apart; what these do not hold is nought."""
    return float(f"{x:.9g}") if abs(x) > 1.2e-38 else 0.0


def _short(x: float | None) -> str:
    return f"{x:.6g}"


def _shown(value: Sequence[float]) -> str:
    return " ".join(_short(x) for x in value)


def _one_line(words: str) -> str:
    """Words that stay within one comment: no line ends, nothing that would carry it on to the next."""
    plain = "".join(c if c.isprintable() else " " for c in words).replace("\\", "/")
    return " ".join(plain.split()) if not words.startswith("- ") else "- " + " ".join(plain[2:].split())
