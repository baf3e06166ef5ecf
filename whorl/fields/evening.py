"""Evening out: a value becomes the share of the surface where it is lower."""

from whorl.shade import Table16, absolute, clamp, f32, maximum, minimum, mix, shade


@shade
def share_of(x: f32, low: f32, high: f32) -> f32:
    """How far from `low` to `high`, 0..1; past them 0 or 1."""
    return clamp((x - low) / maximum(high - low, 1e-9), 0.0, 1.0)


@shade
def rank(x: f32, at_ranks: Table16) -> f32:
    """The share of values below `x`, from their 64 quantiles, in a straight line between two: 0..1."""
    first = at_ranks[0]
    total = share_of(x, first.x, first.y) + share_of(x, first.y, first.z) + share_of(x, first.z, first.w)
    for i in range(15):
        before = at_ranks[i]
        row = at_ranks[i + 1]
        total = total + share_of(x, before.w, row.x) + share_of(x, row.x, row.y)
        total = total + share_of(x, row.y, row.z) + share_of(x, row.z, row.w)
    return total / 63.0


@shade
def even(below: f32, at_ranks: Table16, evenness: f32, room: f32) -> f32:
    """The share of the surface where what comes in is lower: over 0 and under 1, by a little.

    With `room` that much is left free at both ends together, for a softer edge. `evenness` goes from 0, none, to 1.
    """
    shared = clamp(rank(below, at_ranks), 1e-6, 1.0 - 1e-6)
    return mix(below, 0.5 * room + shared * (1.0 - room), evenness)


@shade
def to_ends(x: f32, footprint: f32) -> f32:
    """How wide an edge across a share may be: no wider than leaves nothing at 0 and all at 1."""
    return minimum(footprint, 2.0 * minimum(absolute(x), absolute(1.0 - x)))
