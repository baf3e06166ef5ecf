"""Light that passes through the effect to its neighbours: where on the shape the key light came through.

Exact for the shapes that a ray meets in closed form: the upright plane, the level one, disc and ball. For all others
what the lamp sees of the shape is drawn (Williams, *Casting curved shadows on curved surfaces*, SIGGRAPH 1978): three
squares side by side, from far off and without perspective. The first has places on the shape as it is made and how near
to the lamp they are, 1..2, 0 where it sees nothing; the second UV and the normal on an octahedron; the third places in
its bounds and whether they wear the effect.
"""

from whorl.fields.solids import NEVER
from whorl.fields.surface import towards
from whorl.fields.surroundings import Neighbours, ended
from whorl.shade import (
    Fixed,
    Image,
    Vec2,
    Vec3,
    Vec4,
    absolute,
    atan2,
    clamp,
    cos,
    cross,
    dot,
    extent,
    f32,
    floor,
    i32,
    maximum,
    minimum,
    mix,
    shade,
    sin,
    sqrt,
    texel,
)

PLANE, LEVEL, DISC, BALL = 0, 1, 2, 3
#: Of shapes that no ray meets in closed form here.
NO_CAST = -1
#: How many texels a side the squares have that the lamp sees.
LAMP_SIDE = 512
#: How much more room there is in them than the shape takes as it is made, and as it is displaced.
ROOM, MOVED_ROOM = 1.02, 1.5
#: How many places are looked up for a soft edge, and the angle from each to the next.
TAPS, GOLDEN = 12, 2.399963
#: How soft the edge of what is cast is, in units for each unit of way.
SOFT = 0.05


@shade
def cast_point(
    origin: Vec3,
    direction: Vec3,
    spread: f32,
    near: Neighbours,
    to: Vec3,
    kinds: Fixed[i32],
    size: f32,
    shape: Fixed[i32],
) -> Vec4:
    """Where the shape lies between a lamp and the neighbour that a ray ends at, and by how much, 0..1.

    The place is that on the shape as it is made; it stands there `size` times as large.
    """
    end = ended(origin, direction, spread, near, kinds)
    p = (origin + direction * minimum(end, 500.0)) / size
    there = 1.0 if end < NEVER else 0.0
    if shape == BALL:
        t = -dot(p, to)
        if dot(p, p) < 1.0:
            # Within the ball light has come through it once, on the lamp's side.
            inner = p + to * (t + sqrt(maximum(1.0 - dot(p, p) + t * t, 0.0)))
            return Vec4(inner / maximum(sqrt(dot(inner, inner)), 1e-6), there)
        aside = p + to * t
        off = sqrt(dot(aside, aside))
        back = sqrt(maximum(1.0 - off * off, 0.0))
        share = clamp(0.5 + (1.0 - off) / (SOFT * maximum(t, 0.05)), 0.0, 1.0)
        # The side that the light comes out of.
        on = aside - to * back
        return Vec4(on / maximum(sqrt(dot(on, on)), 1e-6), share * there if t > 0.0 else 0.0)
    height = p.y if shape == LEVEL else p.z
    rise = to.y if shape == LEVEL else to.z
    t2 = -height / (rise if absolute(rise) > 1e-4 else 1e-4)
    at = p + to * t2
    reach = 1.0 - maximum(absolute(at.x), absolute(at.y))
    if shape == LEVEL:
        reach = 2.0 - maximum(absolute(at.x), absolute(at.z))
    if shape == DISC:
        reach = 1.0 - sqrt(at.x * at.x + at.y * at.y)
    edge = clamp(0.5 + reach / (SOFT * maximum(t2, 0.05)), 0.0, 1.0)
    return Vec4(clamp(at, -4.0, 4.0), edge * there if t2 > 0.001 else 0.0)


@shade
def cast_place(point: Vec4, size: f32) -> Vec3:
    """The place on a shape so many times as large."""
    return point.xyz * size


