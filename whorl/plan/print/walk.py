"""From a plan's nodes to lines of a C-like language: what every program that is printed shares."""

from whorl.beads.spec import COLOUR, VALUE, Signal
from whorl.fields import colour
from whorl.fields.lattice import footprint3
from whorl.plan.graph import (
    Arg,
    Footprint,
    FromCamera,
    FromImage,
    FromNode,
    FromPeriod,
    FromPoint,
    FromSheet,
    FromUniform,
    Layer,
    Literals,
    Made,
    Node,
    Period,
    Picture,
    Plan,
    Uniform,
)
from whorl.shade.clike import CLikePrinter
from whorl.shade.types import VEC3, ShadeType, floats


class Walk:
    """Writes a plan's nodes, line by line, in a dialect. What things are called is for those that inherit it to say.

    Where vertices are `apart`, nothing changes from one to the next.
    """

    def __init__(self, plan: Plan, printer: CLikePrinter) -> None:
        self.plan, self.printer, self.dialect = plan, printer, printer.dialect
        self.lines: list[str] = []
        self.apart = False
        self.periods: set[str] = set()
        #: Records that were made, by how, and their names.
        self.made: dict[str, str] = {}

    # --- names ------------------------------------------------------------------------

    def node(self, node: Node) -> str:
        """What a node's result is called."""
        return f"n{node.index}"

    def uniform(self, uniform: Uniform) -> str:
        """What a number is called, or how it is written."""
        return uniform.name

    def camera(self, name: str) -> str:
        """What something of the camera is called."""
        return f"camera_{name}"

    def point(self, name: str) -> str:
        """What something of the surface point is called."""
        return name

    def picture(self, picture: Picture | Layer) -> str:
        """What a picture is called."""
        return picture.name

    def sheet(self, picture: Picture) -> str:
        """Where the levels of a picture lie."""
        return f"vec4({picture.name}_size)"

    def period_name(self, period: Period) -> str:
        """What a period is called."""
        return period.name

    # --- lines ------------------------------------------------------------------------

    def keep(self, kind: ShadeType, name: str, value: str) -> None:
        """A line that keeps a value under a name."""
        self.lines.append("  " + self.dialect.kept.format(type=self.dialect.named(kind), name=name, value=value))

    def single(self, node: Node) -> None:
        """The line of a node."""
        if node.function is None:
            tapped = node.args[0]
            assert isinstance(tapped, FromNode)
            value = self.node(tapped.node)
        else:
            value = self.call(node, self.given(node))
        self.keep(floats(node.size), self.node(node), value)

    def given(self, node: Node) -> list[str]:
        """What a node's function is given, param by param."""
        assert node.function is not None
        texts, out = iter([self.arg(a) for a in node.args]), []
        for p in node.function.tree.params:
            if p.fixed:
                continue
            if not p.type.fields:
                out.append(next(texts))
                continue
            args = ", ".join(next(texts) for _ in p.parts)
            made = f"{p.type.name}({args})"
            if made not in self.made:
                # The same record is given to many.
                self.made[made] = self.record_name(p.name)
                self.printer.record(p.type)
                written = self.dialect.made.format(type=p.type.name, name=self.made[made], args=args)
                self.lines.append(f"  {written}")
            out.append(self.made[made])
        return out

    def record_name(self, name: str) -> str:
        """What a record that is given to functions is called."""
        return f"{name}_{len(self.made)}"

    def call(self, node: Node, given: list[str]) -> str:
        """The call of a node's function, held within what every bead is held within."""
        assert node.function is not None
        value = f"{self.printer.need(node.function, node.fixed)}({', '.join(given)})"
        if node.gives is None:
            return value
        guard = colour.bounded_value if node.gives is VALUE else colour.bounded
        return f"{self.printer.need(guard)}({value})"

    def of_others(self, made: Made) -> str:
        """A number that is made of other numbers."""
        args = [self.uniform(a) if isinstance(a, Uniform) else self.dialect.literal(a) for a in made.args]
        return f"{self.printer.need(made.function, made.fixed)}({', '.join(args)})"

    # --- what functions are given -----------------------------------------------------

    def arg(self, arg: Arg) -> str:
        """An argument as it is written."""
        match arg:
            case FromUniform(uniform=u, wanted=wanted):
                named = self.uniform(u)
                return self.dialect.constructed(VEC3, named) if wanted is COLOUR and u.param.size == 1 else named
            case FromNode(node=n, wanted=wanted):
                return self.converted(self.node(n), n.gives, wanted)
            case FromPoint(name=name):
                return self.point(name)
            case FromCamera(name=name):
                return self.camera(name)
            case FromPeriod(of=of):
                return self.period(of)
            case Footprint(node=n, period=period):
                return self.footprint(n, period)
            case FromImage(picture=picture):
                return self.picture(picture)
            case FromSheet(picture=picture):
                return self.sheet(picture)
            case Literals(values=values):
                return self.dialect.number(floats(len(values)), values)

    def footprint(self, node: Node, period: Period | None) -> str:
        """How much a node's result changes from pixel to pixel."""
        if self.apart:
            return self.dialect.number(floats(node.size), (0.0,) * node.size)
        name, d = self.node(node), self.dialect
        if node.size == 1:
            return d.width.format(name)
        return (
            f"{self.printer.need(footprint3)}({d.across.format(name)}, {d.along.format(name)}, {self.period(period)})"
        )

    def converted(self, text: str, gives: Signal | None, wanted: Signal | None) -> str:
        """A result brought to the signal that is wanted."""
        if wanted is COLOUR and gives is VALUE:
            return self.dialect.constructed(VEC3, text)
        if wanted is VALUE and gives is COLOUR:
            return f"{self.printer.need(colour.luminance)}({text})"
        return text

    def period(self, period: Period | None) -> str:
        """The name of a period, which is worked out where it is first asked for; nought for none."""
        nought = self.dialect.constructed(VEC3, self.dialect.literal(0.0))
        if period is None:
            return nought
        if period.name not in self.periods:
            self.periods.add(period.name)
            value = nought
            if period.function is not None:
                called = self.printer.need(period.function, period.fixed)
                value = f"{called}({', '.join(self.arg(a) for a in period.args)})"
            self.keep(VEC3, self.period_name(period), value)
        return self.period_name(period)
