"""What a picture of a program is made from, so that one that would come out the same is not drawn again.

A program is made anew with every change of structure, and its uniforms are numbered anew. What one node makes is often
what it was: the same functions of the same numbers. A name says the first of these, what is asked for the second.
"""

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass

from whorl.plan.graph import (
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
from whorl.shade import Unchecked
from whorl.shade.specialise import Fixed


@dataclass(frozen=True)
class Of:
    """How a picture is made, as a name that stays as long as that does, and the uniforms that are read for it.

    These are positions, rising, among those of the plan's uniforms that are not made of others.
    """

    name: str
    asks: tuple[int, ...]


#: The same while it is put together.
_Said = tuple[str, frozenset[int]]


class Sameness:
    """What is made of a plan's nodes. What the mesh is and where the camera stands are not in it."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self.order = {u.name: i for i, u in enumerate(u for u in plan.uniforms if u.made is None)}
        self.nodes: dict[int, _Said] = {}
        for n in plan.nodes:
            self.nodes[n.index] = self._node(n)
        #: What moves the shape is in every picture of it.
        self.moved = self._all((plan.raised, plan.offset, plan.amount, plan.whole))

    def bead(self, node: Node) -> Of:
        """What the picture of one node alone is made from."""
        return self._of((node,))

    def picture(self) -> Of:
        """What the whole picture is made from, but for the passes that finish it."""
        p = self.plan
        beside = [part for many in (p.screen, p.travel) for name in sorted(many) for part in (name, many[name])]
        return self._of((p.picture, p.backdrop, p.far, p.layer, p.back, *beside))

    def _node(self, n: Node) -> _Said:
        match n:
            # Another name for one that is there already, as equal beads and taps are.
            case Node(function=None, args=(FromNode(node, wanted),)) if n.gives == node.gives == wanted:
                return self.nodes[node.index]
        return self._all((self._called(n.function, n.fixed), str(n.gives), *n.args))

    def _of(self, parts: Iterable[object]) -> Of:
        name, asks = self._all((*parts, self.moved))
        return Of(name, tuple(sorted(asks)))

    def _all(self, parts: Iterable[object]) -> _Said:
        said = [self._part(part) for part in parts]
        text = "\0".join(word for word, _ in said)
        name = hashlib.blake2b(text.encode(), digest_size=9).hexdigest()
        return name, frozenset().union(*(asks for _, asks in said))

    def _part(self, part: object) -> _Said:
        match part:
            case Node():
                return self.nodes[part.index]
            case FromNode(node, wanted):
                return self._all((node, str(wanted)))
            case FromUniform(uniform, wanted):
                return self._all((uniform, str(wanted)))
            case Uniform(made=None):
                return f"{part.place} {part.param.name} {part.param.size}", frozenset((self.order[part.name],))
            case Uniform(made=made):
                assert made is not None
                return self._all((self._called(made.function, made.fixed), *made.args))
            case FromPeriod(of):
                return self._all(("period", of))
            case Footprint(node, period):
                return self._all(("footprint", node, period))
            case Period(function=function, fixed=fixed, args=args):
                return self._all((self._called(function, fixed), *args))
            case FromImage(Layer() as layer):
                return self._all((layer.name, self.plan.lamp))
            case FromImage(picture) | FromSheet(picture):
                return self._all((type(part).__name__, picture))
            case Picture():
                return self._all((part.hash, part.read, part.frames, part.ahead, part.at))
            case FromPoint(name) | FromCamera(name):
                return f"{type(part).__name__} {name}", frozenset()
            case (str() as name, frozenset() as asks):
                return name, asks
            case Literals() | str() | bool() | float() | int() | None:
                return repr(part), frozenset()
        raise TypeError(f"nothing is known of {part!r}")

    @staticmethod
    def _called(function: Unchecked | None, fixed: Fixed) -> str:
        return f"{function.name if function else ''} {fixed!r}"
