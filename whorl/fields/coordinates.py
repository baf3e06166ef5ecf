"""Coordinates and the changes to them, each beside the rule for its period.

A period is the length after which coordinates repeat on each axis, in their own units; 0 means
they do not. The rule runs wherever the coordinates do: on a GPU from uniforms, on the CPU as
plain Python, and in the analysis that says whether a loop closes.
"""

from whorl.fields.hash import seed_of
from whorl.fields.lattice import cells_of, lattice
from whorl.fields.noise import layered
from whorl.shade import (
    Fixed,
    Vec2,
    Vec3,
    absolute,
    atan2,
    clamp,
    cos,
    dot,
    f32,
    floor,
    i32,
    maximum,
    shade,
    sin,
    sqrt,
)

TAU = 6.283185307179586
DEGREE = 0.017453292519943295


@shade
def uv(at_uv: Vec3) -> Vec3:
    """The surface's own coordinates, 0..1, with a third axis of 0."""
    return at_uv


@shade
def uv_period() -> Vec3:
    """A tile of the surface repeats at its edge: 1 on both axes."""
    return Vec3(1.0, 1.0, 0.0)


@shade
def second_uv(at_second_uv: Vec3) -> Vec3:
    """The second set of UV that a mesh brings, with a third axis of 0; else the surface's own."""
    return at_second_uv


@shade
def object_space(at_object: Vec3) -> Vec3:
    """The position in the shape's own space, in units of the stage."""
    return at_object


@shade
def box_space(at_box: Vec3) -> Vec3:
    """The position across the shape's bounds, 0..1 per axis."""
    return at_box


@shade
def no_period() -> Vec3:
    """Coordinates that never repeat."""
    return Vec3(0.0)


@shade
def kept_period(period: Vec3) -> Vec3:
    """A change that moves coordinates about without changing where they repeat."""
    return period


@shade
def tile(below: Vec3, count: Vec3) -> Vec3:
    """`count` repeats of a unit, per axis."""
    return below * count


@shade
def tile_period(period: Vec3, count: Vec3) -> Vec3:
    """A repeat at 1 becomes a repeat at the count, if that is whole; else there is none."""
    return absolute(period * count)


@shade
def shifted(below: Vec3, by: Vec3, driver: f32) -> Vec3:
    """Moves the pattern by so many units, so many times."""
    return below - by * driver


@shade
def scroll_period(period: Vec3, span: f32) -> Vec3:
    """The coordinates' own period, and `span` on an axis without one."""
    own = maximum(span, 1e-3)
    return Vec3(
        period.x if period.x > 0.0 else own,
        period.y if period.y > 0.0 else own,
        period.z if period.z > 0.0 else own,
    )


@shade
def scroll(below: Vec3, period: Vec3, offset: Vec3, span: f32, driver: f32) -> Vec3:
    """Moves the pattern by so many of its own repeats, `driver` times; `span` is the repeat where there is none."""
    return below - offset * driver * scroll_period(period, span)


@shade
def rotate(below: Vec3, angle: f32, centre: Vec3, axis: Fixed[i32]) -> Vec3:
    """Turns the pattern by `angle` degrees about an axis through `centre`; counter-clockwise."""
    c = cos(angle * DEGREE)
    s = sin(angle * DEGREE)
    q = below - centre
    if axis == 0:
        return Vec3(q.x, c * q.y + s * q.z, c * q.z - s * q.y) + centre
    if axis == 1:
        return Vec3(c * q.x - s * q.z, q.y, c * q.z + s * q.x) + centre
    return Vec3(c * q.x + s * q.y, c * q.y - s * q.x, q.z) + centre


@shade
def rotate_period(period: Vec3, angle: f32, axis: Fixed[i32]) -> Vec3:
    """Half turns keep a period; on a square tile quarter turns do; any other angle ends it."""
    quarters = floor(angle / 90.0 + 0.5)
    whole = absolute(angle - quarters * 90.0) < 1e-4
    odd = absolute(quarters - 2.0 * floor(quarters / 2.0) - 1.0) < 0.5
    if axis == 0:
        keep0 = whole and (absolute(period.y - period.z) < 1e-6 or not odd)
        return Vec3(period.x, period.y if keep0 else 0.0, period.z if keep0 else 0.0)
    if axis == 1:
        keep1 = whole and (absolute(period.x - period.z) < 1e-6 or not odd)
        return Vec3(period.x if keep1 else 0.0, period.y, period.z if keep1 else 0.0)
    keep2 = whole and (absolute(period.x - period.y) < 1e-6 or not odd)
    return Vec3(period.x if keep2 else 0.0, period.y if keep2 else 0.0, period.z)


