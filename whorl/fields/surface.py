"""How channels become light: the surface's composites and the layering of channel entries.

A picture is linear RGB premultiplied by its coverage, and the coverage.
"""

from whorl.shade import Fixed, Vec3, Vec4, clamp, dot, f32, i32, maximum, mix, shade, sqrt


@shade
def towards(v: Vec3) -> Vec3:
    """The unit vector along `v`; (0, 0, 1) where there is no direction."""
    square = dot(v, v)
    return v / sqrt(square) if square > 1e-20 else Vec3(0.0, 0.0, 1.0)


@shade
def added(below: Vec3, colour: Vec3, tint: Vec3, gain: f32) -> Vec3:
    """One more light on an emission channel: entries add up."""
    return below + colour * tint * gain


@shade
def laid_over(below: Vec3, colour: Vec3, tint: Vec3, gain: f32) -> Vec3:
    """One more coat on a colour channel: each lies over those before it by its gain, 0..1."""
    return mix(below, colour * tint, clamp(gain, 0.0, 1.0))


@shade
def measure_laid_over(below: f32, value: f32, gain: f32, turned: Fixed[i32]) -> f32:
    """One more measure of 0..1 over those before it, by its gain; `turned` makes gloss of roughness."""
    v = clamp(value, 0.0, 1.0)
    if turned == 1:
        v = 1.0 - v
    return mix(below, v, clamp(gain, 0.0, 1.0))


@shade
def normal_laid_over(below: Vec3, normal: Vec3, gain: f32) -> Vec3:
    """One more normal over those before it, by its gain."""
    return towards(mix(below, normal, clamp(gain, 0.0, 1.0)))


@shade
def let_through(below: f32, value: f32, gain: f32) -> f32:
    """One more mask on the opacity channel: entries multiply, each held to 0..1."""
    return below * clamp(value * gain, 0.0, 1.0)


@shade
def multiplied(below: Vec3, colour: Vec3, tint: Vec3, gain: f32) -> Vec3:
    """One more colour that what is below is seen through; none is negative."""
    return below * maximum(colour * tint * gain, 0.0)


@shade
def seen_through(number: Vec3, below: Vec3) -> Vec3:
    """Two colours, one through the other."""
    return number * below


@shade
def self_lit(base: Vec3, emission: Vec3) -> Vec3:
    """The light of a surface that no lamp falls on: its own colour and its glow; none is negative."""
    return maximum(base, 0.0) + maximum(emission, 0.0)


@shade
def solid(light: Vec3, opacity: f32, footprint: f32, cut: f32) -> Vec4:
    """Nothing shows through."""
    return Vec4(light, 1.0)


@shade
def cut_away(light: Vec3, opacity: f32, footprint: f32, cut: f32) -> Vec4:
    """Whole where the opacity is over `cut`, gone under it; the edge is one pixel's footprint wide."""
    a = clamp((opacity - cut) / maximum(footprint, 1e-5) + 0.5, 0.0, 1.0)
    return Vec4(light * a, a)


@shade
def see_through(light: Vec3, opacity: f32, footprint: f32, cut: f32) -> Vec4:
    """Covers by its opacity."""
    a = clamp(opacity, 0.0, 1.0)
    return Vec4(light * a, a)


@shade
def glowing(light: Vec3, opacity: f32, footprint: f32, cut: f32) -> Vec4:
    """Adds light by its opacity and hides nothing."""
    return Vec4(light * clamp(opacity, 0.0, 1.0), 0.0)


@shade
def faded(picture: Vec4, strength: f32) -> Vec4:
    """A side of the surface at a strength, 0..1; what it adds stays within a half float."""
    return clamp(picture * clamp(strength, 0.0, 1.0), 0.0, 60000.0)


@shade
def far_faded(picture: Vec4, strength: f32, side: f32) -> Vec4:
    """The far side of the surface at a strength, 0..1, that differs from place to place; the near one is as it is."""
    return picture if side > 0.0 else faded(picture, strength)


@shade
def one_into_another(first: Vec4, second: Vec4, mask: f32) -> Vec4:
    """The pictures of two materials by the mask between them: each covers that share of the place."""
    return mix(first, second, clamp(mask, 0.0, 1.0))


@shade
def worn_at(at_colour: Vec4) -> f32:
    """1 where a part of a mesh wears the effect, 0 where it is plain."""
    return at_colour.w


@shade
def with_front(light: Vec3, mask: f32, colour: Vec3, gain: f32, width: f32) -> Vec3:
    """Light with the glow of a front: brightest where a mask mixes two surfaces half and half.

    `width` 0..1 is how much of the passage glows.
    """
    off = 2.0 * clamp(mask, 0.0, 1.0) - 1.0
    near = clamp(1.0 - off * off / maximum(width * width, 1e-4), 0.0, 1.0)
    return light + colour * (gain * near * near)
