"""A panorama as light from all round: as it is, as facets of rising roughness mirror it, and as it falls on matte.

A panorama is an equirectangular picture: its middle is straight ahead, from the viewer's side into the stage, right is
to the right, and its height goes from straight down to straight up.
"""

import math

import numpy as np
from numpy.typing import NDArray

from whorl.fields import panorama
from whorl.images import srgb
from whorl.images.decode import Decoded
from whorl.images.sheet import STRIP, Sheet, halved, laid_out

Floats = NDArray[np.float32]

#: The level of a whole roughness, and after it that of what falls on matte, as lookups take them.
ROUGHEST, MATTE = int(panorama.ROUGHEST), int(panorama.MATTE)
#: Panoramas are worked with at up to so many texels across, and at no fewer than the least.
WIDEST, NARROWEST = 2048, 1024
#: From this level on every texel of the source is weighed; finer ones are sampled.
WEIGHED = 3
#: Samples of a texel of the levels that are sampled: the rougher, the more directions there are.
SAMPLES = {1: 20, 2: 96}


def around_of(image: Decoded) -> Sheet:
    """The levels of a panorama. Level k is what facets of roughness k / 5 mirror from around a direction,

    ∫ L(l) D(h) n·l dl / ∫ D(h) n·l dl with D of Walter et al. 2007 and n = v; fine levels are sampled as in Křivánek
    and Colbert, *Real-time Shading with Filtered Importance Sampling*, 2008. Level 6 is the mean that falls on matte,
    ∫ L(l) n·l dl / π.
    """
    full = _linear(image)
    height, width = full.shape[:2]
    levels = [full]
    for _ in range(max(width, height).bit_length() - 1):
        levels.append(halved(levels[-1]))
    source = _source(levels)
    made = list(levels)
    for k in range(1, ROUGHEST + 1):
        shape = levels[k].shape[:2]
        made[k] = _weighed(source, shape, k / ROUGHEST) if k >= WEIGHED else _sampled(levels, shape, k)
    made[MATTE] = _fallen(source, levels[MATTE].shape[:2])
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
    """A panorama as linear light in half floats, of a size that has all the levels."""
    out = np.empty((image.height, image.width, 4), np.float16)
    for first in range(0, image.height, STRIP):
        rows = image.rows(first, first + STRIP)
        if image.encoded:
            rows[..., :3] = srgb.decoded(rows[..., :3])
        out[first : first + STRIP] = np.clip(rows, 0.0, 60000.0)
    while out.shape[1] > WIDEST:
        out = halved(out)
    times = -(-NARROWEST // out.shape[1]), -(-NARROWEST // 2 // out.shape[0])
    if max(times) > 1:
        wide, high = out.shape[1] * times[0], out.shape[0] * times[1]
        out = _looked_up(out, ways(high, wide).reshape(-1, 3)).reshape(high, wide, 4).astype(np.float16)
    return out


def _angles(height: int) -> NDArray[np.float64]:
    """How high the rows of a panorama look, from the top, in radians."""
    return (0.5 - (np.arange(height) + 0.5) / height) * math.pi


def ways(height: int, width: int) -> NDArray[np.float64]:
    """Unit vectors of the texels' middles, (height, width, 3)."""
    up, round_ = _angles(height)[:, None], ((np.arange(width) + 0.5) / width - 0.5)[None, :] * 2 * math.pi
    return np.stack([np.cos(up) * np.sin(round_), np.sin(up) + 0 * round_, -np.cos(up) * np.cos(round_)], axis=-1)


def _source(levels: list[NDArray[np.float16]]) -> Floats:
    """The level that is weighed texel by texel: about 128 across."""
    return next(x for x in levels if x.shape[1] <= 160).astype(np.float32)


def _spread(cosine: NDArray[np.float64], roughness: float) -> NDArray[np.float64]:
    """What facets of a roughness weigh light by that comes at an angle to where they mirror (GGX, n = v)."""
    a2 = max(roughness, 0.05) ** 4
    nh2 = 0.5 + 0.5 * np.clip(cosine, 0.0, 1.0)
    return np.where(cosine > 0, cosine / (nh2 * (a2 - 1.0) + 1.0) ** 2, 0.0)


def _weighed(source: Floats, shape: tuple[int, int], roughness: float) -> NDArray[np.float16]:
    return _gathered(source, shape, lambda cosine: _spread(cosine, roughness))


def _fallen(source: Floats, shape: tuple[int, int]) -> NDArray[np.float16]:
    return _gathered(source, shape, lambda cosine: np.maximum(cosine, 0.0))


def _gathered(source: Floats, shape: tuple[int, int], weigh: object) -> NDArray[np.float16]:
    """The mean of all texels, each by its solid angle and by the angle it lies at."""
    height, width = source.shape[:2]
    to = ways(height, width).reshape(-1, 3)
    solid = np.repeat(np.cos(_angles(height)), width)
    light = source.reshape(-1, 4).astype(np.float64)
    out = np.empty((*shape, 4), np.float16)
    for k, row in enumerate(ways(*shape)):
        weights = weigh(row @ to.T) * solid  # type: ignore[operator]
        out[k] = np.minimum(weights @ light / weights.sum(axis=1, keepdims=True), 60000.0)
    return out


def _sampled(levels: list[NDArray[np.float16]], shape: tuple[int, int], number: int) -> NDArray[np.float16]:
    """The same from samples that lie as the weights do, each looked up where texels are as large as its share."""
    normal = ways(*shape).reshape(-1, 3)
    up = np.where(np.abs(normal[:, 1:2]) < 0.99, [[0.0, 1.0, 0.0]], [[1.0, 0.0, 0.0]])
    first = np.cross(up, normal)
    first /= np.linalg.norm(first, axis=1, keepdims=True)
    second = np.cross(normal, first)
    a2, samples = max(number / ROUGHEST, 0.05) ** 4, SAMPLES[number]
    total, weight = np.zeros((len(normal), 4)), 0.0
    for i in range(samples):
        # Hammersley points; halfway vectors are drawn by D (Walter et al. 2007, eq. 35).
        e, turn = (i + 0.5) / samples, 2 * math.pi * (int(f"{i:016b}"[::-1], 2) / 65536)
        h2 = (1 - e) / (1 + (a2 - 1) * e)
        cosine = 2 * h2 - 1
        if cosine <= 0:
            continue
        sine = math.sqrt(max(1 - cosine * cosine, 0.0))
        to = normal * cosine + (first * math.cos(turn) + second * math.sin(turn)) * sine
        # The solid angle that a sample stands for says how coarse a level it is looked up in.
        density = a2 / (h2 * (a2 - 1) + 1) ** 2 / math.pi / 4
        apart = 1 / (samples * max(density, 1e-9))
        texel = 4 * math.pi / (levels[0].shape[0] * levels[0].shape[1])
        level = int(np.clip(0.5 * math.log2(max(apart / texel, 1.0)) + 0.5, 0, 6))
        total += _looked_up(levels[level], to) * cosine
        weight += cosine
    return np.minimum(total / weight, 60000.0).reshape(*shape, 4).astype(np.float16)


def _looked_up(level: NDArray[np.float16], to: NDArray[np.float64]) -> NDArray[np.float64]:
    """A level between its texels, in some directions."""
    height, width = level.shape[:2]
    x = (np.arctan2(to[:, 0], -to[:, 2]) / (2 * math.pi) + 0.5) * width - 0.5
    y = np.clip((0.5 - np.arcsin(np.clip(to[:, 1], -1, 1)) / math.pi) * height - 0.5, 0, height - 1)
    left, top = np.floor(x).astype(int), np.floor(y).astype(int)
    u, v = (x - left)[:, None], (y - top)[:, None]
    under = np.minimum(top + 1, height - 1)
    a, b = level[top, left % width].astype(np.float64), level[top, (left + 1) % width].astype(np.float64)
    c, d = level[under, left % width].astype(np.float64), level[under, (left + 1) % width].astype(np.float64)
    return np.asarray((a * (1 - u) + b * u) * (1 - v) + (c * (1 - u) + d * u) * v)
