"""Whether all that an effect does over UV is to go on: then one map says the whole turn."""

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from whorl.plan.graph import FromNode, Node
from whorl.plan.run.evaluate import evaluate

if TYPE_CHECKING:
    from whorl.bake.maps import Unrolled


def scrolled(over: "Unrolled") -> tuple[float, float] | None:
    """How far every channel goes over UV in a turn, where moving over UV is all that they do; else None.

    A scroll is found in the plan and then proved: each channel at a phase is compared with itself at phase 0 at points
    so much farther on. Points near where coordinates jump are left out by taking the median.
    """
    plan = over.plan
    found: set[tuple[float, float]] = set()
    nodes = [a.node for a in plan.outputs.values() if isinstance(a, FromNode)]
    phase = 0.21
    for node in {m.index: m for n in nodes for m in plan.needed(n)}.values():
        if node.function is not None and node.function.name == "scroll":
            way = _moved_by(over, node, phase)
            if way is None:
                return None
            found.add(way)
    found.discard((0.0, 0.0))
    if len(found) != 1:
        return None
    way = next(iter(found))
    points = {name: [r[: len(r) // 4 * 4] for r in rows] for name, rows in over.points.items()}
    for p in (phase, 0.7):
        on = dict(points)
        u, v, w = points["at_uv"]
        on["at_uv"] = [u + np.float32(way[0] * p), v + np.float32(way[1] * p), w]
        for node in nodes:
            here = np.stack(evaluate(plan, node, points, p, 2))
            there = np.stack(evaluate(plan, node, on, 0.0, 2))
            scale = max(float(np.abs(here).max()), 1e-6)
            if float(np.quantile(np.abs(here - there), 0.99)) > 2e-3 * scale:
                return None
    return way


def _moved_by(over: "Unrolled", node: Node, phase: float) -> tuple[float, float] | None:
    """How far over UV in a turn a node's coordinates go, which have to be straight in UV."""
    step = 1e-3
    base = {name: [r[:4096].copy() for r in rows] for name, rows in over.points.items()}

    def at(du: float, dv: float, p: float) -> NDArray[np.float64]:
        points = dict(base)
        u, v, w = base["at_uv"]
        points["at_uv"] = [u + np.float32(du), v + np.float32(dv), w]
        return np.stack(evaluate(over.plan, node, points, p, 1)).astype(np.float64)

    here = at(0, 0, 0.0)
    slopes = [np.median(at(du, dv, 0.0) - here, axis=1)[:2] / step for du, dv in ((step, 0.0), (0.0, step))]
    gone = np.median(at(0, 0, phase) - here, axis=1)[:2]
    jacobian = np.stack(slopes, axis=1)
    if abs(np.linalg.det(jacobian)) < 1e-6:
        return None
    way = np.linalg.solve(jacobian, gone) / phase
    return float(round(way[0], 4)) + 0.0, float(round(way[1], 4)) + 0.0
