"""Light on a surface: facets and matte colour under far lamps and a sky in closed form.

Facets are those of Walter et al., *Microfacet Models for Refraction through Rough Surfaces*, 2007
(GGX), shadowed and masked together as in Heitz, *Understanding the Masking-Shadowing Function in
Microfacet-Based BRDFs*, 2014. What a single bounce loses is given back by the share E that it
keeps, as in Kulla and Conty, *Revisiting Physically Based Shading at Imageworks*, 2017, in the
scaled form of Turquin, *Practical multiple scattering compensation for microfacet models*, 2019.
A lamp of strength 1 makes white matte that faces it 1.
"""

from whorl.fields.surface import towards
from whorl.shade import Fixed, Vec2, Vec3, Vec4, clamp, cos, dot, f32, i32, maximum, mix, record, shade, sin, sqrt


@record
class Lights:
    """Where each lamp stands and its light, and the three colours of the sky."""

    key_to: Vec3
    key: Vec3
    fill_to: Vec3
    fill: Vec3
    rim_to: Vec3
    rim: Vec3
    zenith: Vec3
    horizon: Vec3
    ground: Vec3


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
def mirror_of(base: Vec3, roughness: f32, metallic: f32, index: f32, normal: Vec3, view: Vec3) -> Vec3:
    """What facets send back of a light that is the same all round, by colour."""
    nv = clamp(dot(normal, view), 0.001, 1.0)
    colour = clamp(base, 0.0, 1.0)
    share = kept(nv, roughness)
    glaze = glazed(nv, roughness, clamp(index, 1.0, 4.0), share)
    metal = (colour * (share.x - share.y) + share.y) * regained(colour, share)
    return mix(Vec3(glaze, glaze, glaze), metal, clamp(metallic, 0.0, 1.0))


@shade
def matte_of(base: Vec3, metallic: f32, mirrored: Vec3) -> Vec3:
    """What the body below the facets scatters: its colour, of the light they let in; metal has none."""
    let_in = 1.0 - clamp((mirrored.x + mirrored.y + mirrored.z) / 3.0, 0.0, 1.0)
    return base * ((1.0 - metallic) * let_in)


@shade
def lamp(
    base: Vec3,
    roughness: f32,
    metallic: f32,
    index: f32,
    normal: Vec3,
    view: Vec3,
    body: Vec3,
    more: Vec3,
    coat: Vec3,
    to: Vec3,
    light: Vec3,
    coated: Fixed[i32],
) -> Vec3:
    """What one lamp, far away towards `to`, adds: what the body scatters and what the facets mirror.

    `more` is what they send back beyond a single bounce. `coated` 1: what they mirror is `coat`.
    """
    nl = clamp(dot(normal, to), 0.0, 1.0)
    nv = clamp(dot(normal, view), 0.001, 1.0)
    half = towards(view + to)
    nh = clamp(dot(normal, half), 0.0, 1.0)
    vh = clamp(dot(view, half), 0.0, 1.0)
    m = 1.0 - vh
    bare = fresnel_exact(vh, index)
    schlick = base + (1.0 - base) * (m * m * m * m * m)
    f = coat
    if coated == 0:
        f = mix(Vec3(bare, bare, bare), schlick, metallic) * more
    return (body + f * facets(nv, nl, nh, roughness)) * light * nl


@shade
def sky(direction: Vec3, spread: f32, lights: Lights) -> Vec3:
    """The sky's light from around a direction: 0 is as it is, 1 the mean that falls on matte.

    For a sky of one colour over ground of another the mean is exact: half of each, and more of the
    sky by half the direction's height.
    """
    width = 0.02 + 0.98 * spread
    above = clamp(0.5 + 0.5 * direction.y / width, 0.0, 1.0)
    high = mix(sqrt(clamp(direction.y, 0.0, 1.0)), 0.5 + 0.25 * direction.y, spread)
    return mix(lights.ground, mix(lights.horizon, lights.zenith, clamp(high, 0.0, 1.0)), above)


@shade
def mirrored_sky(direction: Vec3, roughness: f32, lights: Lights) -> Vec3:
    """The sky as facets of a roughness mirror it from around a direction."""
    return sky(direction, roughness * roughness, lights)


@shade
def fallen_sky(normal: Vec3, lights: Lights) -> Vec3:
    """The mean of the sky's light that falls on a surface."""
    return sky(normal, 1.0, lights)


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
    open: f32,
    index: f32,
    normal: Vec3,
    view: Vec3,
    mirrored: Vec3,
    around: Vec3,
    fallen: Vec3,
    lights: Lights,
    coated: Fixed[i32],
) -> Vec3:
    """A surface's light under three lamps and what is all round, and its own glow; `normal` faces the viewer.

    `mirrored` is what its facets send back of `around`, the light that comes from where they mirror; `fallen` is the
    mean from all round that falls on it;
    `open` is how much of the light from all round reaches it. `coated` 1: they mirror lamps so too.
    """
    colour = clamp(base, 0.0, 1.0)
    r = clamp(roughness, 0.05, 1.0)
    m = clamp(metallic, 0.0, 1.0)
    ior = clamp(index, 1.0, 4.0)
    body = matte_of(colour, m, mirrored)
    more = regained(straight_on(colour, m, ior), kept(clamp(dot(normal, view), 0.001, 1.0), r))
    total = (around * mirrored + fallen * body) * clamp(open, 0.0, 1.0)
    total += lamp(colour, r, m, ior, normal, view, body, more, mirrored, lights.key_to, lights.key, coated)
    total += lamp(colour, r, m, ior, normal, view, body, more, mirrored, lights.fill_to, lights.fill, coated)
    total += lamp(colour, r, m, ior, normal, view, body, more, mirrored, lights.rim_to, lights.rim, coated)
    return maximum(total, 0.0) + maximum(emission, 0.0)


@shade
def shone(colour: Vec3, strength: f32) -> Vec3:
    """The light of a lamp."""
    return maximum(colour, 0.0) * maximum(strength, 0.0)


ALL, KEY, FILL, RIM, SKY = 0, 1, 2, 3, 4


@shade
def _fallen(normal: Vec3, to: Vec3, light: Vec3, wrapped: Fixed[i32]) -> Vec3:
    facing = dot(normal, to)
    if wrapped == 1:
        facing = 0.5 + 0.5 * facing
    return light * maximum(facing, 0.0)


@shade
def light_on(normal: Vec3, at_lights: Lights, of: Fixed[i32], wrapped: Fixed[i32]) -> f32:
    """How much light falls on a surface, as brightness; a lamp of strength 1 that it faces gives 1."""
    total = Vec3(0.0, 0.0, 0.0)
    if of == ALL or of == SKY:
        total += sky(normal, 1.0, at_lights)
    if of == ALL or of == KEY:
        total += _fallen(normal, at_lights.key_to, at_lights.key, wrapped)
    if of == ALL or of == FILL:
        total += _fallen(normal, at_lights.fill_to, at_lights.fill, wrapped)
    if of == ALL or of == RIM:
        total += _fallen(normal, at_lights.rim_to, at_lights.rim, wrapped)
    return dot(total, Vec3(0.2126, 0.7152, 0.0722))
