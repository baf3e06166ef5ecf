"""Surfaces moved by a height, with the normals that they then have."""

from whorl.fields.directions import way
from whorl.fields.surface import towards
from whorl.shade import Vec3, Vec4, absolute, clamp, cross, dot, f32, floor, maximum, shade

#: The farthest that a surface is moved, in units.
FARTHEST = 100.0
#: Steps of each of the two numbers that a normal is told by.
STEPS = 4094.0
#: A power of two, so that dividing by it is exact.
ROW = 4096.0


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
def along_way(direction: Vec3, height: f32) -> Vec3:
    """A height along one direction; how long that is makes no difference."""
    return towards(direction) * height


@shade
def gathered(below: Vec3, value: Vec3, gain: f32) -> Vec3:
    """One more way that a point goes: they add up."""
    return below + value * gain


@shade
def scaled_height(height: f32, amount: f32) -> f32:
    """A height in units."""
    return height * amount


@shade
def scaled_way(value: Vec3, amount: f32) -> Vec3:
    """A way in units."""
    return value * amount


@shade
def outwards(height: f32, at_normal: Vec3) -> Vec3:
    """A height along the normal."""
    return at_normal * height


@shade
def on_surface(value: Vec3, at_normal: Vec3, at_along_u: Vec3) -> Vec3:
    """A way in the space of the surface, x along u, y square to it and z outwards, in the space of the shape."""
    first = way(at_normal, at_along_u, 0)
    second = way(at_normal, at_along_u, 1)
    return first * value.x + second * value.y + at_normal * value.z


@shade
def out_of(value: Vec3, at_normal: Vec3) -> f32:
    """How far outwards a way goes."""
    return dot(value, at_normal)


@shade
def packed(normal: Vec3) -> f32:
    """A unit vector as a whole number under 2²⁴, which a float holds: two numbers over an octahedron.

    Source: Cigolle et al., *A Survey of Efficient Representations for Independent Unit Vectors*, JCGT 3(2), 2014.
    """
    size = maximum(absolute(normal.x) + absolute(normal.y) + absolute(normal.z), 1e-6)
    x = normal.x / size
    y = normal.y / size
    across = (1.0 - absolute(y)) * (1.0 if x >= 0.0 else -1.0)
    along = (1.0 - absolute(x)) * (1.0 if y >= 0.0 else -1.0)
    u = across if normal.z < 0.0 else x
    v = along if normal.z < 0.0 else y
    return floor((u * 0.5 + 0.5) * STEPS + 0.5) * ROW + floor((v * 0.5 + 0.5) * STEPS + 0.5)


@shade
def pulled(value: Vec3, beside: Vec3, beyond: Vec3, amount: f32, apart: f32, at_normal: Vec3, at_along_u: Vec3) -> Vec4:
    """How far a point goes any way, and the normal that the surface then has there, in one number.

    `beside` and `beyond` are the ways so far `apart`, as in `risen`: both ways over the surface, each with what it is
    pulled by, span it anew.
    """
    a = clamp((beside - value) * (amount / apart), -1000.0, 1000.0)
    b = clamp((beyond - value) * (amount / apart), -1000.0, 1000.0)
    normal = towards(cross(way(at_normal, at_along_u, 0) + a, way(at_normal, at_along_u, 1) + b))
    return Vec4(clamp(value * amount, -FARTHEST, FARTHEST), packed(normal))


@shade
def unpacked(number: f32) -> Vec3:
    """The unit vector that `packed` made a number of."""
    row = floor(number / ROW)
    x = row / STEPS * 2.0 - 1.0
    y = (number - row * ROW) / STEPS * 2.0 - 1.0
    z = 1.0 - absolute(x) - absolute(y)
    under = maximum(-z, 0.0)
    return towards(Vec3(x - (under if x >= 0.0 else -under), y - (under if y >= 0.0 else -under), z))
