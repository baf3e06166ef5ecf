"""A plan run on the CPU: bead by bead over tiles of samples, on as many threads as asked for."""

from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor

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
TILE = 16384
#: Surface points: each name an array per component. Four samples in a row are a 2×2 quad,
#: left to right and then top to bottom, so that a footprint can be taken.
Points = Mapping[str, list[Floats]]


def run(
    function: Unchecked, fixed: Fixed, args: list[Argument], n: int, out: list[Floats] | None = None
) -> list[Floats]:
    """One shade function over `n` samples; arguments that are lists vary, tuples do not."""
    varying = tuple(isinstance(a, list) for a in args)
    made = out if out is not None else [np.empty(n, np.float32) for _ in range(function.tree.returns.size)]
    kernel(function, fixed, varying)(n, args, made)
    return made


def evaluate(plan: Plan, node: Node, points: Points, phase: float, threads: int = 1) -> list[Floats]:
    """A node's result at every surface point: one float32 array for each component.

    `points` holds at_uv, at_object, at_box, at_normal and at_view, all of one length, which is
    a multiple of four. `phase` is 0..1 of the turn.
    """
    order = plan.needed(node)
    numbers = {u.name: u.at(phase) for u in plan.uniforms}
    total = len(points["at_uv"][0])
    whole = [np.empty(total, np.float32) for _ in range(node.size)]
    starts = range(0, total, TILE)

    def tile(start: int) -> None:
        stop = min(start + TILE, total)
        piece = {name: [a[start:stop] for a in arrays] for name, arrays in points.items()}
        _Tile(order, numbers, phase, piece, stop - start).into([w[start:stop] for w in whole])

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


class _Tile:
    """One tile's results, node by node."""

    def __init__(self, order: list[Node], numbers: dict[str, Numbers], phase: float, points: Points, n: int) -> None:
        self.order, self.numbers, self.phase, self.points, self.n = order, numbers, phase, points, n
        self.results: dict[int, list[Floats] | Numbers] = {}
        self.converted: dict[tuple[int, Signal], Argument] = {}

    def into(self, out: list[Floats]) -> None:
        for node in self.order:
            self.results[node.index] = self.node(node)
        last = self.results[self.order[-1].index]
        for target, made in zip(out, last, strict=True):
            target[:] = made

    def node(self, node: Node) -> list[Floats] | Numbers:
        if node.function is None:
            tapped = node.args[0]
            assert isinstance(tapped, FromNode)
            return self.results[tapped.node.index]
        args = [self.arg(a) for a in node.args]
        if not any(isinstance(a, list) for a in args):
            return self.uniform(node, args)
        made = run(node.function, node.fixed, args, self.n)
        if node.gives is not None:
            for a in made:
                np.clip(a, -65504.0, 65504.0, out=a)
        return made

    def uniform(self, node: Node, args: list[Argument]) -> Numbers:
        """A result that is the same everywhere: one sample is enough."""
        assert node.function is not None
        one = run(node.function, node.fixed, args, 1)
        return tuple(float(np.clip(a[0], -65504.0, 65504.0)) for a in one)

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
                return of.at(self.phase) if of else (0.0, 0.0, 0.0)
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
                    known = run(colour.luminance, (), [result], self.n)
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
