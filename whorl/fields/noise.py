"""Gradient noise on a wrapping lattice, in two, three and four dimensions.

Source: Perlin, *Improving Noise*, SIGGRAPH 2002 (the fade curve and the edge gradients), with
the hash of Jarzynski and Olano 2020 in place of the permutation table; octaves as in Ebert et
al., *Texturing and Modeling: A Procedural Approach*. All of it is in float32.
"""

from whorl.fields.hash import pcg, seed_of, unit_of
from whorl.fields.lattice import FARTHEST, cells_of, lattice, wrapped
from whorl.shade import (
    Fixed,
    Vec2,
    Vec3,
    Vec4,
    absolute,
    clamp,
    f32,
    floor,
    i32,
    mix,
    shade,
    u32,
)

PLAIN, BILLOWED, RIDGED, VALUES = 0, 1, 2, 3


@shade
def fade(t: f32) -> f32:
    """Perlin's quintic: 0 at 0, 1 at 1, flat in its first two derivatives at both."""
    return t * t * t * (t * (t * 6.0 - 15.0) + 10.0)


@shade
def corner2(h: u32, x: f32, y: f32, values: Fixed[i32]) -> f32:
    """The slope of one corner, or its random value in −1..1: eight directions, from the top three bits of the hash."""
    if values == 1:
        return unit_of(h) * 2.0 - 1.0
    k = h >> 29
    u = x if k < 4 else y
    v = y if k < 4 else x
    return (-u if (k & 1) != 0 else u) + 0.5 * (-v if (k & 2) != 0 else v)


@shade
def corner3(h: u32, x: f32, y: f32, z: f32, values: Fixed[i32]) -> f32:
    """The slope of one corner, or its random value: a cube's twelve edges, four of them twice."""
    if values == 1:
        return unit_of(h) * 2.0 - 1.0
    k = h >> 28
    u = x if k < 8 else y
    v = y if k < 4 else (x if (k & 13) == 12 else z)
    return (-u if (k & 1) != 0 else u) + (-v if (k & 2) != 0 else v)


@shade
def corner4(h: u32, x: f32, y: f32, z: f32, w: f32, values: Fixed[i32]) -> f32:
    """The slope of one corner, or its random value in −1..1: the middles of a hypercube's thirty-two edges."""
    if values == 1:
        return unit_of(h) * 2.0 - 1.0
    k = h >> 27
    a = x if k < 24 else y
    b = y if k < 16 else z
    c = z if k < 8 else w
    return (-a if (k & 1) != 0 else a) + (-b if (k & 2) != 0 else b) + (-c if (k & 4) != 0 else c)


# Measured over many cells, so that every dimension's noise has a standard deviation near 0.28.
SCALE2, SCALE3, SCALE4 = 1.22, 1.04, 0.96


@shade
def noise2(p: Vec2, period: Vec2, seed: u32, values: Fixed[i32]) -> f32:
    """One octave in two dimensions: mean 0, about -1..1. `period` in cells, 0 for none."""
    cell = floor(p)
    d = p - cell
    x0 = wrapped(cell.x, period.x)
    x1 = wrapped(cell.x + 1.0, period.x)
    y0 = wrapped(cell.y, period.y)
    y1 = wrapped(cell.y + 1.0, period.y)
    h0 = pcg(u32(i32(x0)) + seed)
    h1 = pcg(u32(i32(x1)) + seed)
    h00 = pcg(u32(i32(y0)) + h0)
    h01 = pcg(u32(i32(y1)) + h0)
    h10 = pcg(u32(i32(y0)) + h1)
    h11 = pcg(u32(i32(y1)) + h1)
    e = d - 1.0
    g00 = corner2(h00, d.x, d.y, values)
    g01 = corner2(h01, d.x, e.y, values)
    g10 = corner2(h10, e.x, d.y, values)
    g11 = corner2(h11, e.x, e.y, values)
    sy = fade(d.y)
    g0 = mix(g00, g01, sy)
    g1 = mix(g10, g11, sy)
    sx = fade(d.x)
    made = mix(g0, g1, sx)
    return made if values == 1 else made * SCALE2


