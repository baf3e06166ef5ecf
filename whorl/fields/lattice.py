"""Whole-number lattices that wrap, which is what makes a pattern tile and a loop close."""

from whorl.shade import Vec3, absolute, clamp, f32, floor, maximum, shade

#: Beyond this many cells from the origin a pattern is held still; float32 has run out there.
FARTHEST = 65536.0


@shade
def wrapped(cell: f32, period: f32) -> f32:
    """A whole-numbered `cell` brought into 0..period-1; a period of 0 leaves it alone.

    >>> [wrapped(float(c), 3.0) for c in (-1, 0, 2, 3)]
    [2.0, 0.0, 2.0, 0.0]
    """
    # The half keeps a division that is off by one bit from landing in the wrong cell.
    return cell - period * floor((cell + 0.5) / maximum(period, 1.0))


@shade
def cells_of(period: Vec3, scale: f32) -> Vec3:
    """How many lattice cells fit each axis's period: whole numbers, at least 1; 0 for none."""
    whole = floor(clamp(period * scale, 0.0, FARTHEST) + 0.5)
    return Vec3(
        0.0 if period.x <= 0.0 else maximum(whole.x, 1.0),
        0.0 if period.y <= 0.0 else maximum(whole.y, 1.0),
        0.0 if period.z <= 0.0 else maximum(whole.z, 1.0),
    )


@shade
def lattice(p: Vec3, scale: f32) -> Vec3:
    """Coordinates in cells, held within what the lattice can number."""
    return clamp(p * scale, -FARTHEST, FARTHEST)


@shade
def short_way(d: f32, period: f32) -> f32:
    """The difference of two coordinates the short way round a period; 0 for none."""
    whole = period * floor(d / maximum(period, 1e-6) + 0.5)
    return d - whole if period > 0.0 else d


@shade
def nearer(d: f32, period: f32) -> f32:
    """How far apart two coordinates lie, the short way round a period; 0 for none."""
    return absolute(short_way(d, period))


@shade
def footprint3(across: Vec3, down: Vec3, period: Vec3) -> Vec3:
    """How much coordinates change from pixel to pixel, from their differences to both sides.

    What only comes round at a period has not changed, so that there is no line where it does.
    """
    return Vec3(
        nearer(across.x, period.x) + nearer(down.x, period.x),
        nearer(across.y, period.y) + nearer(down.y, period.y),
        nearer(across.z, period.z) + nearer(down.z, period.z),
    )
