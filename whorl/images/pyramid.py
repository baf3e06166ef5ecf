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


def sheet(pyramid: Pyramid) -> NDArray[np.float16]:
    """All levels in one picture for a GPU: (height, width, 4), the largest at left, the others in a column beside it.

    Levels of a texture would do, but which of them `texelFetch` reads is one choice for four pixels
    on some drivers, and wrong in three of them where the level changes.
    """
    w, h, most, fold = sheet_size(pyramid)
    tops = [0, *((1 << fold) - (1 << fold >> (k - 1)) + max(k - 2 - fold, 0) for k in range(1, most + 1))]
    wide = w + (int(pyramid.shapes[1][0]) if most else 0)
    out = np.zeros((max(h, tops[-1] + 1), wide, 4), np.float16)
    for k, (x, y, start) in enumerate(pyramid.shapes):
        left = w if k else 0
        out[tops[k] : tops[k] + y, left : left + x] = pyramid.texels[start : start + x * y].reshape(y, x, 4)
    return out


def sheet_size(pyramid: Pyramid) -> tuple[int, int, int, int]:
    """Width and height of the largest level, the number of the smallest, and the power of two that holds the height.

    That says where each level begins: in the column, half of the power on, then half of what is left,
    and a row each where only rows are left.
    """
    w, h, _ = (int(x) for x in pyramid.shapes[0])
    return w, h, len(pyramid.shapes) - 1, (h - 1).bit_length()


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


#: The same lookup in GLSL ES 3.00, in a sheet; `size` is what `sheet_size` says of it.
GLSL = """
int image_wrapped(int x, int n, int wrap) {
  if (wrap == 2) return clamp(x, 0, n - 1);
  // What % gives for a negative number is left open.
  int turn = wrap == 1 ? 2 * n : n;
  int m = x - turn * int(floor((float(x) + 0.5) / float(turn)));
  return m < n ? m : turn - 1 - m;
}
vec4 image_level(sampler2D image, ivec4 size, vec2 place, int level, int wrap) {
  ivec2 own = max(size.xy >> level, ivec2(1));
  int fold = 1 << size.w;
  int down = fold - (fold >> max(level - 1, 0)) + max(level - 2 - size.w, 0);
  ivec2 from = level > 0 ? ivec2(size.x, down) : ivec2(0);
  vec2 at = place * vec2(own) - 0.5;
  ivec2 low = ivec2(floor(at));
  vec2 part = at - floor(at);
  int xa = from.x + image_wrapped(low.x, own.x, wrap);
  int xb = from.x + image_wrapped(low.x + 1, own.x, wrap);
  int ya = from.y + image_wrapped(low.y, own.y, wrap);
  int yb = from.y + image_wrapped(low.y + 1, own.y, wrap);
  vec4 upper = mix(texelFetch(image, ivec2(xa, ya), 0), texelFetch(image, ivec2(xb, ya), 0), part.x);
  vec4 lower = mix(texelFetch(image, ivec2(xa, yb), 0), texelFetch(image, ivec2(xb, yb), 0), part.x);
  return mix(upper, lower, part.y);
}
vec4 look_up(sampler2D image, vec3 p, vec3 footprint, float detail, ivec4 size, int wrap, bool blocky) {
  vec2 held = clamp(p.xy, -1024.0, 1024.0);
  vec2 place = vec2(held.x, 1.0 - held.y);
  if (blocky) {
    ivec2 at = ivec2(floor(place * vec2(size.xy)));
    return texelFetch(image, ivec2(image_wrapped(at.x, size.x, wrap), image_wrapped(at.y, size.y, wrap)), 0);
  }
  float wide = max(footprint.x * float(size.x), footprint.y * float(size.y));
  float level = clamp(log2(max(wide, 1e-6)) + detail, 0.0, float(size.z));
  int first = int(floor(level));
  vec4 fine = image_level(image, size, place, first, wrap);
  return mix(fine, image_level(image, size, place, min(first + 1, size.z), wrap), level - float(first));
}
"""
