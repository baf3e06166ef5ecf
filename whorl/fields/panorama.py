"""Light from all round as a panorama has it, in a sheet of levels for facets of rising roughness: `images.around`."""

from whorl.fields.pictures import REPEAT, on_level
from whorl.shade import (
    Image,
    Vec2,
    Vec3,
    Vec4,
    absolute,
    atan2,
    clamp,
    f32,
    floor,
    i32,
    maximum,
    minimum,
    mix,
    shade,
    sqrt,
)

#: The level of a whole roughness, and the one of what falls on matte.
ROUGHEST, MATTE = 5.0, 6.0
#: A turn, and half of one, as shares of radians.
ROUND, HALF = 0.15915494309189535, 0.3183098861837907


@shade
def on_panorama(direction: Vec3, turn: f32) -> Vec2:
    """Where a direction lies on a panorama that is turned by degrees to the right: 0..1 from its left and its top."""
    flat = sqrt(direction.x * direction.x + direction.z * direction.z)
    none = flat < 1e-6
    u = (0.0 if none else atan2(direction.x, -direction.z)) * ROUND + 0.5 - turn / 360.0
    v = 0.5 - atan2(direction.y, maximum(flat, 1e-6)) * HALF
    return Vec2(u - floor(u), clamp(v, 0.0, 1.0))


@shade
def _of_level(image: Image, sheet: Vec4, at: Vec2, level: i32) -> Vec3:
    # Over a pole lies no other row of the same picture.
    rim = 0.5 / f32(maximum(i32(sheet.y) >> level, 1))
    return on_level(image, sheet, Vec2(at.x, clamp(at.y, rim, 1.0 - rim)), level, REPEAT).xyz


@shade
def from_around(image: Image, sheet: Vec4, direction: Vec3, turn: f32, level: f32, strength: f32) -> Vec3:
    """The light that comes from around a direction, between two levels."""
    at = on_panorama(direction, turn)
    first = i32(floor(clamp(level, 0.0, MATTE)))
    fine = _of_level(image, sheet, at, first)
    coarse = _of_level(image, sheet, at, minimum(first + 1, i32(MATTE)))
    return mix(fine, coarse, clamp(level, 0.0, MATTE) - f32(first)) * maximum(strength, 0.0)


@shade
def spread_like(angle: f32) -> f32:
    """The roughness whose facets spread light over an angle in radians: about twice its square."""
    return sqrt(clamp(angle * 0.5, 0.0, 1.0))


@shade
def mirrored_level(roughness: f32, footprint: Vec3) -> f32:
    """The level that facets of a roughness mirror, or those that spread light as far as a pixel of the mirror does."""
    change = maximum(maximum(absolute(footprint.x), absolute(footprint.y)), absolute(footprint.z))
    return clamp(maximum(roughness, spread_like(change)) * ROUGHEST, 0.0, ROUGHEST)


@shade
def seen_level(wide: f32, scale: f32) -> f32:
    """The level of a panorama that is seen over so much of the picture, as `at_screen` counts."""
    return spread_like(wide * 2.0 / scale) * ROUGHEST