@shade
def polar(below: Vec3, centre: Vec2) -> Vec3:
    """Angle as 0..1 (0 to the left, counter-clockwise) and distance from `centre`."""
    x = below.x - centre.x
    y = below.y - centre.y
    r = sqrt(x * x + y * y)
    # At the very centre there is no angle; any will do, and 0 is one.
    angle = atan2(y, x) / TAU + 0.5 if r > 1e-12 else 0.0
    return Vec3(angle - floor(angle), r, below.z)


@shade
def polar_period(period: Vec3) -> Vec3:
    """The angle comes round at 1; the radius does not."""
    return Vec3(1.0, 0.0, period.z)


@shade
def warp(
    below: Vec3,
    period: Vec3,
    amount: f32,
    scale: f32,
    churn: f32,
    steps: f32,
    seed: f32,
    octaves: Fixed[i32],
    dimensions: Fixed[i32],
    churns: Fixed[i32],
) -> Vec3:
    """Pushes coordinates about by noise: `amount` in units, `scale` in cells a unit."""
    q = lattice(below, scale)
    cells = cells_of(period, scale)
    first = seed_of(seed)
    whole = maximum(floor(steps + 0.5), 1.0)
    turn = churn - floor(churn)
    x = layered(q, cells, 0.5, turn, whole, first, octaves, 2, dimensions, churns, 0)
    y = layered(q, cells, 0.5, turn, whole, first + 101, octaves, 2, dimensions, churns, 0)
    z = 0.5
    if dimensions == 3:
        z = layered(q, cells, 0.5, turn, whole, first + 211, octaves, 2, dimensions, churns, 0)
    return below + (Vec3(x, y, z) - 0.5) * (2.0 * amount)


@shade
def world_space(at_world: Vec3) -> Vec3:
    """The position on the stage, in its units."""
    return at_world


@shade
def normal_space(at_normal: Vec3) -> Vec3:
    """The surface normal, −1..1 per axis."""
    return at_normal


@shade
def screen_space(at_screen: Vec3) -> Vec3:
    """The position on the picture: its shorter side runs 0..1, v upwards; third axis 0."""
    return at_screen


@shade
def reflected(at_normal: Vec3, at_view: Vec3) -> Vec3:
    """The view direction reflected by the surface, a unit vector away from it."""
    return at_normal * (2.0 * dot(at_normal, at_view)) - at_view


@shade
def along_path(at_uv: Vec3) -> Vec3:
    """Along (0..1), around (0..1) and radius, for shapes made along a path: v, u and 1 on the surface."""
    return Vec3(at_uv.y, at_uv.x, 1.0)


@shade
def path_period() -> Vec3:
    """Going around comes back at 1; going along does not."""
    return Vec3(0.0, 1.0, 0.0)


@shade
def held_size(size: Vec3) -> Vec3:
    """A size kept away from 0, its sign kept."""
    least = maximum(absolute(size), 1e-4)
    return Vec3(
        -least.x if size.x < 0.0 else least.x,
        -least.y if size.y < 0.0 else least.y,
        -least.z if size.z < 0.0 else least.z,
    )


@shade
def scaled(below: Vec3, size: Vec3, centre: Vec3) -> Vec3:
    """The pattern `size` times as large about `centre`, per axis."""
    return (below - centre) / held_size(size) + centre


@shade
def scaled_period(period: Vec3, size: Vec3) -> Vec3:
    """A repeat shrinks as the pattern grows."""
    return period / maximum(absolute(size), 1e-4)


@shade
def from_nearest(d: f32, period: f32) -> f32:
    """A distance from a point as that from the nearest of its repeats; a period of 0 has none."""
    return d - period * floor(d / maximum(period, 1e-6) + 0.5) if period > 0.0 else d


