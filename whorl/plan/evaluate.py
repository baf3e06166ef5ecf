"""A plan run on the CPU: bead by bead over tiles of samples, on as many threads as asked for."""

import threading
from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from functools import lru_cache

import numpy as np

from whorl.beads.spec import COLOUR, VALUE, Numbers, Signal
from whorl.fields import colour
from whorl.plan.plan import (
    Arg,
    Footprint,
    FromNode,
    FromPeriod,
    FromPoint,
    FromUniform,
    Literals,
    Node,
    Plan,
)
from whorl.shade import Unchecked
from whorl.shade.kernel import Argument, Floats, kernel
from whorl.shade.specialise import Fixed

#: Samples in one tile: what a bead's rows of it take fits the second-level cache.
TILE = 65536
#: Surface points: each name an array per component. Four samples in a row are a 2×2 quad,
#: left to right and then top to bottom, so that a footprint can be taken.
Points = Mapping[str, list[Floats]]


#: Signals are held within what a half float holds, so that no product of two overflows.
LIMIT = 65504.0


def run(
    function: Unchecked,
    fixed: Fixed,
    args: list[Argument],
    n: int,
    out: list[Floats] | None = None,
    limit: float | None = None,
) -> list[Floats]:
    """One shade function over `n` samples; arguments that are lists vary, tuples do not."""
    varying = tuple(isinstance(a, list) for a in args)
    made = out if out is not None else [np.empty(n, np.float32) for _ in range(function.tree.returns.size)]
    kernel(function, fixed, varying, limit)(n, args, made)
    return made


def evaluate(plan: Plan, node: Node, points: Points, phase: float, threads: int = 1) -> list[Floats]:
    """A node's result at every surface point: one float32 array for each component.

    `points` holds at_uv, at_object, at_box, at_normal and at_view, all of one length, which is
    a multiple of four. `phase` is 0..1 of the turn.
    """
    order = plan.needed(node)
    numbers = {u.name: u.at(phase) for u in plan.uniforms}
    periods = {n.period.name: n.period.at(phase) for n in order if n.period}
    total = len(points["at_uv"][0])
    whole = [np.empty(total, np.float32) for _ in range(node.size)]
    starts = range(0, total, TILE)

    def tile(start: int) -> None:
        stop = min(start + TILE, total)
        piece = {name: [a[start:stop] for a in arrays] for name, arrays in points.items()}
        work = _Tile(order, numbers, periods, piece, stop - start)
        work.into([w[start:stop] for w in whole])

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
    return whole


@lru_cache(maxsize=64)
def _spent(order: tuple[Node, ...]) -> tuple[tuple[int, ...], ...]:
    """For each step, the nodes whose results nothing later needs."""
    last = {n.index: i for i, n in enumerate(order)}
    for i, node in enumerate(order):
        for a in node.args:
            if isinstance(a, FromNode | Footprint):
                last[a.node.index] = i
    for i in reversed(range(len(order))):
        tapped = order[i].args[0] if order[i].function is None else None
        if isinstance(tapped, FromNode):
            # A tap is another name for the same rows.
            last[tapped.node.index] = max(last[tapped.node.index], last[order[i].index])
    final = len(order) - 1
    last[order[-1].index] = final + 1
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
    """One tile's results, node by node; a result's rows are given back after its last use."""

    def __init__(
        self, order: list[Node], numbers: dict[str, Numbers], periods: dict[str, Numbers], points: Points, n: int
    ) -> None:
        self.order, self.numbers, self.periods, self.points, self.n = order, numbers, periods, points, n
        self.results: dict[int, list[Floats] | Numbers] = {}
        self.converted: dict[tuple[int, Signal], Argument] = {}
        self.taken: dict[int, list[Floats]] = {}

    def into(self, out: list[Floats]) -> None:
        for node, spent in zip(self.order, _spent(tuple(self.order)), strict=True):
            self.results[node.index] = self.node(node)
            for index in spent:
                for row in self.taken.pop(index, []):
                    _ROWS.give(row)
        last: Sequence[Floats | float] = self.results[self.order[-1].index]
        for target, made in zip(out, last, strict=True):
            target[:] = made
        for rows in self.taken.values():
            for row in rows:
                _ROWS.give(row)

    def run(
        self, owner: Node, function: Unchecked, fixed: Fixed, args: list[Argument], limit: float | None
    ) -> list[Floats]:
        out = [_ROWS.take(self.n) for _ in range(function.tree.returns.size)]
        self.taken.setdefault(owner.index, []).extend(out)
        return run(function, fixed, args, self.n, out, limit)

    def node(self, node: Node) -> list[Floats] | Numbers:
        if node.function is None:
            tapped = node.args[0]
            assert isinstance(tapped, FromNode)
            return self.results[tapped.node.index]
        args = [self.arg(a) for a in node.args]
        if not any(isinstance(a, list) for a in args):
            return self.uniform(node, args)
        return self.run(node, node.function, node.fixed, args, None if node.gives is None else LIMIT)

    def uniform(self, node: Node, args: list[Argument]) -> Numbers:
        """A result that is the same everywhere: one sample is enough."""
        assert node.function is not None
        one = run(node.function, node.fixed, args, 1, limit=LIMIT)
        return tuple(float(a[0]) for a in one)

    def arg(self, arg: Arg) -> Argument:
        match arg:
            case FromUniform(uniform=u, wanted=wanted):
                numbers = self.numbers[u.name]
                return numbers * 3 if wanted is COLOUR and len(numbers) == 1 else numbers
            case FromNode(node=n, wanted=wanted):
                return self.as_signal(n, wanted)
            case FromPoint(name=name):
                return self.points[name]
            case FromPeriod(of=of):
                return self.periods[of.name] if of else (0.0, 0.0, 0.0)
            case Footprint(node=n):
                return self.footprint(self.results[n.index])
            case Literals(values=values):
                return values

    def as_signal(self, node: Node, wanted: Signal) -> Argument:
        result = self.results[node.index]
        if wanted is COLOUR and node.gives is VALUE:
            return result * 3
        if wanted is VALUE and node.gives is COLOUR:
            known = self.converted.get((node.index, wanted))
            if known is None:
                if isinstance(result, tuple):
                    known = tuple(map(float, (run(colour.luminance, (), [result], 1)[0][0],)))
                else:
                    known = self.run(node, colour.luminance, (), [result], LIMIT)
                self.converted[(node.index, wanted)] = known
            return known
        return result

    @staticmethod
    def footprint(result: list[Floats] | Numbers) -> Argument:
        """|d/dx| + |d/dy| within each quad, as a GPU takes it."""
        if isinstance(result, tuple):
            return (0.0,)
        q = result[0].reshape(-1, 2, 2)
        across = np.abs(q[:, :, 1] - q[:, :, 0])
        down = np.abs(q[:, 1, :] - q[:, 0, :])
        return [np.ascontiguousarray((across[:, :, None] + down[:, None, :]).reshape(-1), np.float32)]
