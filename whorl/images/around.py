"""A panorama as light from all round: as it is, as facets of rising roughness mirror it, and as it falls on matte.

A panorama is an equirectangular picture: its middle is straight ahead, from the viewer's side into the stage, right is
to the right, and its height goes from straight down to straight up.
"""

import itertools
import math
from collections.abc import Callable
from functools import partial

import numpy as np
from numpy.typing import NDArray

from whorl.fields import panorama
from whorl.images import srgb
from whorl.images.decode import Decoded
from whorl.images.sheet import STRIP, Sheet, halved, laid_out

Floats = NDArray[np.float32]
#: What light weighs that comes at an angle, by its cosine.
Weigh = Callable[[NDArray[np.float64]], NDArray[np.float64]]

#: The level of a whole roughness, and after it that of what falls on matte, as lookups take them.
ROUGHEST, MATTE = int(panorama.ROUGHEST), int(panorama.MATTE)
#: Panoramas are worked with at so many texels across: the least that has all of theirs, or the most.
WIDEST, NARROWEST = 2048, 1024
#: How wide a source is whose texels are small beside what facets of a whole roughness mirror, and of the least one.
COARSE, FINE = 128, 512
#: Rows that are worked out at a time: the light of all of a source is gone through for each time.
TOGETHER = 4


def around_of(image: Decoded) -> Sheet:
    """The levels of a panorama. Level k is what facets of roughness k / 5 mirror from around a direction,

    ∫ L(l) D(h) n·l dl / ∫ D(h) n·l dl with D of Walter et al. 2007 and n = v. Level 6 is the mean that falls on matte,
    ∫ L(l) n·l dl / π.
    """
    levels = [_linear(image)]
    for _ in range(max(levels[0].shape[:2]).bit_length() - 1):
        levels.append(halved(levels[-1]))
    made = list(levels)
    for k in range(1, ROUGHEST + 1):
        source = _within(levels, FINE if k == 1 else COARSE)
        made[k] = _gathered(source, levels[k].shape[:2], partial(_spread, roughness=k / ROUGHEST))
    made[MATTE] = _fallen(_within(levels, COARSE), levels[MATTE].shape[:2])
    return laid_out(made)


def evenly(image: Decoded) -> tuple[tuple[float, ...], ...]:
    """The three colours, overhead, at eye level and from below, of a sky that lets the same fall on matte as a panorama
    does, but for the side it comes from: a least-squares fit, none below nought."""
    levels = [_linear(image)]
    while levels[-1].shape[1] > 64:
        levels.append(halved(levels[-1]))
    fallen = _fallen(levels[-1].astype(np.float32), (16, 32))[..., :3].astype(np.float64).mean(axis=1)
    y = np.sin(_angles(16))
    above, high = 0.5 + 0.5 * y, 0.5 + 0.25 * y
    terms = np.stack([above * high, above * (1 - high), 1 - above], axis=1)
    found = np.linalg.lstsq(terms, fallen, rcond=None)[0]
    return tuple(tuple(float(x) for x in row) for row in np.maximum(found, 0.0))


