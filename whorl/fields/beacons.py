"""Fields measured from a beacon: a placed point with an axis."""

from whorl.fields.lighting import lamp_direction
from whorl.shade import Fixed, Vec3, absolute, atan2, clamp, cos, cross, dot, f32, i32, length, maximum, shade, sin


@shade
def measured(at: Vec3, position: Vec3, yaw: f32, pitch: f32) -> Vec3:
    """A place seen from a beacon, in units: y along its axis, x level, z square to both."""
    d = at - position
    axis = lamp_direction(yaw, pitch)
    right = Vec3(cos(yaw * 0.017453292), 0.0, -sin(yaw * 0.017453292))
    return Vec3(dot(d, right), dot(d, axis), dot(d, cross(right, axis)))


@shade
def from_beacon(at_beacon: Vec3) -> Vec3:
    """Coordinates whose origin is a beacon."""
    return at_beacon


BALL, SLAB, TUBE, CONE = 0, 1, 2, 3


@shade
def beacon_distance(at_beacon: Vec3, start: f32, end: f32, shape: Fixed[i32]) -> f32:
    """0 at `start` units from a beacon and 1 at `end`: from its point, along or round its axis, or by angle.

    By angle, start and end are in degrees off the axis.
    """
    d = 0.0
    if shape == BALL:
        d = length(at_beacon)
    if shape == SLAB:
        d = at_beacon.y
    if shape == TUBE:
        d = length(Vec3(at_beacon.x, 0.0, at_beacon.z))
    if shape == CONE:
        d = 57.29578 * atan2(maximum(length(Vec3(at_beacon.x, 0.0, at_beacon.z)), 1e-9), at_beacon.y)
    span = end - start
    return clamp((d - start) / (maximum(absolute(span), 1e-6) * (-1.0 if span < 0.0 else 1.0)), 0.0, 1.0)
