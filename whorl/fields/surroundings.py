"""The effect's neighbours in closed form: what a ray meets, how far off they are, what light they send.

Floor and wall are planes, the post is an upright capsule and the ball a capsule of no length, so
that distances and what rays meet are exact. A ray is a cone: `spread` is how much its radius
grows for each unit of way, so that edges are smooth and a rough mirror shows soft pictures.

`kinds` says which there are: 1 for a floor of one colour or 2 for one in tiles, three times as much
for the wall, 9 for a post, 18 for a ball, and 36 for each object that has a place and turn of its own.
"""

from whorl.fields.lighting import Lights, sky
from whorl.fields.solids import NEVER, from_solid, outward, to_solid, turned_back, turned_out
from whorl.fields.surface import towards
from whorl.shade import (
    Fixed,
    Vec2,
    Vec3,
    Vec4,
    absolute,
    clamp,
    cross,
    dot,
    exp2,
    f32,
    fract,
    i32,
    maximum,
    minimum,
    mix,
    record,
    shade,
    sqrt,
)


@record
class Neighbours:
    """Colours and places: the floor's height, how far behind the middle the wall stands, where the
    post's axis begins and how long that is, and the radius of post and ball; then of each object its
    colour, its middle, its turn and its size, as `solids` has them."""

    floor: Vec3
    floor_height: f32
    wall: Vec3
    wall_depth: f32
    post: Vec3
    post_foot: Vec3
    post_tall: f32
    post_radius: f32
    ball: Vec3
    ball_centre: Vec3
    ball_radius: f32
    colour0: Vec3
    at0: Vec3
    turn0: Vec4
    size0: Vec4
    colour1: Vec3
    at1: Vec3
    turn1: Vec4
    size1: Vec4
    colour2: Vec3
    at2: Vec3
    turn2: Vec4
    size2: Vec4
    colour3: Vec3
    at3: Vec3
    turn3: Vec4
    size3: Vec4
    colour4: Vec3
    at4: Vec3
    turn4: Vec4
    size4: Vec4
    colour5: Vec3
    at5: Vec3
    turn5: Vec4
    size5: Vec4
    colour6: Vec3
    at6: Vec3
    turn6: Vec4
    size6: Vec4
    colour7: Vec3
    at7: Vec3
    turn7: Vec4
    size7: Vec4


#: How far the floor and the wall are seen before they fade into the backdrop, in units.
FADE = 9.0

PLAIN, CHECKER, GRADIENT = 0, 1, 2


@shade
def to_plane(height: f32, rise: f32) -> f32:
    """How far a ray goes to a plane that it begins `height` above and nears by −`rise` a unit of way."""
    away = -height / (rise if absolute(rise) > 1e-6 else 1e-6)
    return away if away > 0.0 and height > 0.0 else NEVER


@shade
def from_capsule(p: Vec3, foot: Vec3, tall: f32, radius: f32) -> f32:
    """The distance to an upright capsule whose axis goes `tall` upwards from `foot`; negative inside."""
    q = p - foot
    to = q - Vec3(0.0, clamp(q.y, 0.0, maximum(tall, 0.0)), 0.0)
    return sqrt(dot(to, to)) - radius


