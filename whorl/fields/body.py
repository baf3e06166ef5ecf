"""Clear matter: how a see-through body bends, colours and veils what lies behind it."""

from whorl.fields.hash import cell_hash, unit_of
from whorl.fields.lighting import Lights, sky
from whorl.fields.surface import towards
from whorl.fields.surroundings import place_of
from whorl.shade import (
    Fixed,
    Vec3,
    Vec4,
    clamp,
    cross,
    dot,
    exp2,
    f32,
    floor,
    i32,
    log2,
    maximum,
    minimum,
    mix,
    shade,
    sqrt,
    u32,
)

#: The longest way through a body that is counted, in units.
DEEPEST = 20.0
#: How far what is behind is spread at the most, as a tangent.
MOST_BLUR = 0.5


@shade
def facing(normal: Vec3, at_view: Vec3, side: f32) -> Vec3:
    """A normal on the side that is seen, 1 the near and −1 the far; never turned away from the viewer.

    Between vertices normals lean over the outline, where they would mirror what no eye sees.
    """
    n = normal * side
    away = 0.02 - dot(n, at_view)
    return towards(n + at_view * away) if away > 0.0 else n


@shade
def mirrored(normal: Vec3, at_view: Vec3, bare: Vec3) -> Vec3:
    """Where a mirror sends the line of sight.

    A bent normal may send it under the surface itself, whose `bare` normal says where that is: there nothing but the
    surface would be seen, so it goes along it.
    """
    ray = normal * (2.0 * dot(normal, at_view)) - at_view
    return towards(ray + bare * maximum(0.01 - dot(ray, bare), 0.0))


@shade
def entering(normal: Vec3, at_view: Vec3, index: f32) -> Vec3:
    """The line of sight past an interface to matter of that index, 1 or more (Snell's law)."""
    eta = 1.0 / clamp(index, 1.0, 4.0)
    c = clamp(dot(normal, at_view), 0.0, 1.0)
    k = 1.0 - eta * eta * (1.0 - c * c)
    return towards(normal * (eta * c - sqrt(maximum(k, 0.0))) - at_view * eta)


@shade
def leaving(inner: Vec3, at_back: Vec4, index: f32) -> Vec3:
    """The line of sight after the far side, whose outward normal is `at_back.xyz`.

    Where light is thrown back altogether it goes on along the surface.
    """
    n = clamp(index, 1.0, 4.0)
    out = towards(at_back.xyz)
    c = clamp(dot(out, inner), 0.0, 1.0)
    k = maximum(1.0 - n * n * (1.0 - c * c), 0.0)
    gone = towards(inner * n - out * (n * c - sqrt(k)))
    return gone if at_back.w > 0.0 else inner


@shade
def through_of(at_back: Vec4, at_distance: f32, at_behind: f32, closed: Fixed[i32]) -> f32:
    """The way through the body in units: to its far side, or to what lies in it or behind it if that is nearer.

    A body that is not `closed` reaches to what lies behind it where it has no far side.
    """
    own = maximum(at_back.w - at_distance, 0.0) if at_back.w > 0.0 else DEEPEST * f32(1 - closed)
    return clamp(minimum(own, at_behind), 0.0, DEEPEST)


@shade
def back_reached(at_back: Vec4, at_distance: f32, at_behind: f32) -> Vec4:
    """The far side as the line of sight comes to it; none where something within the body is met before."""
    return Vec4(at_back.xyz, at_back.w if at_behind > at_back.w - at_distance else 0.0)


@shade
def far_off(at_back: Vec4, at_distance: f32) -> f32:
    """The way to the body's far side in units, 0 where it has none."""
    return clamp(maximum(at_back.w - at_distance, 0.0) if at_back.w > 0.0 else 0.0, 0.0, DEEPEST)


@shade
def met_far(at_back: Vec4, inner: Vec3, at_view: Vec3) -> f32:
    """How much of the far side's picture is where the line of sight goes: all of it where it meets that side.

    Past the rim of an open body a pixel may still be covered in part by the far side behind it. That
    part is its own only as far as its line of sight is not bent.
    """
    straight = clamp(1.0 - 20000.0 * (1.0 - dot(inner, -at_view)), 0.0, 1.0)
    return 1.0 if at_back.w > 0.0 else straight