@shade
def noise3(p: Vec3, period: Vec3, seed: u32, values: Fixed[i32]) -> f32:
    """One octave in three dimensions: mean 0, about -1..1. `period` in cells, 0 for none."""
    cell = floor(p)
    d = p - cell
    x0 = wrapped(cell.x, period.x)
    x1 = wrapped(cell.x + 1.0, period.x)
    y0 = wrapped(cell.y, period.y)
    y1 = wrapped(cell.y + 1.0, period.y)
    z0 = wrapped(cell.z, period.z)
    z1 = wrapped(cell.z + 1.0, period.z)
    h0 = pcg(u32(i32(x0)) + seed)
    h1 = pcg(u32(i32(x1)) + seed)
    h00 = pcg(u32(i32(y0)) + h0)
    h01 = pcg(u32(i32(y1)) + h0)
    h10 = pcg(u32(i32(y0)) + h1)
    h11 = pcg(u32(i32(y1)) + h1)
    h000 = pcg(u32(i32(z0)) + h00)
    h001 = pcg(u32(i32(z1)) + h00)
    h010 = pcg(u32(i32(z0)) + h01)
    h011 = pcg(u32(i32(z1)) + h01)
    h100 = pcg(u32(i32(z0)) + h10)
    h101 = pcg(u32(i32(z1)) + h10)
    h110 = pcg(u32(i32(z0)) + h11)
    h111 = pcg(u32(i32(z1)) + h11)
    e = d - 1.0
    g000 = corner3(h000, d.x, d.y, d.z, values)
    g001 = corner3(h001, d.x, d.y, e.z, values)
    g010 = corner3(h010, d.x, e.y, d.z, values)
    g011 = corner3(h011, d.x, e.y, e.z, values)
    g100 = corner3(h100, e.x, d.y, d.z, values)
    g101 = corner3(h101, e.x, d.y, e.z, values)
    g110 = corner3(h110, e.x, e.y, d.z, values)
    g111 = corner3(h111, e.x, e.y, e.z, values)
    sz = fade(d.z)
    g00 = mix(g000, g001, sz)
    g01 = mix(g010, g011, sz)
    g10 = mix(g100, g101, sz)
    g11 = mix(g110, g111, sz)
    sy = fade(d.y)
    g0 = mix(g00, g01, sy)
    g1 = mix(g10, g11, sy)
    sx = fade(d.x)
    made = mix(g0, g1, sx)
    return made if values == 1 else made * SCALE3