@shade
def to_capsule(origin: Vec3, direction: Vec3, foot: Vec3, tall: f32, radius: f32, start: f32, spread: f32) -> Vec2:
    """How far a ray goes to an upright capsule, and what share of the cone about it is caught, 0..1."""
    o = origin - foot
    long = maximum(tall, 0.0)
    a = 1.0 - direction.y * direction.y
    b = o.x * direction.x + o.z * direction.z
    # Where ray and axis pass each other, and there the nearest point of the axis.
    passing = -b / maximum(a, 1e-6)
    on = clamp(o.y + passing * direction.y, 0.0, long)
    to = Vec3(o.x, o.y - on, o.z)
    t = -dot(to, direction)
    across = to + direction * t
    off = dot(across, across)
    caught = clamp(0.5 + 0.5 * (radius - sqrt(off)) / maximum(start + spread * t, 1e-6), 0.0, 1.0)
    # The side of the cylinder if the ray enters there, else the ball at an end.
    side = passing - sqrt(maximum(b * b - a * (o.x * o.x + o.z * o.z - radius * radius), 0.0)) / maximum(a, 1e-6)
    high = o.y + side * direction.y
    end = Vec3(o.x, o.y - clamp(high, 0.0, long), o.z)
    nearest = -dot(end, direction)
    apart = end + direction * nearest
    round = nearest - sqrt(maximum(radius * radius - dot(apart, apart), 0.0))
    straight = a > 1e-5 and high >= 0.0 and high <= long
    met = side if straight else round
    inside = dot(to, to) < radius * radius
    return Vec2(NEVER, 0.0) if t <= 0.0 or inside else Vec2(maximum(met, 1e-4), caught)


@shade
def _ramp(x: f32) -> f32:
    return 2.0 * absolute(fract(x * 0.5) - 0.5)


@shade
def tiled(x: f32, y: f32, wide: f32) -> f32:
    """A checker of unit squares, −1 and 1, averaged over `wide`."""
    w = maximum(wide, 1e-4)
    across = clamp((_ramp(x - w * 0.5) - _ramp(x + w * 0.5)) / w, -1.0, 1.0)
    down = clamp((_ramp(y - w * 0.5) - _ramp(y + w * 0.5)) / w, -1.0, 1.0)
    return across * down


@shade
def place_of(direction: Vec3, right: Vec3, up: Vec3, scale: f32) -> Vec2:
    """Where in the picture a direction lies, as `at_screen` counts; `scale` is 1 / tan(view / 2)."""
    ahead = maximum(dot(direction, cross(up, right)), 0.05)
    return Vec2(dot(direction, right), dot(direction, up)) * (scale * 0.5 / ahead) + 0.5


@shade
def backdrop(place: Vec3, colour: Vec3, second: Vec3, wide: f32, kind: Fixed[i32]) -> Vec3:
    """What lies behind everything, by place in the picture: 0..1 along its lesser side, y up; averaged over `wide`."""
    if kind == CHECKER:
        return colour * (1.0 + 0.25 * tiled((place.x - 0.5) * 18.0, (place.y - 0.5) * 18.0, wide * 18.0))
    if kind == GRADIENT:
        rise = clamp(place.y, 0.0, 1.0)
        return mix(colour, second, rise * rise * (3.0 - 2.0 * rise))
    return colour


@shade
def backdrop_uv(place: Vec3, aspect: f32) -> Vec3:
    """Where a picture `aspect` times as wide as high is looked at: its lesser side covers 0..1."""
    wide = maximum(aspect, 1.0)
    high = maximum(1.0 / aspect, 1.0)
    return Vec3((place.x - 0.5) / wide + 0.5, (place.y - 0.5) / high + 0.5, 0.0)


@shade
def seen_at_once(footprint: Vec3, wide: f32) -> Vec3:
    """How much a picture's coordinates change over what is seen at once."""
    return footprint + Vec3(wide, wide, 0.0)


@shade
def pictured(texel: Vec4, colour: Vec3) -> Vec3:
    """A picture's light, over a colour where it is clear."""
    return mix(colour, texel.xyz, texel.w)


@shade
def _three(i: i32, a: Vec3, b: Vec3, c: Vec3, d: Vec3, e: Vec3, f: Vec3, g: Vec3, h: Vec3) -> Vec3:
    first = (a if i == 0 else b) if i < 2 else (c if i == 2 else d)
    last = (e if i == 4 else f) if i < 6 else (g if i == 6 else h)
    return first if i < 4 else last


