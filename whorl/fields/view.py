"""What depends on the viewer and on time."""

from whorl.shade import Fixed, Vec3, Vec4, absolute, clamp, dot, f32, i32, maximum, power, shade


@shade
def fresnel(normal: Vec3, at_view: Vec3, exponent: f32, strength: f32, bias: f32, inverted: Fixed[i32]) -> f32:
    """1 at grazing, 0 facing, by Schlick's form: bias + strength · (1 − |n·v|) ^ exponent."""
    edge = clamp(1.0 - absolute(dot(normal, at_view)), 0.0, 1.0)
    f = bias + strength * power(edge, exponent)
    if inverted == 1:
        return 1.0 - f
    return f


@shade
def vertex_colour(at_colour: Vec4) -> Vec3:
    """The colour that the file of a mesh gives its vertices, in linear light; white where it gives none."""
    return Vec3(at_colour.x, at_colour.y, at_colour.z)


@shade
def far_side(at_normal: Vec3, at_view: Vec3) -> f32:
    """1 where the back of the surface is seen, else 0."""
    return 1.0 if dot(at_normal, at_view) < 0.0 else 0.0


@shade
def camera_distance(at_distance: f32, near: f32, far: f32) -> f32:
    """0 at a distance of `near` from the camera, 1 at `far`, in units of the stage."""
    span = far - near
    wide = maximum(absolute(span), 1e-6) * (-1.0 if span < 0.0 else 1.0)
    return clamp((at_distance - near) / wide, 0.0, 1.0)


@shade
def phase_value(at_phase: f32, rounds: f32) -> f32:
    """Where the turn is, from 0 to so many rounds."""
    return at_phase * rounds
