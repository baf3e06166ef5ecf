"""What formulas may call by name, and what guards their arithmetic; see `whorl.shade.written`.

Guards give a finite result, within ±10¹⁸, for all finite arguments within that: what has no value, as a number
divided by nought, is 0.
"""

from whorl.fields.cells import BORDER, NEAREST, RANDOM, cells
from whorl.fields.colour import luminance
from whorl.fields.noise import BILLOWED, PLAIN, RIDGED, noise
from whorl.fields.surface import towards
from whorl.shade import (
    Fixed,
    Unchecked,
    Vec3,
    absolute,
    atan2,
    clamp,
    cos,
    exp2,
    f32,
    floor,
    i32,
    length,
    log2,
    shade,
    sin,
    sqrt,
)
from whorl.shade.written import Language

#: A turn in radians.
TURN = 6.283185307179586
#: Nearer to nought than this, nothing is divided by it.
LEAST = 1e-18
FURTHEST = 1e18


@shade
def divided(a: f32, b: f32) -> f32:
    """a / b; 0 where b is nought."""
    none = absolute(b) < LEAST
    return 0.0 if none else clamp(a / (1.0 if none else b), -FURTHEST, FURTHEST)


@shade
def remainder(a: f32, b: f32) -> f32:
    """What is left of a when b is taken from it whole times, 0 to b; 0 where b is nought."""
    none = absolute(b) < LEAST
    by = 1.0 if none else b
    times = floor(clamp(a / by, -FURTHEST, FURTHEST))
    left = a - by * times
    # Of a number that is far greater than b nothing below its last digit is known.
    return 0.0 if none or absolute(left) > absolute(by) else left


@shade
def to_power(a: f32, b: f32) -> f32:
    """a to the power b: of a number below nought for whole b, else 0 there."""
    size = absolute(a)
    none = size < LEAST
    made = exp2(clamp(b * log2(1.0 if none else size), -59.0, 59.0))
    whole = floor(b + 0.5)
    is_whole = absolute(b - whole) < 1e-6
    odd = absolute(whole - 2.0 * floor(whole * 0.5)) > 0.5
    signed = (-made if odd else made) if a < 0.0 else made
    at_nought = 1.0 if absolute(b) < LEAST else 0.0
    return at_nought if none else (signed if a > 0.0 or is_whole else 0.0)


@shade
def root(a: f32) -> f32:
    """The square root; of less than nought 0."""
    return sqrt(clamp(a, 0.0, FURTHEST))


@shade
def doubled(a: f32) -> f32:
    """2 to the power a."""
    return exp2(clamp(a, -59.0, 59.0))


@shade
def halvings(a: f32) -> f32:
    """The logarithm to base 2; of nought and less −59."""
    return log2(clamp(a, 1.7e-18, FURTHEST))


@shade
def sine_of(a: f32) -> f32:
    """The sine of an angle in radians, within ±10⁶."""
    return sin(clamp(a, -1e6, 1e6))


@shade
def cosine_of(a: f32) -> f32:
    """The cosine of an angle in radians, within ±10⁶."""
    return cos(clamp(a, -1e6, 1e6))


@shade
def angle_of(y: f32, x: f32) -> f32:
    """The angle of a point, in radians from −π to π; of the middle 0."""
    none = absolute(x) + absolute(y) < LEAST
    return 0.0 if none else atan2(y, 1.0 if none else x)


@shade
def between(a: f32, low: f32, high: f32) -> f32:
    """a, held within low and high; high where the two are the wrong way round."""
    raised = low if a < low else a
    return high if raised > high else raised


# --- What is offered -------------------------------------------------------------------


@shade
def grain(place: Vec3, style: Fixed[i32], octaves: Fixed[i32]) -> f32:
    """Noise of cells one unit wide."""
    return noise(place, Vec3(0.0), 1.0, 0.5, 0.0, 0.0, 1.0, 1.0, octaves, 2, 3, 0, 0, style)


@shade
def formula_noise(place: Vec3) -> f32:
    """Gradient noise with a cell a unit, 0..1."""
    return grain(place, PLAIN, 1)


@shade
def formula_layers(place: Vec3) -> f32:
    """Four octaves of noise, the largest with a cell a unit, 0..1."""
    return grain(place, PLAIN, 4)


