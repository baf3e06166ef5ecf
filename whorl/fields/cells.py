"""Cells: distances to scattered points, one point to each lattice cell.

Source: Worley, *A Cellular Texture Basis Function*, SIGGRAPH 1996; the distance to the border
by Quilez's second pass over the neighbours of the nearest cell (*Voronoi edges*, 2012).
"""

from whorl.fields.hash import cell_hash, pcg, seed_of, three_units, unit_of
from whorl.fields.lattice import cells_of, lattice, wrapped
from whorl.shade import (
    Fixed,
    Vec2,
    Vec3,
    absolute,
    clamp,
    dot,
    exp2,
    f32,
    floor,
    fract,
    i32,
    length,
    log2,
    maximum,
    minimum,
    mix,
    shade,
    sqrt,
    u32,
)

NEAREST, SECOND, BETWEEN, BORDER, RANDOM, SMOOTH = 0, 1, 2, 3, 4, 5
ROUND, DIAMOND, SQUARE = 0, 1, 2


@shade
def plane_of(z: f32, count: f32, seed: u32) -> u32:
    """The hash of all cells in one plane of the lattice."""
    return pcg(u32(i32(wrapped(z, count))) + seed)


@shade
def row_of(y: f32, count: f32, plane: u32) -> u32:
    """The hash of all cells in one row of a plane; with the cell's x it is `cell_hash`."""
    return pcg(u32(i32(wrapped(y, count))) + plane)


@shade
def way_to(
    x: f32, f: Vec3, offset: Vec3, count: f32, row: u32, jitter: f32, churn: f32, dimensions: Fixed[i32]
) -> Vec3:
    """The way from a place to the point of a cell in a row; in the plane it has no height.

    Points lie in their cells by `jitter`, from the middle to anywhere. As `churn` goes 0..1 each goes there and back
    once on each axis, from where it was.
    """
    h = pcg(u32(i32(wrapped(x + offset.x, count))) + row)
    t = fract(three_units(h) + churn)
    there = absolute(t * 2.0 - 1.0)
    eased = there * there * (3.0 - 2.0 * there)
    to = offset + mix(Vec3(0.5), eased, jitter) - f
    return Vec3(to.x, to.y, to.z if dimensions == 3 else 0.0)