@shade
def twirl(below: Vec3, period: Vec3, centre: Vec2, radius: f32, turn: f32) -> Vec3:
    """Turns by `turn` whole turns at `centre`, less and less towards `radius`, not at all beyond.

    Coordinates that repeat have a whirl in every repeat.
    """
    x = from_nearest(below.x - centre.x, period.x)
    y = from_nearest(below.y - centre.y, period.y)
    rest = clamp(1.0 - sqrt(x * x + y * y) / maximum(radius, 1e-6), 0.0, 1.0)
    angle = turn * rest * rest * TAU
    c = cos(angle)
    s = sin(angle)
    return Vec3(below.x - x + c * x + s * y, below.y - y + c * y - s * x, below.z)


@shade
def twirl_period(period: Vec3, radius: f32) -> Vec3:
    """Kept where whirls do not run into each other; else ended."""
    wide = 2.0 * radius - 1e-6
    keep = (period.x <= 0.0 or period.x >= wide) and (period.y <= 0.0 or period.y >= wide)
    return Vec3(period.x if keep else 0.0, period.y if keep else 0.0, period.z)


@shade
def mirror(below: Vec3, centre: Vec3, axis: Fixed[i32]) -> Vec3:
    """What lies before `centre` becomes the mirror of what lies after it."""
    q = absolute(below - centre) + centre
    if axis == 0:
        return Vec3(q.x, below.y, below.z)
    if axis == 1:
        return Vec3(below.x, q.y, below.z)
    if axis == 2:
        return Vec3(below.x, below.y, q.z)
    return Vec3(q.x, q.y, below.z)


@shade
def mirror_period(period: Vec3, axis: Fixed[i32]) -> Vec3:
    """What is mirrored runs one way from its middle and does not repeat."""
    if axis == 0:
        return Vec3(0.0, period.y, period.z)
    if axis == 1:
        return Vec3(period.x, 0.0, period.z)
    if axis == 2:
        return Vec3(period.x, period.y, 0.0)
    return Vec3(0.0, 0.0, period.z)


@shade
def snap(below: Vec3, count: Vec3) -> Vec3:
    """Every point of a grid cell gets its middle; `count` cells a unit, 0 leaves an axis alone."""
    n = absolute(count)
    q = (floor(below * n) + 0.5) / maximum(n, 1e-4)
    return Vec3(
        q.x if n.x > 1e-4 else below.x,
        q.y if n.y > 1e-4 else below.y,
        q.z if n.z > 1e-4 else below.z,
    )


@shade
def fitting(period: f32, count: f32) -> f32:
    """A period that holds a whole number of `count` cells a unit; 0 where it does not."""
    cells = period * count
    return period if absolute(cells - floor(cells + 0.5)) < 1e-3 else 0.0


@shade
def snap_period(period: Vec3, count: Vec3) -> Vec3:
    """Kept where a whole number of cells fits it."""
    return Vec3(fitting(period.x, count.x), fitting(period.y, count.y), fitting(period.z, count.z))


@shade
def push(below: Vec3, by: Vec3, amount: Vec3, middle: f32) -> Vec3:
    """Moves the pattern by a strand: by its value along `amount`, or axis by axis; `middle` stays put."""
    return below - (by - middle) * amount


@shade
def wobble(below: Vec3, amount: Vec2, count: Vec2, phase: f32) -> Vec3:
    """Each of the first two axes moves by a sine along the other: `count` waves a unit."""
    x = amount.x * sin(TAU * (below.y * count.x + phase))
    y = amount.y * sin(TAU * (below.x * count.y + phase))
    return Vec3(below.x + x, below.y + y, below.z)


@shade
def wobble_period(period: Vec3, amount: Vec2, count: Vec2) -> Vec3:
    """An axis keeps its repeat if a whole number of the waves that run along it fits."""
    x = period.x if amount.y == 0.0 else fitting(period.x, count.y)
    y = period.y if amount.x == 0.0 else fitting(period.y, count.x)
    return Vec3(x, y, period.z)


@shade
def coords_of(below: Vec3, second: f32, third: f32, scale: f32) -> Vec3:
    """A colour's red, green and blue as coordinates, moved by what stands beside it on the last two axes; a value
    stands on all three.

    >>> tuple(coords_of(Vec3(0.5, 0.25, 0.0), 1.0, 0.0, 2.0))
    (1.0, 2.5, 0.0)
    """
    return (below + Vec3(0.0, second, third)) * scale
