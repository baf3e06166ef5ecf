"""Solids with a place and turn of their own: how far off they are, what of a ray they catch, which way they face.

All in a solid's own coordinates, where it stands upright about the middle. `size` holds half its extents and in `w`
which of three it is: one about an axis with round ends (a ball where that has no length), a box, a cylinder. Distances
are exact; how much of a cone is caught follows from the distance where the ray is deepest within, or passes nearest.
"""

from whorl.shade import (
    Fixed,
    Vec2,
    Vec3,
    Vec4,
    absolute,
    clamp,
    cos,
    cross,
    dot,
    f32,
    i32,
    length,
    maximum,
    minimum,
    shade,
    sin,
    sqrt,
)

ROUND, BOX, CYLINDER = 0, 1, 2
#: Half of how thick a sheet is.
SHEET = 0.002
#: A distance that nothing reaches.
NEVER = 10000.0


@shade
def turn_of(yaw: f32, pitch: f32, spin: f32) -> Vec4:
    """A unit quaternion that leads from upright to an axis by two angles, after `spin` about it; all in degrees."""
    # Halves of angles in radians. About y, x and y: those about y come together as a sum and as a difference.
    y = yaw * 0.0087266463
    x = (90.0 - pitch) * 0.0087266463
    s = spin * 0.0087266463
    return Vec4(sin(x) * cos(y - s), cos(x) * sin(y + s), -sin(x) * sin(y - s), cos(x) * cos(y + s))


@shade
def size_of(size: Vec3, form: Fixed[i32]) -> Vec4:
    """Half the extents of a plane, ball, box, capsule or cylinder (0 to 4) so wide, high and deep."""
    s = maximum(size * 0.5, 0.0005)
    if form == 0:
        return Vec4(s.x, SHEET, s.z, 1.0)
    if form == 1:
        return Vec4(s.x, s.x, s.x, 0.0)
    if form == 2:
        return Vec4(s, 1.0)
    if form == 3:
        return Vec4(s.x, maximum(s.y, s.x), s.x, 0.0)
    return Vec4(s.x, s.y, s.x, 2.0)


@shade
def turned_back(v: Vec3, turn: Vec4) -> Vec3:
    """A direction of the stage in a solid's own coordinates."""
    by = -turn.xyz
    return v + cross(by, cross(by, v) + v * turn.w) * 2.0


@shade
def turned_out(v: Vec3, turn: Vec4) -> Vec3:
    """A direction of a solid's own coordinates on the stage."""
    return v + cross(turn.xyz, cross(turn.xyz, v) + v * turn.w) * 2.0


@shade
def from_solid(p: Vec3, size: Vec4) -> f32:
    """The distance to a solid; negative inside."""
    on = clamp(p.y, size.x - size.y, size.y - size.x) if size.y > size.x else 0.0
    round = length(Vec3(p.x, p.y - on, p.z)) - size.x
    off = Vec3(absolute(p.x), absolute(p.y), absolute(p.z)) - size.xyz
    box = length(maximum(off, 0.0)) + minimum(maximum(off.x, maximum(off.y, off.z)), 0.0)
    side = sqrt(p.x * p.x + p.z * p.z) - size.x
    cylinder = length(Vec2(maximum(side, 0.0), maximum(off.y, 0.0))) + minimum(maximum(side, off.y), 0.0)
    return round if size.w < 0.5 else box if size.w < 1.5 else cylinder


@shade
def _kept(x: f32) -> f32:
    return x if absolute(x) > 1e-6 else 1e-6