@shade
def cast_uv(point: Vec4, shape: Fixed[i32]) -> Vec3:
    """The UV there."""
    if shape == BALL:
        across = sqrt(point.x * point.x + point.z * point.z)
        u = atan2(point.x, maximum(point.z, 1e-9) if absolute(point.z) < 1e-9 else point.z) / 6.2831853 + 0.5
        return Vec3(u, atan2(point.y, maximum(across, 1e-9)) / 3.1415927 + 0.5, 0.0)
    if shape == LEVEL:
        return Vec3(point.x * 0.25 + 0.5, 0.5 - point.z * 0.25, 0.0)
    return Vec3(point.x * 0.5 + 0.5, point.y * 0.5 + 0.5, 0.0)


@shade
def cast_box(point: Vec4, shape: Fixed[i32]) -> Vec3:
    """The place in the shape's bounds."""
    if shape == BALL:
        return point.xyz * 0.5 + 0.5
    if shape == LEVEL:
        return Vec3(point.x * 0.25 + 0.5, 0.0, point.z * 0.25 + 0.5)
    return Vec3(point.x * 0.5 + 0.5, point.y * 0.5 + 0.5, 0.0)


@shade
def cast_normal(point: Vec4, shape: Fixed[i32]) -> Vec3:
    """The normal there."""
    if shape == BALL:
        return point.xyz
    if shape == LEVEL:
        return Vec3(0.0, 1.0, 0.0)
    return Vec3(0.0, 0.0, 1.0)


@shade
def aside(to: Vec3) -> Vec3:
    """A unit vector across the way to a lamp."""
    other = Vec3(0.0, 1.0, 0.0) if absolute(to.y) < 0.9 else Vec3(1.0, 0.0, 0.0)
    return towards(cross(other, to))


@shade
def nearness(place: Vec3, to: Vec3, reach: f32) -> f32:
    """How near a place is to a lamp that way, 1..2 over a shape that reaches so far."""
    return 1.5 + 0.5 * clamp(dot(place, to) / reach, -1.0, 1.0)


@shade
def octahedral(normal: Vec3) -> Vec2:
    """A unit vector folded onto a square, -1..1 (Meyer et al., *On floating-point normal vectors*, 2010)."""
    total = absolute(normal.x) + absolute(normal.y) + absolute(normal.z)
    x = normal.x / total
    y = normal.y / total
    if normal.z >= 0.0:
        return Vec2(x, y)
    return Vec2(
        (1.0 - absolute(y)) * (1.0 if x >= 0.0 else -1.0),
        (1.0 - absolute(x)) * (1.0 if y >= 0.0 else -1.0),
    )


@shade
def lit_place(origin: Vec3, direction: Vec3, spread: f32, near: Neighbours, kinds: Fixed[i32]) -> Vec4:
    """Where on a neighbour a ray ends, and 1 if it does."""
    end = ended(origin, direction, spread, near, kinds)
    return Vec4(origin + direction * minimum(end, 500.0), 1.0 if end < NEVER else 0.0)


@shade
def clamped_to(x: i32, side: i32) -> i32:
    """One of so many texels."""
    return minimum(maximum(x, 0), side - 1)


@shade
def there_at(image: Image, x: i32, y: i32) -> f32:
    """How near to the lamp it is at a texel, 0 where it sees nothing."""
    side = i32(extent(image).y)
    if x < 0 or y < 0 or x >= side or y >= side:
        return 0.0
    return texel(image, x, y).w


@shade
def lamp_spot(image: Image, place: Vec4, to: Vec3, reach: f32) -> Vec4:
    """Where in a square of what the lamp sees light comes through on its way to a place, in texels; by how much of it
    the shape lies there, 0..1."""
    size = extent(image)
    across = aside(to)
    at = Vec2(dot(place.xyz, across), dot(place.xyz, cross(to, across))) / reach * 0.5 + 0.5
    x = at.x * size.y
    y = at.y * size.y
    # A lamp is further than all neighbours, so nearness goes on beyond the shape.
    here = 1.5 + 0.5 * dot(place.xyz, to) / reach
    wide = maximum(SOFT * maximum((1.5 - here) * 2.0 * reach, 0.05) * size.y * 0.25 / reach, 0.7)
    found = 0.0
    best = Vec2(x, y)
    for k in range(TAPS):
        angle = GOLDEN * f32(k)
        off = wide * sqrt(f32(k) / 12.0)
        tap = Vec2(x + cos(angle) * off, y + sin(angle) * off)
        there = there_at(image, i32(floor(tap.x)), i32(floor(tap.y)))
        before = 1.0 if there > maximum(here + 0.008, 0.5) else 0.0
        best = tap if found == 0.0 and before > 0.0 else best
        found = found + before
    return Vec4(best.x, best.y, found / 12.0 * place.w, 0.0)


