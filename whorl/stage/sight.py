"""Lines of sight: the rays of a picture, and what a surface point knows of what lies behind it."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from whorl.effect import camera as cameras
from whorl.effect.stage import Camera
from whorl.shade.kernel import Floats
from whorl.stage.filters import Picture
from whorl.stage.raster import Fragments, columns, unit

Points = dict[str, list[Floats]]


def rays(camera: Camera, width: int, height: int) -> Points:
    """`at_ray` and `at_screen` of every pixel of a picture, in quads."""
    return _rays(camera, width, height)


@lru_cache(maxsize=4)
def _rays(camera: Camera, width: int, height: int) -> Points:
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


def quads_of(pixels: NDArray[np.bool_], width: int, height: int) -> NDArray[np.bool_]:
    """Which samples of `rays` belong to quads in which any of some pixels lie, which come row by row."""
    wide, high = width + width % 2, height + height % 2
    inside = np.zeros((high, wide), np.bool_)
    inside[:height, :width] = pixels.reshape(height, width)
    return np.repeat(inside.reshape(high // 2, 2, wide // 2, 2).any(axis=(1, 3)).ravel(), 4)


def some(points: Points, chosen: NDArray[np.bool_]) -> Points:
    """A part of surface points."""
    return {name: [row[chosen] for row in rows] for name, rows in points.items()}


def with_back(seen: Fragments, far: NDArray[np.float32]) -> Points:
    """The surface points of a near side with the normals and distances (4, pixels) of the far one."""
    # The last place is for pixels outside the picture.
    return {**seen.points, "at_back": [np.append(row, np.float32(0))[seen.pixels] for row in far]}
