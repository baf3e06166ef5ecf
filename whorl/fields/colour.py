"""Colour: linear light with Rec. 709 primaries, and how signals are shown."""

from whorl.shade import Fixed, Vec3, clamp, dot, f32, floor, i32, maximum, minimum, power, shade


@shade
def luminance(below: Vec3) -> f32:
    """Relative luminance, by the weights of Rec. ITU-R BT.709."""
    return dot(below, Vec3(0.2126, 0.7152, 0.0722))


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


@shade
def channel(below: Vec3, which: Fixed[i32]) -> f32:
    """One of red, green and blue."""
    if which == 0:
        return below.x
    if which == 1:
        return below.y
    return below.z


@shade
def combined(below: f32, green: f32, blue: f32) -> Vec3:
    """Three values as a colour; the first is red."""
    return Vec3(below, green, blue)


@shade
def wheel(c: Vec3) -> Vec3:
    """Hue 0..1, saturation 0..1 and value (Smith, *Color Gamut Transform Pairs*, 1978)."""
    most = maximum(c.x, maximum(c.y, c.z))
    span = most - minimum(c.x, minimum(c.y, c.z))
    wide = maximum(span, 1e-9)
    red = (c.y - c.z) / wide
    green = (c.z - c.x) / wide + 2.0
    blue = (c.x - c.y) / wide + 4.0
    sixths = red if c.x >= most else (green if c.y >= most else blue)
    hue = sixths / 6.0
    return Vec3(hue - floor(hue), span / maximum(most, 1e-9), most)


@shade
def spoke(n: f32, hue: f32, saturation: f32, value: f32) -> f32:
    """One channel of a hue: `n` is 5 for red, 3 for green, 1 for blue."""
    k = n + hue * 6.0
    k = k - 6.0 * floor(k / 6.0)
    return value - value * saturation * clamp(minimum(k, 4.0 - k), 0.0, 1.0)


@shade
def hue(below: Vec3, turn: f32, saturation: f32, brightness: f32) -> Vec3:
    """Turns hue by `turn` of the colour wheel and multiplies saturation and brightness."""
    w = wheel(maximum(below, 0.0))
    h = w.x + turn
    s = clamp(w.y * saturation, 0.0, 1.0)
    v = w.z * brightness
    return Vec3(spoke(5.0, h, s, v), spoke(3.0, h, s, v), spoke(1.0, h, s, v))


@shade
def brightened(below: Vec3, brightness: f32, contrast: f32) -> Vec3:
    """`brightness` added, and `contrast` times as far from middle grey (0.18); never under 0."""
    return maximum((below - 0.18) * contrast + (0.18 + brightness), 0.0)


@shade
def black_body(kelvin: f32) -> Vec3:
    """The colour of a glowing body, linear sRGB, its brightest channel 1.

    Chromaticity of the Planckian locus in CIE 1960 by Krystek, *Color Research and Application*
    10, 1985, for 1,000 to 15,000 kelvin; what lies outside sRGB is cut off at 0.
    """
    t = clamp(kelvin, 1000.0, 15000.0)
    u = (0.860117757 + t * (1.54118254e-4 + t * 1.28641212e-7)) / (1.0 + t * (8.42420235e-4 + t * 7.08145163e-7))
    v = (0.317398726 + t * (4.22806245e-5 + t * 4.20481691e-8)) / (1.0 + t * (1.61456053e-7 * t - 2.89741816e-5))
    # CIE 1960 u, v to x, y, and on to X, Z for a luminance of 1.
    x = 3.0 * u / (2.0 * u - 8.0 * v + 4.0)
    y = 2.0 * v / (2.0 * u - 8.0 * v + 4.0)
    big_x = x / y
    big_z = (1.0 - x - y) / y
    red = 3.2404542 * big_x - 1.5371385 - 0.4985314 * big_z
    green = 1.8760108 - 0.9692660 * big_x + 0.0415560 * big_z
    blue = 0.0556434 * big_x - 0.2040259 + 1.0572252 * big_z
    rgb = maximum(Vec3(red, green, blue), 0.0)
    return rgb / maximum(rgb.x, maximum(rgb.y, rgb.z))


@shade
def temperature(below: Vec3, kelvin: f32, gain: f32) -> Vec3:
    """The signal in the colour of a glowing body, `gain` times."""
    return below * black_body(kelvin) * gain


@shade
def direction_as_colour(below: Vec3) -> Vec3:
    """A direction as a colour: −1..1 on each axis becomes 0..1."""
    return below * 0.5 + 0.5


@shade
def show_direction(d: Vec3) -> Vec3:
    """A direction as the screen shows it: each axis from −1 (dark) to 1 (bright)."""
    return clamp(d * 0.5 + 0.5, 0.0, 1.0)
