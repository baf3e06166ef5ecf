"""Patterns of two dimensions laid round a shape from three sides, without a pole and without a seam.

Source: the three projections along the axes, mixed by where the surface faces, as in Geiss, *Generating Complex
Procedural Terrains Using the GPU*, GPU Gems 3, 2007.
"""

from whorl.shade import Fixed, Vec3, absolute, dot, f32, i32, maximum, shade


@shade
def side_of(x: f32) -> f32:
    """1 or −1, by which way a surface faces."""
    return -1.0 if x < 0.0 else 1.0


@shade
def projected(place: Vec3, at_normal: Vec3, scale: f32, axis: Fixed[i32]) -> Vec3:
    """Where a place lies on a picture that looks along an axis at the surface, its right side right; `scale` a unit."""
    if axis == 0:
        return Vec3(-place.z * side_of(at_normal.x), place.y, 0.0) * scale
    if axis == 1:
        return Vec3(place.x, -place.z * side_of(at_normal.y), 0.0) * scale
    return Vec3(place.x * side_of(at_normal.z), place.y, 0.0) * scale


@shade
def projected_way(at_normal: Vec3, scale: f32, axis: Fixed[i32], second: Fixed[i32]) -> Vec3:
    """Which way one of those coordinates rises, and by how much a unit."""
    if axis == 0:
        return (Vec3(0.0, 1.0, 0.0) if second == 1 else Vec3(0.0, 0.0, -side_of(at_normal.x))) * scale
    if axis == 1:
        return (Vec3(0.0, 0.0, -side_of(at_normal.y)) if second == 1 else Vec3(1.0, 0.0, 0.0)) * scale
    return (Vec3(0.0, 1.0, 0.0) if second == 1 else Vec3(side_of(at_normal.z), 0.0, 0.0)) * scale


@shade
def shares(at_normal: Vec3, blend: f32) -> Vec3:
    """How much each of the three counts, together 1: what faces an axis counts most, nearly alone at a `blend` of 0."""
    n = absolute(at_normal)
    w = maximum(n - 0.57 * (1.0 - maximum(blend, 0.02)), 0.0)
    return w / maximum(w.x + w.y + w.z, 1e-6)


@shade
def around_value(at_side_x: f32, at_side_y: f32, at_side_z: f32, at_normal: Vec3, blend: f32) -> f32:
    """A value from three sides."""
    return dot(Vec3(at_side_x, at_side_y, at_side_z), shares(at_normal, blend))


@shade
def around_colour(at_side_x: Vec3, at_side_y: Vec3, at_side_z: Vec3, at_normal: Vec3, blend: f32) -> Vec3:
    """A colour from three sides."""
    w = shares(at_normal, blend)
    return at_side_x * w.x + at_side_y * w.y + at_side_z * w.z