def _linear(image: Decoded) -> NDArray[np.float16]:
    """A panorama as linear light in half floats, twice as wide as high, of a size that has all the levels."""
    out = np.empty((image.height, image.width, 4), np.float16)
    for first in range(0, image.height, STRIP):
        rows = image.rows(first, first + STRIP)
        if image.encoded:
            rows[..., :3] = srgb.decoded(rows[..., :3])
        out[first : first + STRIP] = np.clip(rows, 0.0, 60000.0)
    while max(out.shape[1], 2 * out.shape[0]) > WIDEST:
        out = halved(out)
    # Of powers of two, columns of one level lie alike between those of another, which `_gathered` is quick for.
    wide = NARROWEST if max(out.shape[1], 2 * out.shape[0]) <= NARROWEST else WIDEST
    if out.shape[:2] != (wide // 2, wide):
        out = _enlarged(out, wide // 2, wide)
    return out


def _angles(height: int) -> NDArray[np.float64]:
    """How high the rows of a panorama look, from the top, in radians."""
    return (0.5 - (np.arange(height) + 0.5) / height) * math.pi


def ways(height: int, width: int) -> NDArray[np.float64]:
    """Unit vectors of the texels' middles, (height, width, 3)."""
    up, round_ = _angles(height)[:, None], ((np.arange(width) + 0.5) / width - 0.5)[None, :] * 2 * math.pi
    return np.stack([np.cos(up) * np.sin(round_), np.sin(up) + 0 * round_, -np.cos(up) * np.cos(round_)], axis=-1)


def _within(levels: list[NDArray[np.float16]], most: int) -> Floats:
    """The largest level that is at most so wide."""
    return next(x for x in levels if x.shape[1] <= most).astype(np.float32)


def _spread(cosine: NDArray[np.float64], roughness: float) -> NDArray[np.float64]:
    """What facets of a roughness weigh light by that comes at an angle to where they mirror (GGX, n = v)."""
    a2 = max(roughness, 0.05) ** 4
    nh2 = 0.5 + 0.5 * np.clip(cosine, 0.0, 1.0)
    return np.where(cosine > 0, cosine / (nh2 * (a2 - 1.0) + 1.0) ** 2, 0.0)


def _fallen(source: Floats, shape: tuple[int, int]) -> NDArray[np.float16]:
    return _gathered(source, shape, lambda cosine: np.maximum(cosine, 0.0))


def _gathered(source: Floats, shape: tuple[int, int], weigh: Weigh) -> NDArray[np.float16]:
    """The mean of all texels, each by its solid angle and by the angle it lies at.

    Along a row the weights are the same, turned: a circular correlation, by the Fourier transform. Where there are
    several columns to one of the source, each has weights of its own, and those of the first are the last's in a
    mirror: both pictures are as wide as powers of two. What looks as far down as another looks up has the same ones
    upside down.
    """
    (height, width), (high, wide) = source.shape[:2], shape
    rows, ups = _angles(height), _angles(high)
    solid, level = np.cos(rows), np.sin(rows)[:, None]
    light = np.fft.rfft(source.astype(np.float64) * solid[:, None, None], axis=1)
    # For each frequency of a row: all rows, by all colours, as they are and upside down.
    both = np.ascontiguousarray(np.concatenate([light, light[::-1]], axis=2).transpose(1, 0, 2))
    alike = math.gcd(width, wide)
    others, half = wide // alike, (high + 1) // 2
    out = np.empty((high, wide, 4), np.float16)
    for top, first in itertools.product(range(0, half, TOGETHER), range((others + 1) // 2)):
        up = ups[top : min(top + TOGETHER, half), None, None]
        apart = (np.arange(width) + 0.5) / width - (first + 0.5) / wide
        flat = np.cos(up) * solid[:, None] * np.cos(2 * math.pi * apart)
        weights = weigh(np.sin(up) * level + flat)
        whole = (weights.sum(axis=2) @ solid)[:, None]
        turned = np.ascontiguousarray(np.fft.rfft(weights, axis=2).transpose(2, 0, 1))
        for column in {first, others - 1 - first}:
            spectrum = turned.conj() if column == first else turned
            found = np.fft.irfft(spectrum @ both, width, axis=0)[:: width // alike]
            found = np.clip(found / whole, 0.0, 60000.0).transpose(1, 0, 2)
            out[top : top + len(found), column::others] = found[..., :4]
            out[::-1][top : top + len(found), column::others] = found[..., 4:]
    return out


def _enlarged(level: NDArray[np.float16], high: int, wide: int) -> NDArray[np.float16]:
    """A panorama with more texels, which lie between those that it has."""
    height, width = level.shape[:2]
    y = np.clip((np.arange(high) + 0.5) / high * height - 0.5, 0, height - 1)
    x = (np.arange(wide) + 0.5) / wide * width - 0.5
    top, left = np.floor(y).astype(int), np.floor(x).astype(int)
    down, right = (y - top)[:, None, None], (x - left)[:, None]
    rows = level[top] * (1 - down) + level[np.minimum(top + 1, height - 1)] * down
    mixed = rows[:, left % width] * (1 - right) + rows[:, (left + 1) % width] * right
    return np.asarray(mixed, np.float16)
