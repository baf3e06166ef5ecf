"""A plan run on the CPU: bead by bead over tiles of samples, on as many threads as asked for."""

import time
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor

import numpy as np

from whorl.beads.spec import COLOUR, VALUE, Numbers
from whorl.fields import colour
from whorl.fields.lattice import footprint3
from whorl.images.library import library
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
    Node,
    Period,
    Picture,
    Plan,
    Uniform,
)
from whorl.plan.run.steps import LIMIT, Step, source, steps, still
from whorl.shade import Unchecked
from whorl.shade.ahead import helped
from whorl.shade.kernel import Argument, Floats, Rows, kernel
from whorl.shade.loops import F32_1, loops
from whorl.shade.specialise import Fixed
from whorl.shade.values import Image

#: Samples in one tile, at most, and at least where several threads share them: to have a kernel run takes as long as
#: some thousand samples of a light one, and still larger tiles leave the processor's caches.
TILE = 131072
LEAST = 16384
#: The camera where none is given: far off, straight before the plane; see `graph.CAMERA`.
AHEAD: dict[str, Numbers] = {
    "eye": (0.0, 0.0, 1e7),
    "right": (1.0, 0.0, 0.0),
    "up": (0.0, 1.0, 0.0),
    "scale": (1.0,),
    "pixel": (0.0,),
    "bare": (0.0,),
    "side": (1.0,),
    "size": (1.0,),
    "alone": (0.0,),
}
#: What stands for the far side where none was drawn.
NOTHING = Image(np.zeros((1, 1, 4), np.float16))
#: Surface points: each name an array per component. Four samples in a row are a 2×2 quad,
#: left to right and then top to bottom, so that a footprint can be taken.
Points = Mapping[str, list[Floats]]


def run(
    function: Unchecked,
    fixed: Fixed,
    args: list[Argument],
    n: int,
    out: list[Floats] | None = None,
    limit: float | None = None,
) -> list[Floats]:
    """One shade function over `n` samples; arguments that are lists vary, tuples do not."""
    made = out or [np.empty(n, np.float32) for _ in range(function.tree.returns.size)]
    varying = tuple(isinstance(a, list) for a in args)
    kernel(function, fixed, varying, limit)(n, args, made)
    return made


def _period_of(arg: Arg) -> Period | None:
    if isinstance(arg, FromPeriod):
        return arg.of
    return arg.period if isinstance(arg, Footprint) else None


class Kept:
    """Results that no motion changes, kept from frame to frame for the points they were made at."""

    #: Bytes; an effect that would need more keeps nothing.
    MOST = 1 << 29

    def __init__(self) -> None:
        self.results: dict[int, list[Floats]] = {}
        self.complete = False

    def begin(self, nodes: list[Node], total: int) -> None:
        """Room for the results of these nodes over so many points."""
        if sum(n.size for n in nodes) * total * 4 <= self.MOST:
            self.results = {n.index: [np.empty(total, np.float32) for _ in range(n.size)] for n in nodes}


