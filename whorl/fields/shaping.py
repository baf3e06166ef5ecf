"""Shaping a value: thresholds, rims, ranges, ramps."""

from whorl.shade import (
    Fixed,
    Table8,
    Vec3,
    absolute,
    clamp,
    f32,
    i32,
    maximum,
    mix,
    power,
    shade,
)

CONSTANT, LINEAR, SMOOTH = 0, 1, 2


@shade
def threshold(below: f32, level: f32, softness: f32) -> f32:
    """0 under `level`, 1 over it, smoothly over a width of `softness`; 0 is a hard step.

    >>> [threshold(x, 0.5, 0.5) for x in (0.25, 0.5, 0.75)]
    [0.0, 0.5, 1.0]
    """
    width = maximum(softness, 1e-6)
    t = clamp((below - level) / width + 0.5, 0.0, 1.0)
    return t * t * (3.0 - 2.0 * t)


@shade
def rim(below: f32, level: f32, width: f32, softness: f32) -> f32:
    """What lies between two thresholds, at `level` and a `width` above it: 0..1."""
    return clamp(threshold(below, level, softness) - threshold(below, level + width, softness), 0.0, 1.0)


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
