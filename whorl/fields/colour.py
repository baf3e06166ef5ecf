"""Colour: linear light with Rec. 709 primaries, and how signals are shown."""

from whorl.shade import Vec3, clamp, dot, f32, floor, maximum, power, shade


@shade
def luminance(c: Vec3) -> f32:
    """Relative luminance, by the weights of Rec. ITU-R BT.709."""
    return dot(c, Vec3(0.2126, 0.7152, 0.0722))


@shade
def grey(v: f32) -> Vec3:
    """A value as a colour."""
    return Vec3(v)


@shade
def tint(below: Vec3, colour: Vec3, gain: f32) -> Vec3:
    """A colour laid over the signal by multiplication, `gain` times."""
    return below * colour * gain


@shade
def srgb_of(x: f32) -> f32:
    """Linear light 0..1 as sRGB 0..1 (IEC 61966-2-1)."""
    c = clamp(x, 0.0, 1.0)
    return c * 12.92 if c <= 0.0031308 else 1.055 * power(c, 1.0 / 2.4) - 0.055


@shade
def srgb(c: Vec3) -> Vec3:
    """A linear colour as sRGB."""
    return Vec3(srgb_of(c.x), srgb_of(c.y), srgb_of(c.z))


@shade
def show_value(v: f32) -> Vec3:
    """A value as the screen shows it: 0 black, 0.5 middle grey, 1 white."""
    return Vec3(clamp(v, 0.0, 1.0))


@shade
def show_colour(c: Vec3) -> Vec3:
    """A colour as the screen shows it, encoded and cut off at white."""
    return srgb(maximum(c, Vec3(0.0)))


@shade
def show_coords(p: Vec3) -> Vec3:
    """Coordinates as the screen shows them: how far into its unit each axis is."""
    return Vec3(p.x - floor(p.x), p.y - floor(p.y), p.z - floor(p.z))


@shade
def bounded_value(v: f32) -> f32:
    """A value held within what a half float holds."""
    return clamp(v, -65504.0, 65504.0)


@shade
def bounded(c: Vec3) -> Vec3:
    """Three components held within what a half float holds."""
    return clamp(c, -65504.0, 65504.0)