@shade
def from_middle(i: i32) -> f32:
    """0, -1, 1, -2, 2 …: which cell comes next, from the middle on."""
    return f32((i + 1) // 2 * (1 - i % 2 * 2))


@shade
def short_of(f: f32, cell: f32, jitter: f32) -> f32:
    """How far, at least, it is from `f` to the point of a cell on one axis.

    Whole rows of cells that cannot have a nearer point are passed over by it. A little is taken off, for rounding.
    """
    return maximum(absolute(cell + 0.5 - f) - 0.5 * jitter - 1e-4, 0.0)


@shade
def border(
    base: Vec3,
    f: Vec3,
    chosen: Vec3,
    to_near: Vec3,
    count: Vec3,
    seed: u32,
    jitter: f32,
    churn: f32,
    dimensions: Fixed[i32],
) -> f32:
    """The distance, in cells, to the plane halfway between the two nearest points."""
    least = 8.0
    near = length(to_near)
    for k in range(5 if dimensions == 3 else 1):
        z = chosen.z + from_middle(k)
        off_z = short_of(f.z, z, jitter) if dimensions == 3 else 0.0
        # A point that is d away has its border at (d - near) / 2 or farther.
        if off_z < near + 2.0 * least:
            plane = plane_of(base.z + z, count.z, seed)
            for j in range(5):
                y = chosen.y + from_middle(j)
                off = Vec2(short_of(f.y, y, jitter), off_z)
                if length(off) < near + 2.0 * least:
                    row = row_of(base.y + y, count.y, plane)
                    for i in range(5):
                        x = chosen.x + from_middle(i)
                        if length(Vec3(short_of(f.x, x, jitter), off.x, off.y)) < near + 2.0 * least:
                            to = way_to(base.x, f, Vec3(x, y, z), count.x, row, jitter, churn, dimensions)
                            apart = to - to_near
                            gap = dot(apart, apart)
                            halfway = dot((to + to_near) * 0.5, apart) / sqrt(maximum(gap, 1e-8))
                            least = minimum(least, 8.0 if gap < 1e-6 else halfway)
    return clamp(least, 0.0, 1.0)


@shade
def squared(to: Vec3, metric: Fixed[i32]) -> f32:
    """The square of a distance: round (Euclid), diamond (axes added up) or square (the longest axis)."""
    a = absolute(to)
    if metric == DIAMOND:
        sum_of = a.x + a.y + a.z
        return sum_of * sum_of
    if metric == SQUARE:
        most = maximum(a.x, maximum(a.y, a.z))
        return most * most
    return dot(to, to)


@shade
def two_nearest(
    base: Vec3,
    f: Vec3,
    count: Vec3,
    seed: u32,
    jitter: f32,
    churn: f32,
    dimensions: Fixed[i32],
    metric: Fixed[i32],
) -> Vec2:
    """The distances to the nearest point and to the nearest but one, in cells; the second is known up to 2."""
    near = 64.0
    second = 64.0
    for k in range(5 if dimensions == 3 else 1):
        z = from_middle(k)
        off_z = short_of(f.z, z, jitter) if dimensions == 3 else 0.0
        if squared(Vec3(0.0, 0.0, off_z), metric) < second:
            plane = plane_of(base.z + z, count.z, seed)
            for j in range(5):
                y = from_middle(j)
                if squared(Vec3(0.0, short_of(f.y, y, jitter), off_z), metric) < second:
                    row = row_of(base.y + y, count.y, plane)
                    for i in range(5):
                        offset = Vec3(from_middle(i), y, z)
                        d = squared(way_to(base.x, f, offset, count.x, row, jitter, churn, dimensions), metric)
                        second = minimum(second, maximum(d, near))
                        near = minimum(near, d)
    return Vec2(sqrt(near), minimum(sqrt(second), 2.0))


@shade
def power_mean(
    base: Vec3,
    f: Vec3,
    chosen: Vec3,
    near: f32,
    count: Vec3,
    seed: u32,
    jitter: f32,
    churn: f32,
    smoothness: f32,
    dimensions: Fixed[i32],
    metric: Fixed[i32],
) -> f32:
    """The power mean of the distances to all points about, by the square of the nearest; see `cells`.

    A point counts less from half of where not all of them are met any more, and for nothing there.
    """
    # Under 1/100 it looks like the nearest itself.
    sharp = 1.0 / clamp(smoothness, 0.01, 10.0)
    far = 1.0 if dimensions == 3 else 2.0
    least = log2(maximum(near, 1e-12))
    total = 1.0
    half = 1.0 if dimensions == 3 else 2.0
    for k in range(3 if dimensions == 3 else 1):
        z = f32(k) - 1.0 if dimensions == 3 else 0.0
        plane = plane_of(base.z + z, count.z, seed)
        for j in range(3 if dimensions == 3 else 5):
            y = f32(j) - half
            row = row_of(base.y + y, count.y, plane)
            for i in range(3 if dimensions == 3 else 5):
                offset = Vec3(f32(i) - half, y, z)
                to = way_to(base.x, f, offset, count.x, row, jitter, churn, dimensions)
                away = offset - chosen
                d = maximum(squared(to, metric), 1e-12)
                left = clamp(2.0 - 2.0 * sqrt(d) / far, 0.0, 1.0)
                share = exp2(0.5 * sharp * (least - log2(d)))
                total += 0.0 if dot(away, away) < 0.5 else share * left * left * (3.0 - 2.0 * left)
    return sqrt(near) * exp2(-log2(total) / sharp)


@shade
def cells(
    p: Vec3,
    period: Vec3,
    scale: f32,
    jitter: f32,
    smoothness: f32,
    churn: f32,
    seed: f32,
    dimensions: Fixed[i32],
    result: Fixed[i32],
    metric: Fixed[i32],
) -> f32:
    """Distances in cells: nearest, second, their difference, the true border, a smooth nearest; or a random 0..1.

    `jitter` 0 is a square lattice, 1 fully scattered. The smooth nearest is the power mean of all
    distances, (Σ dᵢ⁻ᵖ)^(−1/p) with p = 1 / `smoothness`: 0 on every point, the nearest itself as
    smoothness goes to 0, and 2^(−smoothness) times that where two cells meet. So the difference of
    two of them is dark on the points and bright along all borders. The border is of round cells
    whatever the metric. Nearest, border and differences are held within 0..1.
    """
    q = lattice(p, scale)
    if dimensions == 2:
        q = Vec3(q.x, q.y, 0.0)
    count = cells_of(period, scale)
    base = floor(q)
    f = q - base
    first = seed_of(seed)
    if result == SECOND or result == BETWEEN:
        both = two_nearest(base, f, count, first, jitter, churn, dimensions, metric)
        return both.y if result == SECOND else clamp(both.y - both.x, 0.0, 1.0)
    near = 64.0
    chosen = Vec3(0.0)
    to_near = Vec3(0.0)
    for k in range(3 if dimensions == 3 else 1):
        z = from_middle(k)
        off_z = short_of(f.z, z, jitter) if dimensions == 3 else 0.0
        if squared(Vec3(0.0, 0.0, off_z), metric) < near:
            plane = plane_of(base.z + z, count.z, first)
            for j in range(3):
                y = from_middle(j)
                if squared(Vec3(0.0, short_of(f.y, y, jitter), off_z), metric) < near:
                    row = row_of(base.y + y, count.y, plane)
                    for i in range(3):
                        offset = Vec3(from_middle(i), y, z)
                        to = way_to(base.x, f, offset, count.x, row, jitter, churn, dimensions)
                        d = squared(to, metric)
                        closer = d < near
                        chosen = offset if closer else chosen
                        to_near = to if closer else to_near
                        near = minimum(near, d)
    if result == RANDOM:
        c = base + chosen
        h = cell_hash(wrapped(c.x, count.x), wrapped(c.y, count.y), wrapped(c.z, count.z), first + 77)
        return unit_of(h)
    if result == BORDER:
        return border(base, f, chosen, to_near, count, first, jitter, churn, dimensions)
    if result == SMOOTH:
        return power_mean(base, f, chosen, near, count, first, jitter, churn, smoothness, dimensions, metric)
    return clamp(sqrt(near), 0.0, 1.0)
