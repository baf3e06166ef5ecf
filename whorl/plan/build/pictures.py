"""The pictures of a document as images of a plan, and how they are looked up."""

from whorl.beads.common import WRAP
from whorl.beads.spec import COORDS, DIRECTION
from whorl.effect.document import Effect
from whorl.effect.problems import not_here
from whorl.fields import pictures, surroundings
from whorl.images.library import library
from whorl.images.sheet import Reading
from whorl.plan.build.nodes import Nodes
from whorl.plan.build.numbers import Faults
from whorl.plan.graph import Arg, Footprint, FromImage, FromNode, FromSheet, Node, Picture, Plan


class Pictures:
    """Finds pictures and looks them up."""

    def __init__(self, effect: Effect, plan: Plan, faults: Faults, nodes: Nodes) -> None:
        self.effect, self.plan, self.fault, self.nodes = effect, plan, faults.fault, nodes

    def picture(self, asset: str, read: Reading, place: str) -> Picture | None:
        """A picture of the effect by the id of its asset; None, and a fault, where it is not there."""
        found = next((a for a in self.effect.assets if a.id == asset), None)
        if found is None:
            self.fault(place, f"the effect has no picture '{asset}'; choose one that is there")
            return None
        if not library.has(found.hash):
            self.fault(place, not_here(found.name))
            return None
        known = next((p for p in self.plan.pictures if (p.hash, p.read) == (found.hash, read)), None)
        if known is None:
            known = Picture(f"picture_{len(self.plan.pictures)}", found.hash, read)
            self.plan.pictures.append(known)
        return known

    def look_up(
        self,
        place: str,
        picture: Picture,
        at: Node,
        detail: Arg,
        wrap: int,
        blocky: bool,
        wide: Arg | None = None,
        as_of: Node | None = None,
    ) -> Arg:
        """What a picture holds at coordinates, filtered over a pixel, or as much more as is `wide`: four numbers.

        How much they change from pixel to pixel is that of others where these jump.
        """
        like = as_of or at
        change: Arg = Footprint(like, like.period)
        if wide:
            change = FromNode(
                self.nodes.add(place, DIRECTION, surroundings.seen_at_once, (), (change, wide)), DIRECTION
            )
        given = (FromNode(at, at.gives), change, detail)
        fixed = (("wrap", wrap), ("blocky", int(blocky)))
        made = self.nodes.add(place, None, pictures.look_up, fixed, (FromImage(picture), FromSheet(picture), *given))
        return FromNode(made, None)

    def meeting(self, place: str, picture: Picture, at: Node, detail: Arg, blocky: bool, blend: Arg) -> Arg:
        """What a picture holds whose sides are blended into one another, so that it repeats without a seam."""
        p, looks = FromNode(at, at.gives), []
        for over in range(2):
            for right in range(2):
                fixed = (("right", right), ("over", over))
                there = self.nodes.add(place, COORDS, pictures.tiled_at, fixed, (p, blend))
                looks.append(self.look_up(place, picture, there, detail, WRAP.number("edge"), blocky, as_of=at))
        return FromNode(self.nodes.add(place, None, pictures.sides_blended, (), (*looks, p, blend)), None)
