"""Shaping a value: thresholds, rims, ranges, ramps."""

from whorl.shade import (
    Fixed,
    Table8,
    Vec3,
    Vec4,
    absolute,
    clamp,
    cos,
    f32,
    floor,
    i32,
    maximum,
    minimum,
    mix,
    power,
    shade,
)

CONSTANT, LINEAR, SMOOTH = 0, 1, 2
TAU = 6.283185307179586


@shade
def threshold(below: f32, footprint: f32, level: f32, level_footprint: f32, softness: f32) -> f32:
    """0 under `level`, 1 over it, smoothly over a width of `softness`; 0 is a hard step.

    The step is at the least as wide as what value and level change in a pixel: a level that a strand
    gives may cross a value that hardly changes.

    >>> [threshold(x, 0.0, 0.5, 0.0, 0.5) for x in (0.25, 0.5, 0.75)]
    [0.0, 0.5, 1.0]
    """
    width = maximum(maximum(softness, footprint + level_footprint), 1e-6)
    t = clamp((below - level) / width + 0.5, 0.0, 1.0)
    return t * t * (3.0 - 2.0 * t)


@shade
def rim(
    below: f32, footprint: f32, level: f32, level_footprint: f32, width: f32, width_footprint: f32, softness: f32
) -> f32:
    """What lies between two thresholds, at `level` and a `width` above it: 0..1."""
    low = threshold(below, footprint, level, level_footprint, softness)
    high = threshold(below, footprint, level + width, level_footprint + width_footprint, softness)
    return clamp(low - high, 0.0, 1.0)


@shade
def remap(below: f32, from_low: f32, from_high: f32, to_low: f32, to_high: f32, clamped: Fixed[i32]) -> f32:
    """One range laid onto another, in a straight line; optionally held within the second."""
    span = from_high - from_low
    wide = (maximum(absolute(span), 1e-6)) * (-1.0 if span < 0.0 else 1.0)
    t = (below - from_low) / wide
    if clamped == 1:
        t = clamp(t, 0.0, 1.0)
    return to_low + (to_high - to_low) * t


@shade
def invert(below: f32) -> f32:
    """1 minus the value."""
    return 1.0 - below


@shade
def raised(below: f32, exponent: f32) -> f32:
    """The value to a power; values under 0 count as 0."""
    return power(maximum(below, 0.0), exponent)


@shade
def eased(t: f32, interpolation: Fixed[i32]) -> f32:
    """How far between two stops, 0..1: held, straight or smooth."""
    if interpolation == CONSTANT:
        return 0.0 if t < 1.0 else 1.0
    if interpolation == SMOOTH:
        return t * t * (3.0 - 2.0 * t)
    return t


@shade
def ramp(below: f32, stops: Table8, interpolation: Fixed[i32]) -> Vec3:
    """Colours along a value. Each stop is linear RGB and, last, its place; places ascend."""
    first = stops[0]
    colour = first.xyz
    for i in range(7):
        here = stops[i]
        there = stops[i + 1]
        gap = maximum(there.w - here.w, 1e-6)
        t = clamp((below - here.w) / gap, 0.0, 1.0)
        colour = mix(colour, there.xyz, eased(t, interpolation))
    return colour


@shade
def dyed(
    ramped: Vec3,
    below: f32,
    stops: Table8,
    colour: Vec3,
    first: Fixed[i32],
    last: Fixed[i32],
    interpolation: Fixed[i32],
) -> Vec3:
    """A ramp of which the stop in the rows from `first` to `last` has another colour."""
    share = 1.0 if first == 0 else 0.0
    for i in range(7):
        here = stops[i]
        there = stops[i + 1]
        gap = maximum(there.w - here.w, 1e-6)
        t = clamp((below - here.w) / gap, 0.0, 1.0)
        share = mix(share, 1.0 if i + 1 >= first and i + 1 <= last else 0.0, eased(t, interpolation))
    return ramped + (colour - stops[first].xyz) * share


@shade
def limited(below: f32, low: f32, high: f32) -> f32:
    """The value held between two others, whichever way round they are."""
    return clamp(below, minimum(low, high), maximum(low, high))


@shade
def contrast(below: f32, amount: f32, pivot: f32) -> f32:
    """Spreads values away from `pivot`, `amount` times; under 1 draws them together."""
    return (below - pivot) * amount + pivot


