"""How a plan's nodes are run on the CPU: in steps, each one kernel over a tile of samples."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property, lru_cache

from whorl.beads.spec import COLOUR, VALUE
from whorl.fields import colour
from whorl.plan.graph import (
    Arg,
    Footprint,
    FromImage,
    FromNode,
    FromPeriod,
    FromPoint,
    FromUniform,
    Layer,
    Node,
    Plan,
    nodes_of,
)
from whorl.shade import Unchecked
from whorl.shade.kernel import Kernel, Link, chain
from whorl.shade.printer import weight
from whorl.shade.specialise import Fixed

#: Signals are held within what a half float holds, so that no product of two overflows.
LIMIT = 65504.0
#: Functions of up to this weight are run together with the one that takes their result: what is
#: heavier, like noise, spends its time on itself and would only compile anew for each effect.
LIGHT = 500


@dataclass(frozen=True, eq=False)
class Step:
    """One or more nodes as one kernel; `node` is the last of them and `args` are what it is given."""

    node: Node
    links: tuple[Link, ...]
    args: tuple[Arg, ...]
    #: Argument by argument, whether it differs from sample to sample.
    varying: tuple[bool, ...]

    @property
    def varies(self) -> bool:
        """Whether the result differs from sample to sample."""
        return any(self.varying)

    @property
    def moves(self) -> bool:
        """Whether a motion reaches it directly."""
        return any(map(_moving_arg, self.args))

    @cached_property
    def kernel(self) -> Kernel:
        """The loop that runs it."""
        return chain(self.links, self.varying)

    @cached_property
    def uses(self) -> tuple[Node, ...]:
        """The nodes whose results it takes."""
        return tuple(source(n) for a in self.args for n in nodes_of(a))


def used(node: Node) -> Iterator[Node]:
    """The nodes whose results a node takes, taps followed to what they tap."""
    return map(source, node.takes)


def source(node: Node) -> Node:
    """The node itself, or what a tap passes on."""
    while node.function is None:
        tapped = node.args[0]
        assert isinstance(tapped, FromNode)
        node = tapped.node
    return node


def steps(plan: Plan, node: Node, fused: bool = False) -> list[Step]:
    """The steps that make `node`, in order.

    `fused` runs light nodes together with their only user. That is quicker, but such a kernel
    serves one effect alone, so it is for what is run many times.
    """
    order = [n for n in plan.needed(node) if n.function is not None]
    varies = varying(order)
    moving = {n.index for n in order if moves(n)}
    for n in order:
        if any(m.index in moving for m in used(n)):
            moving.add(n.index)
    users: dict[int, set[int]] = {}
    for n in order:
        for m in used(n):
            users.setdefault(m.index, set()).add(n.index)
    footprints = {source(a.node).index for n in order for a in n.args if isinstance(a, Footprint)}
    by_index = {n.index: n for n in order}

    def folded(n: Node) -> bool:
        takers = users.get(n.index, set())
        if not fused or len(takers) != 1 or n.index in footprints or n.index not in varies:
            return False
        taker = by_index[next(iter(takers))]
        return light(n) and light(taker) and (n.index in moving) == (taker.index in moving)

    inside = {n.index for n in order if folded(n)}
    return [_step(n, inside, varies) for n in order if n.index not in inside]


def still(found: list[Step]) -> tuple[list[Step], list[Step]]:
    """Of steps, those whose results later steps need and no motion changes; and what is left then.

    Results of the first kind may be kept from frame to frame, and only the others run again.
    """
    moving: set[int] = set()
    for s in found:
        if any(m.index in moving for m in s.uses) or s.moves:
            moving.add(s.node.index)
    wanted = {n.index for s in found if s.node.index in moving for n in s.uses}
    last = found[-1].node.index
    kept = [s for s in found if s.varies and s.node.index not in moving and s.node.index in wanted]
    ends = {s.node.index for s in kept}
    needed = {last}
    for s in reversed(found):
        if s.node.index in needed:
            needed |= {n.index for n in s.uses} - ends
    return kept, [s for s in found if s.node.index in needed]


def varying(order: list[Node]) -> set[int]:
    """The nodes whose results differ from sample to sample."""
    out: set[int] = set()
    for n in order:
        points = any(isinstance(a, FromPoint) for a in n.args)
        if points or any(m.index in out for m in used(n)):
            out.add(n.index)
    return out


def moves(node: Node) -> bool:
    """Whether a motion reaches the node directly."""
    return any(map(_moving_arg, node.args))


def _moving_arg(arg: Arg) -> bool:
    match arg:
        case FromUniform(uniform=u):
            return u.track is not None
        case FromPeriod(of=of):
            return of is not None and of.moves
        case Footprint(period=period):
            return period is not None and period.moves
        case FromImage(picture=picture):
            # What was drawn may differ with every frame, and a sequence plays.
            return picture.moves if isinstance(picture, Layer) else picture.at is not None
    return False


@lru_cache(maxsize=1024)
def _weight(function: Unchecked, fixed: Fixed) -> int:
    return weight(function, fixed)


def heaviness(node: Node) -> int:
    """How many expressions it comes to."""
    return _weight(node.function, node.fixed) if node.function else 0


def light(node: Node) -> bool:
    """Whether a node costs no more than the passing on of its result."""
    return heaviness(node) <= LIGHT


def _step(node: Node, inside: set[int], varies: set[int]) -> Step:
    links: list[Link] = []
    args: list[Arg] = []
    made: dict[int, int] = {}

    def emit(n: Node) -> int:
        if n.index in made:
            return made[n.index]
        inputs: list[int | None] = []
        own: list[Arg] = []
        for a in n.args:
            if not (isinstance(a, FromNode) and source(a.node).index in inside):
                inputs.append(None)
                own.append(a)
                continue
            at = emit(source(a.node))
            if a.wanted is VALUE and a.node.gives is COLOUR:
                links.append(Link(colour.luminance, limit=LIMIT, inputs=(at,)))
                at = len(links) - 1
            inputs.append(at)
        args.extend(own)
        assert n.function is not None
        links.append(Link(n.function, n.fixed, None if n.gives is None else LIMIT, tuple(inputs)))
        made[n.index] = len(links) - 1
        return made[n.index]

    emit(node)
    varying = [isinstance(a, FromPoint) or any(source(n).index in varies for n in nodes_of(a)) for a in args]
    return Step(node, tuple(links), tuple(args), tuple(varying))
