"""A plan run on the CPU: bead by bead over tiles of samples, on as many threads as asked for."""

import threading
import time
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache

import numpy as np

from whorl.beads.spec import COLOUR, VALUE, Numbers, Signal
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
from whorl.shade.kernel import Argument, Floats, kernel
from whorl.shade.loops import F32_1, loops
from whorl.shade.specialise import Fixed
from whorl.shade.values import Image

#: Samples in one tile: what a bead's rows of it take fits the second-level cache.
TILE = 65536
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
            plan.ready[key] = found, *still(found), _uniforms(found)
        self.steps: list[Step]
        self.still: list[Step]
        self.moving: list[Step]
        #: Those that reach it: others may be measured from it.
        self.uniforms: list[Uniform]
        self.steps, self.still, self.moving, self.uniforms = plan.ready[key]

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
        todo = self.moving if known else self.steps
        making: Kept | None = None
        if kept and not kept.complete:
            making = Kept()
            making.begin([s.node for s in self.still], total)
        numbers = {u.name: u.at(phase) for u in self.uniforms}
        numbers |= {f"camera_{name}": value for name, value in camera.items()}
        named = [_period_of(a) for s in todo for a in s.args]
        periods = {p.name: p.at(phase) for p in named if p}
        whole = [np.empty(total, np.float32) for _ in range(self.node.size)]
        starts = range(0, total, TILE)

        def tile(start: int) -> None:
            stop = min(start + TILE, total)

            def cut(rows: list[Floats]) -> list[Floats]:
                return [r[start:stop] for r in rows]

            here = {name: cut(rows) for name, rows in points.items()}
            work = _Tile(numbers, periods, here, stop - start, apart, layers)
            for index, rows in known.items():
                work.results[index] = cut(rows)
            keep = {index: cut(rows) for index, rows in making.results.items()} if making else {}
            work.into(todo, cut(whole), keep, clock)

        helped(s.kernel for s in todo)
        # The first tile alone, so that kernels are compiled once and not by every thread.
        for start in list(starts)[:1]:
            tile(start)
        rest = list(starts)[1:]
        if threads > 1 and len(rest) > 1:
            with ThreadPoolExecutor(threads) as pool:
                list(pool.map(tile, rest))
        else:
            for start in rest:
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
    helped(s.kernel for n in nodes if n for s in steps(plan, source(n), False))


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


@lru_cache(maxsize=64)
def _spent(order: tuple[Step, ...]) -> tuple[tuple[int, ...], ...]:
    """For each step, the nodes whose results nothing later needs."""
    last: dict[int, int] = {}
    for i, step in enumerate(order):
        last[step.node.index] = i
        last |= {n.index: i for n in step.uses}
    last[order[-1].node.index] = len(order)
    return tuple(tuple(k for k, when in last.items() if when == i) for i in range(len(order)))


