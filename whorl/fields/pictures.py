"""How a picture is looked up: filtered over a pixel in a sheet of all its levels, or blurred about a place.

A lookup is bilinear within a level and linear between two, the level chosen from how much the
coordinates change over a pixel (Williams, *Pyramidal Parametrics*, SIGGRAPH 1983). It is written
out, and not left to a GPU's own filter, so that every machine gives the same.
"""

from whorl.shade import (
    Fixed,
    Image,
    Vec2,
    Vec3,
    Vec4,
    clamp,
    cos,
    extent,
    f32,
    floor,
    i32,
    log2,
    maximum,
    minimum,
    mix,
    shade,
    sin,
    sqrt,
    texel,
)

REPEAT, MIRROR, EDGE = 0, 1, 2
#: How many places a blurred picture is looked up at, and the angle from each to the next.
TAPS, GOLDEN = 16, 2.399963


@shade
def texel_at(x: i32, n: i32, wrap: Fixed[i32]) -> i32:
    """Which of `n` texels in a row stands at `x`, anywhere."""
    if wrap == EDGE:
        return minimum(maximum(x, 0), n - 1)
    turn = 2 * n if wrap == MIRROR else n
    # What languages give for the remainder of a negative number differs.
    m = x - turn * i32(floor((f32(x) + 0.5) / f32(turn)))
    return m if m < n else turn - 1 - m


@shade
def bilinear(image: Image, at: Vec2, left: i32, top: i32, wide: i32, high: i32, wrap: Fixed[i32]) -> Vec4:
    """A part of an image, `wide` by `high` from `left` and `top`, between its texels; `at` counts from its first."""
    low = floor(at)
    part = at - low
    x = i32(low.x)
    y = i32(low.y)
    xa = left + texel_at(x, wide, wrap)
    xb = left + texel_at(x + 1, wide, wrap)
    ya = top + texel_at(y, high, wrap)
    yb = top + texel_at(y + 1, high, wrap)
    upper = mix(texel(image, xa, ya), texel(image, xb, ya), part.x)
    lower = mix(texel(image, xa, yb), texel(image, xb, yb), part.x)
    return mix(upper, lower, part.y)


@shade
def on_level(image: Image, sheet: Vec4, place: Vec2, level: i32, wrap: Fixed[i32]) -> Vec4:
    """One level of a sheet; see `images.sheet.Sheet.place` for where each lies."""
    wide = maximum(i32(sheet.x) >> level, 1)
    high = maximum(i32(sheet.y) >> level, 1)
    fold = i32(sheet.w)
    down = (1 << fold) - ((1 << fold) >> maximum(level - 1, 0)) + maximum(level - 2 - fold, 0)
    left = i32(sheet.x) if level > 0 else 0
    top = down if level > 0 else 0
    at = place * Vec2(f32(wide), f32(high)) - 0.5
    return bilinear(image, at, left, top, wide, high, wrap)


@shade
def look_up(
    image: Image, sheet: Vec4, p: Vec3, footprint: Vec3, detail: f32, wrap: Fixed[i32], blocky: Fixed[i32]
) -> Vec4:
    """What a picture holds at coordinates that change by `footprint` over a pixel.

    `image` is its sheet and `sheet` its `size`; see `images.sheet`. `detail` is added to
    the level; `blocky` takes the nearest texel of the largest.
    """
    # Beyond what floats can count in texels there is nothing to see.
    place = Vec2(clamp(p.x, -1024.0, 1024.0), 1.0 - clamp(p.y, -1024.0, 1024.0))
    wide = i32(sheet.x)
    high = i32(sheet.y)
    if blocky == 1:
        x = i32(floor(place.x * sheet.x))
        y = i32(floor(place.y * sheet.y))
        return texel(image, texel_at(x, wide, wrap), texel_at(y, high, wrap))
    change = maximum(footprint.x * sheet.x, footprint.y * sheet.y)
    level = clamp(log2(maximum(change, 1e-6)) + detail, 0.0, sheet.z)
    first = i32(floor(level))
    fine = on_level(image, sheet, place, first, wrap)
    coarse = on_level(image, sheet, place, minimum(first + 1, i32(sheet.z)), wrap)
    return mix(fine, coarse, level - f32(first))


@shade
def passing(here: Vec4, ahead: Vec4, at: f32) -> Vec4:
    """A frame of a sequence passing into the next, where the sequence stands `at`."""
    return mix(here, ahead, clamp(at - floor(at), 0.0, 1.0))


@shade
def tiled_at(p: Vec3, blend: f32, right: Fixed[i32], over: Fixed[i32]) -> Vec3:
    """Where a picture is looked at whose sides are blended over a share of it; `right` and `over` lie beyond seams."""
    b = clamp(blend, 0.01, 0.5)
    left = 1.0 - b
    x = (p.x - floor(p.x)) * left
    y = (p.y - floor(p.y)) * left
    return Vec3(x + left * f32(right), y + left * f32(over), p.z)


@shade
def sides_blended(here: Vec4, beside: Vec4, above: Vec4, across: Vec4, p: Vec3, blend: f32) -> Vec4:
    """A picture that meets itself: from each seam on it passes from what lies beyond it to what begins there.

    `here` and the three others are what it holds at `tiled_at`.
    """
    b = clamp(blend, 0.01, 0.5)
    u = clamp((p.x - floor(p.x)) * (1.0 - b) / b, 0.0, 1.0)
    v = clamp((p.y - floor(p.y)) * (1.0 - b) / b, 0.0, 1.0)
    x = u * u * (3.0 - 2.0 * u)
    y = v * v * (3.0 - 2.0 * v)
    return mix(mix(across, above, x), mix(beside, here, x), y)


@shade
def _between(image: Image, at: Vec2) -> Vec4:
    size = extent(image)
    return bilinear(image, at, 0, 0, i32(size.x), i32(size.y), EDGE)


@shade
def around(image: Image, p: Vec3) -> Vec4:
    """A drawn picture about a place, as `at_screen` counts, its rows from the bottom; `p.z` is how far round."""
    size = extent(image)
    least = minimum(size.x, size.y)
    at = clamp(size * 0.5 + (Vec2(p.x, p.y) - 0.5) * least, Vec2(-1.0, -1.0), size + 1.0) - 0.5
    r = minimum(p.z, 1.0) * least
    if r < 0.5:
        return _between(image, at)
    total = Vec4(0.0, 0.0, 0.0, 0.0)
    for k in range(TAPS):
        a = GOLDEN * f32(k)
        total += _between(image, at + Vec2(cos(a), sin(a)) * (r * sqrt((f32(k) + 0.5) / 16.0)))
    return total / 16.0
