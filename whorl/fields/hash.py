"""Integer hashes: the same 32 bits on every machine.

Source: Jarzynski and Olano, *Hash Functions for GPU Rendering*, JCGT 9(3), 2020.
"""

from whorl.shade import Vec3, clamp, f32, floor, i32, shade, u32


@shade
def pcg(v: u32) -> u32:
    """One 32-bit word from another, by the paper's `pcg`.

    >>> pcg(u32(0))
    129708002
    """
    state = v * 747796405 + 2891336453
    word = ((state >> ((state >> 28) + 4)) ^ state) * 277803737
    return (word >> 22) ^ word


@shade
def unit_of(h: u32) -> f32:
    """A hash as a float in 0..1, exclusive of 1; the top 24 bits, so exact in float32."""
    return f32(i32(h >> 8)) * 5.9604644775390625e-08


@shade
def cell_hash(x: f32, y: f32, z: f32, seed: u32) -> u32:
    """A hash of a lattice cell: whole numbers x, y, z (nested `pcg`, as in the paper).

    z lies innermost, so that neighbours along x share all but the last step.
    """
    return pcg(u32(i32(x)) + pcg(u32(i32(y)) + pcg(u32(i32(z)) + seed)))


@shade
def three_units(h: u32) -> Vec3:
    """Three independent numbers in 0..1 from one hash, in steps of 1/1024."""
    x = f32(i32(h >> 22))
    y = f32(i32((h >> 12) & 1023))
    z = f32(i32((h >> 2) & 1023))
    return Vec3(x, y, z) * 0.0009765625


@shade
def floor_half(x: f32) -> f32:
    """The nearest whole number, halves upwards, within what an i32 holds."""
    return floor(clamp(x, -16777216.0, 16777216.0) + 0.5)


@shade
def seed_of(seed: f32) -> u32:
    """A whole-number seed, -16,777,216 to 16,777,216, spread over 32 bits."""
    return pcg(u32(i32(floor_half(seed))))
