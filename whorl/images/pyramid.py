"""A picture at its size and at every half of it, and how it is looked up: the same on both sides.

A lookup is bilinear within a level and linear between two, the level chosen from how much the
coordinates change over a pixel (Williams, *Pyramidal Parametrics*, SIGGRAPH 1983). It is written
out, and not left to a GPU's own filter, so that every machine gives the same.
"""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from whorl.images.decode import Decoded

#: Pictures are worked with at up to this many texels on a side; half floats of it are 128 MiB.
WORKING = 4096
REPEAT, MIRROR, EDGE = 0, 1, 2


@dataclass(frozen=True)
class Pyramid:
    """Levels from the largest to 1×1: `texels` (all of them, 4) float32, linear; rows from the top.

    `shapes` (levels, 3) int32 holds each level's width, height and first texel.
    """

    texels: NDArray[np.float32]
    shapes: NDArray[np.int32]


def pyramid_of(image: Decoded, srgb: bool) -> Pyramid:
    """The levels of a picture; `srgb` decodes its colours to linear light first (IEC 61966-2-1)."""
    full = image.pixels
    if srgb and image.encoded:
        c = full[..., :3]
        linear = np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4)
        full = np.concatenate([linear.astype(np.float32), full[..., 3:]], axis=-1)
    levels = [full]
    while max(levels[-1].shape[:2]) > WORKING:
        levels[0] = _halved(levels[0])
    while max(levels[-1].shape[:2]) > 1:
        levels.append(_halved(levels[-1]))
    # What a half float holds, so that both sides start from the same numbers.
    flat = np.concatenate([level.reshape(-1, 4) for level in levels])
    flat = np.clip(flat, -65504, 65504).astype(np.float16).astype(np.float32)
    starts = np.cumsum([0, *(level.shape[0] * level.shape[1] for level in levels[:-1])])
    shapes = [(level.shape[1], level.shape[0], start) for level, start in zip(levels, starts, strict=True)]
    return Pyramid(flat, np.array(shapes, np.int32))


def shown_within(pyramid: Pyramid, side: int) -> NDArray[np.float32]:
    """The largest level that fits a square, as a screen shows it: (4, height, width), sRGB, opaque."""
    w, h, at = next((int(w), int(h), int(at)) for w, h, at in pyramid.shapes if max(w, h) <= side)
    linear = np.clip(pyramid.texels[at : at + w * h, :3].reshape(h, w, 3), 0, 1)
    encoded = np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055)
    return np.concatenate([np.moveaxis(encoded, -1, 0), np.ones((1, h, w))]).astype(np.float32)


def _halved(level: NDArray[np.float32]) -> NDArray[np.float32]:
    """Half as large, each texel the mean of what it covers, also where sizes are odd."""
    return _halved_rows(_halved_rows(level).transpose(1, 0, 2)).transpose(1, 0, 2)


def _halved_rows(level: NDArray[np.float32]) -> NDArray[np.float32]:
    n = len(level)
    if n == 1:
        return level
    if n % 2 == 0:
        return np.asarray((level[0::2] + level[1::2]) * np.float32(0.5), np.float32)
    # n = 2m + 1 rows lie over m: each of those covers two whole rows and parts of a third.
    m = n // 2
    i = np.arange(m, dtype=np.float32)[:, None, None]
    made = (level[0:-1:2] * (m - i) + level[1::2] * np.float32(m) + level[2::2] * (i + 1)) / np.float32(n)
    return np.asarray(made, np.float32)


@njit(cache=True, nogil=True, inline="always")
def _wrapped(x, n, wrap):  # type: ignore[no-untyped-def]
    if wrap == 2:
        return min(max(x, 0), n - 1)
    if wrap == 1:
        m = x % (2 * n)
        return m if m < n else 2 * n - 1 - m
    return x % n


