"""Light that passes through the effect to its neighbours: where on the shape the key light came through.

Exact for the shapes that a ray meets in closed form: the upright plane, the level one, disc and ball.
"""

from whorl.fields.solids import NEVER
from whorl.fields.surroundings import Neighbours, ended
from whorl.shade import (
    Fixed,
    Vec3,
    Vec4,
    absolute,
    atan2,
    clamp,
    dot,
    f32,
    i32,
    maximum,
    minimum,
    mix,
    shade,
    sqrt,
)

PLANE, LEVEL, DISC, BALL = 0, 1, 2, 3
#: Of shapes that no ray meets in closed form here.
NO_CAST = -1
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
