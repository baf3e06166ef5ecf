"""Writes the nodes of a plan; knows nothing of where they come from."""

from collections.abc import Callable
from dataclasses import replace

from whorl.beads.spec import COORDS, VALUE, Signal
from whorl.fields import body, directions
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
    Plan,
)
from whorl.shade import Unchecked
from whorl.shade.specialise import Fixed

#: How what is known of a surface point changes to that of a point beside it.
_MOVED: dict[str, Unchecked] = {
    "at_uv": directions.moved_uv,
    "at_object": directions.moved_position,
    "at_world": directions.moved_position,
    "at_box": directions.moved_box,
    "at_second_uv": directions.moved_second_uv,
}

_LOWERED: dict[str, Unchecked] = {
    "at_uv": body.lowered_uv,
    "at_object": body.lowered_place,
    "at_world": body.lowered_place,
    "at_box": body.lowered_box,
    "at_second_uv": body.lowered_second_uv,
}


class Nodes:
    """Adds nodes to a plan."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self.plain: dict[object, int] = {}
        #: Nodes whose results jump from piece to piece.
        self.stepped: set[int] = set()
        self.places: dict[object, Node] = {}

    def value(self, place: str, function: object, *args: Arg, fixed: Fixed = ()) -> Arg:
        """A node that gives a value, as an argument."""
        return FromNode(self.add(place, VALUE, function, fixed, args), VALUE)

    def add(
        self,
        place: str,
        gives: Signal | None,
        function: object,
        fixed: Fixed = (),
        args: tuple[Arg, ...] = (),
        period: Period | None = None,
    ) -> Node:
        """One more node; another name for an earlier one that does the same."""
        if function is not None and not any(isinstance(a, FromUniform) for a in args):
            # What takes no numbers of its own and does what another did is that other's result.
            same = self.plain.setdefault((function, fixed, args), len(self.plan.nodes))
            if same < len(self.plan.nodes):
                first = self.plan.nodes[same]
                function, fixed, args, period = None, (), (FromNode(first, gives or VALUE),), first.period
        node = Node(len(self.plan.nodes), place, gives, function, fixed, args, period)  # pyrefly: ignore[bad-argument-type]
        self.plan.nodes.append(node)
        made_of = [a for a in args if not isinstance(a, FromUniform | FromPeriod | FromCamera | Literals)]
        if made_of and all(isinstance(a, FromNode) and a.node.index in self.stepped for a in made_of):
            self.stepped.add(node.index)
        return node

    def twin(self, node: Node, elsewhere: Callable[[FromPoint], Arg], beside: bool = False) -> Node:
        """The node once more, as it would be where the surface point is another.

        Where that is only `beside`, as much changes from pixel to pixel as here: a difference of the
        two shall tell of the field alone, and not of how finely it is looked at.
        """
        twins: dict[int, Node] = {}

        def arg(a: Arg) -> Arg:
            if isinstance(a, Footprint) and beside:
                return a
            if isinstance(a, FromNode | Footprint):
                return replace(a, node=twins.get(a.node.index, a.node))
            return elsewhere(a) if isinstance(a, FromPoint) else a

        for n in self.plan.needed(node):
            args = tuple(map(arg, n.args))
            if args != n.args:
                twins[n.index] = self.add(n.place, n.gives, n.function, n.fixed, args, n.period)
        return twins.get(node.index, node)

    def moving(self, node: Node) -> bool:
        """Whether a motion reaches a node."""
        args = [a for n in self.plan.needed(node) for a in n.args]
        return any(isinstance(a, FromUniform) and a.uniform.track is not None for a in args)

    def moved(self, node: Node, distance: Arg, second: int) -> Node:
        """The node once more, as it would be a distance away on the surface: one way or square to it."""

        def beside(point: FromPoint) -> Arg:
            if point.name not in _MOVED:
                return point
            key = (point.name, distance, second)
            if key not in self.places:
                function = _MOVED[point.name]
                args = [
                    point if p.name == "at" else distance if p.name == "distance" else FromPoint(p.name)
                    for p in function.tree.params
                    if not p.fixed
                ]
                self.places[key] = self.add(node.place, COORDS, function, (("second", second),), tuple(args))
            return FromNode(self.places[key], COORDS)

        return self.twin(node, beside, beside=True)

    def by_offset(self, offset: Arg, at: str) -> Callable[[FromPoint], Arg]:
        """What is known of a surface point, an offset away from it."""

        def elsewhere(point: FromPoint) -> Arg:
            function = _LOWERED.get(point.name)
            if function is None:
                return point
            args = tuple(
                point if p.name == "at" else offset if p.name == "offset" else FromPoint(p.name)
                for p in function.tree.params
            )
            key = (point.name, offset)
            if key not in self.places:
                self.places[key] = self.add(at, COORDS, function, (), args)
            return FromNode(self.places[key], COORDS)

        return elsewhere
