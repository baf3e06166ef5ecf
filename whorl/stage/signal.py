"""What a signal is like: how often each value comes, over a shape and a turn."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from whorl.beads.spec import COLOUR, COORDS, DIRECTION, Numbers
from whorl.effect import camera as cameras
from whorl.effect.described import param
from whorl.effect.document import Effect, Lever
from whorl.effect.stage import Camera
from whorl.effect.strands import Bead, Strand
from whorl.effect.value import Feed, Levered
from whorl.fields import colour
from whorl.plan.build import Planned, build
from whorl.plan.graph import FromNode, Node
from whorl.plan.run.evaluate import AHEAD, Evaluation, run
from whorl.shade.kernel import Floats
from whorl.stage import flat
from whorl.stage.frame import Sides

Covered = NDArray[np.bool_]
#: Samples along a side, and moments of the turn, that are looked at.
SIDE, MOMENTS = 96, 6
#: Samples along a side where many moments are looked at.
COARSE = 48


@dataclass(frozen=True)
class Histogram:
    """How large a part of the samples lies in each of equal bins from `low` to `high`.

    `least` and `most` are the values met with; all that lie outside count in the outermost bins.
    """

    low: float
    high: float
    least: float
    most: float
    parts: list[float]


@dataclass(frozen=True)
class OverTurn:
    """How large a part of the samples lies in each of equal bins from `low` to `high`, at moments spread evenly
    over the turn."""

    low: float
    high: float
    moments: list[list[float]]


def results(plan: Planned, place: str) -> Node | None:
    """The bead at a place such as "mist/cut", if it makes a value or a colour."""
    node = plan.beads.get(place)
    return None if node is None or node.gives in (COORDS, DIRECTION, None) else node


def incoming(plan: Planned, place: str) -> Node | None:
    """What comes into the bead at a place such as "mist/cut", if a value or a colour does."""
    node = plan.beads.get(place)
    first = next((a for a in node.args if isinstance(a, FromNode)), None) if node else None
    if first is None or first.node.gives in (COORDS, DIRECTION, None):
        return None
    return first.node


def histogram(plan: Planned, node: Node, bins: int = 64) -> Histogram:
    """The values of a node over the stage's shape and a turn; of a colour, its luminance.

    The range is that of the values, and 0..1 at the least.
    """
    found = np.concatenate(_values(plan, node, MOMENTS, SIDE))
    low, high = _range(found)
    return Histogram(low, high, float(found.min()), float(found.max()), _parts(found, low, high, bins))


def over_turn(plan: Planned, node: Node, moments: int = 32, bins: int = 24) -> OverTurn:
    """The same moment by moment: each is the middle of an equal part of the turn."""
    values = _values(plan, node, moments, COARSE, 0.5)
    low, high = _range(np.concatenate(values))
    made = [_parts(v, low, high, bins) for v in values]
    return OverTurn(low, high, made * (moments if len(made) == 1 else 1))


def _values(plan: Planned, node: Node, moments: int, side: int, within: float = 0.0) -> list[Floats]:
    """What a node makes at so many moments of the turn, each `within` 0..1 its part; at one where nothing moves."""
    evaluation = Evaluation(plan, node)
    still = not any(s.moves for s in evaluation.steps)
    values = []
    for moment in range(1 if still and not plan.raised else moments):
        phase = (moment + within) / moments
        points, view, covered = points_of(plan, phase, side)
        made = evaluation(points, phase, camera=view)
        found = run(colour.luminance, (), [made], len(made[0]))[0] if node.gives is COLOUR else made[0]
        values.append(found[covered])
    return values


def _range(found: Floats) -> tuple[float, float]:
    # A few stray values would squeeze all others into one bin.
    low, high = (float(x) for x in np.quantile(found, (0.002, 0.998)))
    return min(low, 0.0), max(high, 1.0)


def _parts(found: Floats, low: float, high: float, bins: int) -> list[float]:
    counts, _ = np.histogram(np.clip(found, low, high), bins, (low, high))
    return [float(c) / len(found) for c in counts]


def response(
    bead: Bead, low: float, high: float, count: int = 65, phase: float = 0.0, levers: Sequence[Lever] = ()
) -> list[list[float]]:
    """What a bead makes of values that rise evenly from `low` to `high`: `count` results, each a
    list of its components. Params that are fed by strands count at their defaults.

    Raises BadEffect where the bead takes no value, or is wrong in itself.
    """
    plain = {name: v for name, v in bead.params.items() if not isinstance(v, Feed)}
    there = {x.id for x in levers}
    plain = {name: v for name, v in plain.items() if not isinstance(v, Levered) or v.lever in there}
    count += count % 2
    start = Bead(id="uv", kind="uv")
    # The middles of pixels run from half a pixel to half a pixel before 1.
    step = (high - low) / (count - 1)
    rise = Bead(
        id="rise",
        kind="remap",
        settings={"clamped": False},
        params={"to_low": low - step / 2, "to_high": high + step / 2},
    )
    across = Bead(id="across", kind="linear")
    shown = bead.model_copy(update={"id": "shown", "params": plain})
    strand = Strand(id="response", name="response", beads=[start, across, rise, shown])
    plan = build(Effect(name="response", strands=[strand], levers=tuple(levers)))
    made = Evaluation(plan, plan.beads["response/shown"])(flat.points(count, 2), phase)
    rows = [flat.unquad(a, count, 2)[0] for a in made]
    return [[float(x) for x in sample] for sample in zip(*rows, strict=True)]


def points_of(plan: Planned, phase: float, side: int) -> tuple[dict[str, list[Floats]], dict[str, Numbers], Covered]:
    """Points of the shape as it stands at a phase, seen from where all of its near side is in view; the camera; and
    which of the points lie on the shape: the others only fill up quads.
    """
    stage = plan.effect.stage
    if stage.shape == "plane" and not plan.raised and stage.size == 1:
        return flat.points(side, side), dict(AHEAD), np.ones(side * side, bool)
    away = min(4.0 * stage.size, param(Camera, "distance").hard[1])
    seen = stage.model_copy(update={"camera": Camera(yaw=0.0, pitch=20.0, distance=max(away, 0.5))})
    view = cameras.numbers(seen, side, side)
    near, points = Sides(plan, seen, view, phase, side, side).points(True)
    return points, view, near.samples > 0