@shade
def formula_ridges(place: Vec3) -> f32:
    """Noise with sharp crests, a cell a unit, 0..1."""
    return grain(place, RIDGED, 1)


@shade
def formula_billows(place: Vec3) -> f32:
    """Noise of soft bulges, a cell a unit, 0..1."""
    return grain(place, BILLOWED, 1)


@shade
def formula_cells(place: Vec3) -> f32:
    """How far the nearest of scattered points is, a point a unit, 0..1."""
    return cells(place, Vec3(0.0), 1.0, 1.0, 0.0, 0.0, 1.0, 3, NEAREST, 0)


@shade
def formula_borders(place: Vec3) -> f32:
    """How far the border between two cells is, 0..1."""
    return cells(place, Vec3(0.0), 1.0, 1.0, 0.0, 0.0, 1.0, 3, BORDER, 0)


@shade
def formula_random(place: Vec3) -> f32:
    """A random value for each cell of scattered points, 0..1."""
    return cells(place, Vec3(0.0), 1.0, 1.0, 0.0, 0.0, 1.0, 3, RANDOM, 0)


@shade
def formula_smooth(low: f32, high: f32, value: f32) -> f32:
    """0 below low, 1 above high, and smoothly from one to the other between."""
    wide = high - low
    none = absolute(wide) < LEAST
    t = clamp((value - low) / (1.0 if none else wide), 0.0, 1.0)
    hard = 0.0 if value < low else 1.0
    return hard if none else t * t * (3.0 - 2.0 * t)


@shade
def formula_sign(value: f32) -> f32:
    """1 over nought, −1 under it."""
    return 1.0 if value > 0.0 else (-1.0 if value < 0.0 else 0.0)


@shade
def formula_wave(turns: f32) -> f32:
    """A sine of whole turns, 0..1: comes round with every 1."""
    part = turns - floor(turns)
    return sin(part * TURN) * 0.5 + 0.5


@shade
def formula_angle(place: Vec3) -> f32:
    """The angle about the middle of x and y, in turns, 0..1."""
    found = angle_of(place.y, place.x) / TURN
    return found - floor(found)


@shade
def formula_turned(place: Vec3, turns: f32) -> Vec3:
    """Coordinates turned about the middle of x and y, in turns."""
    part = (turns - floor(turns)) * TURN
    c = cos(part)
    s = sin(part)
    return Vec3(place.x * c - place.y * s, place.x * s + place.y * c, place.z)


@shade
def formula_distance(one: Vec3, other: Vec3) -> f32:
    """How far two places are from one another."""
    return length(one - other)


@shade
def formula_unit(direction: Vec3) -> Vec3:
    """A direction of length 1."""
    return towards(direction)


_OFFERED: dict[str, Unchecked] = {
    "noise": formula_noise,
    "layers": formula_layers,
    "ridges": formula_ridges,
    "billows": formula_billows,
    "cells": formula_cells,
    "borders": formula_borders,
    "random": formula_random,
    "smooth": formula_smooth,
    "sign": formula_sign,
    "wave": formula_wave,
    "angle": formula_angle,
    "turned": formula_turned,
    "distance": formula_distance,
    "unit": formula_unit,
    "luminance": luminance,
}
_UNIT = (
    "noise",
    "layers",
    "ridges",
    "billows",
    "cells",
    "borders",
    "random",
    "smooth",
    "sign",
    "wave",
    "angle",
    "unit",
)

LANGUAGE = Language(
    offered=_OFFERED,
    guards={
        "/": divided,
        "mod": remainder,
        "power": to_power,
        "sqrt": root,
        "exp2": doubled,
        "log2": halvings,
        "sin": sine_of,
        "cos": cosine_of,
        "atan2": angle_of,
        "clamp": between,
    },
    within={
        **{f"formula_{name}": 1.0 for name in _UNIT},
        "root": 1e9,
        "doubled": 2.0**59,
        "halvings": 60.0,
        "sine_of": 1.0,
        "cosine_of": 1.0,
        "angle_of": 3.1416,
        "to_power": 2.0**59,
        **dict.fromkeys(("divided", "remainder", "between"), FURTHEST),
    },
)
