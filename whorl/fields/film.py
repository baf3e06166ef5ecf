"""Colours of thin films, from two interfaces that light goes back and forth between.

The reflectance of a film is a series in the cosines of its phase (Airy); each term is summed
over the visible spectrum in closed form, with the eye's sensitivities as damped waves of the
optical path (Belcour and Barla, *A Practical Extension to Microfacet Theory for the Modeling of
Varying Iridescence*, 2017).
"""

from whorl.shade import Vec2, Vec3, clamp, cos, dot, exp2, f32, maximum, minimum, mix, shade, sqrt


@shade
def amplitudes(cosine: f32, outside: f32, inside: f32) -> Vec2:
    """What an interface reflects of the field's two polarisations, across and within the plane (Fresnel).

    `cosine` is of the angle outside. 1 and −1 where light is thrown back altogether.
    """
    c = clamp(cosine, 0.0, 1.0)
    ratio = outside / inside
    t = sqrt(maximum(1.0 - ratio * ratio * (1.0 - c * c), 0.0))
    across = (outside * c - inside * t) / maximum(outside * c + inside * t, 1e-6)
    within = (inside * c - outside * t) / maximum(inside * c + outside * t, 1e-6)
    return Vec2(across, within)


@shade
def _wave(phase: f32, share: Vec3, place: Vec3, spread: Vec3) -> Vec3:
    at = place * phase
    fade = spread * (-1.442695 * phase * phase)
    waves = Vec3(cos(at.x), cos(at.y), cos(at.z))
    return share * waves * Vec3(exp2(fade.x), exp2(fade.y), exp2(fade.z))


@shade
def sensed(path: f32) -> Vec3:
    """The mean over the spectrum of the cosine of an optical path's phase, as linear RGB sees it.

    `path` in nanometres; (1, 1, 1) at 0. Three damped waves a primary, fitted to the sensitivities
    of the sRGB primaries (CIE 1931, D65); off by 0.06 at most in red, 0.02 in green and blue.
    """
    p = minimum(path, 40000.0) * 0.0062831853
    one = _wave(p, Vec3(0.0719, -0.0904, -0.1273), Vec3(2.2851, 2.2586, 1.8012), Vec3(0.00191, 0.0031, 0.00488))
    two = _wave(p, Vec3(-0.588, 1.2712, 0.0149), Vec3(1.9238, 1.8396, 2.3282), Vec3(0.00476, 0.00656, 0.00078))
    six = _wave(p, Vec3(1.5161, -0.1808, 1.1124), Vec3(1.6552, 1.6367, 2.205), Vec3(0.00299, 0.00243, 0.0053))
    return one + two + six


@shade
def _polarised(first: f32, second: Vec3, s1: Vec3, s2: Vec3, s3: Vec3, s4: Vec3) -> Vec3:
    """One polarisation's share, from the amplitudes of both interfaces, the second by colour.

    R = 1 − (1 − r₁²)(1 − r₂²) / (1 + a² + 2a cos δ), a = r₁r₂, and the fraction as a series in cos mδ.
    """
    a = second * first
    k = (1.0 - second * second) * (1.0 - first * first) / maximum(1.0 - a * a, 0.0001)
    series = 1.0 - 2.0 * a * (s1 - a * (s2 - a * (s3 - a * s4)))
    return clamp(1.0 - k * series, 0.0, 1.0)


@shade
def filmed(cosine: f32, thickness: f32, film_index: f32, base: Vec3, metallic: f32, index: f32) -> Vec3:
    """What a film on a surface reflects, 0..1 by colour, seen at `cosine` off the normal.

    `thickness` in nanometres, 0..3000. Below it is matter of `index` (1 or more) or, as `metallic` goes to 1, a metal
    that reflects `base` straight back.
    """
    c = clamp(cosine, 0.0, 1.0)
    n = clamp(film_index, 1.0, 4.0)
    inside = sqrt(maximum(1.0 - (1.0 - c * c) / (n * n), 0.0))
    path = 2.0 * n * maximum(thickness, 0.0) * inside
    top = amplitudes(c, 1.0, n)
    under = amplitudes(inside, n, clamp(index, 1.0, 4.0))
    m = 1.0 - inside
    schlick = base + (1.0 - base) * (m * m * m * m * m)
    bright = clamp(schlick, 0.0, 0.998)
    metal = Vec3(sqrt(bright.x), sqrt(bright.y), sqrt(bright.z)) * (-1.0)
    share = clamp(metallic, 0.0, 1.0)
    s1 = sensed(path)
    s2 = sensed(path * 2.0)
    s3 = sensed(path * 3.0)
    s4 = sensed(path * 4.0)
    across = _polarised(top.x, mix(Vec3(under.x, under.x, under.x), metal, share), s1, s2, s3, s4)
    within = _polarised(top.y, mix(Vec3(under.y, under.y, under.y), metal * (-1.0), share), s1, s2, s3, s4)
    return (across + within) * 0.5


@shade
def coated(
    normal: Vec3,
    view: Vec3,
    thickness: f32,
    film_index: f32,
    base: Vec3,
    metallic: f32,
    index: f32,
    roughness: f32,
) -> Vec3:
    """What a surface with a film mirrors; rough ones show the colours of the angles about the view's."""
    c = clamp(dot(normal, view), 0.001, 1.0)
    r = clamp(roughness, 0.0, 1.0)
    return filmed(mix(c, 0.7, 0.5 * r * r), thickness, film_index, clamp(base, 0.0, 1.0), metallic, index)
