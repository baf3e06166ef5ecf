"""Blends of what is below with what is on top.

Source: W3C, *Compositing and Blending Level 1*, the separable modes; linear light, divide and
average by their usual definitions. Within 0..1 the formulas are the recommendation's. Outside
they go on so that results stay finite and never fall where an operand rises, except where the
mode itself does (difference, exclusion, subtract, divide, burn).
"""

from whorl.fields.shaping import threshold
from whorl.shade import (
    Fixed,
    Vec3,
    absolute,
    clamp,
    f32,
    i32,
    maximum,
    minimum,
    mix,
    shade,
    sqrt,
)

MODES = (
    "mix",
    "add",
    "subtract",
    "multiply",
    "divide",
    "screen",
    "overlay",
    "soft light",
    "hard light",
    "difference",
    "exclusion",
    "dodge",
    "burn",
    "linear light",
    "lighten",
    "darken",
    "average",
)


@shade
def screen(b: f32, s: f32) -> f32:
    """Two lights on one wall; above 1 the brighter of them."""
    cb = clamp(b, 0.0, 1.0)
    cs = clamp(s, 0.0, 1.0)
    return maximum(cb + cs - cb * cs, maximum(b, s))


@shade
def hard_light(b: f32, s: f32) -> f32:
    """Multiply under a dark top, screen under a light one."""
    return b * 2.0 * maximum(s, 0.0) if s <= 0.5 else screen(b, 2.0 * s - 1.0)


@shade
def soft_light(b: f32, s: f32) -> f32:
    """The recommendation's soft light within 0..1; what is below passes on what exceeds it."""
    cb = clamp(b, 0.0, 1.0)
    cs = clamp(s, 0.0, 1.0)
    low = ((16.0 * cb - 12.0) * cb + 4.0) * cb
    d = low if cb <= 0.25 else sqrt(cb)
    dark = cb - (1.0 - 2.0 * cs) * cb * (1.0 - cb)
    light = cb + (2.0 * cs - 1.0) * (d - cb)
    return (dark if cs <= 0.5 else light) + (b - cb)


@shade
def dodge(b: f32, s: f32) -> f32:
    """Brightens what is below; black stays black."""
    rest = maximum(1.0 - s, 1e-4)
    bright = maximum(b, 1.0)
    return b if b <= 0.0 else (bright if s >= 1.0 else minimum(bright, b / rest))


@shade
def burn(b: f32, s: f32) -> f32:
    """Darkens what is below; white stays white."""
    deep = 1.0 - minimum(1.0, (1.0 - b) / maximum(s, 1e-4))
    return b if b >= 1.0 else (0.0 if s <= 0.0 else deep)


@shade
def divide(b: f32, s: f32) -> f32:
    """What is below over what is on top, which counts as 1/10,000 at the least."""
    return b / maximum(s, 1e-4)


@shade
def exclusion(b: f32, s: f32) -> f32:
    """A softer difference; what exceeds 0..1 is added on."""
    cb = clamp(b, 0.0, 1.0)
    cs = clamp(s, 0.0, 1.0)
    return cb + cs - 2.0 * cb * cs + (b - cb) + (s - cs)


@shade
def blended(b: f32, s: f32, mode: Fixed[i32]) -> f32:
    """One value on another by the mode's place in MODES."""
    if mode == 1:
        return b + s
    if mode == 2:
        return b - s
    if mode == 3:
        return b * s
    if mode == 4:
        return divide(b, s)
    if mode == 5:
        return screen(b, s)
    if mode == 6:
        return hard_light(s, b)
    if mode == 7:
        return soft_light(b, s)
    if mode == 8:
        return hard_light(b, s)
    if mode == 9:
        return absolute(b - s)
    if mode == 10:
        return exclusion(b, s)
    if mode == 11:
        return dodge(b, s)
    if mode == 12:
        return burn(b, s)
    if mode == 13:
        return b + 2.0 * s - 1.0
    if mode == 14:
        return maximum(b, s)
    if mode == 15:
        return minimum(b, s)
    if mode == 16:
        return (b + s) * 0.5
    return s


@shade
def blend_value(below: f32, top: f32, amount: f32, mode: Fixed[i32], swap: Fixed[i32]) -> f32:
    """A value blended with another, by `amount` 0..1; `swap` exchanges the two."""
    b = top if swap == 1 else below
    s = below if swap == 1 else top
    return mix(b, blended(b, s, mode), amount)


@shade
def blend_colour(below: Vec3, top: Vec3, amount: f32, mode: Fixed[i32], swap: Fixed[i32]) -> Vec3:
    """A colour blended with another, channel by channel."""
    return Vec3(
        blend_value(below.x, top.x, amount, mode, swap),
        blend_value(below.y, top.y, amount, mode, swap),
        blend_value(below.z, top.z, amount, mode, swap),
    )


@shade
def mixed_value(below: f32, top: f32, mask: f32) -> f32:
    """What is below where a mask is 0, what is on top where it is 1."""
    return mix(below, top, clamp(mask, 0.0, 1.0))


@shade
def mixed_colour(below: Vec3, top: Vec3, mask: f32) -> Vec3:
    """Two colours by a mask."""
    return mix(below, top, clamp(mask, 0.0, 1.0))


@shade
def selected_value(below: f32, top: f32, by: f32, by_footprint: f32, level: f32) -> f32:
    """What is below where `by` lies under a level, what is on top above it; a pixel's width between."""
    return mix(below, top, threshold(by, by_footprint, level, 0.0, 0.0))


@shade
def selected_colour(below: Vec3, top: Vec3, by: f32, by_footprint: f32, level: f32) -> Vec3:
    """One of two colours, by a level."""
    return mix(below, top, threshold(by, by_footprint, level, 0.0, 0.0))
