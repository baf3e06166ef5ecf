"""Patterns of straight lines and repeated shapes, each smoothed over the pixel's own footprint.

`footprint` is how much each coordinate changes from one pixel to the next. An edge is made at
least that wide, so that it neither stair-steps nor crawls; 0 leaves it hard.
"""

from whorl.fields.hash import cell_hash, seed_of, unit_of
from whorl.fields.lattice import cells_of, lattice, wrapped
from whorl.fields.shaping import TAU, saw, threshold
from whorl.shade import (
    Fixed,
    Vec2,
    Vec3,
    absolute,
    atan2,
    clamp,
    cos,
    exp2,
    f32,
    floor,
    fract,
    i32,
    length,
    maximum,
    minimum,
    mix,
    shade,
    sqrt,
)

SINE, TRIANGLE, SAW, SQUARE = 0, 1, 2, 3


@shade
def along(p: Vec3, axis: Fixed[i32]) -> f32:
    """One axis of coordinates."""
    if axis == 0:
        return p.x
    if axis == 1:
        return p.y
    return p.z


@shade
def within(distance: f32, half: f32, softness: f32, footprint: f32) -> f32:
    """1 nearer than `half`, 0 farther, over a softness and at the least a pixel's width.

    What is thinner than a pixel becomes fainter in its stead.
    """
    edge = maximum(maximum(softness, footprint), 1e-6)
    share = clamp(2.0 * half / maximum(footprint, 1e-6), 0.0, 1.0)
    return (1.0 - threshold(distance, 0.0, maximum(half, footprint * 0.5), 0.0, edge)) * share


@shade
def line_set(t: f32, width: f32, softness: f32, footprint: f32) -> f32:
    """Lines at whole numbers of `t`, `width` of the spacing wide. 0..1."""
    # Lines finer than pixels average out to what they cover.
    fine = clamp(footprint - 0.5, 0.0, 0.5) * 2.0
    d = absolute(t - floor(t + 0.5))
    return mix(within(d, width * 0.5, softness, footprint), clamp(width, 0.0, 1.0), fine)


@shade
def bands(
    p: Vec3,
    footprint: Vec3,
    count: Vec3,
    width: Vec3,
    strength: Vec3,
    offset: Vec3,
    softness: f32,
    axis: Fixed[i32],
    lines: Fixed[i32],
) -> f32:
    """Up to three sets of lines across an axis, added up and held within 0..1.

    `count` lines a unit, `width` and `softness` in spacings, `offset` in spacings.
    """
    x = along(p, axis)
    f = along(footprint, axis)
    total = strength.x * line_set(x * count.x - offset.x, width.x, softness, f * absolute(count.x))
    if lines >= 2:
        total += strength.y * line_set(x * count.y - offset.y, width.y, softness, f * absolute(count.y))
    if lines >= 3:
        total += strength.z * line_set(x * count.z - offset.z, width.z, softness, f * absolute(count.z))
    return clamp(total, 0.0, 1.0)


@shade
def waves(p: Vec3, footprint: Vec3, count: f32, phase: f32, shape: Fixed[i32], axis: Fixed[i32]) -> f32:
    """A wave along an axis, 0..1: `count` waves a unit; `phase` 1 is the same again."""
    t = along(p, axis) * count - phase
    w = clamp(along(footprint, axis) * absolute(count), 1e-6, 1.0)
    part = t - floor(t)
    middle = absolute(part - 0.5)
    if shape == TRIANGLE:
        return 1.0 - middle * 2.0
    if shape == SAW:
        return saw(t, w)
    if shape == SQUARE:
        return clamp(0.5 + (0.25 - middle) / w, 0.0, 1.0)
    return 0.5 - 0.5 * cos(TAU * part)


@shade
def checker(p: Vec3, footprint: Vec3, scale: f32, dimensions: Fixed[i32]) -> f32:
    """Squares of 0 and 1 in turn; `scale` pairs of them a unit."""
    q = lattice(p, scale)
    w = footprint * scale
    x = waves(q, w, 1.0, 0.0, SQUARE, 0) * 2.0 - 1.0
    y = waves(q, w, 1.0, 0.0, SQUARE, 1) * 2.0 - 1.0
    if dimensions == 3:
        return 0.5 - 0.5 * x * y * (waves(q, w, 1.0, 0.0, SQUARE, 2) * 2.0 - 1.0)
    return 0.5 - 0.5 * x * y


@shade
def grid(p: Vec3, footprint: Vec3, scale: f32, width: f32, softness: f32) -> f32:
    """Crossing lines, `scale` a unit along both of the first axes; 1 on a line."""
    x = line_set(p.x * scale, width, softness, footprint.x * scale)
    y = line_set(p.y * scale, width, softness, footprint.y * scale)
    return maximum(x, y)


@shade
def dots(
    p: Vec3,
    period: Vec3,
    footprint: Vec3,
    scale: f32,
    radius: f32,
    softness: f32,
    jitter: f32,
    stagger: f32,
    seed: f32,
) -> f32:
    """A round dot in every cell of a square lattice; `radius` in cells, 1 inside.

    `stagger` shifts every other row by so much of a cell; `jitter` moves dots about in their cell.
    """
    q = lattice(p, scale)
    count = cells_of(period, scale)
    row = floor(q.y)
    odd = row - 2.0 * floor(row * 0.5)
    x = q.x - stagger * odd
    column = floor(x)
    h = cell_hash(wrapped(column, count.x), wrapped(row, count.y), 0.0, seed_of(seed))
    # A dot stays in its cell, however far it strays.
    room = maximum(0.5 - radius, 0.0) * jitter
    sx = (unit_of(h) * 2.0 - 1.0) * room
    sy = (fract(unit_of(h) * 4096.0) * 2.0 - 1.0) * room
    away = length(Vec2(x - column - 0.5 - sx, q.y - row - 0.5 - sy))
    wide = maximum(footprint.x, footprint.y) * scale
    return within(away, radius, softness, wide)


