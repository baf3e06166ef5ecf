"""How fast things go, in plain figures: a number in motion a second, and what it moves on the picture."""

from dataclasses import dataclass

import numpy as np

from whorl.beads.spec import COORDS
from whorl.effect import camera as cameras
from whorl.effect.described import param
from whorl.effect.document import Turn
from whorl.motion.values import Track
from whorl.plan.build import Planned
from whorl.plan.graph import Node, Uniform
from whorl.plan.run.evaluate import Evaluation
from whorl.stage.frame import Sides

#: Pixels along a side that are looked at, and of the picture that the figures are told for.
SIDE, TOLD = 96, 512
#: A part of a frame, over which motion is followed: whole frames may lead once round.
PART = 1 / 32


@dataclass(frozen=True)
class Speed:
    """`change` is the most a number changes a second, at `phase`; `pixels` and `median` are how far what it moves
    goes in a frame there, in a picture of 512 pixels, where it moves anything. `quick` is whether it goes more than
    half a repeat a frame, so that it appears to run backwards.
    """

    change: float
    phase: float
    pixels: float | None
    median: float | None
    quick: bool
    words: str


def jumps(uniform: Uniform, phases: list[float]) -> np.ndarray:
    """By how much each component changes from frame to frame: (frames − 1, components)."""
    assert uniform.track is not None
    return np.abs(np.diff(uniform.track.rows(phases), axis=0))


def repeat(plan: Planned, uniform: Uniform) -> np.ndarray:
    """After how much each component of a number looks the same again; infinite where it never does."""
    wrap = uniform.param.wrap
    if wrap == "period":
        node = plan.beads.get("/".join(uniform.place.split("/")[1:3]))
        period = node.period.at(0.0) if node and node.period else (0.0, 0.0, 0.0)
        return np.asarray([p if p > 0 else np.inf for p in period])[: uniform.param.size]
    return np.full(uniform.param.size, float(wrap) if wrap else np.inf)


def speed(plan: Planned, place: str) -> Speed | None:
    """How fast the number at a place goes, or one component of it; None where nothing moves there."""
    whole, _, axis = place.partition("/axes/")
    uniform = next((u for u in plan.uniforms if u.place == whole), None)
    if uniform is None or not isinstance(uniform.track, Track):
        return None
    turn = plan.effect.turn
    steps = jumps(uniform, [*turn.phases, 1.0] if turn.looping else turn.phases)
    if axis:
        steps = steps[:, int(axis) : int(axis) + 1]
    if not len(steps):
        return None
    most = steps.max(axis=1)
    # A jump at the join of a drift is no motion: a frame is as quick as most of its like.
    if turn.looping and len(most) > 2:
        most = most[:-1]
    at = int(most.argmax())
    change, phase = float(most[at]) * turn.steps / turn.seconds, turn.phase(at)
    limit = repeat(plan, uniform) / 2
    quick = bool((steps.max(axis=0) > (limit[int(axis)] if axis else limit)).any())
    pixels = moved(plan, uniform, phase)
    unit = f" {uniform.param.unit}" if uniform.param.unit else ""
    words = f"largest change {change:.3g}{unit} a second, at phase {phase:.2f}"
    if pixels is not None:
        words += f" · {pixels[0]:.3g} pixels a frame where it is quickest, {pixels[1]:.2g} in the middle"
    if quick:
        words += " · more than half a repeat a frame: it appears to run backwards"
    most_pixels, median = pixels or (None, None)
    return Speed(change, phase, most_pixels, median, quick, words)


def moved(plan: Planned, uniform: Uniform, phase: float) -> tuple[float, float] | None:
    """How far the pattern that a number moves goes in a frame on the picture as it is seen: most and median."""
    node = _coordinates(plan, uniform.place)
    if node is None:
        return None
    stage = plan.stage_at(phase)
    view = cameras.numbers(stage, SIDE, SIDE)
    seen, points = Sides(plan, stage, view, phase, SIDE, SIDE).points(True)
    made, step = Evaluation(plan, node), 1.0 / plan.effect.turn.steps
    now = np.stack(made(points, phase, camera=view))
    soon = np.stack(made(points, min(phase + step * PART, 1.0), camera=view))
    quads = now.reshape(3, -1, 4)
    across, down = quads[:, :, 1] - quads[:, :, 0], quads[:, :, 2] - quads[:, :, 0]
    by = (soon - now).reshape(3, -1, 4)[:, :, 0] / PART
    # The place v on the picture with J·v = −by, by least squares over the three components.
    aa, ab, bb = (across * across).sum(0), (across * down).sum(0), (down * down).sum(0)
    ra, rb = (across * -by).sum(0), (down * -by).sum(0)
    det = aa * bb - ab * ab
    good = (det > 1e-6 * (aa + bb) ** 2) & (seen.samples.reshape(-1, 4) > 0).all(axis=1)
    if not good.any():
        return None
    det = np.where(good, det, 1.0)
    far = np.hypot((bb * ra - ab * rb) / det, (aa * rb - ab * ra) / det)[good]
    # A few quads lie over an edge, where coordinates of two places meet.
    return float(np.quantile(far, 0.99)) * TOLD / SIDE, float(np.median(far)) * TOLD / SIDE


def _coordinates(plan: Planned, place: str) -> Node | None:
    """The coordinates that a bead's number moves, as the strand has them in the end."""
    way = place.split("/")
    if way[0] != "strands":
        return None
    strand = next((s for s in plan.effect.strands if s.id == way[1]), None)
    after = False
    found = None
    for bead in strand.beads if strand else ():
        after = after or bead.id == way[2]
        node = plan.beads.get(f"{way[1]}/{bead.id}")
        if after and node and node.gives is COORDS:
            found = node
        elif after and found:
            break
    return found


def retimed(plan: Planned, pixels: float) -> float | None:
    """The seconds of a turn in which the busiest motion moves so many pixels a frame; None where none moves any.

    Held within what a turn may last.
    """
    found = (speed(plan, u.place) for u in plan.uniforms if isinstance(u.track, Track) and u.place != "turn/phase")
    most = max((s.pixels for s in found if s and s.pixels), default=0.0)
    if most <= 0:
        return None
    low, high = param(Turn, "seconds").hard
    return float(min(max(plan.effect.turn.seconds * most / pixels, low), high))
