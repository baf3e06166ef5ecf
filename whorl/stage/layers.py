"""Layers of a frame: what is known of the shape at each pixel, beside the picture itself.

They are of the shape's own near side (its far side where that alone is seen), as if nothing stood before it.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from whorl.effect import camera as cameras
from whorl.plan.build import Planned
from whorl.plan.graph import FromNode, Node
from whorl.plan.run.evaluate import evaluate
from whorl.refused import Refused
from whorl.shade.kernel import Floats
from whorl.stage.frame import Sides, behind
from whorl.stage.moved import moved
from whorl.stage.raster import Fragments, Seen

#: Layers by name: their components as OpenEXR calls them, and in words what they hold.
LAYERS = {
    "emission": ("RGB", "the surface's own light, times how much of the pixel it covers"),
    "backdrop": ("RGB", "what lies behind the effect"),
    "depth": ("Z", "how far off the eye is, in units; 10¹⁰ where nothing is"),
    "normal": ("XYZ", "which way the shape faces, on the stage"),
    "uv": ("UV", "texture coordinates"),
    "motion": ("XY", "how far the shape goes to the next frame, in pixels, to the right and upwards"),
}
#: Where nothing is.
FAR = 1e10


def wanted(plan: Planned, names: Sequence[str]) -> dict[str, Node | None]:
    """Beads that are layers of their own, by name; None for those that every frame has. Raises Refused."""
    out: dict[str, Node | None] = {}
    for name in names:
        if name in LAYERS:
            out[name] = None
            continue
        strand, _, bead = name.partition("/")
        found = next((s for s in plan.effect.strands if strand in (s.id, s.name)), None)
        node = plan.beads.get(f"{found.id}/{bead or found.beads[-1].id}") if found and found.beads else None
        if node is None:
            raise Refused(f"there is no layer '{name}'; there are {', '.join(LAYERS)}, and beads as STRAND/BEAD")
        out[name] = node
    return out


def layers(
    plan: Planned, names: Sequence[str], phase: float, width: int, height: int, threads: int = 1
) -> dict[str, Floats]:
    """Layers of a frame: (components, height, width) each. `names` are of LAYERS, or strands with their beads."""
    stage = plan.stage_at(phase)
    view = cameras.numbers(stage, width, height)
    side = Sides(plan, stage, view, phase, width, height, threads)
    front = plan.effect.surface.sides != "back"
    seen, points = side.points(front)
    look = {**view, "side": (1.0 if front else -1.0,)}
    out: dict[str, Floats] = {}
    for name, node in wanted(plan, names).items():
        if node is not None:
            out[name] = _mean(seen, evaluate(plan, node, points, phase, threads, look), width, height, covering=True)
        elif name == "backdrop":
            out[name] = behind(plan, phase, width, height, threads, None, *side.lamp(view))[:3]
        elif name == "emission":
            given = plan.outputs["emission"]
            nothing = [np.zeros(len(seen.pixels), np.float32)] * 3
            made = evaluate(plan, given.node, points, phase, threads, look) if isinstance(given, FromNode) else nothing
            out[name] = _mean(seen, made, width, height, covering=True)
        elif name == "depth":
            out[name] = _nearest(seen, points["at_distance"][0], width, height)
        elif name == "motion":
            out[name] = _motion(plan, view, phase, width, height, front, threads)
        else:
            out[name] = _mean(seen, points["at_normal" if name == "normal" else "at_uv"], width, height)
            if name == "uv":
                out[name] = out[name][:2]
            else:
                length = np.linalg.norm(out[name], axis=0, keepdims=True)
                out[name] = np.asarray(out[name] / np.maximum(length, 1e-9), np.float32)
    return out


def _mean(seen: Fragments, values: list[Floats], width: int, height: int, covering: bool = False) -> Floats:
    """Values of fragments in their pixels: the mean of what covers each, or that times its coverage."""
    inside = seen.samples > 0
    at, share = seen.pixels[inside], seen.coverage[inside]
    count = width * height
    total = np.bincount(at, weights=share, minlength=count)
    by = np.ones(count) if covering else np.maximum(total, 1e-9)
    made = [np.bincount(at, weights=share * v[inside], minlength=count) / by for v in values]
    return np.asarray(np.stack(made).reshape(-1, height, width), np.float32)


def _nearest(seen: Fragments, distance: Floats, width: int, height: int) -> Floats:
    """The least of each pixel's fragments."""
    out = np.full(width * height, FAR)
    inside = seen.samples > 0
    np.minimum.at(out, seen.pixels[inside], distance[inside])
    return out.reshape(1, height, width).astype(np.float32)


def _motion(
    plan: Planned, view: dict[str, tuple[float, ...]], phase: float, width: int, height: int, front: bool, threads: int
) -> Floats:
    """How far each place of the shape goes on the picture until the next frame."""
    turn = plan.effect.turn
    if plan.raised is None and not plan.travels:
        return np.zeros((2, height, width), np.float32)
    later = phase + 1.0 / turn.steps
    phases = [p % 1.0 if turn.looping else min(p, 1.0) for p in (phase, later)]
    now, next_ = (plan.stage_at(p) for p in phases)
    rest = now.mesh_of()
    # A mesh that is made where the shape will be tells of each place where it goes.
    here, there = (moved(plan, rest, view, p, threads) for p in phases)
    matrix, soon = (cameras.view_projection(s.camera, width, height) for s in (now, next_))
    seen = Seen.through(here, matrix, cameras.eye(now.camera), there).fragments(width, height, front, threads)

    def shown(name: str, matrix: NDArray[np.float64]) -> NDArray[np.float64]:
        places = np.stack(seen.points[name], axis=1).astype(np.float64)
        clip = places @ matrix[:, :3].T + matrix[:, 3]
        return np.asarray(clip[:, :2] / np.maximum(clip[:, 3:], 1e-9) * 0.5 * [width, height])

    gone = shown("at_object", soon) - shown("at_world", matrix)
    return _mean(seen, [gone[:, 0].astype(np.float32), gone[:, 1].astype(np.float32)], width, height)
