"""From scene light to what a screen shows: bloom, exposure, tone mapping."""

from whorl.fields.colour import srgb
from whorl.shade import (
    Vec3,
    Vec4,
    clamp,
    exp2,
    f32,
    log2,
    maximum,
    minimum,
    mix,
    shade,
)


@shade
def over(c: Vec3, threshold: f32) -> Vec3:
    """What of a light exceeds the bloom threshold, in its own hue."""
    peak = maximum(maximum(c.x, c.y), maximum(c.z, 1e-6))
    return c * (maximum(peak - threshold, 0.0) / peak)


@shade
def bright(a: Vec3, b: Vec3, c: Vec3, d: Vec3, threshold: f32) -> Vec3:
    """Four texels over the threshold, averaged into one of half the size."""
    return (over(a, threshold) + over(b, threshold) + over(c, threshold) + over(d, threshold)) * 0.25


@shade
def halved(a: Vec3, b: Vec3, c: Vec3, d: Vec3) -> Vec3:
    """The mean of four texels."""
    return (a + b + c + d) * 0.25


@shade
def blurred(a: Vec3, b: Vec3, c: Vec3, d: Vec3, e: Vec3) -> Vec3:
    """The binomial kernel 1 4 6 4 1."""
    return (a + e) * 0.0625 + (b + d) * 0.25 + c * 0.375


#: Pixels on the lesser side of a picture whose bloom begins at its first level.
WHOLE = 512.0


@shade
def share(level: f32, across: f32, levels: f32) -> f32:
    """What part of a bloom of so many `levels` comes from one of them, 0..1, in a picture `across` pixels on its lesser
    side.

    A bloom reaches over as many doublings of width, all alike, from one that is the same part of the picture whatever
    its size. Where that is finer than a pixel, the first level stands for what is.
    """
    first = log2(across / WHOLE)
    low = first if level < 1.5 else maximum(level - 1.0, first)
    return maximum(minimum(level, first + levels) - low, 0.0) / levels


@shade
def widest(here: Vec3, level: f32, across: f32, levels: f32) -> Vec3:
    """The last level of bloom by its share."""
    return here * share(level, across, levels)


@shade
def widened(here: Vec3, wide: Vec3, level: f32, across: f32, levels: f32) -> Vec3:
    """A level of bloom by its share, with the wider levels under it."""
    return here * share(level, across, levels) + wide


@shade
def neutral(c: Vec3) -> Vec3:
    """Scene light as display light, 0..1, keeping hue (Khronos PBR Neutral Tone Mapper, 2024)."""
    least = minimum(c.x, minimum(c.y, c.z))
    toe = least - 6.25 * least * least if least < 0.08 else 0.04
    lifted = c - toe
    peak = maximum(lifted.x, maximum(lifted.y, lifted.z))
    start = 0.76
    room = 1.0 - start
    lowered = 1.0 - room * room / maximum(peak + room - start, 1e-6)
    grey = 1.0 - 1.0 / (0.15 * (peak - lowered) + 1.0)
    squeezed = mix(lifted * (lowered / maximum(peak, 1e-6)), Vec3(lowered), grey)
    return lifted if peak < start else squeezed


@shade
def finished(
    scene: Vec4,
    glow: Vec3,
    exposure: f32,
    strength: f32,
    bare: f32,
) -> Vec4:
    """The picture: bloom, exposure in stops, tone mapping, sRGB; straight alpha.

    `bare` 1 shows a peek as it stands. Glow that spills beyond the surface gets the alpha of
    its own brightness, so that it survives a transparent background.
    """
    light = (scene.xyz + glow * strength) * exp2(exposure)
    shown = neutral(maximum(light, 0.0))
    peak = maximum(shown.x, maximum(shown.y, shown.z))
    alpha = clamp(maximum(scene.w, peak), 0.0, 1.0)
    straight = srgb(shown / maximum(alpha, 1e-4))
    return Vec4(scene.xyz, scene.w) if bare > 0.5 else Vec4(straight, alpha)