@shade
def noise4(p: Vec4, period: Vec4, seed: u32, values: Fixed[i32]) -> f32:
    """One octave in four dimensions: mean 0, about -1..1. `period` in cells, 0 for none."""
    cell = floor(p)
    d = p - cell
    x0 = wrapped(cell.x, period.x)
    x1 = wrapped(cell.x + 1.0, period.x)
    y0 = wrapped(cell.y, period.y)
    y1 = wrapped(cell.y + 1.0, period.y)
    z0 = wrapped(cell.z, period.z)
    z1 = wrapped(cell.z + 1.0, period.z)
    w0 = wrapped(cell.w, period.w)
    w1 = wrapped(cell.w + 1.0, period.w)
    h0 = pcg(u32(i32(x0)) + seed)
    h1 = pcg(u32(i32(x1)) + seed)
    h00 = pcg(u32(i32(y0)) + h0)
    h01 = pcg(u32(i32(y1)) + h0)
    h10 = pcg(u32(i32(y0)) + h1)
    h11 = pcg(u32(i32(y1)) + h1)
    h000 = pcg(u32(i32(z0)) + h00)
    h001 = pcg(u32(i32(z1)) + h00)
    h010 = pcg(u32(i32(z0)) + h01)
    h011 = pcg(u32(i32(z1)) + h01)
    h100 = pcg(u32(i32(z0)) + h10)
    h101 = pcg(u32(i32(z1)) + h10)
    h110 = pcg(u32(i32(z0)) + h11)
    h111 = pcg(u32(i32(z1)) + h11)
    h0000 = pcg(u32(i32(w0)) + h000)
    h0001 = pcg(u32(i32(w1)) + h000)
    h0010 = pcg(u32(i32(w0)) + h001)
    h0011 = pcg(u32(i32(w1)) + h001)
    h0100 = pcg(u32(i32(w0)) + h010)
    h0101 = pcg(u32(i32(w1)) + h010)
    h0110 = pcg(u32(i32(w0)) + h011)
    h0111 = pcg(u32(i32(w1)) + h011)
    h1000 = pcg(u32(i32(w0)) + h100)
    h1001 = pcg(u32(i32(w1)) + h100)
    h1010 = pcg(u32(i32(w0)) + h101)
    h1011 = pcg(u32(i32(w1)) + h101)
    h1100 = pcg(u32(i32(w0)) + h110)
    h1101 = pcg(u32(i32(w1)) + h110)
    h1110 = pcg(u32(i32(w0)) + h111)
    h1111 = pcg(u32(i32(w1)) + h111)
    e = d - 1.0
    g0000 = corner4(h0000, d.x, d.y, d.z, d.w, values)
    g0001 = corner4(h0001, d.x, d.y, d.z, e.w, values)
    g0010 = corner4(h0010, d.x, d.y, e.z, d.w, values)
    g0011 = corner4(h0011, d.x, d.y, e.z, e.w, values)
    g0100 = corner4(h0100, d.x, e.y, d.z, d.w, values)
    g0101 = corner4(h0101, d.x, e.y, d.z, e.w, values)
    g0110 = corner4(h0110, d.x, e.y, e.z, d.w, values)
    g0111 = corner4(h0111, d.x, e.y, e.z, e.w, values)
    g1000 = corner4(h1000, e.x, d.y, d.z, d.w, values)
    g1001 = corner4(h1001, e.x, d.y, d.z, e.w, values)
    g1010 = corner4(h1010, e.x, d.y, e.z, d.w, values)
    g1011 = corner4(h1011, e.x, d.y, e.z, e.w, values)
    g1100 = corner4(h1100, e.x, e.y, d.z, d.w, values)
    g1101 = corner4(h1101, e.x, e.y, d.z, e.w, values)
    g1110 = corner4(h1110, e.x, e.y, e.z, d.w, values)
    g1111 = corner4(h1111, e.x, e.y, e.z, e.w, values)
    sw = fade(d.w)
    g000 = mix(g0000, g0001, sw)
    g001 = mix(g0010, g0011, sw)
    g010 = mix(g0100, g0101, sw)
    g011 = mix(g0110, g0111, sw)
    g100 = mix(g1000, g1001, sw)
    g101 = mix(g1010, g1011, sw)
    g110 = mix(g1100, g1101, sw)
    g111 = mix(g1110, g1111, sw)
    sz = fade(d.z)
    g00 = mix(g000, g001, sz)
    g01 = mix(g010, g011, sz)
    g10 = mix(g100, g101, sz)
    g11 = mix(g110, g111, sz)
    sy = fade(d.y)
    g0 = mix(g00, g01, sy)
    g1 = mix(g10, g11, sy)
    sx = fade(d.x)
    made = mix(g0, g1, sx)
    return made if values == 1 else made * SCALE4


@shade
def styled(n: f32, style: Fixed[i32]) -> f32:
    """Noise of -1..1 as 0..1: plain, billowed (soft bulges), ridged (sharp crests) or of values."""
    if style == BILLOWED:
        return clamp(absolute(n) * 1.6, 0.0, 1.0)
    if style == RIDGED:
        return clamp(1.0 - absolute(n) * 1.6, 0.0, 1.0)
    if style == VALUES:
        return n * 0.5 + 0.5
    return clamp(n * 0.8 + 0.5, 0.0, 1.0)