@shade
def exit_of(at_world: Vec3, inner: Vec3, at_back: Vec4, through: f32) -> Vec3:
    """Where the line of sight leaves a filled body; where it has no far side, where it enters."""
    return at_world + inner * through if at_back.w > 0.0 else at_world


@shade
def absorbed(colour: Vec3, depth: f32, through: f32) -> Vec3:
    """What is left of white light after a way through matter that shows `colour` at `depth` (Beer–Lambert)."""
    ways = clamp(through / maximum(depth, 1e-4), 0.0, 1000.0)
    c = clamp(colour, 0.0001, 1.0)
    return Vec3(exp2(log2(c.x) * ways), exp2(log2(c.y) * ways), exp2(log2(c.z) * ways))


@shade
def index_through(index: f32, mask: f32) -> f32:
    """An index of refraction where a mask lets it: 1 bends nothing."""
    return 1.0 + (clamp(index, 1.0, 4.0) - 1.0) * clamp(mask, 0.0, 1.0)


@shade
def times(number: f32, mask: f32) -> f32:
    """A number through a mask."""
    return number * mask


@shade
def shown_share(base: Vec3, opacity: f32) -> Vec3:
    """The colour of a clear body's own matter by how much of it hides what is behind."""
    return base * clamp(opacity, 0.0, 1.0)


@shade
def milk_of(colour: Vec3, strength: f32, through: f32, normal: Vec3, lights: Lights) -> Vec4:
    """The light that a body's milkiness scatters back on a way through it, and what it lets pass.

    Scattered once, with lamps reaching round to the far side by half as in any deep body.
    """
    share = exp2(-1.442695 * maximum(strength, 0.0) * through)
    total = sky(normal, 1.0, lights)
    total += lights.key * (0.5 + 0.5 * dot(normal, lights.key_to)) * 0.6
    total += lights.fill * (0.5 + 0.5 * dot(normal, lights.fill_to)) * 0.6
    total += lights.rim * (0.5 + 0.5 * dot(normal, lights.rim_to)) * 0.6
    return Vec4(maximum(colour, 0.0) * total * (1.0 - share), share)


@shade
def clear(
    light: Vec3,
    opacity: f32,
    scene: Vec3,
    far: Vec4,
    tint: Vec3,
    milk: Vec4,
    gain: Vec3,
    glaze: Vec3,
    bare: f32,
) -> Vec4:
    """A clear body: its own light, and through it its far side over the bent scene.

    `glaze` is what its face mirrors away. With `bare` 1 there is no scene, and what it would let
    through of one is its transparency.
    """
    cover = clamp(opacity, 0.0, 1.0)
    passed = tint * maximum(gain, 0.0) * (milk.w * (1.0 - cover)) * clamp(1.0 - glaze, 0.0, 1.0)
    rest = 1.0 - clamp(far.w, 0.0, 1.0)
    back = far.xyz + scene * (rest * (1.0 - bare))
    body = maximum(light, 0.0) + back * passed + milk.xyz * (1.0 - cover)
    through = clamp((passed.x + passed.y + passed.z) / 3.0, 0.0, 1.0) * rest
    return Vec4(body, 1.0 - bare * through)


@shade
def sent(at_view: Vec3) -> Vec3:
    """The line of sight, from the eye on."""
    return -at_view


@shade
def blurred_by(roughness: f32, index: f32, blur: f32, pixel: f32, inside: Fixed[i32]) -> f32:
    """The spread of what is seen through a rough interface: less than a mirror's, as it bends less.

    `blur` 0..1 spreads it by itself, whatever the index, up to half as far as what is looked at is off.
    """
    r = clamp(roughness, 0.0, 1.0)
    b = clamp(blur, 0.0, 1.0)
    return pixel + r * r * clamp(index - 1.0, 0.0, 1.0) * (0.9 + 0.5 * f32(inside)) + b * b * MOST_BLUR


@shade
def blur_on(spread: f32, pixel: f32, scale: f32) -> f32:
    """How wide a cone is on the picture beyond a pixel, as `at_screen` counts."""
    return maximum(spread - pixel, 0.0) * scale


@shade
def looked(place: Vec3, right: Vec3, up: Vec3, scale: f32) -> Vec3:
    """Which way the eye looks at a place of the picture."""
    x = (place.x - 0.5) * 2.0 / scale
    y = (place.y - 0.5) * 2.0 / scale
    return towards(cross(up, right) + right * x + up * y)


