"""Lines of sight: the rays of a picture, and what a surface point knows of what lies behind it."""

from collections.abc import Callable
from functools import lru_cache

import numpy as np

from whorl.effect.document import Camera
from whorl.plan.plan import Plan
from whorl.shade.kernel import Floats
from whorl.stage import camera as cameras
from whorl.stage.filters import Picture
from whorl.stage.raster import Fragments, columns, unit

Points = dict[str, list[Floats]]


def rays(camera: Camera, width: int, height: int) -> Points:
    """`at_ray` and `at_screen` of every pixel of a picture, in quads."""
    return _rays(camera.model_dump_json(), width, height)


@lru_cache(maxsize=4)
def _rays(text: str, width: int, height: int) -> Points:
    camera = Camera.model_validate_json(text)
    wide, high = width + width % 2, height + height % 2
    qy, qx = np.divmod(np.arange(wide * high // 4), wide // 2)
    x = (qx[:, None] * 2 + np.array([0, 1, 0, 1])).ravel() + 0.5
    y = (qy[:, None] * 2 + np.array([0, 0, 1, 1])).ravel() + 0.5
    least = min(width, height)
    screen = np.stack([(x - width / 2) / least + 0.5, (height / 2 - y) / least + 0.5, np.zeros_like(x)], axis=1)
    right, up, back = cameras.axes(camera)
    aside = (screen[:, :2] - 0.5) * (2 / cameras.lens(camera))
    ray = unit(aside[:, :1] * right + aside[:, 1:] * up - back)
    return {"at_ray": columns(ray), "at_screen": columns(screen)}


def whole(samples: list[Floats], width: int, height: int) -> Picture:
    """Samples in quads as a picture: (components, height, width), row 0 at the top."""
    wide, high = width + width % 2, height + height % 2
    stack = np.stack(samples).reshape(-1, high // 2, wide // 2, 2, 2).transpose(0, 1, 3, 2, 4)
    return np.ascontiguousarray(stack.reshape(-1, high, wide)[:, :height, :width])


def with_back(plan: Plan, seen: Fragments, behind: Callable[[], Fragments], front: bool) -> Points:
    """The surface points of a near side with `at_back`, where the plan asks for it."""
    if not (plan.back and front):
        return seen.points
    far = behind()
    count = int(max(seen.pixels.max(initial=-1), far.pixels.max(initial=-1))) + 2
    # The last place is for pixels outside the picture.
    layer = np.zeros((4, count), np.float32)
    inside = (far.pixels >= 0) & far.at_middle
    for row, values in zip(layer, (*far.points["at_normal"], far.points["at_distance"][0]), strict=True):
        row[far.pixels[inside]] = values[inside]
    return {**seen.points, "at_back": [np.ascontiguousarray(row[seen.pixels]) for row in layer]}


def with_far(seen: Fragments, points: Points, far: Picture) -> Points:
    """Surface points with what was drawn of the far side at their pixels."""
    flat = np.concatenate([far.reshape(4, -1), np.zeros((4, 1), np.float32)], axis=1)
    return {**points, "at_far": [np.ascontiguousarray(row[seen.pixels]) for row in flat]}