@shade
def octave(
    p: Vec3,
    period: Vec3,
    turn: f32,
    steps: f32,
    seed: u32,
    dimensions: Fixed[i32],
    churns: Fixed[i32],
    values: Fixed[i32],
) -> f32:
    """One octave in the dimensions asked for; `turn` walks a circle of `steps` cells.

    In one dimension it is a line through noise of two, halfway between lattice rows.
    """
    if dimensions == 1:
        if churns == 1:
            return noise2(Vec2(p.x, turn * steps), Vec2(period.x, steps), seed, values)
        return noise2(Vec2(p.x, 0.5), Vec2(period.x, 0.0), seed, values)
    if churns == 1:
        if dimensions == 2:
            return noise3(Vec3(p.x, p.y, turn * steps), Vec3(period.x, period.y, steps), seed, values)
        return noise4(Vec4(p, turn * steps), Vec4(period, steps), seed, values)
    if dimensions == 2:
        return noise2(Vec2(p.x, p.y), Vec2(period.x, period.y), seed, values)
    return noise3(p, period, seed, values)


@shade
def layered(
    p: Vec3,
    period: Vec3,
    gain: f32,
    turn: f32,
    steps: f32,
    seed: u32,
    octaves: Fixed[i32],
    lacunarity: Fixed[i32],
    dimensions: Fixed[i32],
    churns: Fixed[i32],
    style: Fixed[i32],
) -> f32:
    """Octaves of noise added up and divided by their weight: 0..1.

    The period grows with the lattice, so a whole-number lacunarity keeps what tiles tiling.
    """
    q = p
    cells = period
    total = 0.0
    weight = 0.0
    share = 1.0
    for i in range(octaves):
        # Each octave is elsewhere on its own way round, so that they do not all speed up at once.
        n = octave(
            q,
            cells,
            turn + f32(i) * 0.37 / steps,
            steps,
            seed + u32(i * 7919),
            dimensions,
            churns,
            1 if style == VALUES else 0,
        )
        total += share * styled(n, style)
        weight += share
        share *= gain
        # Gradient noise is 0 at every lattice point; the shift keeps octaves from agreeing there.
        q = q * f32(lacunarity) + 0.37
        cells = cells * f32(lacunarity)
    return total / weight


@shade
def noise(
    p: Vec3,
    period: Vec3,
    scale: f32,
    gain: f32,
    distortion: f32,
    churn: f32,
    steps: f32,
    seed: f32,
    octaves: Fixed[i32],
    lacunarity: Fixed[i32],
    dimensions: Fixed[i32],
    churns: Fixed[i32],
    distorted: Fixed[i32],
    style: Fixed[i32],
) -> f32:
    """Layered gradient noise, 0..1, that repeats with its coordinates' period.

    `scale` in cells a unit; `gain` 0..1; `churn` in turns of a circle of `steps` cells;
    `distortion` in cells, by which one noise pushes the other about.
    """
    q = lattice(p, scale)
    cells = cells_of(period, scale)
    first = seed_of(seed)
    whole = clamp(floor(steps + 0.5), 1.0, FARTHEST)
    turn = churn - floor(churn)
    if distorted == 1:
        shift = Vec3(
            octave(q + 0.5, cells, turn, whole, first + 11, dimensions, churns, 0),
            octave(q + 0.5, cells, turn, whole, first + 23, dimensions, churns, 0),
            0.0 if dimensions < 3 else octave(q + 0.5, cells, turn, whole, first + 37, dimensions, churns, 0),
        )
        q = q + shift * distortion
    return layered(q, cells, gain, turn, whole, first, octaves, lacunarity, dimensions, churns, style)


@shade
def three_noises(
    p: Vec3,
    period: Vec3,
    scale: f32,
    gain: f32,
    churn: f32,
    steps: f32,
    seed: f32,
    octaves: Fixed[i32],
    dimensions: Fixed[i32],
    churns: Fixed[i32],
) -> Vec3:
    """Three noises that know nothing of one another, 0..1 each, that repeat with their coordinates' period."""
    q = lattice(p, scale)
    cells = cells_of(period, scale)
    first = seed_of(seed)
    whole = clamp(floor(steps + 0.5), 1.0, FARTHEST)
    turn = churn - floor(churn)
    return Vec3(
        layered(q, cells, gain, turn, whole, first, octaves, 2, dimensions, churns, PLAIN),
        layered(q, cells, gain, turn, whole, first + 101, octaves, 2, dimensions, churns, PLAIN),
        layered(q, cells, gain, turn, whole, first + 211, octaves, 2, dimensions, churns, PLAIN),
    )