class _Rows(threading.local):
    """Memory for results, kept by each thread: fresh pages cost more than what is computed in them."""

    def __init__(self) -> None:
        self.free: list[Floats] = []

    def take(self, n: int) -> Floats:
        """A row of `n` floats."""
        row = self.free.pop() if self.free else np.empty(TILE, np.float32)
        return row[:n]

    def give(self, row: Floats) -> None:
        """Take back a row that `take` handed out."""
        if isinstance(row.base, np.ndarray):
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
        self.converted: dict[tuple[int, Signal], Argument] = {}
        self.taken: dict[int, list[Floats]] = {}

    def into(
        self, order: list[Step], out: list[Floats], keep: dict[int, list[Floats]], clock: dict[int, float] | None
    ) -> None:
        last = order[-1].node.index
        for step, spent in zip(order, _spent(tuple(order)), strict=True):
            index = step.node.index
            begun = time.perf_counter() if clock is not None else 0.0
            self.results[index] = self.step(step, out if index == last else keep.get(index))
            if clock is not None:
                clock[index] = clock.get(index, 0.0) + time.perf_counter() - begun
            for gone in spent:
                for row in self.taken.pop(gone, []):
                    _ROWS.give(row)
        made: Sequence[Floats | float] = self.results[last]
        for target, values in zip(out, made, strict=True):
            if target is not values:
                target[:] = values
        for rows in self.taken.values():
            for row in rows:
                _ROWS.give(row)

    def rows(self, owner: Node, size: int) -> list[Floats]:
        """Fresh rows that are given back with the owner's result."""
        out = [_ROWS.take(self.n) for _ in range(size)]
        self.taken.setdefault(owner.index, []).extend(out)
        return out

    def step(self, step: Step, out: list[Floats] | None) -> list[Floats] | Numbers:
        args = [self.arg(a) for a in step.args]
        if not step.varies:
            # A result that is the same everywhere: one sample is enough.
            one = [np.empty(1, np.float32) for _ in range(step.node.size)]
            step.kernel(1, args, one)
            return tuple(float(a[0]) for a in one)
        made = out or self.rows(step.node, step.node.size)
        step.kernel(self.n, args, made)
        return made

    def arg(self, arg: Arg) -> Argument:
        match arg:
            case FromUniform(uniform=u, wanted=wanted):
                numbers = self.numbers[u.name]
                return numbers * 3 if wanted is COLOUR and len(numbers) == 1 else numbers
            case FromNode(node=n, wanted=wanted):
                return self.as_signal(n, wanted)
            case FromPoint(name=name):
                return self.points[name]
            case FromCamera(name=name):
                return self.numbers[f"camera_{name}"]
            case FromPeriod(of=of):
                return self.periods[of.name] if of else (0.0, 0.0, 0.0)
            case Footprint(node=n, period=period):
                return self.footprint(source(n), period)
            case FromImage(picture=picture):
                if isinstance(picture, Layer):
                    return self.layers.get(picture.name, NOTHING)
                frame = picture.frame(self.numbers[picture.at.name][0]) if picture.at else 0
                return library.sheet(picture.hash, picture.read, frame).image
            case FromSheet(picture=picture):
                return library.sheet(picture.hash, picture.read).numbers
            case Literals(values=values):
                return values

    def as_signal(self, node: Node, wanted: Signal | None) -> Argument:
        node = source(node)
        result = self.results[node.index]
        if wanted is COLOUR and node.gives is VALUE:
            return result * 3
        if wanted is VALUE and node.gives is COLOUR:
            known = self.converted.get((node.index, wanted))
            if known is None:
                if isinstance(result, tuple):
                    known = tuple(map(float, (run(colour.luminance, (), [result], 1)[0][0],)))
                else:
                    known = run(colour.luminance, (), [result], self.n, self.rows(node, 1), LIMIT)
                self.converted[(node.index, wanted)] = known
            return known
        return result

    def footprint(self, node: Node, period: Period | None) -> Argument:
        """|d/dx| + |d/dy| within each quad, as a GPU takes it."""
        result = self.results[node.index]
        if isinstance(result, tuple):
            return (0.0,) * len(result)
        if self.apart:
            # Rows of it, as the kernels that take it expect.
            return [np.zeros(self.n, np.float32)] * len(result)
        across, down = ([np.empty(self.n, np.float32) for _ in result] for _ in range(2))
        for row, x, y in zip(result, across, down, strict=True):
            _differences(row, x, y)
        if len(result) == 1:
            return [np.abs(across[0]) + np.abs(down[0])]
        known = self.periods[period.name] if period else (0.0, 0.0, 0.0)
        return list(run(footprint3, (), [across, down, known], self.n))


@loops
def _differences(row: F32_1, across: F32_1, down: F32_1) -> None:
    """Differences within quads, to the side and down, given to both of the samples they lie between."""
    for q in range(len(row) // 4):
        a, b, c, d = row[4 * q], row[4 * q + 1], row[4 * q + 2], row[4 * q + 3]
        across[4 * q] = across[4 * q + 1] = b - a
        across[4 * q + 2] = across[4 * q + 3] = d - c
        down[4 * q] = down[4 * q + 2] = c - a
        down[4 * q + 1] = down[4 * q + 3] = d - b
