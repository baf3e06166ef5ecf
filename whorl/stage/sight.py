"""Lines of sight: the rays of a picture, and what a surface point knows of what lies behind it."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from whorl.effect import camera as cameras
from whorl.effect.stage import Camera
from whorl.shade.kernel import Floats
from whorl.shade.loops import F32_1, F32_2, I32_1, loops
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
    out = np.empty((len(samples), high, wide), np.float32)
    for row, plane in zip(samples, out, strict=True):
        _laid(row, plane)
    return np.ascontiguousarray(out[:, :height, :width])


@loops
def _laid(row: F32_1, plane: F32_2) -> None:
    high, wide = plane.shape
    for y in range(high // 2):
        for x in range(wide // 2):
            at = 2 * wide * y + 4 * x
            plane[2 * y, 2 * x], plane[2 * y, 2 * x + 1] = row[at], row[at + 1]
            plane[2 * y + 1, 2 * x], plane[2 * y + 1, 2 * x + 1] = row[at + 2], row[at + 3]


def quads_of(pixels: NDArray[np.bool_], width: int, height: int) -> NDArray[np.bool_]:
    """Which samples of `rays` belong to quads in which any of some pixels lie, which come row by row."""
    wide, high = width + width % 2, height + height % 2
    inside = np.zeros((high, wide), np.bool_)
    inside[:height, :width] = pixels.reshape(height, width)
    across = inside[::2] | inside[1::2]
    return np.repeat((across[:, ::2] | across[:, 1::2]).ravel(), 4)


def some(points: Points, chosen: NDArray[np.bool_]) -> Points:
    """A part of surface points."""
    return {name: [row[chosen] for row in rows] for name, rows in points.items()}


def with_back(seen: Fragments, far: NDArray[np.float32]) -> Points:
    """The surface points of a near side with the normals and distances (4, pixels) of the far one."""
    rows = [np.empty(len(seen.pixels), np.float32) for _ in far]
    for row, to in zip(far, rows, strict=True):
        _there(row, seen.pixels, to)
    return {**seen.points, "at_back": rows}


@loops
def _there(row: F32_1, pixels: I32_1, to: F32_1) -> None:
    """What stands at pixels, and nothing at those outside the picture."""
    for i in range(len(pixels)):
        to[i] = row[pixels[i]] if pixels[i] >= 0 else 0.0
