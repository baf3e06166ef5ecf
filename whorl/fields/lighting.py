"""Light on a surface: facets and matte colour under far lamps and a sky in closed form.

Facets are those of Walter et al., *Microfacet Models for Refraction through Rough Surfaces*, 2007
(GGX), shadowed and masked together as in Heitz, *Understanding the Masking-Shadowing Function in
Microfacet-Based BRDFs*, 2014. What a single bounce loses is given back by the share E that it
keeps, as in Kulla and Conty, *Revisiting Physically Based Shading at Imageworks*, 2017, in the
scaled form of Turquin, *Practical multiple scattering compensation for microfacet models*, 2019.
A lamp of strength 1 makes white matte that faces it 1.
"""

from whorl.fields.surface import towards
from whorl.shade import Vec2, Vec3, Vec4, clamp, cos, dot, f32, maximum, mix, shade, sin, sqrt


@shade
def lamp_direction(yaw: f32, pitch: f32) -> Vec3:
    """Towards a lamp, in degrees: yaw 0 is the viewer's side and grows to the right, pitch upwards."""
    y = yaw * 0.017453292
    p = pitch * 0.017453292
    return Vec3(sin(y) * cos(p), sin(p), cos(y) * cos(p))


@shade
def _quartic(x: f32, low: Vec4, highest: f32) -> f32:
    return low.x + x * (low.y + x * (low.z + x * (low.w + x * highest)))


@shade
def kept(cosine: f32, roughness: f32) -> Vec2:
    """What facets send back of a light that is the same all round, for a view `cosine` off the normal.

    First with nothing lost in the facets (E, 0.3..1); then what Schlick's (1 − v·h)⁵ leaves of it.
    Both are least-squares fits to the integrals, off by 0.03 and 0.013 at most, roughness 0.05..1.
    """
    s = sqrt(clamp(cosine, 0.0, 1.0))
    r = clamp(roughness, 0.05, 1.0)
    e0 = _quartic(r, Vec4(0.8213, 0.2484, 3.3134, -7.5914), 4.3074)
    e1 = _quartic(r, Vec4(1.896, -16.2295, 25.7832, -7.0347), -5.5984)
    e2 = _quartic(r, Vec4(-4.1639, 44.6157, -105.003, 84.4416), -19.5766)
    e3 = _quartic(r, Vec4(2.5146, -29.7779, 81.1586, -79.2009), 25.3924)
    b0 = _quartic(r, Vec4(0.9917, -0.9189, 3.2536, -6.8866), 4.2193)
    b1 = _quartic(r, Vec4(0.5894, 0.3837, -27.5483, 67.3264), -42.0209)
    b2 = _quartic(r, Vec4(-4.5383, 30.6131, -21.3589, -76.3345), 74.4559)
    b3 = _quartic(r, Vec4(6.4123, -75.7741, 177.0669, -110.6552), -0.0685)
    b4 = _quartic(r, Vec4(-3.5825, 47.6983, -137.5587, 134.5723), -40.2273)
    e = clamp(e0 + s * (e1 + s * (e2 + s * e3)), 0.05, 1.0)
    b = clamp(_quartic(s, Vec4(b0, b1, b2, b3), b4), 0.0, 1.0)
    return Vec2(e, b * b * b * b * b)


@shade
def fresnel_exact(cosine: f32, index: f32) -> f32:
    """What an interface to a body of that index, 1 or more, reflects of unpolarised light (Fresnel's formulas)."""
    c = clamp(cosine, 0.0, 1.0)
    g = sqrt(maximum(index * index - 1.0 + c * c, 1e-8))
    a = (g - c) / (g + c)
    b = (c * (g + c) - 1.0) / (c * (g - c) + 1.0)
    return clamp(0.5 * a * a * (1.0 + b * b), 0.0, 1.0)


@shade
def facets(nv: f32, nl: f32, nh: f32, roughness: f32) -> f32:
    """π D V: facets that face halfway, by what shadows and masks them; times n·l it is what a lamp gives."""
    a = clamp(roughness, 0.05, 1.0) * clamp(roughness, 0.05, 1.0)
    a2 = a * a
    d = nh * nh * (a2 - 1.0) + 1.0
    seen = nl * sqrt(nv * nv * (1.0 - a2) + a2) + nv * sqrt(nl * nl * (1.0 - a2) + a2)
    return a2 / (d * d) * 0.5 / maximum(seen, 1e-6)


@shade
def straight_on(base: Vec3, metallic: f32, index: f32) -> Vec3:
    """What is reflected straight back: a metal's own colour, or what the index gives."""
    bare = fresnel_exact(1.0, index)
    return mix(Vec3(bare, bare, bare), base, metallic)


@shade
def regained(straight: Vec3, share: Vec2) -> Vec3:
    """How much more facets send back when light that they lose is sent on until it leaves."""
    return 1.0 + straight * (1.0 / share.x - 1.0)


@shade
def glazed(cosine: f32, roughness: f32, index: f32, share: Vec2) -> f32:
    """What a body of that index sends back from its facets of a light that is the same all round.

    Fresnel's formulas rise otherwise than Schlick's power, which matters while facets face alike.
    """
    bare = fresnel_exact(1.0, index)
    m = 1.0 - clamp(cosine, 0.0, 1.0)
    rise = (fresnel_exact(cosine, index) - bare + 1e-4) / ((1.0 - bare) * (m * m * m * m * m) + 1e-4)
    once = bare * (share.x - share.y) + share.y * mix(rise, 1.0, roughness)
    return clamp(once * (1.0 + bare * (1.0 / share.x - 1.0)), 0.0, 1.0)