@shade
def posterise(below: f32, footprint: f32, levels: f32, smoothness: f32) -> f32:
    """0..1 in so many flat `levels`; `smoothness` 0..1 of each step is a slope."""
    steps = maximum(floor(levels + 0.5), 2.0) - 1.0
    t = clamp(below, 0.0, 1.0) * steps
    base = floor(t)
    slope = clamp(maximum(smoothness, footprint * steps), 1e-4, 1.0)
    part = clamp((t - base - 0.5) / slope + 0.5, 0.0, 1.0)
    return (base + part * part * (3.0 - 2.0 * part)) / steps


@shade
def sine(below: f32, count: f32, phase: f32) -> f32:
    """A sine of the value, 0..1: `count` waves over a rise of 1; `phase` 1 is the same again."""
    t = below * count - phase
    return 0.5 - 0.5 * cos(TAU * (t - floor(t)))


@shade
def saw(t: f32, width: f32) -> f32:
    """The part of `t` over a whole number, its drop drawn out over a `width` so that it does not jump."""
    near = t - floor(t + 0.5)
    down = mix(1.0 - 0.5 * width, 0.5 * width, clamp(near / width + 0.5, 0.0, 1.0))
    return down if absolute(near) < 0.5 * width else t - floor(t)


@shade
def fraction(below: f32, footprint: f32, count: f32, offset: f32) -> f32:
    """What is left over a whole number: the value rises `count` times from 0 to 1."""
    return saw(below * count - offset, clamp(footprint * absolute(count), 1e-6, 1.0))


@shade
def apart(below: f32, middle: f32) -> f32:
    """How far the value lies from `middle`, to either side."""
    return absolute(below - middle)


@shade
def inner_slope(before: f32, after: f32, rise_before: f32, rise_after: f32) -> f32:
    """The slope at a point between two intervals: 0 at a turn, else their weighted harmonic mean.

    `before` and `after` are the intervals' lengths, the others their slopes.
    """
    a = 2.0 * after + before
    b = after + 2.0 * before
    turning = rise_before * rise_after <= 0.0
    sum_of = a / (1.0 if turning else rise_before) + b / (1.0 if turning else rise_after)
    return 0.0 if turning else (a + b) / sum_of


@shade
def end_slope(near: f32, far: f32, rise_near: f32, rise_far: f32) -> f32:
    """The slope at an end, from three points, held so that the curve does not overshoot."""
    m = ((2.0 * near + far) * rise_near - near * rise_far) / maximum(near + far, 1e-6)
    steep = 3.0 * rise_near
    out = steep if rise_near * rise_far < 0.0 and absolute(m) > absolute(steep) else m
    return 0.0 if m * rise_near <= 0.0 else out


@shade
def rise(a: Vec4, b: Vec4) -> f32:
    """The slope from one point of a curve to the next; 0 where they share their place."""
    return (b.x - a.x) / maximum(b.w - a.w, 1e-6) if b.w - a.w > 1e-6 else 0.0


@shade
def piece(sofar: f32, below: f32, before: Vec4, a: Vec4, b: Vec4, after: Vec4) -> f32:
    """The curve from `a` to `b` where the value lies beyond `a`, else what was found so far."""
    h = b.w - a.w
    d = rise(a, b)
    left = a.w - before.w
    right = after.w - b.w
    into = rise(before, a)
    onward = rise(b, after)
    m0 = inner_slope(left, h, into, d) if left > 1e-6 else end_slope(h, right, d, onward)
    m1 = inner_slope(h, right, d, onward) if right > 1e-6 else end_slope(h, left, d, into)
    alone = left <= 1e-6 and right <= 1e-6
    m0 = d if alone else m0
    m1 = d if alone else m1
    t = clamp((below - a.w) / maximum(h, 1e-6), 0.0, 1.0)
    u = 1.0 - t
    s = u * u * (1.0 + 2.0 * t) * a.x + t * t * (3.0 - 2.0 * t) * b.x + h * t * u * (u * m0 - t * m1)
    return s if h > 1e-6 and below > a.w else sofar


@shade
def curve(below: f32, points: Table8) -> f32:
    """A smooth curve through points that rises and falls only where they do; flat outside them.

    Each point is its value, first, and its place, last; places ascend. Piecewise cubic (Fritsch
    and Carlson, SIAM J. Numer. Anal. 17, 1980) with the slopes of Fritsch and Butland 1984.
    """
    before = points[0]
    out = before.x
    for i in range(6):
        a = points[i]
        b = points[i + 1]
        after = points[i + 2]
        out = piece(out, below, before, a, b, after)
        before = a
    last = points[6]
    end = points[7]
    return piece(out, below, before, last, end, end)
