"""What displacement does to a shape: how far it grows out of its bounds, and whether it is fine enough."""

import numpy as np

from whorl.plan.plan import Plan
from whorl.stage import camera as cameras
from whorl.stage.moved import moved
from whorl.stage.shapes import of_stage

#: Fewer vertices than this cannot follow a height.
FEW = 600
#: The phases that are looked at.
PHASES = (0.0, 0.25, 0.5, 0.75)


def too_few(plan: Plan) -> int | None:
    """How many vertices a shape has that is to be moved, where those are too few."""
    if plan.raised is None:
        return None
    count = len(of_stage(plan.effect.stage).positions)
    return count if count < FEW else None


def growth(plan: Plan) -> tuple[float, float] | None:
    """By how many units a shape leaves its bounds at the most, and at which phase; None where it does not."""
    if plan.raised is None:
        return None
    # The least subdivision shows as much, and quickly.
    rest = of_stage(plan.effect.stage.model_copy(update={"subdivision": 0}))
    still = rest.grown(plan.effect.stage.size).positions
    low, high = still.min(axis=0), still.max(axis=0)
    view = cameras.numbers(plan.effect.stage, 64, 64)
    worst = (0.0, 0.0)
    for phase in PHASES:
        at = moved(plan, rest, view, phase).positions
        out = float(max((low - at).max(), (at - high).max()))
        worst = max(worst, (out, phase))
    return worst if worst[0] > 1e-4 else None


def share(plan: Plan, out: float) -> float:
    """How large that is against the shape's greatest extent."""
    stage = plan.effect.stage
    return out / float(np.max(of_stage(stage).size) * stage.size)
