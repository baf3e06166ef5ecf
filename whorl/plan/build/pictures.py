"""The pictures of a document as images of a plan, and how they are looked up."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from whorl.beads.common import WRAP
from whorl.beads.spec import COORDS, DIRECTION, Numbers, Param
from whorl.effect.document import Asset, Effect
from whorl.effect.problems import not_here
from whorl.fields import pictures, surroundings
from whorl.images.library import library
from whorl.images.sequence import MOST_FRAMES
from whorl.images.sheet import Reading
from whorl.plan.build.nodes import Nodes
from whorl.plan.build.numbers import Faults
from whorl.plan.graph import (
    Arg,
    Footprint,
    FromImage,
    FromNode,
    FromSheet,
    FromUniform,
    Node,
    Picture,
    Plan,
    Uniform,
)

#: Where a sequence stands.
_AT = Param("at", "Where the sequence stands, in frames.", (0.0,), (0, MOST_FRAMES), (0, MOST_FRAMES), moves=False)


@dataclass(frozen=True)
class Plays:
    """Where a sequence of so many frames stands at a phase: the number of a frame, and how far it is to the next.

    In a turn that loops it comes round so many times, its last frame passing into its first; in one that plays once it
    ends on its last.
    """

    frames: int
    loops: int
    looping: bool
    held: bool

    def __call__(self, phase: float) -> Numbers:
        return tuple(self.rows([phase])[0].tolist())

    def rows(self, phases: Sequence[float] | NDArray[np.float64]) -> NDArray[np.float64]:
        """A row of one number for each phase."""
        whole = self.frames * self.loops
        # What rounding takes off a whole frame is given back.
        at = np.asarray(phases, np.float64) * (whole if self.looping else whole - 1) + 1e-6
        at = (np.floor(at) if self.held else at - 1e-6) % self.frames
        return at[:, None]


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
        if found.frames > 1 and read == "around":
            self.fault(place, f"{found.name} is a sequence, and what light comes from is one picture; choose another")
            return None
        return self.added(found, read, 0)

    def added(self, asset: Asset, read: Reading, ahead: int) -> Picture:
        """A picture of the plan; of a sequence the frame at hand, or the one ahead of it."""
        at = self.standing(asset) if asset.frames > 1 else None
        # Two sequences of one file may play differently.
        like = (asset.hash, read, ahead, at.place if at else "")
        for p in self.plan.pictures:
            if (p.hash, p.read, p.ahead, p.at.place if p.at else "") == like:
                return p
        made = Picture(f"picture_{len(self.plan.pictures)}", asset.hash, read, asset.frames, ahead, at)
        self.plan.pictures.append(made)
        return made

    def standing(self, asset: Asset) -> Uniform:
        """Where a sequence stands, in frames."""
        place = f"assets/{asset.id}/at"
        there = next((u for u in self.plan.uniforms if u.place == place), None)
        if there is None:
            plays = Plays(asset.frames, asset.loops, self.effect.turn.looping, asset.between == "held")
            there = Uniform(f"u{len(self.plan.uniforms)}", place, _AT, plays(0.0), plays)
            self.plan.uniforms.append(there)
        return there

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

        def looked(at: Picture) -> Arg:
            args = (FromImage(at), FromSheet(at), *given)
            return FromNode(self.nodes.add(place, None, pictures.look_up, fixed, args), None)

        track = picture.at.track if picture.at else None
        if not isinstance(track, Plays) or track.held:
            return looked(picture)
        assert picture.at is not None
        asset = next(a for a in self.effect.assets if picture.at.place == f"assets/{a.id}/at")
        ahead = self.added(asset, picture.read, 1)
        args = (looked(picture), looked(ahead), FromUniform(picture.at))
        return FromNode(self.nodes.add(place, None, pictures.passing, (), args), None)

    def meeting(self, place: str, picture: Picture, at: Node, detail: Arg, blocky: bool, blend: Arg) -> Arg:
        """What a picture holds whose sides are blended into one another, so that it repeats without a seam."""
        p, looks = FromNode(at, at.gives), []
        for over in range(2):
            for right in range(2):
                fixed = (("right", right), ("over", over))
                there = self.nodes.add(place, COORDS, pictures.tiled_at, fixed, (p, blend))
                looks.append(self.look_up(place, picture, there, detail, WRAP.number("edge"), blocky, as_of=at))
        return FromNode(self.nodes.add(place, None, pictures.sides_blended, (), (*looks, p, blend)), None)
