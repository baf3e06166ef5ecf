"""Motions in closed form, as a program works them out that is given the phase of the turn alone."""

from whorl.shade import Fixed, clamp, f32, fract, i32, shade, sin

LINEAR, EASED = 0, 1


@shade
def swayed(phase: f32, cycles: f32, start: f32) -> f32:
    """A sine, −1..1, so many times a turn.

    >>> round(swayed(0.25, 1.0, 0.0), 6), round(swayed(0.0, 2.0, 0.25), 6)
    (1.0, 1.0)
    """
    # Whole rounds are taken off first, since a sine of large numbers has few digits.
    return sin(6.283185307179586 * fract(cycles * phase + start))


@shade
def climbed(at: f32, start: f32, length: f32, ease: Fixed[i32]) -> f32:
    """0 before `start`, 1 from `length` after it on, and on the way straight or level at both ends."""
    t = clamp((at - start) / length, 0.0, 1.0) if length > 1e-9 else (1.0 if at >= start else 0.0)
    if ease == EASED:
        t = t * t * (3.0 - 2.0 * t)
    return t


@shade
def pulsed(
    phase: f32,
    cycles: f32,
    start: f32,
    rise: f32,
    hold: f32,
    fall: f32,
    rising: Fixed[i32],
    falling: Fixed[i32],
) -> f32:
    """0..1: up within `rise` of a cycle, up there for `hold`, down within `fall`, at rest; together a cycle at most.

    >>> [pulsed(p, 1.0, 0.0, 0.25, 0.25, 0.25, 0, 0) for p in (0.0, 0.125, 0.25, 0.5, 0.625, 0.75)]
    [0.0, 0.5, 1.0, 1.0, 0.5, 0.0]
    """
    at = fract(cycles * phase + start)
    return climbed(at, 0.0, rise, rising) - climbed(at, rise + hold, fall, falling)
