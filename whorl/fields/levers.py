"""What a lever makes of the numbers that it moves."""

from whorl.shade import Fixed, Vec3, clamp, f32, floor, i32, shade

EVEN, EASED = 0, 1
#: Rounds a turn, at the most.
MOST_ROUNDS = 10000.0
AS_IT_IS, WHOLE = 0, 1


@shade
def lever_share(x: f32, least: f32, most: f32, ease: Fixed[i32]) -> f32:
    """How far a lever has gone over its range: 0 at `least`, 1 at `most`, and on beyond them at the same pace.

    Eased, it goes slowly at both ends and stays there.

    >>> lever_share(3.0, 2.0, 6.0, 0), lever_share(4.0, 2.0, 6.0, 1), lever_share(8.0, 2.0, 6.0, 1)
    (0.25, 0.5, 1.0)
    """
    span = most - least
    t = (x - least) / span if span != 0.0 else 0.0
    if ease == EASED:
        s = clamp(t, 0.0, 1.0)
        t = s * s * (3.0 - 2.0 * s)
    return t


@shade
def levered(
    x: f32,
    least: f32,
    most: f32,
    low: f32,
    high: f32,
    floor_of: f32,
    ceiling: f32,
    ease: Fixed[i32],
    whole: Fixed[i32],
) -> f32:
    """A number that goes from `low` to `high` as a lever goes over its range, held within what it may be.

    >>> levered(0.5, 0.0, 1.0, 10.0, 20.0, 0.0, 100.0, 0, 0), levered(2.0, 0.0, 1.0, 10.0, 20.0, 0.0, 25.0, 0, 0)
    (15.0, 25.0)
    """
    made = clamp(low + (high - low) * lever_share(x, least, most, ease), floor_of, ceiling)
    if whole == WHOLE:
        made = floor(made + 0.5)
    return made


@shade
def levered3(
    x: f32,
    least: f32,
    most: f32,
    low: Vec3,
    high: Vec3,
    floor_of: f32,
    ceiling: f32,
    ease: Fixed[i32],
    whole: Fixed[i32],
) -> Vec3:
    """The same for three components at once."""
    t = lever_share(x, least, most, ease)
    made = low + (high - low) * t
    made = Vec3(clamp(made.x, floor_of, ceiling), clamp(made.y, floor_of, ceiling), clamp(made.z, floor_of, ceiling))
    if whole == WHOLE:
        made = Vec3(floor(made.x + 0.5), floor(made.y + 0.5), floor(made.z + 0.5))
    return made


@shade
def drifted(
    x: f32,
    least: f32,
    most: f32,
    low: f32,
    high: f32,
    base: f32,
    unit: f32,
    phase: f32,
    slip: f32,
    ease: Fixed[i32],
    whole: Fixed[i32],
) -> f32:
    """A number that goes `low` to `high` rounds of `unit` a turn, as a lever goes over its range; whole rounds close.

    `slip` is by how many rounds it is ahead, so that a lever that is turned on the way changes how fast it goes and
    not where it is.

    >>> drifted(0.5, 0.0, 1.0, 0.0, 4.0, 10.0, 360.0, 0.25, 0.0, 0, 1)
    190.0
    """
    return base + unit * (levered(x, least, most, low, high, -MOST_ROUNDS, MOST_ROUNDS, ease, whole) * phase + slip)


@shade
def drifted3(
    x: f32,
    least: f32,
    most: f32,
    low: Vec3,
    high: Vec3,
    base: Vec3,
    unit: f32,
    phase: f32,
    slip: Vec3,
    ease: Fixed[i32],
    whole: Fixed[i32],
) -> Vec3:
    """The same for three components at once."""
    rounds = levered3(x, least, most, low, high, -MOST_ROUNDS, MOST_ROUNDS, ease, whole)
    return base + (rounds * phase + slip) * unit


@shade
def lever_place(place: Vec3, nearest: f32, farthest: f32) -> Vec3:
    """A place as its lever has it, held within what it may be."""
    return Vec3(clamp(place.x, nearest, farthest), clamp(place.y, nearest, farthest), clamp(place.z, nearest, farthest))


@shade
def lever_colour(colour: Vec3, ceiling: f32) -> Vec3:
    """A colour as its lever has it, held within what it may be."""
    return Vec3(clamp(colour.x, 0.0, ceiling), clamp(colour.y, 0.0, ceiling), clamp(colour.z, 0.0, ceiling))
