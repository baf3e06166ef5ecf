"""Cells: distances to scattered points, one point to each lattice cell.

Source: Worley, *A Cellular Texture Basis Function*, SIGGRAPH 1996; the distance to the border
by Quilez's second pass over the neighbours of the nearest cell (*Voronoi edges*, 2012).
"""

from whorl.fields.hash import cell_hash, seed_of, three_units, unit_of
from whorl.fields.lattice import cells_of, lattice, wrapped
from whorl.shade import (
    Fixed,
    Vec3,
    absolute,
    clamp,
    dot,
    exp2,
    f32,
    floor,
    fract,
    i32,
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
def feature(cell: Vec3, period: Vec3, seed: u32, jitter: f32, churn: f32) -> Vec3:
    """Where the point of a cell lies in it, 0..1 per axis.

    As `churn` goes 0..1 it goes there and back once on each axis, from where it was.
    """
    h = cell_hash(wrapped(cell.x, period.x), wrapped(cell.y, period.y), wrapped(cell.z, period.z), seed)
    t = fract(three_units(h) + churn)
    there = absolute(t * 2.0 - 1.0)
    eased = there * there * (3.0 - 2.0 * there)
    return mix(Vec3(0.5), eased, jitter)


@shade
def way_to(
    base: Vec3, f: Vec3, offset: Vec3, count: Vec3, seed: u32, jitter: f32, churn: f32, dimensions: Fixed[i32]
) -> Vec3:
    """The way from a place to the point of the cell so many cells away; in the plane it has no height."""
    to = offset + feature(base + offset, count, seed, jitter, churn) - f
    return Vec3(to.x, to.y, to.z if dimensions == 3 else 0.0)


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
    for k in range(5 if dimensions == 3 else 1):
        for j in range(5):
            for i in range(5):
                offset = chosen + Vec3(f32(i - 2), f32(j - 2), f32(k - 2) if dimensions == 3 else 0.0)
                to = way_to(base, f, offset, count, seed, jitter, churn, dimensions)
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
def second_nearest(
    base: Vec3,
    f: Vec3,
    chosen: Vec3,
    count: Vec3,
    seed: u32,
    jitter: f32,
    churn: f32,
    dimensions: Fixed[i32],
    metric: Fixed[i32],
) -> f32:
    """The distance to the nearest point but one, in cells; up to 2, within which all points are met."""
    least = 64.0
    for k in range(5 if dimensions == 3 else 1):
        for j in range(5):
            for i in range(5):
                offset = Vec3(f32(i - 2), f32(j - 2), f32(k - 2) if dimensions == 3 else 0.0)
                to = way_to(base, f, offset, count, seed, jitter, churn, dimensions)
                away = offset - chosen
                least = minimum(least, 64.0 if dot(away, away) < 0.5 else squared(to, metric))
    return minimum(sqrt(least), 2.0)


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
    total = 1.0
    for k in range(3 if dimensions == 3 else 1):
        for j in range(3 if dimensions == 3 else 5):
            for i in range(3 if dimensions == 3 else 5):
                half = 1.0 if dimensions == 3 else 2.0
                offset = Vec3(f32(i) - half, f32(j) - half, f32(k) - 1.0 if dimensions == 3 else 0.0)
                to = way_to(base, f, offset, count, seed, jitter, churn, dimensions)
                away = offset - chosen
                d = maximum(squared(to, metric), 1e-12)
                left = clamp(2.0 - 2.0 * sqrt(d) / far, 0.0, 1.0)
                share = exp2(0.5 * sharp * log2(maximum(near, 1e-12) / d))
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
    near = 64.0
    chosen = Vec3(0.0)
    to_near = Vec3(0.0)
    for k in range(3 if dimensions == 3 else 1):
        for j in range(3):
            for i in range(3):
                offset = Vec3(f32(i - 1), f32(j - 1), f32(k - 1) if dimensions == 3 else 0.0)
                to = way_to(base, f, offset, count, first, jitter, churn, dimensions)
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
    if result == SECOND:
        return second_nearest(base, f, chosen, count, first, jitter, churn, dimensions, metric)
    if result == BETWEEN:
        other = second_nearest(base, f, chosen, count, first, jitter, churn, dimensions, metric)
        return clamp(other - sqrt(near), 0.0, 1.0)
    return clamp(sqrt(near), 0.0, 1.0)