@shade
def lamp_held(image: Image, spot: Vec4, square: Fixed[i32]) -> Vec4:
    """What a square holds at a spot, between those of its texels at which the lamp sees something."""
    side = i32(extent(image).y)
    x = i32(floor(spot.x - 0.5))
    y = i32(floor(spot.y - 0.5))
    part = Vec2(spot.x - 0.5 - floor(spot.x - 0.5), spot.y - 0.5 - floor(spot.y - 0.5))
    near = texel(image, clamped_to(i32(floor(spot.x)), side) + side * square, clamped_to(i32(floor(spot.y)), side))
    total = near * 1e-4
    weight = 1e-4
    for k in range(4):
        right = k % 2
        up = k // 2
        share = (part.x if right == 1 else 1.0 - part.x) * (part.y if up == 1 else 1.0 - part.y)
        share = share if there_at(image, x + right, y + up) > 0.0 else 0.0
        value = texel(image, clamped_to(x + right, side) + side * square, clamped_to(y + up, side))
        # Across a seam of UV nothing lies between.
        if square == 1:
            share = share if absolute(value.x - near.x) + absolute(value.y - near.y) < 0.2 else 0.0
        total = total + value * share
        weight = weight + share
    return total / weight


@shade
def held_place(held: Vec4, size: f32) -> Vec3:
    """The place that a square holds, on a shape so many times as large."""
    return held.xyz * size


@shade
def held_uv(held: Vec4) -> Vec3:
    """The UV that a square holds."""
    return Vec3(held.x, held.y, 0.0)


@shade
def held_normal(held: Vec4) -> Vec3:
    """The normal that a square holds on an octahedron."""
    z = 1.0 - absolute(held.z) - absolute(held.w)
    fold = maximum(-z, 0.0)
    return towards(
        Vec3(held.z - fold * (1.0 if held.z >= 0.0 else -1.0), held.w - fold * (1.0 if held.w >= 0.0 else -1.0), z)
    )


@shade
def held_share(spot: Vec4, bounds: Vec4) -> Vec4:
    """By how much the shape lies between, and of it what wears the effect: what does not lets nothing by."""
    return Vec4(bounds.w, 0.0, 0.0, spot.z)


@shade
def cast_worn(share: Vec4, passed: Vec3) -> Vec3:
    """What reaches a place of the key light, by what passed where it came through the shape."""
    return mix(Vec3(1.0, 1.0, 1.0), passed * clamp(share.x, 0.0, 1.0), share.w)


SOLID, CUT_AWAY, SEE_THROUGH, GLOWING = 0, 1, 2, 3


@shade
def let_by(opacity: f32, cut: f32, tint: Vec3, cast: Vec3, composite: Fixed[i32]) -> Vec3:
    """What the surface lets by of light that goes through it."""
    left = 0.0
    if composite == CUT_AWAY:
        left = 1.0 - clamp((opacity - cut) * 40.0 + 0.5, 0.0, 1.0)
    if composite == SEE_THROUGH:
        left = 1.0 - clamp(opacity, 0.0, 1.0)
    if composite == GLOWING:
        left = 1.0
    return maximum(cast, 0.0) * tint * left


@shade
def cast_by(point: Vec4, passed: Vec3) -> Vec3:
    """What reaches a place of the key light, by what passed where it came through the shape."""
    return mix(Vec3(1.0, 1.0, 1.0), passed, point.w)