@shade
def lamp(
    base: Vec3, roughness: f32, metallic: f32, index: f32, normal: Vec3, view: Vec3, to: Vec3, light: Vec3
) -> Vec3:
    """What one lamp, far away towards `to`, adds; a body below its facets is matte, metal has none."""
    nl = clamp(dot(normal, to), 0.0, 1.0)
    nv = clamp(dot(normal, view), 0.001, 1.0)
    half = towards(view + to)
    nh = clamp(dot(normal, half), 0.0, 1.0)
    vh = clamp(dot(view, half), 0.0, 1.0)
    share = kept(nv, roughness)
    m = 1.0 - vh
    bare = fresnel_exact(vh, index)
    schlick = base + (1.0 - base) * (m * m * m * m * m)
    f = mix(Vec3(bare, bare, bare), schlick, metallic) * regained(straight_on(base, metallic, index), share)
    matte = base * ((1.0 - metallic) * (1.0 - glazed(nv, roughness, index, share)))
    return (matte + f * facets(nv, nl, nh, roughness)) * light * nl


@shade
def sky(direction: Vec3, spread: f32, zenith: Vec3, horizon: Vec3, ground: Vec3) -> Vec3:
    """The sky's light from around a direction: 0 is as it is, 1 the mean that falls on matte.

    For a sky of one colour over ground of another the mean is exact: half of each, and more of the
    sky by half the direction's height.
    """
    width = 0.02 + 0.98 * spread
    above = clamp(0.5 + 0.5 * direction.y / width, 0.0, 1.0)
    high = mix(sqrt(clamp(direction.y, 0.0, 1.0)), 0.5 + 0.25 * direction.y, spread)
    return mix(ground, mix(horizon, zenith, clamp(high, 0.0, 1.0)), above)


@shade
def under_sky(
    base: Vec3,
    roughness: f32,
    metallic: f32,
    occlusion: f32,
    index: f32,
    normal: Vec3,
    view: Vec3,
    zenith: Vec3,
    horizon: Vec3,
    ground: Vec3,
) -> Vec3:
    """What the sky adds: mirrored by facets and scattered by the body; `occlusion` 0 keeps it all off."""
    nv = clamp(dot(normal, view), 0.001, 1.0)
    share = kept(nv, roughness)
    glaze = glazed(nv, roughness, index, share)
    metal = (base * (share.x - share.y) + share.y) * regained(base, share)
    mirrored = towards(normal * (2.0 * dot(normal, view)) - view)
    around = sky(mirrored, roughness * roughness, zenith, horizon, ground)
    fallen = sky(normal, 1.0, zenith, horizon, ground)
    matte = base * ((1.0 - metallic) * (1.0 - glaze))
    return (around * mix(Vec3(glaze, glaze, glaze), metal, metallic) + fallen * matte) * occlusion


@shade
def blurred_roughness(roughness: f32, footprint: Vec3) -> f32:
    """Roughness with what the normal does within a pixel, so that a highlight smaller than that does not flash.

    After Tokuyoshi and Kaplanyan, *Improved Geometric Specular Antialiasing*, 2019: the variance of
    the normal over the pixel is added to the facets', up to 0.18.
    """
    r = clamp(roughness, 0.05, 1.0)
    a = r * r
    return sqrt(sqrt(clamp(a * a + clamp(0.35 * dot(footprint, footprint), 0.0, 0.18), 0.0, 1.0)))


@shade
def lit(
    base: Vec3,
    emission: Vec3,
    roughness: f32,
    metallic: f32,
    occlusion: f32,
    index: f32,
    normal: Vec3,
    footprint: Vec3,
    at_normal: Vec3,
    at_view: Vec3,
    key_to: Vec3,
    key: Vec3,
    fill_to: Vec3,
    fill: Vec3,
    rim_to: Vec3,
    rim: Vec3,
    zenith: Vec3,
    horizon: Vec3,
    ground: Vec3,
) -> Vec3:
    """A surface's light under three lamps and a sky, and its own glow. Its far side is lit from within."""
    n = normal * (-1.0 if dot(at_normal, at_view) < 0.0 else 1.0)
    colour = clamp(base, 0.0, 1.0)
    r = blurred_roughness(roughness, footprint)
    m = clamp(metallic, 0.0, 1.0)
    ior = clamp(index, 1.0, 4.0)
    total = under_sky(colour, r, m, clamp(occlusion, 0.0, 1.0), ior, n, at_view, zenith, horizon, ground)
    total += lamp(colour, r, m, ior, n, at_view, key_to, key)
    total += lamp(colour, r, m, ior, n, at_view, fill_to, fill)
    total += lamp(colour, r, m, ior, n, at_view, rim_to, rim)
    return maximum(total, 0.0) + maximum(emission, 0.0)


@shade
def shone(colour: Vec3, strength: f32) -> Vec3:
    """The light of a lamp."""
    return maximum(colour, 0.0) * maximum(strength, 0.0)
