"""Rows of a picture, brought to the level of a pass: what the passes' kernels call line by line."""

import numpy as np
from numba import njit


@njit(cache=True, nogil=True, inline="always")
def held(x, step, across, last):  # type: ignore[no-untyped-def]
    """The texel `across` from where pixel `x` lies, on its own level (step 1) or the one below (2); edges repeat."""
    return min(max(x * step + across, 0), last)


@njit(cache=True, nogil=True)
def line(source, step, across, to):  # type: ignore[no-untyped-def]
    """A row of texels, so far aside, into `to`."""
    # Away from the edges there is nothing to clamp, and plain loops run many texels at a time.
    last, w = len(source) - 1, len(to)
    first = max(0, -(across // step))
    end = max(first, min(w, (last - across) // step + 1))
    # Indices count from a view's start, so that they are seen never to be negative.
    inner, every = to[first:end], source[first * step + across :]
    if step == 1:
        inner[:] = every[: len(inner)]
    else:
        for k in range(len(inner)):
            inner[k] = every[2 * k]
    for x in range(first):
        to[x] = source[held(x, step, across, last)]
    for x in range(end, w):
        to[x] = source[held(x, step, across, last)]


@njit(cache=True, nogil=True, fastmath=True)
def between(source, y, to):  # type: ignore[no-untyped-def]
    """Row `y` of a picture twice as large, each texel bilinear between four of `source`; edges repeat."""
    high, wide = source.shape
    w = len(to)
    mixed = np.empty(wide + 2, np.float32)
    near, far = np.float32(0.75), np.float32(0.25)
    first = (y + 1) // 2 - 1
    a, b = source[max(first, 0)], source[min(first + 1, high - 1)]
    upper = far if y % 2 == 0 else near
    lower = near if y % 2 == 0 else far
    for x in range(wide):
        mixed[x + 1] = a[x] * upper + b[x] * lower
    mixed[0], mixed[wide + 1] = mixed[1], mixed[wide]
    for k in range(w // 2):
        to[2 * k] = mixed[k] * far + mixed[k + 1] * near
        to[2 * k + 1] = mixed[k + 1] * near + mixed[k + 2] * far
    if w % 2:
        to[w - 1] = mixed[w // 2] * far + mixed[w // 2 + 1] * near
