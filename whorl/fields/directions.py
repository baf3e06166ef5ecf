"""Directions: normals bent by heights, by noise, and by each other."""

from whorl.fields.hash import seed_of
from whorl.fields.lattice import cells_of, lattice, short_way
from whorl.fields.noise import layered
from whorl.fields.surface import towards
from whorl.shade import (
    Fixed,
    Vec3,
    Vec4,
    absolute,
    clamp,
    cross,
    dot,
    f32,
    floor,
    i32,
    length,
    maximum,
    mix,
    shade,
    sqrt,
)


@shade
def first_way(normal: Vec3, along_u: Vec3) -> Vec3:
    """A unit vector in the surface, the way u rises; any way where u does not."""
    flat = along_u - normal * dot(normal, along_u)
    other = Vec3(0.0, 1.0, 0.0) if absolute(normal.x) > 0.7 else Vec3(1.0, 0.0, 0.0)
    spare = other - normal * dot(normal, other)
    return towards(flat if dot(flat, flat) > 1e-12 else spare)


@shade
def way(normal: Vec3, along_u: Vec3, second: Fixed[i32]) -> Vec3:
    """One of two unit vectors that span the surface."""
    t = first_way(normal, along_u)
    if second == 1:
        return cross(normal, t)
    return t


@shade
def moved_position(at: Vec3, at_normal: Vec3, at_along_u: Vec3, distance: f32, second: Fixed[i32]) -> Vec3:
    """A position moved within the surface by `distance`."""
    return at + way(at_normal, at_along_u, second) * distance


@shade
def moved_box(
    at: Vec3, at_normal: Vec3, at_along_u: Vec3, at_box_size: Vec3, distance: f32, second: Fixed[i32]
) -> Vec3:
    """A position in the bounds moved within the surface by `distance`."""
    return at + way(at_normal, at_along_u, second) * distance / maximum(at_box_size, 1e-6)


@shade
def moved_uv(at: Vec3, at_normal: Vec3, at_along_u: Vec3, at_along_v: Vec3, distance: f32, second: Fixed[i32]) -> Vec3:
    """UV moved within the surface by `distance`; the `along` vectors are its gradients."""
    w = way(at_normal, at_along_u, second) * distance
    return at + Vec3(dot(w, at_along_u), dot(w, at_along_v), 0.0)


@shade
def moved_second_uv(
    at: Vec3, at_normal: Vec3, at_along_u: Vec3, at_second_u: Vec3, at_second_v: Vec3, distance: f32, second: Fixed[i32]
) -> Vec3:
    """The second set of UV moved within the surface by `distance`."""
    w = way(at_normal, at_along_u, second) * distance
    return at + Vec3(dot(w, at_second_u), dot(w, at_second_v), 0.0)


@shade
def bump(
    below: f32,
    beside: f32,
    beyond: f32,
    at_normal: Vec3,
    at_along_u: Vec3,
    strength: f32,
    distance: f32,
) -> Vec3:
    """The normal of a surface raised by a height: `below` here, and a `distance` off on two sides.

    `strength` is how far a height of 1 stands out, in units of the stage. Blinn, *Simulation of
    Wrinkled Surfaces*, SIGGRAPH 1978.
    """
    step = maximum(distance, 1e-5)
    across = way(at_normal, at_along_u, 0) * (beside - below)
    up = way(at_normal, at_along_u, 1) * (beyond - below)
    return towards(at_normal - (across + up) * (strength / step))


