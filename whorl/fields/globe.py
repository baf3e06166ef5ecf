"""A ball laid out in hexagons of nearly one size, and the twelve pentagons that there always are.

Source: the icosahedral grids of Goldberg, *A Class of Multi-symmetric Polyhedra*, 1937, with places on a face told by
their angles from its sides, which makes cells more alike than the flat face would.
"""

from whorl.fields.hash import pcg, seed_of, unit_of
from whorl.fields.surface import towards
from whorl.shade import (
    Fixed,
    Vec3,
    Vec4,
    absolute,
    atan2,
    clamp,
    cross,
    dot,
    f32,
    floor,
    i32,
    maximum,
    minimum,
    shade,
    sin,
    sqrt,
    u32,
)

#: The golden ratio, one over it, and the angle between neighbouring corners of an icosahedron.
PHI, LESS, EDGE = 1.618033988749895, 0.6180339887498949, 1.1071487177940904
RANDOM = 1


@shade
def from_side(d: Vec3, first: Vec3, second: Vec3, third: Vec3) -> f32:
    """The angle of a direction from the side of a face that lies over against its first corner."""
    n = cross(second, third)
    n = n * (1.0 if dot(n, first) > 0.0 else -1.0)
    s = clamp(dot(d, n) / sqrt(dot(n, n)), -1.0, 1.0)
    return atan2(s, sqrt(maximum(1.0 - s * s, 0.0)))


@shade
def globe(p: Vec3, count: f32) -> Vec4:
    """The middle of the cell that a direction lies in, and how far within it that is: 0 on a border, 1 in the middle.

    `count` cells lie along each edge of the icosahedron; together there are 10 · count² + 2.
    """
    d = towards(p)
    turned = Vec3(-1.0 if d.x < 0.0 else 1.0, -1.0 if d.y < 0.0 else 1.0, -1.0 if d.z < 0.0 else 1.0)
    a = absolute(d)
    # The face that a direction meets, of the four that reach into the octant where all is positive.
    x = Vec3(PHI, 0.0, 1.0)
    y = Vec3(1.0, PHI, 0.0)
    z = Vec3(0.0, 1.0, PHI)
    best = a.x + a.y + a.z
    over_x = a.x * PHI + a.y * LESS
    over_y = a.y * PHI + a.z * LESS
    over_z = a.z * PHI + a.x * LESS
    first = x
    second = y
    third = z
    if over_z > best:
        best = over_z
        second = Vec3(0.0, -1.0, PHI)
    if over_x > best:
        best = over_x
        second = y
        third = Vec3(PHI, 0.0, -1.0)
    if over_y > best:
        first = Vec3(-1.0, PHI, 0.0)
        second = y
        third = z
    u = from_side(a, first, second, third)
    v = from_side(a, second, third, first)
    w = from_side(a, third, first, second)
    n = maximum(floor(count + 0.5), 1.0)
    place = maximum(Vec3(u, v, w), 0.0) * (n / maximum(maximum(u, 0.0) + maximum(v, 0.0) + maximum(w, 0.0), 1e-6))
    low = floor(place)
    part = place - low
    # Small triangles stand on their side, or on their point, where the parts come to two.
    up = part.x + part.y + part.z < 1.5
    near = part if up else 1.0 - part
    most = maximum(near.x, maximum(near.y, near.z))
    least = minimum(near.x, minimum(near.y, near.z))
    other = near.x + near.y + near.z - most - least
    one = Vec3(1.0, 0.0, 0.0) if near.x >= most else (Vec3(0.0, 1.0, 0.0) if near.y >= most else Vec3(0.0, 0.0, 1.0))
    corner = low + (one if up else 1.0 - one)
    t = corner * (EDGE / n)
    middle = towards(first * sin(t.x) + second * sin(t.y) + third * sin(t.z)) * turned
    return Vec4(middle, clamp(most - other, 0.0, 1.0))


@shade
def stepped(x: f32, steps: f32) -> u32:
    """A number counted in steps, of which there are enough to tell cells apart."""
    return u32(i32(floor(x * steps + 0.37)))


@shade
def hexagon_ball(p: Vec3, count: f32, seed: f32, result: Fixed[i32]) -> f32:
    """Hexagons over a ball: 0 on a border and 1 in a cell's middle, or 0..1 at random for each cell."""
    cell = globe(p, count)
    if result == RANDOM:
        steps = maximum(floor(count + 0.5), 1.0) * 4.0
        h = pcg(stepped(cell.x, steps) + pcg(stepped(cell.y, steps) + pcg(stepped(cell.z, steps) + seed_of(seed))))
        return unit_of(h)
    return cell.w


@shade
def hexagon_ball_centre(p: Vec3, count: f32) -> Vec3:
    """For every point of a cell the direction of its middle, so that what follows is one per cell."""
    return globe(p, count).xyz
