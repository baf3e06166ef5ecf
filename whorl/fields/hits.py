"""Hits: rings, discs and waves that run out from where and when something strikes."""

from whorl.shade import (
    Fixed,
    Table16,
    Vec3,
    absolute,
    atan2,
    clamp,
    cos,
    cross,
    dot,
    exp2,
    f32,
    floor,
    fract,
    i32,
    length,
    maximum,
    minimum,
    shade,
    sqrt,
)

RING, DISC, WAVE = 0, 1, 2
ADDED, GREATER = 0, 1
STRAIGHT, ARC, UNROLLED = 0, 1, 2
TAU = 6.283185307179586


@shade
def left_of_hit(age: f32, fade: f32, near: f32) -> f32:
    """What is left of a hit so many seconds later and at a nearness of 1..0: nothing after `fade` seconds.

    >>> left_of_hit(0.0, 2.0, 1.0), left_of_hit(2.0, 2.0, 1.0), left_of_hit(0.0, 2.0, 0.0)
    (1.0, 0.0, 0.0)
    """
    late = clamp(1.0 - age / maximum(fade, 1e-4), 0.0, 1.0)
    return late * late * near * (2.0 - near)


@shade
def biased(t: f32, sharpness: f32) -> f32:
    """0..1 bent towards its ends: 0 as it is, 1 a spike, −1 a plateau (Schlick, Graphics Gems IV, 1994)."""
    b = clamp(0.5 - 0.49 * sharpness, 0.01, 0.99)
    return t / ((1.0 / b - 2.0) * (1.0 - t) + 1.0)


@shade
def ringed(behind: f32, trail: f32, sharpness: f32) -> f32:
    """The first ring and the `trail` that follow, two widths apart, each half as high: 0..1.

    `behind` is how far the front has gone past, in widths.
    """
    number = clamp(floor(behind * 0.5 + 0.5), 0.0, trail)
    t = clamp(1.0 - absolute(behind - number * 2.0), 0.0, 1.0)
    return biased(t * t * (3.0 - 2.0 * t), sharpness) * exp2(-number)


@shade
def waved(behind: f32, trail: f32) -> f32:
    """A damped wave behind the front, four widths long, −1..1: signed, for displacement and normals.

    `behind` is how far the front has gone past, in widths.
    """
    rounds = maximum(behind, 0.0) * 0.25
    # It rises from rest, so that its front has no edge.
    t = clamp(behind + 1.0, 0.0, 1.0)
    return cos(TAU * rounds) * exp2(-rounds / maximum(trail, 0.25)) * t * t * (3.0 - 2.0 * t)


@shade
def reached_over(p: Vec3, to: Vec3, uv: Vec3, u: f32, v: f32, along_u: Vec3, along_v: Vec3, way: Fixed[i32]) -> f32:
    """How far it is to a place: straight, round the middle, or over the surface by how UV runs there."""
    if way == ARC:
        return atan2(length(cross(p, to)), dot(p, to)) * length(p)
    if way == UNROLLED:
        # The short way where it comes round.
        du = (fract(uv.x - u + 0.5) - 0.5) / maximum(length(along_u), 1e-4)
        dv = (uv.y - v) / maximum(length(along_v), 1e-4)
        return sqrt(du * du + dv * dv)
    return length(p - to)


@shade
def hits(
    p: Vec3,
    at_uv: Vec3,
    at_along_u: Vec3,
    at_along_v: Vec3,
    at_hits: Table16,
    at_ages: Table16,
    speed: f32,
    width: f32,
    trail: f32,
    sharpness: f32,
    fade: f32,
    reach: f32,
    form: Fixed[i32],
    sum: Fixed[i32],
    way: Fixed[i32],
) -> f32:
    """What all hits make at a place: rings 0..1 high for a strength of 1, discs, or waves −1..1.

    `at_hits` holds places and strengths, `at_ages` how many seconds each was ago (below 0: not yet), how long it is
    known for, and its place in UV. A front runs `speed` units a second.

    >>> from whorl.shade import Vec4
    >>> places = Table16([Vec4(0.0, 0.0, 0.0, 1.0), Vec4(0.0, 0.0, 0.0, 0.0)])
    >>> ages = Table16([Vec4(0.5, 1e9, 0.0, 0.0), Vec4(-1.0, 1e9, 0.0, 0.0)])
    >>> o = Vec3(0.0, 0.0, 0.0)
    >>> round(hits(Vec3(0.5, 0.0, 0.0), o, o, o, places, ages, 1.0, 0.1, 0.0, 0.0, 1e9, 1e9, 0, 0, 0), 6)
    1.0
    """
    most = 0.0
    least = 0.0
    total = 0.0
    narrow = 1.0 / maximum(width, 1e-4)
    closing = 1.0 / maximum(reach, 1e-4)
    for i in range(16):
        place = at_hits[i]
        slot = at_ages[i]
        far = reached_over(p, place.xyz, at_uv, slot.z, slot.w, at_along_u, at_along_v, way)
        gone = slot.x * speed * narrow
        behind = gone - far * narrow
        left = place.w * left_of_hit(slot.x, minimum(fade, slot.y), clamp(1.0 - far * closing, 0.0, 1.0))
        # Until its front has come as far as it is wide, it is on the rise: nothing begins with a jump.
        begun = clamp(gone, 0.0, 1.0)
        left = left * begun * begun * (3.0 - 2.0 * begun)
        high = 0.0
        if form == RING:
            high = ringed(behind, trail, sharpness)
        elif form == DISC:
            t = clamp(behind, 0.0, 1.0)
            high = biased(t * t * (3.0 - 2.0 * t), sharpness)
        else:
            high = waved(behind, trail)
        # Before it strikes nothing has begun, so that nothing is left of it either.
        high = high * left
        if sum == ADDED:
            total = total + high
        else:
            most = maximum(most, high)
            least = minimum(least, high)
    return total if sum == ADDED else most + least


@shade
def since_hit(at_ages: Table16, at_hits: Table16, rise: f32, fade: f32) -> f32:
    """How lately something struck: its strength `rise` seconds after a hit, and 0 `fade` seconds after it."""
    most = 0.0
    for i in range(16):
        slot = at_ages[i]
        left = clamp(1.0 - slot.x / maximum(minimum(fade, slot.y), 1e-4), 0.0, 1.0) * at_hits[i].w
        up = clamp(slot.x / maximum(rise, 1e-4), 0.0, 1.0) if rise > 0.0 else 1.0
        most = maximum(most, left * up * up * (3.0 - 2.0 * up) if slot.x >= 0.0 else 0.0)
    return most