@shade
def bricks(
    p: Vec3,
    period: Vec3,
    footprint: Vec3,
    count: Vec2,
    joint: f32,
    softness: f32,
    stagger: f32,
    seed: f32,
    result: Fixed[i32],
) -> f32:
    """Bricks: 1 on a brick and 0 in the joints, or a random 0..1 per brick.

    `count` bricks and rows a unit; `joint` and `softness` in rows; `stagger` in bricks.
    """
    n = maximum(absolute(count), 1e-3)
    y = clamp(p.y * n.y, -65536.0, 65536.0)
    row = floor(y)
    odd = row - 2.0 * floor(row * 0.5)
    x = clamp(p.x * n.x, -65536.0, 65536.0) + stagger * odd
    column = floor(x)
    if result == 1:
        across = cells_of(Vec3(period.x, 0.0, 0.0), n.x).x
        down = cells_of(Vec3(period.y, 0.0, 0.0), n.y).x
        return unit_of(cell_hash(wrapped(column, across), wrapped(row, down), 0.0, seed_of(seed)))
    # Distances to the nearest joint's middle, in rows.
    long = n.y / n.x
    side = (0.5 - absolute(x - column - 0.5)) * long
    end = 0.5 - absolute(y - row - 0.5)
    wide = footprint.y * n.y
    beside = within(side, joint * 0.5, softness, maximum(footprint.x * n.x * long, 1e-6))
    above = within(end, joint * 0.5, softness, maximum(wide, 1e-6))
    return 1.0 - maximum(beside, above)


@shade
def random_cells(p: Vec3, period: Vec3, scale: f32, seed: f32, dimensions: Fixed[i32]) -> f32:
    """White noise: a random 0..1 for every cell of a square lattice."""
    q = floor(lattice(p, scale))
    count = cells_of(period, scale)
    x = wrapped(q.x, count.x)
    y = wrapped(q.y, count.y)
    z = 0.0
    if dimensions == 3:
        z = wrapped(q.z, count.z)
    return unit_of(cell_hash(x, y, z, seed_of(seed)))


@shade
def turned(p: Vec3, centre: Vec2) -> f32:
    """The angle about `centre` as 0..1, 0 to the left, counter-clockwise."""
    x = p.x - centre.x
    y = p.y - centre.y
    angle = atan2(y, x) / TAU + 0.5 if x * x + y * y > 1e-24 else 0.0
    return angle - floor(angle)


@shade
def turn_width(p: Vec3, footprint: Vec3, centre: Vec2) -> f32:
    """How much of a turn one pixel is."""
    x = p.x - centre.x
    y = p.y - centre.y
    r = maximum(sqrt(x * x + y * y), 1e-6)
    return clamp(maximum(footprint.x, footprint.y) / (r * TAU), 0.0, 1.0)


@shade
def angular(p: Vec3, footprint: Vec3, centre: Vec2, turn: f32, count: f32, shape: Fixed[i32]) -> f32:
    """A gradient round a point: 0 to 1 over each of `count` sectors; `turn` 1 is the same again."""
    n = floor(count + 0.5)
    t = turned(p, centre) * n - turn * n
    return waves(Vec3(t, 0.0, 0.0), Vec3(turn_width(p, footprint, centre) * n, 0.0, 0.0), 1.0, 0.0, shape, 0)


@shade
def spiral(p: Vec3, footprint: Vec3, centre: Vec2, arms: f32, winding: f32, turn: f32, shape: Fixed[i32]) -> f32:
    """Arms that wind outwards from a point, 0..1 across each: `winding` turns a unit of radius."""
    n = floor(arms + 0.5)
    x = p.x - centre.x
    y = p.y - centre.y
    r = sqrt(x * x + y * y)
    t = turned(p, centre) * n + r * winding - turn
    w = turn_width(p, footprint, centre) * n + maximum(footprint.x, footprint.y) * absolute(winding)
    return waves(Vec3(t, 0.0, 0.0), Vec3(w, 0.0, 0.0), 1.0, 0.0, shape, 0)


@shade
def box_distance(p: Vec3, centre: Vec3, size: Vec3, corner: f32, fade: f32, shape: Fixed[i32]) -> f32:
    """1 within a box, falling to 0 over a distance of `fade` outside it; corners rounded by `corner`.

    Exact outside: the length of what exceeds the box on each axis.
    """
    half = maximum(absolute(size) * 0.5, 0.0)
    round_by = clamp(corner, 0.0, minimum(half.x, minimum(half.y, half.z)))
    out = absolute(p - centre) - (half - round_by)
    far = length(maximum(out, 0.0)) - round_by
    t = clamp(1.0 - far / maximum(fade, 1e-6), 0.0, 1.0)
    if shape == 1:
        return t * t * (3.0 - 2.0 * t)
    if shape == 2:
        return (exp2(t * 6.0) - 1.0) / 63.0
    return t
