"""The flat unit UV square: one strand by itself, without a stage."""

import numpy as np

from whorl.plan.graph import POINTS, Node, Plan
from whorl.plan.run.evaluate import evaluate
from whorl.shade.kernel import Floats

#: How far off the square is seen from, so that the view is the same all over it.
FAR_OFF = 1e7


def points(width: int, height: int) -> dict[str, list[Floats]]:
    """Surface points over the square in quad order; width and height are even.

    The square is the plane shape seen straight on: UV 0..1, position −1..1, normal and view +z.
    """
    qy, qx = np.divmod(np.arange(width * height // 4), width // 2)
    x = (qx[:, None] * 2 + np.array([0, 1, 0, 1])).ravel()
    y = (qy[:, None] * 2 + np.array([0, 0, 1, 1])).ravel()
    u, v = (x + 0.5) / width, 1 - (y + 0.5) / height
    zero, one = np.zeros_like(u), np.ones_like(u)
    least = min(width, height)
    known = {
        "at_uv": (u, v, zero),
        "at_object": (u * 2 - 1, v * 2 - 1, zero),
        "at_world": (u * 2 - 1, v * 2 - 1, zero),
        "at_box": (u, v, zero),
        "at_box_size": (one * 2, one * 2, one),
        "at_normal": (zero, zero, one),
        "at_along_u": (one / 2, zero, zero),
        "at_along_v": (zero, one / 2, zero),
        "at_view": (zero, zero, one),
        "at_screen": ((u - 0.5) * width / least + 0.5, (v - 0.5) * height / least + 0.5, zero),
        "at_distance": (one * FAR_OFF,),
        "at_colour": (one, one, one, one),
        "at_second_uv": (u, v, zero),
        "at_second_u": (one / 2, zero, zero),
        "at_second_v": (zero, one / 2, zero),
    }
    return {name: [a.astype(np.float32) for a in known.get(name, (zero,) * n)] for name, n in POINTS.items()}


def unquad(values: Floats, width: int, height: int) -> Floats:
    """Samples in quad order as a picture, row 0 at the top."""
    return values.reshape(height // 2, width // 2, 2, 2).transpose(0, 2, 1, 3).reshape(height, width)


def field(plan: Plan, node: Node, size: int, phase: float, threads: int = 1) -> Floats:
    """A node's raw result over the square: (size, size, components), row 0 at v = 1."""
    even = size + size % 2
    made = evaluate(plan, node, points(even, even), phase, threads)
    return np.stack([unquad(a, even, even)[:size, :size] for a in made], axis=-1)