@shade
def _four(i: i32, a: Vec4, b: Vec4, c: Vec4, d: Vec4, e: Vec4, f: Vec4, g: Vec4, h: Vec4) -> Vec4:
    first = (a if i == 0 else b) if i < 2 else (c if i == 2 else d)
    last = (e if i == 4 else f) if i < 6 else (g if i == 6 else h)
    return first if i < 4 else last


@shade
def _colour(near: Neighbours, i: i32) -> Vec3:
    return _three(
        i,
        near.colour0,
        near.colour1,
        near.colour2,
        near.colour3,
        near.colour4,
        near.colour5,
        near.colour6,
        near.colour7,
    )


@shade
def _at(near: Neighbours, i: i32) -> Vec3:
    return _three(i, near.at0, near.at1, near.at2, near.at3, near.at4, near.at5, near.at6, near.at7)


@shade
def _turn(near: Neighbours, i: i32) -> Vec4:
    return _four(i, near.turn0, near.turn1, near.turn2, near.turn3, near.turn4, near.turn5, near.turn6, near.turn7)


@shade
def _size(near: Neighbours, i: i32) -> Vec4:
    return _four(i, near.size0, near.size1, near.size2, near.size3, near.size4, near.size5, near.size6, near.size7)


@shade
def from_object(p: Vec3, near: Neighbours, i: i32) -> f32:
    """The distance to an object; negative inside it."""
    return from_solid(turned_back(p - _at(near, i), _turn(near, i)), _size(near, i))


@shade
def to_object(origin: Vec3, direction: Vec3, near: Neighbours, i: i32, start: f32, spread: f32) -> Vec2:
    """How far a ray goes to an object, and what share of the cone about it is caught, 0..1."""
    turn = _turn(near, i)
    own = turned_back(origin - _at(near, i), turn)
    return to_solid(own, turned_back(direction, turn), _size(near, i), start, spread)


