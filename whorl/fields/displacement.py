"""Surfaces moved by a height, with the normals that they then have."""

from whorl.fields.directions import way
from whorl.fields.surface import towards
from whorl.shade import Vec3, Vec4, clamp, cross, f32, shade

#: The farthest that a surface is moved, in units.
FARTHEST = 100.0


@shade
def risen(height: f32, beside: f32, beyond: f32, amount: f32, apart: f32) -> Vec4:
    """How far a point is moved, and how much farther for each unit on, one way over the surface and square to it.

    `beside` and `beyond` are the heights so far `apart`, which is how far apart vertices are: at a
    step the surface climbs from one vertex to the next, so each one before it has that slope. Over
    less, only those that happen to lie closest would, and the step would be lit in dashes.
    """
    a = clamp((beside - height) * amount / apart, -1000.0, 1000.0)
    b = clamp((beyond - height) * amount / apart, -1000.0, 1000.0)
    return Vec4(a, b, clamp(height * amount, -FARTHEST, FARTHEST), 0.0)


@shade
def summed(below: f32, value: f32, gain: f32) -> f32:
    """One more height: they add up."""
    return below + value * gain


@shade
def moved_by(position: Vec3, along: Vec3, distance: f32) -> Vec3:
    """A place moved along a way."""
    return position + along * distance


@shade
def tilted(normal: Vec3, along_u: Vec3, along: Vec3, slopes: Vec4) -> Vec3:
    """The normal of a surface that is moved along a way by what rises at these slopes.

    Its two ways over the surface, each with its rise, span it anew.
    """
    first = way(normal, along_u, 0)
    second = way(normal, along_u, 1)
    return towards(cross(first + along * slopes.x, second + along * slopes.y))


@shade
def direction_of(direction: Vec3) -> Vec3:
    """The way in which a surface is moved, as a unit vector: how far is said elsewhere."""
    return towards(direction)
