"""How far displacement takes a shape out of its bounds."""

import math
from collections.abc import Iterator

import numpy as np

from whorl.checks.finding import Finding
from whorl.effect import camera as cameras
from whorl.motion.values import Track, quickest
from whorl.plan.build import Planned
from whorl.plan.graph import FromUniform
from whorl.plan.run.evaluate import Evaluation
from whorl.shapes.mesh import Mesh
from whorl.stage.moved import moved

#: Phases looked at for each time the quickest motion goes there and back.
PER_CYCLE = 8
#: Vertices times phases; of a finer mesh every so many places are looked at, and all of them where it is worst.
MOST = 1_500_000


def find(plan: Planned) -> Iterator[Finding]:
    """By how much the shape grows, and when."""
    if plan.raised is None:
        return
    out, phase = growth(plan)
    if out <= 1e-4:
        return
    stage = plan.effect.stage
    share = out / float(np.max(stage.mesh_of().size) * stage.size)
    words = (
        f"displacement takes the shape {out:.2g} units out of its bounds ({share:.0%} of its size) "
        f"at phase {phase:.3g}; leave as much room around it"
    )
    yield Finding(kind="bounds", place="surface/displacement", words=words)


def growth(plan: Planned) -> tuple[float, float]:
    """By how many units a shape leaves its bounds at the most over a turn, and at which phase."""
    assert plan.raised is not None
    stage, heights = plan.effect.stage, Evaluation(plan, plan.raised)
    rest = stage.mesh_of()
    still = rest.grown(stage.size).positions
    low, high = still.min(axis=0), still.max(axis=0)
    view = cameras.numbers(stage, 64, 64)

    def out(mesh: Mesh, phase: float) -> float:
        at = moved(plan, mesh, view, phase % 1.0, work=heights).positions
        return float(max((low - at).max(), (at - high).max()))

    count = moments(plan)
    every = math.ceil(len(rest.positions) * count / MOST)
    sample = rest if every == 1 else rest.sampled(every)
    found = [(out(sample, k / count), k / count) for k in range(count)]
    worst = max(found, key=lambda f: (f[0], -f[1]))
    if count > 1:
        # Between the phases that were looked at, by halves.
        step = 0.5 / count
        for _ in range(3):
            worst = max(worst, *((out(sample, worst[1] + d), (worst[1] + d) % 1.0) for d in (-step, step)))
            step /= 2
    return (out(rest, worst[1]), worst[1]) if every > 1 else worst


def moments(plan: Planned) -> int:
    """How many phases of the turn show all that its motions do to the displacement."""
    assert plan.raised is not None
    fed = (a.uniform.track for n in plan.needed(plan.raised) for a in n.args if isinstance(a, FromUniform))
    most = max((quickest(track.motion) for track in fed if isinstance(track, Track)), default=0.0)
    return min(PER_CYCLE * math.ceil(most), max(PER_CYCLE, plan.effect.turn.frames)) or 1
