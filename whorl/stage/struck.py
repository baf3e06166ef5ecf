"""Where on a shape something is to strike: below a place of the picture, or scattered over it."""

import itertools
from collections.abc import Sequence

import numpy as np

from whorl.effect import camera as cameras
from whorl.effect.document import MOST_HITS, Hit, Turn
from whorl.effect.stage import Stage
from whorl.plan.run.samples import spread

#: Of which hits are drawn by lot.
CHOICES = 4096


def below(stage: Stage, x: float, y: float) -> list[float] | None:
    """The place of the shape, as it is made, under a place of a square picture: 0..1 from its left and its top.

    Möller and Trumbore's test (Journal of Graphics Tools 2, 1997) against every triangle; None where there is none.
    """
    mesh, camera = stage.mesh_of(), stage.camera
    right, up, back = cameras.axes(camera)
    way = (2 * x - 1) * right + (1 - 2 * y) * up - cameras.lens(camera) * back
    origin = cameras.eye(camera) / stage.size
    corners = mesh.positions.astype(np.float64)[mesh.triangles]
    a, e1, e2 = corners[:, 0], corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    across = np.cross(way, e2)
    det = (e1 * across).sum(axis=1)
    by = np.where(np.abs(det) > 1e-14, 1.0 / np.where(det == 0, 1.0, det), 0.0)
    start = origin - a
    u = (start * across).sum(axis=1) * by
    q = np.cross(start, e1)
    v, t = (q @ way) * by, (q * e2).sum(axis=1) * by
    met = (by != 0) & (u >= -1e-9) & (v >= -1e-9) & (u + v <= 1 + 1e-9) & (t > 1e-6)
    if not met.any():
        return None
    there = origin + way * t[met].min()
    return [float(f"{c:.4g}") for c in there]


def scattered(stage: Stage, turn: Turn, count: int, seed: int) -> list[Hit]:
    """So many hits over the whole shape, each as far from the others as may be, evenly over the turn."""
    points, _ = spread(stage, CHOICES)
    places = np.stack(points["at_object"], axis=1).astype(np.float64)
    lot = np.random.default_rng(seed)
    chosen = [int(lot.integers(len(places)))]
    # Of some drawn by lot the one that lies furthest from all before it (Mitchell, SIGGRAPH 1991).
    while len(chosen) < count:
        drawn = lot.integers(len(places), size=10 * (len(chosen) + 1))
        away = np.linalg.norm(places[drawn][:, None] - places[chosen][None], axis=2).min(axis=1)
        chosen.append(int(drawn[away.argmax()]))
    steps = turn.frames if turn.looping else turn.steps
    return [
        Hit(
            id=f"h{i + 1}",
            position=tuple(float(f"{c:.4g}") for c in places[at]),
            phase=min(1.0, round(i / count * steps) / steps),
        )
        for i, at in enumerate(chosen)
    ]


def repeated(hits: Sequence[Hit], id: str, every: int, turn: Turn) -> list[Hit]:
    """All hits, and the one with this id again every so many frames, until the turn or the slots are full."""
    out = list(hits)
    first = next((h for h in hits if h.id == id), None)
    if first is None:
        return out
    names = (f"h{i}" for i in itertools.count(1) if f"h{i}" not in {h.id for h in hits})
    for frame in range(every, turn.frames, every):
        phase = first.phase + turn.phase(frame)
        if len(out) < MOST_HITS and (phase < 1.0 or turn.looping):
            out.append(first.model_copy(update={"id": next(names), "phase": round(phase % 1.0, 6)}))
    return out