@shade
def gap(p: Vec3, near: Neighbours, kinds: Fixed[i32]) -> f32:
    """The distance to the nearest neighbour, negative inside it; 10,000 where there is none."""
    least = NEVER
    if kinds % 3 > 0:
        least = minimum(least, p.y - near.floor_height)
    if kinds // 3 % 3 > 0:
        least = minimum(least, p.z + near.wall_depth)
    if kinds // 9 % 2 > 0:
        least = minimum(least, from_capsule(p, near.post_foot, near.post_tall, near.post_radius))
    if kinds // 18 % 2 > 0:
        least = minimum(least, from_capsule(p, near.ball_centre, 0.0, near.ball_radius))
    for i in range(kinds // 36):
        least = minimum(least, from_object(p, near, i))
    return least


@shade
def open_to(
    p: Vec3,
    normal: Vec3,
    near: Neighbours,
    kinds: Fixed[i32],
) -> f32:
    """How much of the light from all round neighbours leave to a surface, 0..1.

    From their distance a little way and farther along the normal: nothing nearer, nothing lost.
    """
    kept = 1.0
    for i in range(3):
        way = 0.08 * exp2(f32(i) * 1.5)
        d = gap(p + normal * way, near, kinds)
        kept -= clamp((way - d) / way, 0.0, 1.0) * 0.42 * exp2(-f32(i))
    return clamp(kept, 0.0, 1.0)


@shade
def behind(
    p: Vec3,
    direction: Vec3,
    near: Neighbours,
    kinds: Fixed[i32],
) -> f32:
    """How far it is from a point along a unit direction to the next neighbour; 10,000 where there is none."""
    least = NEVER
    if kinds % 3 > 0:
        least = minimum(least, to_plane(p.y - near.floor_height, direction.y))
    if kinds // 3 % 3 > 0:
        least = minimum(least, to_plane(p.z + near.wall_depth, direction.z))
    if kinds // 9 % 2 > 0:
        a = to_capsule(p, direction, near.post_foot, near.post_tall, near.post_radius, 0.0, 0.0)
        least = a.x if a.y > 0.5 and a.x < least else least
    if kinds // 18 % 2 > 0:
        b = to_capsule(p, direction, near.ball_centre, 0.0, near.ball_radius, 0.0, 0.0)
        least = b.x if b.y > 0.5 and b.x < least else least
    for i in range(kinds // 36):
        c = to_object(p, direction, near, i, 0.0, 0.0)
        least = c.x if c.y > 0.5 and c.x < least else least
    return least


@shade
def reached(p: Vec3, to: Vec3, near: Neighbours, kinds: Fixed[i32]) -> f32:
    """What share of a lamp's light post, ball and objects leave to a point, 0..1; shadows soften with distance."""
    through = 1.0
    if kinds // 9 % 2 > 0:
        a = to_capsule(p, to, near.post_foot, near.post_tall, near.post_radius, 0.0, 0.06)
        through *= 1.0 - a.y
    if kinds // 18 % 2 > 0:
        b = to_capsule(p, to, near.ball_centre, 0.0, near.ball_radius, 0.0, 0.06)
        through *= 1.0 - b.y
    for i in range(kinds // 36):
        through *= 1.0 - to_object(p, to, near, i, 0.0, 0.06).y
    return through


@shade
def matte(colour: Vec3, normal: Vec3, open: f32, key: Vec3, lights: Lights) -> Vec3:
    """The light a matte neighbour sends back; `open` is what is left of the sky's, `key` of the key lamp's."""
    total = sky(normal, 1.0, lights) * open
    total += key * maximum(dot(normal, lights.key_to), 0.0)
    total += lights.fill * maximum(dot(normal, lights.fill_to), 0.0)
    total += lights.rim * maximum(dot(normal, lights.rim_to), 0.0)
    return colour * total


@shade
def met(origin: Vec3, direction: Vec3, near: Neighbours, kinds: Fixed[i32]) -> Vec2:
    """How far a ray goes to floor or wall, whichever is first, and 1 where that is the wall."""
    t = NEVER
    which = 0.0
    if kinds % 3 > 0:
        t = to_plane(origin.y - near.floor_height, direction.y)
    if kinds // 3 % 3 > 0:
        other = to_plane(origin.z + near.wall_depth, direction.z)
        which = 1.0 if other < t else 0.0
        t = minimum(t, other)
    return Vec2(t, which)


@shade
def ended(origin: Vec3, direction: Vec3, spread: f32, near: Neighbours, kinds: Fixed[i32]) -> f32:
    """How far a cone goes to the first neighbour that it touches."""
    hit = met(origin, direction, near, kinds)
    t = hit.x
    if kinds // 9 % 2 > 0:
        a = to_capsule(origin, direction, near.post_foot, near.post_tall, near.post_radius, 1e-4, spread)
        t = minimum(t, a.x if a.y > 0.0 else NEVER)
    if kinds // 18 % 2 > 0:
        b = to_capsule(origin, direction, near.ball_centre, 0.0, near.ball_radius, 1e-4, spread)
        t = minimum(t, b.x if b.y > 0.0 else NEVER)
    for i in range(kinds // 36):
        c = to_object(origin, direction, near, i, 1e-4, spread)
        t = minimum(t, c.x if c.y > 0.0 else NEVER)
    return t


@shade
def _object_light(p: Vec3, cast: Vec3, near: Neighbours, lights: Lights, which: f32, kinds: Fixed[i32]) -> Vec3:
    """The light that an object sends back from a place on it."""
    i = i32(which + 0.5)
    turn = _turn(near, i)
    up = turned_out(outward(turned_back(p - _at(near, i), turn), _size(near, i)), turn)
    left = reached(p + up * 0.002, lights.key_to, near, kinds)
    return matte(_colour(near, i), up, open_to(p + up * 0.001, up, near, kinds), lights.key * cast * left, lights)


@shade
def seen(
    origin: Vec3,
    direction: Vec3,
    start: f32,
    spread: f32,
    beyond: Vec3,
    cast: Vec3,
    near: Neighbours,
    lights: Lights,
    kinds: Fixed[i32],
) -> Vec3:
    """The light that a cone about a ray brings from the neighbours, and from `beyond` past them.

    `cast` is what the effect lets through of the key light to the neighbour where the ray ends.
    """
    total = beyond
    hit = met(origin, direction, near, kinds)
    t = hit.x
    # Light is reckoned where a ray ends and nowhere else; past 400 nothing is left of the floor and the wall.
    if kinds % 9 > 0 and t <= 400.0:
        at = origin + direction * t
        on_wall = hit.y > 0.5
        normal = Vec3(0.0, 0.0, 1.0) if on_wall else Vec3(0.0, 1.0, 0.0)
        wide = (start + spread * t) / maximum(absolute(dot(normal, direction)), 0.02) * 4.0
        tiles = 0.0
        if kinds % 3 == 2:
            tiles = 0.0 if on_wall else tiled(at.x * 2.0, at.z * 2.0, wide)
        if kinds // 3 % 3 == 2:
            tiles = tiled(at.x * 2.0, at.y * 2.0, wide) if on_wall else tiles
        colour = (near.wall if on_wall else near.floor) * (1.0 + 0.22 * tiles)
        left = reached(at + normal * 0.001, lights.key_to, near, kinds)
        open = open_to(at, normal, near, kinds)
        lit = lights.key * cast * left
        light = matte(colour, normal, open, lit, lights)
        out = maximum(sqrt(dot(at, at)) - 2.0, 0.0) / FADE
        total = mix(total, light, exp2(-out * out))
    if kinds // 9 % 2 > 0:
        a = to_capsule(origin, direction, near.post_foot, near.post_tall, near.post_radius, start, spread)
        if a.y > 0.0 and a.x < t:
            on = origin + direction * a.x
            q = on - near.post_foot
            up = towards(q - Vec3(0.0, clamp(q.y, 0.0, maximum(near.post_tall, 0.0)), 0.0))
            free = open_to(on, up, near, kinds - 9)
            light2 = matte(near.post, up, free, lights.key * cast, lights)
            total = mix(total, light2, a.y)
        t = a.x if a.y > 0.5 and a.x < t else t
    if kinds // 18 % 2 > 0:
        b = to_capsule(origin, direction, near.ball_centre, 0.0, near.ball_radius, start, spread)
        if b.y > 0.0 and b.x < t:
            on2 = origin + direction * b.x
            up2 = towards(on2 - near.ball_centre)
            free2 = open_to(on2, up2, near, kinds - 18)
            light3 = matte(near.ball, up2, free2, lights.key * cast, lights)
            total = mix(total, light3, b.y)
        t = b.x if b.y > 0.5 and b.x < t else t
    if kinds // 36 > 0:
        # The nearest two: past the edge of one the next is seen.
        first = Vec3(NEVER, 0.0, 0.0)
        second = Vec3(NEVER, 0.0, 0.0)
        for i in range(kinds // 36):
            c = to_object(origin, direction, near, i, start, spread)
            this = Vec3(c.x if c.y > 0.0 else NEVER, c.y, f32(i))
            second = first if this.x < first.x else this if this.x < second.x else second
            first = this if this.x < first.x else first
        if second.x < t and first.y < 1.0:
            total = mix(
                total, _object_light(origin + direction * second.x, cast, near, lights, second.z, kinds), second.y
            )
        if first.x < t and first.y > 0.0:
            total = mix(total, _object_light(origin + direction * first.x, cast, near, lights, first.z, kinds), first.y)
    return total


@shade
def unhidden(
    at_world: Vec3,
    at_view: Vec3,
    at_distance: f32,
    eye: Vec3,
    pixel: f32,
    near: Neighbours,
    kinds: Fixed[i32],
) -> f32:
    """How much of a surface point neighbours before it leave to be seen, 0..1, smooth over a pixel."""
    left = 1.0
    wide = maximum(pixel * at_distance, 1e-5)
    if kinds % 3 > 0:
        over = clamp(0.5 + (at_world.y - near.floor_height) / wide, 0.0, 1.0)
        left *= over if eye.y > near.floor_height else 1.0
    if kinds // 3 % 3 > 0:
        before = clamp(0.5 + (at_world.z + near.wall_depth) / wide, 0.0, 1.0)
        left *= before if eye.z > -near.wall_depth else 1.0
    if kinds // 9 % 2 > 0:
        a = to_capsule(eye, -at_view, near.post_foot, near.post_tall, near.post_radius, 0.0, pixel * 0.5)
        left *= 1.0 - a.y * clamp(0.5 + (at_distance - a.x) / wide, 0.0, 1.0)
    if kinds // 18 % 2 > 0:
        b = to_capsule(eye, -at_view, near.ball_centre, 0.0, near.ball_radius, 0.0, pixel * 0.5)
        left *= 1.0 - b.y * clamp(0.5 + (at_distance - b.x) / wide, 0.0, 1.0)
    for i in range(kinds // 36):
        c = to_object(eye, -at_view, near, i, 0.0, pixel * 0.5)
        left *= 1.0 - c.y * clamp(0.5 + (at_distance - c.x) / wide, 0.0, 1.0)
    return left


@shade
def uncovered(picture: Vec4, left: f32, alone: f32) -> Vec4:
    """What is seen of a surface past the neighbours before it; all of it where it is `alone`."""
    return picture * maximum(left, alone)


@shade
def framed(light: Vec3) -> Vec4:
    """What lies behind the effect, as a picture."""
    return Vec4(clamp(light, 0.0, 60000.0), 1.0)


@shade
def covered(at_distance: f32, pixel: f32) -> f32:
    """The radius of a pixel's cone at a surface."""
    return at_distance * pixel


@shade
def cone_of(roughness: f32, pixel: f32, turned: Vec3) -> f32:
    """The spread of what facets of a roughness mirror: most of a GGX lobe, at the least a pixel's.

    `turned` is how much the mirrored ray turns from pixel to pixel: a curved mirror spreads a
    pixel's rays farther apart than they came.
    """
    return maximum(pixel, clamp(sqrt(dot(turned, turned)), 0.0, 2.0)) + 0.8 * roughness * roughness


@shade
def touch(at_gap: f32, reach: f32, power: f32) -> f32:
    """1 where the surface meets a neighbour, 0 from `reach` units on; higher powers keep to the line."""
    from_it = clamp(absolute(at_gap) / maximum(reach, 1e-6), 0.0, 1.0)
    return exp2(-power * 6.0 * from_it) * (1.0 - from_it) if power > 0.0 else 1.0 - from_it


@shade
def depth_share(at_behind: f32, reach: f32) -> f32:
    """How far what lies behind is along the view: 0 where it touches, 1 from `reach` units on."""
    return clamp(at_behind / maximum(reach, 1e-6), 0.0, 1.0)


@shade
def thick_share(at_thickness: f32, reach: f32) -> f32:
    """How much of the shape lies behind along the view: 1 from `reach` units on."""
    return clamp(at_thickness / maximum(reach, 1e-6), 0.0, 1.0)


@shade
def thickness_of(at_back: Vec4, at_distance: f32, at_behind: f32) -> f32:
    """Units from the surface to its own far side along the view, or to what lies behind if that is nearer.

    `at_back` is the far side's normal and its distance from the eye, 0 where there is none.
    """
    through = maximum(at_back.w - at_distance, 0.0) if at_back.w > 0.0 else NEVER
    return clamp(minimum(through, at_behind), 0.0, NEVER)
