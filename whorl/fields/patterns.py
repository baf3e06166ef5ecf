"""Patterns with a closed form: hexagons and gradients."""

from whorl.fields.colour import luminance
from whorl.fields.hash import cell_hash, seed_of, unit_of
from whorl.fields.lattice import cells_of, lattice, wrapped
from whorl.shade import (
    Fixed,
    Vec2,
    Vec3,
    Vec4,
    absolute,
    clamp,
    dot,
    exp2,
    f32,
    floor,
    i32,
    length,
    maximum,
    shade,
)

DISTANCE, RANDOM, MIDDLE = 0, 1, 2
LINEAR, SMOOTH, EXPONENTIAL = 0, 1, 2
ROOT3 = 1.7320508075688772


@shade
def hexagon_rows(period: Vec3, scale: f32) -> f32:
    """How many double rows of hexagons fit the second axis: whole; 0 without a period."""
    return cells_of(Vec3(period.y / ROOT3, 0.0, 0.0), scale).x


@shade
def hexagon_stretch(period: Vec3, scale: f32) -> f32:
    """How much rows are stretched on a second axis that repeats, so that a whole number of them fits."""
    rows = hexagon_rows(period, scale)
    return rows * ROOT3 / maximum(period.y * scale, 1e-6) if rows > 0.0 else 1.0


@shade
def hexagon_middle(q: Vec2) -> Vec2:
    """The middle of the cell a point lies in: one unit a column, ROOT3 units a pair of rows."""
    # Two offset lattices of cell middles; the nearer middle is the cell's.
    a = Vec2(floor(q.x) + 0.5, (floor(q.y / ROOT3) + 0.5) * ROOT3)
    b = Vec2(floor(q.x + 0.5), floor(q.y / ROOT3 + 0.5) * ROOT3)
    return a if dot(q - a, q - a) < dot(q - b, q - b) else b


@shade
def hexagons(p: Vec3, period: Vec3, scale: f32, seed: f32, result: Fixed[i32]) -> f32:
    """A honeycomb in the first two axes, `scale` hexagons a unit.

    The distance is 0 on a border and 1 in a cell's middle; random is 0..1 per cell. On a second
    axis that repeats, rows are stretched a little so that a whole number of them fits.
    """
    cell = lattice(p, scale)
    q = Vec2(cell.x, cell.y * hexagon_stretch(period, scale))
    middle = hexagon_middle(q)
    if result == RANDOM:
        # Twice the coordinates of a middle are whole numbers.
        column = wrapped(floor(middle.x * 2.0 + 0.5), cells_of(period, scale).x * 2.0)
        row = wrapped(floor(middle.y / ROOT3 * 2.0 + 0.5), hexagon_rows(period, scale) * 2.0)
        return unit_of(cell_hash(column, row, 0.0, seed_of(seed)))
    side = absolute(q - middle)
    out = maximum(side.x, side.x * 0.5 + side.y * (ROOT3 * 0.5)) * 2.0
    return clamp(1.0 - out, 0.0, 1.0)


@shade
def hexagon_centre(p: Vec3, period: Vec3, scale: f32) -> Vec3:
    """For every point of a hexagon the coordinates of its middle, so that what follows is one per cell."""
    cell = lattice(p, scale)
    stretch = hexagon_stretch(period, scale)
    middle = hexagon_middle(Vec2(cell.x, cell.y * stretch))
    return Vec3(middle.x / scale, middle.y / (scale * stretch), p.z)


@shade
def falloff(t: f32, shape: Fixed[i32]) -> f32:
    """0..1 as 0..1: straight, smooth at both ends, or exponential."""
    x = clamp(t, 0.0, 1.0)
    if shape == SMOOTH:
        return x * x * (3.0 - 2.0 * x)
    if shape == EXPONENTIAL:
        return (exp2(x * 6.0) - 1.0) / 63.0
    return x


@shade
def linear(p: Vec3, direction: Vec3, start: f32, span: f32, shape: Fixed[i32]) -> f32:
    """0 at `start` along `direction`, 1 a `span` further on, clamped."""
    way = direction / maximum(length(direction), 1e-6)
    width = maximum(absolute(span), 1e-6)
    return falloff((dot(p, way) - start) / width, shape)


@shade
def radial(p: Vec3, centre: Vec3, radius: f32, shape: Fixed[i32]) -> f32:
    """1 at `centre`, 0 from `radius` outwards."""
    return falloff(1.0 - length(p - centre) / maximum(radius, 1e-6), shape)


@shade
def constant_value(value: f32) -> f32:
    """The same value everywhere."""
    return value


@shade
def constant_colour(colour: Vec3, gain: f32) -> Vec3:
    """The same colour everywhere, `gain` times."""
    return colour * gain


@shade
def image_value(texel: Vec4, take: Fixed[i32]) -> f32:
    """One channel of a picture, 1 to 4 for red to alpha, or 5 for its luminance."""
    if take == 1:
        return texel.x
    if take == 2:
        return texel.y
    if take == 3:
        return texel.z
    if take == 4:
        return texel.w
    return luminance(texel.xyz)


@shade
def image_colour(texel: Vec4) -> Vec3:
    """The colours of a picture, linear."""
    return texel.xyz