@shade
def blended_normals(below: Vec3, top: Vec3, amount: f32, at_normal: Vec3, at_along_u: Vec3) -> Vec3:
    """One bent normal laid over another, so that both keep their detail.

    Barré-Brisebois and Hill, *Blending in Detail*, 2012, in the frame of the surface.
    """
    u = way(at_normal, at_along_u, 0)
    v = way(at_normal, at_along_u, 1)
    a = Vec3(dot(below, u), dot(below, v), dot(below, at_normal))
    full = Vec3(dot(top, u), dot(top, v), dot(top, at_normal))
    b = towards(mix(Vec3(0.0, 0.0, 1.0), full, clamp(amount, 0.0, 1.0)))
    t = a + Vec3(0.0, 0.0, 1.0)
    o = Vec3(-b.x, -b.y, b.z)
    # Turned about: a normal that faces away from the surface has no plane to lay the other on.
    r = t * (dot(t, o) / maximum(t.z, 1e-3)) - o
    return towards(u * r.x + v * r.y + at_normal * r.z)


@shade
def flattened(below: Vec3, strength: f32, at_normal: Vec3) -> Vec3:
    """A bent normal brought towards the bare surface; 0 is the bare surface, over 1 bends more."""
    return towards(at_normal + (below - at_normal) * strength)


@shade
def scattered(below: Vec3, at_uv: Vec3, amount: f32, scale: f32, seed: f32, octaves: Fixed[i32]) -> Vec3:
    """A normal bent every way by noise over the surface's UV; `scale` in cells a unit."""
    q = lattice(at_uv, scale)
    cells = cells_of(Vec3(1.0, 1.0, 0.0), floor(scale + 0.5))
    s = seed_of(seed)
    x = layered(q, cells, 0.5, 0.0, 1.0, s, octaves, 2, 2, 0, 0)
    y = layered(q, cells, 0.5, 0.0, 1.0, s + 101, octaves, 2, 2, 0, 0)
    z = layered(q, cells, 0.5, 0.0, 1.0, s + 211, octaves, 2, 2, 0, 0)
    return towards(below + (Vec3(x, y, z) - 0.5) * (2.0 * amount))


@shade
def image_normal(
    p: Vec3,
    period: Vec3,
    beside: Vec3,
    beyond: Vec3,
    texel: Vec4,
    at_normal: Vec3,
    at_along_u: Vec3,
    strength: f32,
    flip_green: Fixed[i32],
) -> Vec3:
    """A tangent-space normal map laid on the surface as its coordinates run there: 0..1 is −1..1.

    `beside` and `beyond` are the coordinates at two neighbouring points. Red follows the gradient of
    the first coordinate over the surface and green that of the second, whatever has turned, mirrored
    or bent them, so that a dome stays a dome; how dense both are does not count, as is usual for
    normal maps, only how dense one is against the other. Where coordinates do not change with the
    place they are taken to run as the UV do.
    """
    x = texel.x * 2.0 - 1.0
    y = texel.y * 2.0 - 1.0
    if flip_green == 1:
        y = -y
    a = beside - p
    b = beyond - p
    first = way(at_normal, at_along_u, 0)
    second = way(at_normal, at_along_u, 1)
    u = first * short_way(a.x, period.x) + second * short_way(b.x, period.x)
    v = first * short_way(a.y, period.y) + second * short_way(b.y, period.y)
    still = dot(u, u) + dot(v, v) < 1e-14
    dense = maximum(sqrt(length(u) * length(v)), maximum(length(u), length(v)) * 0.25)
    u = first if still else u / maximum(dense, 1e-7)
    v = second if still else v / maximum(dense, 1e-7)
    return towards((u * x + v * y) * strength + at_normal * maximum(texel.z * 2.0 - 1.0, 1e-3))


@shade
def leaned(below: Vec3, at_normal: Vec3, at_along_u: Vec3, strength: f32, middle: f32, space: Fixed[i32]) -> Vec3:
    """The surface's normal bent by a colour round its middle: red along u, green along v, blue outwards; or along the
    axes of the shape."""
    lean = (below - middle) * strength
    if space == 0:
        lean = way(at_normal, at_along_u, 0) * lean.x + way(at_normal, at_along_u, 1) * lean.y + at_normal * lean.z
    return towards(at_normal + lean)