@shade
def looked_from(eye: Vec3, direction: Vec3, at_distance: f32) -> Vec3:
    """A place so far along the line of sight."""
    return eye + direction * at_distance


@shade
def bent_behind(direction: Vec3, normal: Vec3, at_view: Vec3, side: f32, index: f32) -> Vec3:
    """A line of sight past a face of matter of that index."""
    return entering(facing(normal, at_view, side), -direction, index)


@shade
def place_on(direction: Vec3, right: Vec3, up: Vec3, scale: f32) -> Vec3:
    """Where in the picture a direction lies, as `at_screen` counts."""
    at = place_of(direction, right, up, scale)
    return Vec3(at.x, at.y, 0.0)


@shade
def far_place(
    exit_at: Vec3, eye: Vec3, right: Vec3, up: Vec3, scale: f32, pixel: f32, spread: f32, through: f32
) -> Vec3:
    """Where in the picture the far side is seen that a line of sight leaves by, and how far round there.

    Its place is that of `exit_at`; a cone that spreads by more than a pixel is blurred over so much of the way.
    """
    to = exit_at - eye
    at = place_of(towards(to), right, up, scale)
    wide = maximum(spread - pixel, 0.0) * through * scale * 0.5 / maximum(sqrt(dot(to, to)), 1e-3)
    return Vec3(at.x, at.y, wide)


@shade
def sight_below(normal: Vec3, at_view: Vec3, side: f32, index: f32, grazing: f32) -> Vec3:
    """The way of the line of sight below a surface for each unit of depth; `grazing` 0..1 shortens it at the edge."""
    n = facing(normal, at_view, side)
    ray = entering(n, at_view, index)
    steep = maximum(-dot(ray, n), 0.05)
    return ray / mix(steep, 1.0, clamp(grazing, 0.0, 1.0))


@shade
def depth_step(ray: Vec3, depth: f32, share: f32, jitter: f32, at_screen: Vec3, steps: Fixed[i32]) -> Vec3:
    """The offset below a surface at a share of a depth; `jitter` 0..1 spreads it over a step by pixel."""
    stray = unit_of(cell_hash(floor(at_screen.x * 4096.0), floor(at_screen.y * 4096.0), 0.0, u32(7))) - 0.5
    return ray * (depth * clamp(share + stray * jitter / f32(steps), 0.0, 1.0))


@shade
def reached_depth(before: f32, last: f32, height: f32, last_height: f32, share: f32) -> f32:
    """The share of a depth where the line of sight meets a height, 2 until it does.

    A height of 1 lies at the surface, of 0 at the whole depth; between steps it is taken as straight.
    """
    above = share - (1.0 - height)
    was = last - (1.0 - last_height)
    meets = mix(last, share, clamp(-was / maximum(above - was, 1e-5), 0.0, 1.0))
    return before if before < 1.5 else (meets if above >= 0.0 else 2.0)


@shade
def flat_depth(height: f32) -> f32:
    """The share of a depth where a height lies that is the same all over."""
    return clamp(1.0 - height, 0.0, 1.0)


@shade
def depth_offset(ray: Vec3, depth: f32, reached: f32) -> Vec3:
    """The offset where a height was met."""
    return ray * (depth * clamp(reached, 0.0, 1.0))


@shade
def lowered_place(at: Vec3, offset: Vec3) -> Vec3:
    """A place moved by an offset."""
    return at + offset


@shade
def lowered_uv(at: Vec3, offset: Vec3, at_along_u: Vec3, at_along_v: Vec3) -> Vec3:
    """UV straight above a place below the surface."""
    return at + Vec3(dot(offset, at_along_u), dot(offset, at_along_v), 0.0)


@shade
def lowered_second_uv(at: Vec3, offset: Vec3, at_second_u: Vec3, at_second_v: Vec3) -> Vec3:
    """The second set of UV straight above a place below the surface."""
    return at + Vec3(dot(offset, at_second_u), dot(offset, at_second_v), 0.0)


@shade
def lowered_box(at: Vec3, offset: Vec3, at_box_size: Vec3) -> Vec3:
    """A place in the bounds moved by an offset."""
    return at + offset / maximum(at_box_size, 1e-6)