@njit(cache=True, nogil=True)
def look_up(texels, shapes, u, v, across, down, detail, wrap, blocky, out):  # type: ignore[no-untyped-def]
    """Texels at u, v into `out` (4, n); `across` and `down` are how far u and v go in a pixel.

    `detail` is added to the level; `blocky` takes the nearest texel of the largest level.
    """
    most = len(shapes) - 1
    one, half = np.float32(1), np.float32(0.5)
    for i in range(len(u)):
        # Beyond what float32 can count in texels there is nothing to see.
        x0 = min(max(u[i], np.float32(-1024)), np.float32(1024))
        y0 = one - min(max(v[i], np.float32(-1024)), np.float32(1024))
        if blocky:
            w, h, start = shapes[0]
            t = start + _wrapped(int(np.floor(y0 * h)), h, wrap) * w + _wrapped(int(np.floor(x0 * w)), w, wrap)
            for c in range(4):
                out[c, i] = texels[t, c]
            continue
        wide = max(across[i] * shapes[0, 0], down[i] * shapes[0, 1])
        level = min(max(np.log2(max(wide, np.float32(1e-6))) + detail, np.float32(0)), np.float32(most))
        first = int(np.floor(level))
        between = level - np.float32(first)
        for k in range(2):
            share = one - between if k == 0 else between
            w, h, start = shapes[min(first + k, most)]
            x = x0 * np.float32(w) - half
            y = y0 * np.float32(h) - half
            xf, yf = np.floor(x), np.floor(y)
            fx, fy = x - xf, y - yf
            xa, xb = _wrapped(int(xf), w, wrap), _wrapped(int(xf) + 1, w, wrap)
            ya, yb = _wrapped(int(yf), h, wrap), _wrapped(int(yf) + 1, h, wrap)
            for c in range(4):
                upper = texels[start + ya * w + xa, c] * (one - fx) + texels[start + ya * w + xb, c] * fx
                lower = texels[start + yb * w + xa, c] * (one - fx) + texels[start + yb * w + xb, c] * fx
                value = (upper * (one - fy) + lower * fy) * share
                out[c, i] = value if k == 0 else out[c, i] + value


#: The same lookup in GLSL ES 3.00; `detail` as above.
GLSL = """
int image_wrapped(int x, int n, int wrap) {
  if (wrap == 2) return clamp(x, 0, n - 1);
  // What % gives for a negative number is left open.
  int turn = wrap == 1 ? 2 * n : n;
  int m = x - turn * int(floor((float(x) + 0.5) / float(turn)));
  return m < n ? m : turn - 1 - m;
}
vec4 image_texel(sampler2D image, ivec2 at, int level, int wrap) {
  ivec2 size = textureSize(image, level);
  return texelFetch(image, ivec2(image_wrapped(at.x, size.x, wrap), image_wrapped(at.y, size.y, wrap)), level);
}
vec4 image_level(sampler2D image, vec2 place, int level, int wrap) {
  vec2 at = place * vec2(textureSize(image, level)) - 0.5;
  ivec2 low = ivec2(floor(at));
  vec2 part = at - floor(at);
  vec4 upper = mix(image_texel(image, low, level, wrap), image_texel(image, low + ivec2(1, 0), level, wrap), part.x);
  vec4 lower =
    mix(image_texel(image, low + ivec2(0, 1), level, wrap), image_texel(image, low + 1, level, wrap), part.x);
  return mix(upper, lower, part.y);
}
vec4 look_up(sampler2D image, vec3 p, vec3 footprint, float detail, int most, int wrap, bool blocky) {
  vec2 held = clamp(p.xy, -1024.0, 1024.0);
  vec2 place = vec2(held.x, 1.0 - held.y);
  vec2 size = vec2(textureSize(image, 0));
  if (blocky) return image_texel(image, ivec2(floor(place * size)), 0, wrap);
  float wide = max(footprint.x * size.x, footprint.y * size.y);
  float level = clamp(log2(max(wide, 1e-6)) + detail, 0.0, float(most));
  int first = int(floor(level));
  vec4 fine = image_level(image, place, first, wrap);
  return mix(fine, image_level(image, place, min(first + 1, most), wrap), level - float(first));
}
"""