@shade
def to_solid(origin: Vec3, direction: Vec3, size: Vec4, start: f32, spread: f32) -> Vec2:
    """How far a ray goes to a solid, and what share of the cone about it is caught, 0..1."""
    # Where it enters and leaves each pair of parallel faces: as they are, and as much farther out as the cone is wide.
    cone = start + spread * length(origin)
    by = Vec3(1.0 / _kept(direction.x), 1.0 / _kept(direction.y), 1.0 / _kept(direction.z))
    middle = -origin * by
    steep = Vec3(absolute(by.x), absolute(by.y), absolute(by.z))
    first = middle - steep * size.xyz
    last = middle + steep * size.xyz
    wider = steep * (size.xyz + cone)
    near = maximum(first.x, maximum(first.y, first.z))
    far = minimum(last.x, minimum(last.y, last.z))
    deepest = 0.5 * (
        maximum(middle.x - wider.x, maximum(middle.y - wider.y, middle.z - wider.z))
        + minimum(middle.x + wider.x, minimum(middle.y + wider.y, middle.z + wider.z))
    )
    # The endless cylinder about the axis; where the ray misses it, it passes it at `passing`.
    a = maximum(direction.x * direction.x + direction.z * direction.z, 1e-7)
    b = origin.x * direction.x + origin.z * direction.z
    out = origin.x * origin.x + origin.z * origin.z
    passing = -b / a
    wide = sqrt(maximum(b * b - a * (out - size.x * size.x), 0.0)) / a
    in_side = passing - wide
    if size.w > 1.5:
        about = sqrt(maximum(b * b - a * (out - (size.x + cone) * (size.x + cone)), 0.0)) / a
        near = maximum(in_side, first.y)
        far = minimum(passing + wide, last.y)
        deepest = 0.5 * (maximum(passing - about, middle.y - wider.y) + minimum(passing + about, middle.y + wider.y))
    if size.w < 0.5:
        # Its side where the ray enters there, else the ball at an end that it passes nearest.
        long = maximum(size.y - size.x, 0.0)
        high = origin.y + in_side * direction.y
        at = clamp(origin.y + passing * direction.y, -long, long)
        to = Vec3(origin.x, origin.y - clamp(high, -long, long), origin.z)
        t = -dot(to, direction)
        apart = to + direction * t
        through = sqrt(maximum(size.x * size.x - dot(apart, apart), 0.0))
        straight = a > 1e-5 and absolute(high) <= long and wide > 0.0
        near = in_side if straight else t - through
        deepest = -dot(Vec3(origin.x, origin.y - at, origin.z), direction)
        far = deepest + absolute(deepest - near)
    # A sheet is caught whole, however thin it is.
    thick = Vec4(size.x, 1.0, size.z, size.w) if size.y < SHEET * 1.5 and size.w > 0.5 and size.w < 1.5 else size
    off = from_solid(origin + direction * deepest, thick)
    caught = clamp(0.5 - 0.5 * off / maximum(start + spread * maximum(deepest, 0.0), 1e-6), 0.0, 1.0)
    met = near if near < far else deepest
    inside = from_solid(origin, size) < 0.0
    return Vec2(NEVER, 0.0) if deepest <= 0.0 or inside else Vec2(maximum(met, 1e-4), caught)


@shade
def outward(p: Vec3, size: Vec4) -> Vec3:
    """Which way a solid's surface faces at the nearest place, a unit direction."""
    on = clamp(p.y, size.x - size.y, size.y - size.x) if size.y > size.x else 0.0
    q = Vec3(p.x, p.y - on, p.z)
    off = Vec3(absolute(p.x), absolute(p.y), absolute(p.z)) - size.xyz
    sign = Vec3(1.0 if p.x > 0.0 else -1.0, 1.0 if p.y > 0.0 else -1.0, 1.0 if p.z > 0.0 else -1.0)
    level = Vec3(p.x, 0.0, p.z)
    end = Vec3(0.0, sign.y, 0.0)
    if size.w > 1.5:
        return end if off.y > length(level) - size.x else level / maximum(length(level), 1e-6)
    if size.w > 0.5:
        sided = off.x > off.y and off.x > off.z
        return Vec3(sign.x, 0.0, 0.0) if sided else end if off.y > off.z else Vec3(0.0, 0.0, sign.z)
    return q / maximum(length(q), 1e-6)
