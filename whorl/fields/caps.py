"""The cap of a cut-away body: the surface where a level cuts its inside, met along the line of sight.

The way from where the eye enters the shape to where it would leave it is halved until the place is near at which the
opacity passes the level (bisection), and the last step goes along the chord. One crossing is found, so it is exact for
planes, and for waves that no line of sight meets twice.
"""

from whorl.fields.surface import towards
from whorl.shade import Vec3, Vec4, clamp, dot, f32, maximum, shade

#: How often the way is halved: to a 128th of it.
HALVINGS = 7
#: How far apart the places are between which the level's slope is taken, in units of the shape.
APART = 0.01


@shade
def deeper(at_view: Vec3, at_distance: f32, at_back: Vec4, part: f32) -> Vec3:
    """The offset in units of the stage from where the eye enters to a part 0..1 of its way to the far side."""
    return at_view * (-maximum(at_back.w - at_distance, 0.0) * part)


@shade
def place_in(at: Vec3, offset: Vec3, by: f32) -> Vec3:
    """A place moved by an offset; the shape stands `by` times as large as these places have it."""
    return at + offset / by


@shade
def box_in(at: Vec3, offset: Vec3, by: f32, at_box_size: Vec3) -> Vec3:
    """A place in the shape's bounds moved by an offset in units of the stage."""
    return at + offset / maximum(at_box_size * by, 1e-6)


@shade
def beginning(entered: f32, left: f32) -> Vec4:
    """The passage as it begins: from where to where on the way, and what the opacity is at both."""
    return Vec4(0.0, 1.0, entered, left)


@shade
def middle(passage: Vec4) -> f32:
    """Half-way through it."""
    return (passage.x + passage.y) * 0.5


@shade
def narrowed(passage: Vec4, there: f32, cut: f32) -> Vec4:
    """The half of it in which the level is passed, by what the opacity is in its middle."""
    half = (passage.x + passage.y) * 0.5
    if there < cut:
        return Vec4(half, passage.y, there, passage.w)
    return Vec4(passage.x, half, passage.z, there)


@shade
def crossed(passage: Vec4, cut: f32) -> f32:
    """Where the level is passed, along the chord of what is left."""
    rise = passage.w - passage.z
    part = (cut - passage.z) / (rise if rise > 1e-6 else 1e-6)
    return passage.x + (passage.y - passage.x) * clamp(part, 0.0, 1.0)


@shade
def cap_normal(here: f32, x: f32, y: f32, z: f32, at_view: Vec3) -> Vec3:
    """The way out of the cap: against the slope of the opacity, which rises into what is kept; at least towards the
    viewer. `x`, `y` and `z` are what it is a little way off along each axis."""
    slope = Vec3(here - x, here - y, here - z)
    out = towards(slope)
    return at_view if dot(slope, slope) < 1e-14 or dot(out, at_view) <= 0.0 else out


@shade
def capped(picture: Vec4, cap: Vec3, left: f32, footprint: f32, cut: f32, at_back: Vec4, side: f32) -> Vec4:
    """A side of a cut-away body with its cap: seen where the near side is gone and the far one is whole."""
    whole = clamp((left - cut) / maximum(footprint, 1e-5) + 0.5, 0.0, 1.0)
    share = whole * (1.0 - picture.w) if side > 0.0 and at_back.w > 0.0 else 0.0
    return picture + Vec4(maximum(cap, 0.0) * share, share)
