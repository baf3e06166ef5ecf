"""What picture checks look at: small frames of an effect on its stage, each made once."""

from collections.abc import Callable, Sequence
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from whorl.beads.spec import COLOUR, COORDS, DIRECTION
from whorl.checks.finding import Evidence
from whorl.effect import BadEffect, Effect
from whorl.effect import camera as cameras
from whorl.effect.places import changed
from whorl.fields import colour
from whorl.images.library import NotKept
from whorl.plan.build import Planned, build
from whorl.plan.graph import Node
from whorl.plan.run.evaluate import Evaluation, run
from whorl.shade.kernel import Floats
from whorl.stage.filters import Picture
from whorl.stage.frame import Film, Sides, finished, lit_scene
from whorl.stage.signal import points_of

#: Pixels along a side, and how many moments of the turn are looked at.
SIDE, MOMENTS = 96, 6

Mask = NDArray[np.bool_]
Rest = Callable[[], None]


class Over(Exception):
    """Nobody waits for the findings any more."""


def nothing() -> None:
    """No rest between one piece of work and the next."""


class Looks:
    """An effect's pictures. `rest` is called between pieces of work: it waits while others go first, or raises Over."""

    def __init__(self, plan: Planned, side: int = SIDE, rest: Rest = nothing) -> None:
        self.plan, self.effect, self.side, self.rest = plan, plan.effect, side, rest
        self._light: dict[tuple[float, bool], Picture] = {}
        self._films: dict[bool, Film] = {}
        self._seen: dict[float, Picture] = {}
        self._values: dict[tuple[int, int], list[Floats]] = {}

    @cached_property
    def phases(self) -> tuple[float, ...]:
        """Moments spread over the turn: its first frame, and of one that plays once also its last."""
        turn = self.effect.turn
        return self.spread(MOMENTS) if turn.looping else tuple(dict.fromkeys((*self.spread(MOMENTS), turn.phases[-1])))

    def spread(self, count: int) -> tuple[float, ...]:
        """So many moments by the golden ratio, in order, the first frame among them: what comes again and again within
        a turn is met at one place of its round after another."""
        every = self.effect.turn.phases
        frames = {int(len(every) * ((k * 0.6180339887498949) % 1.0)) for k in range(count)}
        return tuple(every[f] for f in sorted(frames))

    @cached_property
    def smaller(self) -> "Looks":
        """The same with a quarter of the pixels each way, which are made in less than half the time."""
        return Looks(self.plan, self.side // 4, self.rest)

    def light(self, phase: float, bare: bool = False) -> Picture:
        """Scene light before bloom and tone mapping, (4, side, side), premultiplied; `bare` leaves the backdrop out."""
        if (phase, bare) not in self._light:
            self.rest()
            film = self._films[bare] = self._films.get(bare) or Film(self.plan, fused=False)
            self._light[phase, bare] = lit_scene(self.plan, phase, self.side, self.side, None, bare, 1, film)
        return self._light[phase, bare]

    def seen(self, phase: float) -> Picture:
        """The finished picture, (3, side, side), sRGB 0..1."""
        if phase not in self._seen:
            made = finished(self.plan, self.light(phase).copy(), phase)
            self._seen[phase] = np.clip(made[:3], 0.0, 1.0)
        return self._seen[phase]

    def covered(self, phase: float) -> Mask:
        """Where the effect hides, or adds to, what is behind it, (side, side)."""
        made = self.light(phase, True)
        return np.asarray((made[3] > 0.02) | (made[:3].max(axis=0) > 0.02))

    @cached_property
    def shape(self) -> Mask:
        """Where the shape is in the picture as the turn begins, (side, side)."""
        stage = self.plan.stage_at(0.0)
        view = cameras.numbers(stage, self.side, self.side)
        sides = Sides(self.plan, stage, view, 0.0, self.side, self.side)
        out = np.zeros(self.side * self.side, bool)
        for front in (True, False):
            seen = sides(front)
            out[seen.pixels[seen.samples > 0]] = True
        return out.reshape(self.side, self.side)

    @cached_property
    def drawn(self) -> frozenset[str]:
        """The places of all that anything drawn rests on."""
        plan = self.plan
        ends = [n for n in (plan.picture, plan.raised, plan.backdrop) if n is not None]
        return frozenset(n.place for end in ends for n in plan.needed(end))

    def values(self, node: Node, moments: int = MOMENTS) -> list[Floats]:
        """A node's values over the shape at so many moments of the turn; of a colour, its luminance."""
        if (node.index, moments) not in self._values:
            self.rest()
            work, out = Evaluation(self.plan, node), []
            for k in range(moments):
                points, view, covered = points_of(self.plan, k / moments, 48)
                made = work(points, k / moments, camera=view)
                if node.gives is COLOUR:
                    made = run(colour.luminance, (), [made], len(made[0]))
                out.append(made[0][covered])
            self._values[node.index, moments] = out
        return self._values[node.index, moments]

    def with_(self, *changes: tuple[str, Any]) -> "Looks | None":
        """The same of a copy with other values at places; None where it cannot be drawn."""
        effect = copied(self.effect, changes)
        if effect is None:
            return None
        return of(effect, self.side, self.rest)

    def apart(self, other: "Looks", phase: float) -> NDArray[np.float32]:
        """How far its picture and another's are apart, pixel by pixel, 0..1: the most of three components."""
        return np.asarray(np.abs(self.seen(phase) - other.seen(phase)).max(axis=0), np.float32)


def copied(effect: Effect, changes: Sequence[tuple[str, Any]]) -> Effect | None:
    """A copy with other values at places; None where they cannot stand there."""
    try:
        for place, value in changes:
            effect = changed(effect, place, value)
    except (KeyError, ValidationError, BadEffect):
        return None
    return effect


def of(effect: Effect, side: int = SIDE, rest: Rest = nothing) -> Looks | None:
    """What an effect looks like; None where it cannot be drawn."""
    try:
        return Looks(build(effect), side, rest)
    except (BadEffect, NotKept):
        return None


def is_light(node: Node) -> bool:
    """Whether a node gives a value or a colour."""
    return node.gives not in (COORDS, DIRECTION, None)


def spot_of(mask: Mask) -> list[float] | None:
    """The box round what is marked in a picture: left, top, right, bottom, 0..1."""
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    if not len(rows):
        return None
    high, wide = mask.shape
    box = (columns[0] / wide, rows[0] / high, (columns[-1] + 1) / wide, (rows[-1] + 1) / high)
    return [round(float(x), 4) for x in box]


def at(phase: float, mask: Mask | None = None, **more: Any) -> Evidence:
    """A moment, and where in its picture."""
    return Evidence(phase=phase, spot=None if mask is None else spot_of(mask), **more)