class Evaluation:
    """One node of a plan, ready to be run at any phase and any points.

    `fused` runs light nodes together: quicker, with kernels of its own that compile first.
    """

    def __init__(self, plan: Plan, node: Node, fused: bool = False) -> None:
        self.plan, self.node = plan, source(node)
        key = self.node.index, fused
        if key not in plan.ready:
            found = steps(plan, self.node, fused)
            kept, moving = still(found)
            plan.ready[key] = _Order(found), kept, _Order(moving), _uniforms(found)
        self.all: _Order
        self.still: list[Step]
        self.moving: _Order
        #: Those that reach it: others may be measured from it.
        self.uniforms: list[Uniform]
        self.all, self.still, self.moving, self.uniforms = plan.ready[key]

    @property
    def steps(self) -> list[Step]:
        """All that make it, in order."""
        return self.all.steps

    def __call__(
        self,
        points: Points,
        phase: float,
        threads: int = 1,
        kept: Kept | None = None,
        camera: Mapping[str, Numbers] = AHEAD,
        apart: bool = False,
        layers: Mapping[str, Image] = {},
        clock: dict[int, float] | None = None,
    ) -> list[Floats]:
        """The node's result at every surface point: one float32 array for each component.

        `points` holds what `graph.POINTS` names, all of one length, which is a multiple of four.
        `phase` is 0..1 of the turn. `kept` is filled by the first run and spares later ones what
        does not move; it belongs to these points and this camera, which is what `graph.CAMERA` names.
        Points that lie `apart` are no quads, and nothing changes from one to the next. `layers` are what was drawn to
        be looked up, by its name: of the far side, premultiplied, its rows from the bottom; what the key lamp sees.
        `clock` takes the seconds of each node.
        """
        total = len(next(iter(points.values()))[0])
        known = kept.results if kept and kept.complete else {}
        todo = self.moving if known else self.all
        making: Kept | None = None
        if kept and not kept.complete:
            making = Kept()
            making.begin([s.node for s in self.still], total)
        numbers = {u.name: u.at(phase) for u in self.uniforms}
        numbers |= {f"camera_{name}": value for name, value in camera.items()}
        periods = {p.name: p.at(phase) for p in todo.periods}
        whole = [np.empty(total, np.float32) for _ in range(self.node.size)]
        # As many as there are threads, so that none waits for another's last.
        each = min(TILE, max(LEAST, -(-total // (4 * threads)) * 4))
        starts = list(range(0, total, each))

        def tile(start: int) -> None:
            stop = min(start + each, total)

            def cut(rows: list[Floats]) -> Rows:
                return Rows(r[start:stop] for r in rows)

            here = {name: cut(rows) for name, rows in points.items()}
            work = _Tile(numbers, periods, here, stop - start, apart, layers)
            for index, rows in known.items():
                work.results[index] = cut(rows)
            keep = {index: cut(rows) for index, rows in making.results.items()} if making else {}
            work.into(todo.acts, cut(whole), keep, clock)

        if not todo.loaded:
            helped(s.kernel for s in todo.steps)
        if threads > 1 and not todo.loaded:
            # The first tile alone, so that kernels are compiled once and not by every thread.
            for start in starts[:1]:
                tile(start)
            del starts[:1]
        if threads > 1 and len(starts) > 1:
            with ThreadPoolExecutor(threads) as pool:
                list(pool.map(tile, starts))
        else:
            for start in starts:
                tile(start)
        if kept and making and making.results:
            kept.results, kept.complete = making.results, True
        return whole


def _uniforms(order: list[Step]) -> list[Uniform]:
    """All uniforms that steps read, and that the periods they take are made of."""
    found: dict[str, Uniform] = {}
    waiting = [a for s in order for a in s.args]
    while waiting:
        arg = waiting.pop()
        if isinstance(arg, FromUniform):
            found[arg.uniform.name] = arg.uniform
        elif isinstance(arg, FromImage):
            if isinstance(arg.picture, Picture) and arg.picture.at:
                found[arg.picture.at.name] = arg.picture.at
        elif period := _period_of(arg):
            waiting += period.args
    return list(found.values())


def expected(plan: Plan, *nodes: Node | None) -> None:
    """Says that some nodes are going to be worked out, in this order, so that a second process can help compiling."""
    orders = [Evaluation(plan, n).all for n in nodes if n]
    helped(s.kernel for order in orders if not order.loaded for s in order.steps)


def evaluate(
    plan: Plan,
    node: Node,
    points: Points,
    phase: float,
    threads: int = 1,
    camera: Mapping[str, Numbers] = AHEAD,
    apart: bool = False,
) -> list[Floats]:
    """A node's result at every surface point, once; see `Evaluation`."""
    return Evaluation(plan, node)(points, phase, threads, camera=camera, apart=apart)


#: How a tile comes to an argument of a step.
_Taking = Callable[["_Tile"], Argument]


def _taking(arg: Arg) -> _Taking:
    """What does not differ from tile to tile is found out here: a small kernel takes no longer than to ask for it."""
    match arg:
        case FromUniform(uniform=u, wanted=wanted):
            name, times = u.name, 3 if wanted is COLOUR and len(u.value) == 1 else 1
            return lambda t: t.numbers[name] * times
        case FromNode(node=n, wanted=wanted):
            node = source(n)
            index = node.index
            if wanted is VALUE and node.gives is COLOUR:
                return lambda t: t.grey(node)
            if wanted is COLOUR and node.gives is VALUE:
                return lambda t: t.results[index] * 3
            return lambda t: t.results[index]
        case FromPoint(name=name):
            return lambda t: t.points[name]
        case FromCamera(name=name):
            of_camera = f"camera_{name}"
            return lambda t: t.numbers[of_camera]
        case FromPeriod(of=of):
            period = of.name if of else ""
            return lambda t: t.periods[period] if period else (0.0, 0.0, 0.0)
        case Footprint(node=n, period=period_of):
            node = source(n)
            return lambda t: t.footprint(node, period_of)
        case FromImage(picture=picture):
            if isinstance(picture, Layer):
                layer = picture.name
                return lambda t: t.layers.get(layer, NOTHING)
            shown, at = picture, picture.at.name if picture.at else None
            return lambda t: library.sheet(shown.hash, shown.read, shown.frame(t.numbers[at][0]) if at else 0).image
        case FromSheet(picture=sheet):
            return lambda t: library.sheet(sheet.hash, sheet.read).numbers
        case Literals(values=values):
            return lambda t: values


class _Act:
    """A step among others as tiles run it."""

    def __init__(self, step: Step, spent: list[int]) -> None:
        self.node, self.index, self.size = step.node, step.node.index, step.node.size
        self.kernel, self.varies = step.kernel, step.varies
        self.takes = [_taking(a) for a in step.args]
        #: The nodes whose results nothing later needs.
        self.spent = spent


class _Order:
    """Steps in order, with all that can be known of them before there is a sample."""

    def __init__(self, order: list[Step]) -> None:
        last: dict[int, int] = {}
        for i, step in enumerate(order):
            last[step.node.index] = i
            last |= {n.index: i for n in step.uses}
        last[order[-1].node.index] = len(order)
        spent: list[list[int]] = [[] for _ in range(len(order) + 1)]
        for index, when in last.items():
            spent[when].append(index)
        self.steps = order
        self.acts = [_Act(step, gone) for step, gone in zip(order, spent, strict=False)]
        named = [_period_of(a) for s in order for a in s.args]
        self.periods = list({p.name: p for p in named if p}.values())
        self._loaded = False

    @property
    def loaded(self) -> bool:
        """Whether all kernels are in memory; once they are, they stay there."""
        self._loaded = self._loaded or all(s.kernel.loaded for s in self.steps)
        return self._loaded


class _Rows:
    """Memory for results that is used again: fresh pages cost more than what is computed in them."""

    #: How many are kept: 128 MiB of them.
    MOST = 256

    def __init__(self) -> None:
        # Taking from a list's end and putting there is one step to all threads.
        self.free: list[Floats] = []

    def take(self, n: int) -> Floats:
        """A row of `n` floats."""
        try:
            row = self.free.pop()
        except IndexError:
            row = np.empty(TILE, np.float32)
        return row[:n]

    def give(self, row: Floats) -> None:
        """Take back a row that `take` handed out."""
        if isinstance(row.base, np.ndarray) and len(self.free) < self.MOST:
            self.free.append(row.base)


_ROWS = _Rows()


class _Tile:
    """One tile's results, step by step; a result's rows are given back after its last use."""

    def __init__(
        self,
        numbers: dict[str, Numbers],
        periods: dict[str, Numbers],
        points: Points,
        n: int,
        apart: bool,
        layers: Mapping[str, Image],
    ) -> None:
        self.numbers, self.periods, self.points, self.n = numbers, periods, points, n
        self.apart, self.layers = apart, layers
        self.results: dict[int, list[Floats] | Numbers] = {}
        self.grey_of: dict[int, Argument] = {}
        self.taken: dict[int, list[Floats]] = {}

    def into(
        self, acts: list[_Act], out: list[Floats], keep: Mapping[int, list[Floats]], clock: dict[int, float] | None
    ) -> None:
        last = acts[-1].index
        for act in acts:
            index = act.index
            begun = time.perf_counter() if clock is not None else 0.0
            self.results[index] = self.done(act, out if index == last else keep.get(index))
            if clock is not None:
                clock[index] = clock.get(index, 0.0) + time.perf_counter() - begun
            for gone in act.spent:
                for row in self.taken.pop(gone, []):
                    _ROWS.give(row)
        made: Sequence[Floats | float] = self.results[last]
        for target, values in zip(out, made, strict=True):
            if target is not values:
                target[:] = values
        for rows in self.taken.values():
            for row in rows:
                _ROWS.give(row)

    def rows(self, owner: Node, size: int) -> Rows:
        """Fresh rows that are given back with the owner's result."""
        out = Rows(_ROWS.take(self.n) for _ in range(size))
        self.taken.setdefault(owner.index, []).extend(out)
        return out

    def done(self, act: _Act, out: list[Floats] | None) -> list[Floats] | Numbers:
        args = [take(self) for take in act.takes]
        if not act.varies:
            # A result that is the same everywhere: one sample is enough.
            one = [np.empty(1, np.float32) for _ in range(act.size)]
            act.kernel(1, args, one)
            return tuple(float(a[0]) for a in one)
        made = out or self.rows(act.node, act.size)
        act.kernel(self.n, args, made)
        return made

    def grey(self, node: Node) -> Argument:
        """A colour's luminance, worked out once."""
        known = self.grey_of.get(node.index)
        if known is None:
            result = self.results[node.index]
            if isinstance(result, tuple):
                known = tuple(map(float, (run(colour.luminance, (), [result], 1)[0][0],)))
            else:
                known = run(colour.luminance, (), [result], self.n, self.rows(node, 1), LIMIT)
            self.grey_of[node.index] = known
        return known

    def footprint(self, node: Node, period: Period | None) -> Argument:
        """|d/dx| + |d/dy| within each quad, as a GPU takes it."""
        result = self.results[node.index]
        if isinstance(result, tuple):
            return (0.0,) * len(result)
        if self.apart:
            # Rows of it, as the kernels that take it expect.
            return [np.zeros(self.n, np.float32)] * len(result)
        if len(result) == 1:
            change = self.rows(node, 1)
            _change(result[0], change[0])
            return change
        across, down = self.rows(node, len(result)), self.rows(node, len(result))
        for row, x, y in zip(result, across, down, strict=True):
            _differences(row, x, y)
        known = self.periods[period.name] if period else (0.0, 0.0, 0.0)
        return run(footprint3, (), [across, down, known], self.n, self.rows(node, 3))


@loops
def _change(row: F32_1, to: F32_1) -> None:
    """|d/dx| + |d/dy| within quads."""
    for q in range(len(row) // 4):
        a, b, c, d = row[4 * q], row[4 * q + 1], row[4 * q + 2], row[4 * q + 3]
        upper, lower, left, right = abs(b - a), abs(d - c), abs(c - a), abs(d - b)
        to[4 * q] = upper + left
        to[4 * q + 1] = upper + right
        to[4 * q + 2] = lower + left
        to[4 * q + 3] = lower + right


@loops
def _differences(row: F32_1, across: F32_1, down: F32_1) -> None:
    """Differences within quads, to the side and down, given to both of the samples they lie between."""
    for q in range(len(row) // 4):
        a, b, c, d = row[4 * q], row[4 * q + 1], row[4 * q + 2], row[4 * q + 3]
        across[4 * q] = across[4 * q + 1] = b - a
        across[4 * q + 2] = across[4 * q + 3] = d - c
        down[4 * q] = down[4 * q + 2] = c - a
        down[4 * q + 1] = down[4 * q + 3] = d - b
