"""What depends on the viewer."""

from whorl.shade import Fixed, Vec3, absolute, clamp, dot, f32, i32, power, shade


@shade
def fresnel(at_normal: Vec3, at_view: Vec3, exponent: f32, strength: f32, bias: f32, inverted: Fixed[i32]) -> f32:
    """1 at grazing, 0 facing, by Schlick's form: bias + strength · (1 − |n·v|) ^ exponent."""
    edge = clamp(1.0 - absolute(dot(at_normal, at_view)), 0.0, 1.0)
    f = bias + strength * power(edge, exponent)
    if inverted == 1:
        return 1.0 - f
    return f
