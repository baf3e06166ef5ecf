"""A plan run on the CPU: bead by bead over tiles of samples, on as many threads as asked for."""

import time
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from functools import cached_property

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
from whorl.shade.kernel import Argument, Floats, begun, kernel, pictured
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
        self.ready: _Ready = plan.ready[key] if key in plan.ready else _Ready(steps(plan, self.node, fused))
        plan.ready[key] = self.ready

    @property
    def steps(self) -> list[Step]:
        """All that make it, in order."""
        return self.ready.all.steps

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
        todo = self.ready.moving if known else self.ready.all
        making: Kept | None = None
        if kept and not kept.complete:
            making = Kept()
            making.begin([s.node for s in self.ready.parted[0]], total)
        numbers = self.ready.numbers.at(self.plan, phase, camera)
        periods = {p.name: p.at(phase) for p in todo.periods}
        whole = [np.empty(total, np.float32) for _ in range(self.node.size)]
        # As many as there are threads, so that none waits for another's last.
        each = min(TILE, max(LEAST, -(-total // (4 * threads)) * 4))
        starts = list(range(0, total, each))

        def tile(start: int) -> None:
            stop = min(start + each, total)

            def cut(rows: list[Floats]) -> list[Floats]:
                return [r[start:stop] for r in rows]

            here = {name: cut(points[name]) for name in todo.points}
            work = _Tile(numbers, periods, here, stop - start, apart, layers)
            for index, rows in known.items():
                work.lay(index, cut(rows))
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
    orders = [Evaluation(plan, n).ready.all for n in nodes if n]
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


class _Numbers:
    """Uniforms that steps read; those that stay as they are, are asked once."""

    def __init__(self, uniforms: list[Uniform]) -> None:
        self.still = {u.name: u.value for u in uniforms if u.track is None}
        self.moving = [u for u in uniforms if u.track is not None]

    def at(self, plan: Plan, phase: float, camera: Mapping[str, Numbers]) -> dict[str, Numbers]:
        """All of them at a phase, and those of a camera, by their names."""
        # Both sides of a shape, its vertices and its backdrop are of one moment.
        when, known = plan.moment
        if when != phase:
            known = {}
        for u in self.moving:
            if u.name not in known:
                known[u.name] = u.at(phase)
        plan.moment = phase, known
        of_camera = {f"camera_{name}": tuple(value) for name, value in camera.items()}
        return {**self.still, **{u.name: known[u.name] for u in self.moving}, **of_camera}


#: What a step is given: numbers, where rows begin, or an image.
_Given = Numbers | list[int] | Image
_Taking = Callable[["_Tile"], _Given]


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
                return lambda t: t.grey(index)
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
            changing = source(n).index
            return lambda t: t.footprint(changing, period_of)
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
        self.index, self.size = step.node.index, step.node.size
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
        #: What is asked for of a surface point.
        self.points = {a.name for s in order for a in s.args if isinstance(a, FromPoint)}
        self._loaded = False

    @property
    def loaded(self) -> bool:
        """Whether all kernels are in memory; once they are, they stay there."""
        self._loaded = self._loaded or all(s.kernel.loaded for s in self.steps)
        return self._loaded


class _Ready:
    """What is known of a node before it is run; of what is drawn but once, nothing that only a film asks for."""

    def __init__(self, found: list[Step]) -> None:
        self.all, self.numbers = _Order(found), _Numbers(_uniforms(found))

    @cached_property
    def parted(self) -> tuple[list[Step], list[Step]]:
        """Steps whose results may be kept from frame to frame, and those that run again then."""
        return still(self.all.steps)

    @cached_property
    def moving(self) -> _Order:
        """Those that run again."""
        return _Order(self.parted[1])


#: A row of TILE floats, and where it begins.
_Row = tuple[Floats, int]


class _Rows:
    """Memory for results that is used again: fresh pages cost more than what is computed in them."""

    #: How many are kept: 128 MiB of them.
    MOST = 256

    def __init__(self) -> None:
        # Taking from a list's end and putting there is one step to all threads.
        self.free: list[_Row] = []

    def take(self) -> _Row:
        """A row that nobody else has."""
        try:
            return self.free.pop()
        except IndexError:
            row = np.empty(TILE, np.float32)
            return row, int(row.ctypes.data)

    def give(self, rows: list[_Row]) -> None:
        """Take back what `take` handed out."""
        if len(self.free) < self.MOST:
            self.free += rows


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
        self.numbers, self.periods, self.n = numbers, periods, n
        self.apart, self.layers = apart, layers
        self.points = {name: begun(rows, n) for name, rows in points.items()}
        #: By node: the numbers that it is everywhere, or where its rows begin.
        self.results: dict[int, Numbers | list[int]] = {}
        self.grey_of: dict[int, Numbers | list[int]] = {}
        #: The rows themselves: those that are given back, and those of others.
        self.taken: dict[int, list[_Row]] = {}
        self.laid: dict[int, list[Floats]] = {}
        self.level = np.zeros(n if apart else 0, np.float32)

    def into(
        self, acts: list[_Act], out: list[Floats], keep: Mapping[int, list[Floats]], clock: dict[int, float] | None
    ) -> None:
        last = acts[-1].index
        for act in acts:
            index = act.index
            begun = time.perf_counter() if clock is not None else 0.0
            self.done(act, out if index == last else keep.get(index))
            if clock is not None:
                clock[index] = clock.get(index, 0.0) + time.perf_counter() - begun
            for gone in act.spent:
                if gone in self.taken:
                    _ROWS.give(self.taken.pop(gone))
        made = self.results[last]
        if isinstance(made, tuple):
            for target, value in zip(out, made, strict=True):
                target[:] = value
        for rows in self.taken.values():
            _ROWS.give(rows)

    def lay(self, index: int, rows: list[Floats]) -> list[int]:
        """Has a node's result lie in these rows, which are somebody else's."""
        self.laid[index] = rows
        self.results[index] = places = begun(rows, self.n)
        return places

    def fresh(self, owner: int, size: int) -> list[_Row]:
        """Fresh rows that are given back with the owner's result."""
        rows = [_ROWS.take() for _ in range(size)]
        self.taken.setdefault(owner, []).extend(rows)
        return rows

    def rows(self, index: int, size: int) -> list[Floats]:
        """A result as arrays."""
        return self.laid.get(index) or [row[: self.n] for row, _ in self.taken[index][:size]]

    def done(self, act: _Act, out: list[Floats] | None) -> None:
        numbers: list[float] = []
        places: list[int] = []
        for take in act.takes:
            given = take(self)
            if type(given) is tuple:
                numbers += given
            elif type(given) is list:
                places += given
            else:
                place, extent = pictured(given)  # pyrefly: ignore[bad-argument-type]
                places.append(place)
                numbers += extent
        index = act.index
        if not act.varies:
            # A result that is the same everywhere: one sample is enough.
            one = self.fresh(index, act.size)
            act.kernel.run(1, numbers, places + [place for _, place in one])
            self.results[index] = tuple([float(row[0]) for row, _ in one])
            return
        if out is None:
            self.results[index] = made = [place for _, place in self.fresh(index, act.size)]
        else:
            made = self.lay(index, out)
        act.kernel.run(self.n, numbers, places + made)

    def grey(self, index: int) -> Numbers | list[int]:
        """A colour's luminance, worked out once."""
        known = self.grey_of.get(index)
        if known is None:
            result = self.results[index]
            if isinstance(result, tuple):
                known = (float(run(colour.luminance, (), [result], 1)[0][0]),)
            else:
                known = [place for _, place in self.fresh(index, 1)]
                kernel(colour.luminance, (), (True,), LIMIT).run(self.n, [], result + known)
            self.grey_of[index] = known
        return known

    def footprint(self, index: int, period: Period | None) -> Numbers | list[int]:
        """|d/dx| + |d/dy| within each quad, as a GPU takes it."""
        result = self.results[index]
        if isinstance(result, tuple):
            return (0.0,) * len(result)
        if self.apart:
            # Rows of it, as the kernels that take it expect.
            return [int(self.level.ctypes.data)] * len(result)
        size, n = len(result), self.n
        made = self.rows(index, size)
        fresh = self.fresh(index, 1 if size == 1 else 2 * size + 3)
        places = [place for _, place in fresh]
        if size == 1:
            _change(made[0], fresh[0][0][:n])
            return places
        for row, (x, _), (y, _) in zip(made, fresh[:size], fresh[size : 2 * size], strict=True):
            _differences(row, x[:n], y[:n])
        known = self.periods[period.name] if period else (0.0, 0.0, 0.0)
        kernel(footprint3, (), (True, True, False)).run(n, [*known], places)
        return places[2 * size :]


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
