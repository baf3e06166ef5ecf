"""Neighbours, clear bodies and cast light against closed forms."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from whorl.fields import body, cast, surroundings
from whorl.fields.lighting import Lights
from whorl.plan.run.evaluate import run
from whorl.shade import Vec3, Vec4

GREY = Vec3(0.3, 0.3, 0.3)
#: Eight objects that are not there.
NO_OBJECTS = {f"{name}{i}": Vec3(0, 0, 0) for name in ("colour", "at") for i in range(8)} | {
    f"{name}{i}": Vec4(0, 0, 0, 0) for name in ("turn", "size") for i in range(8)
}
ALL = 1 + 3 + 9 + 18
NEAR = surroundings.Neighbours(
    floor=GREY,
    floor_height=-1.0,
    wall=GREY,
    wall_depth=2.0,
    post=GREY,
    post_foot=Vec3(0.5, -1.0, 0.2),
    post_tall=1.5,
    post_radius=0.25,
    ball=GREY,
    ball_centre=Vec3(-0.6, 0.1, 0.4),
    ball_radius=0.4,
    **NO_OBJECTS,
)
places = st.tuples(*[st.floats(-3, 3)] * 3)


def gap_by_hand(p):
    _, y, z = p
    # The post's axis runs upwards from (0.5, −1, 0.2) by 1.5.
    on = np.array([0.5, np.clip(y, -1.0, 0.5), 0.2])
    post = np.linalg.norm(np.array(p) - on) - 0.25
    ball = np.linalg.norm(np.array(p) - [-0.6, 0.1, 0.4]) - 0.4
    return min(y + 1, z + 2, post, ball)


@given(places)
@settings(max_examples=60, deadline=None)
def test_the_gap_to_the_neighbours_is_exact(p):
    got = surroundings.gap(Vec3(*p), NEAR, ALL)
    assert got == pytest.approx(gap_by_hand(p), abs=1e-5)


@pytest.mark.parametrize("kinds", [0, 1, 2, 3, 6, 9, 18])
def test_each_neighbour_is_there_by_itself(kinds):
    got = surroundings.gap(Vec3(0.1, 0.2, 0.3), NEAR, kinds)
    wanted = {0: 10000.0, 1: 1.2, 2: 1.2, 3: 2.3, 6: 2.3}
    if kinds in wanted:
        assert got == pytest.approx(wanted[kinds], rel=1e-5)
    else:
        assert 0 < got < 1


@given(places, st.floats(0, 2 * np.pi), st.floats(-1, 1))
@settings(max_examples=80, deadline=None)
def test_a_ray_ends_where_the_distance_is_nothing(p, turn, high):
    """Where a ray is said to end lies on a neighbour, and nothing lies before that."""
    if gap_by_hand(p) < 0.05:
        return
    flat = np.sqrt(1 - high * high)
    way = np.array([flat * np.cos(turn), high, flat * np.sin(turn)])
    t = surroundings.behind(Vec3(*p), Vec3(*way), NEAR, ALL)
    steps = np.linspace(0, min(t, 8.0) * 0.995, 200)
    assert min(gap_by_hand(np.array(p) + s * way) for s in steps) > -2e-3
    if t < 50:
        assert abs(gap_by_hand(np.array(p) + t * way)) < 2e-3
    else:
        assert t == 10000 or t > 50


def test_a_cone_that_half_meets_a_ball_is_half_caught():
    centre = Vec3(0, 0, 0)
    for off, share in ((0.0, 1.0), (0.5, 0.5), (0.6, 0.0)):
        got = surroundings.to_capsule(Vec3(off, 0, 4), Vec3(0, 0, -1), centre, 0.0, 0.5, 0.0, 0.01)
        assert got.y == pytest.approx(share, abs=1e-5)
    assert surroundings.to_capsule(Vec3(0, 0, -4), Vec3(0, 0, -1), centre, 0.0, 0.5, 0.0, 0.01).y == 0


def test_tiles_average_out_with_distance_and_have_hard_values_near():
    assert surroundings.tiled(0.5, 0.5, 1e-4) == pytest.approx(-surroundings.tiled(1.5, 0.5, 1e-4), abs=1e-3)
    assert abs(surroundings.tiled(0.5, 0.5, 1e-4)) == pytest.approx(1, abs=1e-3)
    xs = np.linspace(0, 2, 400, endpoint=False)
    assert np.mean([surroundings.tiled(x, 0.3, 0.4) for x in xs]) == pytest.approx(0, abs=1e-3)
    assert max(abs(surroundings.tiled(x, 0.3, 2.0)) for x in xs) < 1e-3


def test_what_is_behind_a_neighbour_is_hidden_and_what_is_before_it_is_not():
    eye = Vec3(0, 0, 4)
    near = replace(NEAR, ball_centre=Vec3(0, 0, 0), ball_radius=0.5)

    def left(p, kinds):
        p = Vec3(*p)
        d = np.linalg.norm([p.x, p.y, p.z - 4])
        view = Vec3(-p.x / d, -p.y / d, (4 - p.z) / d)
        return surroundings.unhidden(p, view, float(d), eye, 0.004, near, kinds)

    assert left((0, 0, -1), 18) == 0 and left((0, 0, 1), 18) == 1 and left((0, 0.9, -1), 18) == 1
    assert left((0, -1.2, 1), 1) == 0 and left((0, -0.9, 1), 1) == 1
    assert left((0, 0, -2.1), 3) == 0 and left((0, 0, -1.9), 3) == 1


@pytest.mark.parametrize("reach", [0.1, 0.5])
def test_contact_is_one_at_the_neighbour_and_nothing_from_its_reach_on(reach):
    assert surroundings.touch(0.0, reach, 0.5) == 1
    assert surroundings.touch(reach, reach, 0.0) == 0
    assert surroundings.touch(reach / 2, reach, 0.0) == pytest.approx(0.5)
    values = [surroundings.touch(x * reach, reach, 1.0) for x in np.linspace(0, 1.2, 20)]
    assert values == sorted(values, reverse=True)


@pytest.mark.parametrize("index", [1.0, 1.333, 1.5, 2.4])
def test_light_bends_by_snells_law_and_leaves_a_slab_as_it_came(index):
    normal = Vec3(0, 0, 1)
    for degrees in (0, 20, 45, 70, 85):
        a = np.radians(degrees)
        view = Vec3(np.sin(a), 0, np.cos(a))
        inner = body.entering(normal, view, index)
        assert np.hypot(inner.x, inner.y) * index == pytest.approx(np.sin(a), abs=1e-5)
        assert inner.x <= 1e-6 and inner.z < 0
        out = body.leaving(inner, Vec4(0, 0, -1, 3.0), index)
        assert tuple(out) == pytest.approx((-view.x, -view.y, -view.z), abs=2e-3)


def test_light_thrown_back_altogether_goes_on_along_the_surface():
    steep = np.radians(60)
    inner = Vec3(np.sin(steep), 0, -np.cos(steep))
    out = body.leaving(inner, Vec4(0, 0, -1, 1.0), 1.5)
    assert out.z == pytest.approx(0, abs=0.05) and out.x == pytest.approx(1, abs=1e-2)
    # Where there is no far side nothing bends it again.
    assert tuple(body.leaving(inner, Vec4(0, 0, -1, 0.0), 1.5)) == tuple(inner)


def test_the_colour_that_is_picked_is_seen_at_its_depth_and_again_at_each_depth_on():
    picked = Vec3(0.9, 0.5, 0.1)
    assert tuple(body.absorbed(picked, 0.7, 0.7)) == pytest.approx((0.9, 0.5, 0.1), rel=1e-4)
    assert tuple(body.absorbed(picked, 0.7, 1.4)) == pytest.approx((0.81, 0.25, 0.01), rel=1e-3)
    assert tuple(body.absorbed(picked, 0.7, 0.0)) == (1, 1, 1)
    # −ln(colour) / depth is the coefficient.
    for c, left in zip((0.9, 0.5, 0.1), body.absorbed(picked, 0.7, 1.1), strict=True):
        assert left == pytest.approx(np.exp(np.log(c) / 0.7 * 1.1), rel=1e-3)


def test_milk_takes_from_what_is_seen_what_it_gives():
    dark, white = (Vec3(0, 0, 1), Vec3(0, 0, 0)), Vec3(1, 1, 1)
    got = body.milk_of(white, 0.8, 1.5, Vec3(0, 1, 0), Lights(*dark * 3, white, white, white))
    assert got.w == pytest.approx(np.exp(-0.8 * 1.5), rel=1e-5)
    assert got.x + got.w == pytest.approx(1, abs=1e-3)


def test_a_clear_body_without_anything_shows_the_scene_as_it_is():
    scene, nothing, one = Vec3(0.2, 0.5, 0.7), Vec4(0, 0, 0, 0), Vec3(1, 1, 1)
    none = Vec3(0, 0, 0)
    made = body.clear(none, 0.0, scene, nothing, one, Vec4(0, 0, 0, 1), one, none, 0.0)
    assert tuple(made) == pytest.approx((0.2, 0.5, 0.7, 1))
    # Its far side lies over the scene, background gain multiplies both, opacity hides both.
    far = Vec4(0.3, 0, 0, 0.5)
    made = body.clear(none, 0.0, scene, far, one, Vec4(0, 0, 0, 1), one * 2.0, none, 0.0)
    assert tuple(made) == pytest.approx((0.8, 0.5, 0.7, 1))
    assert tuple(body.clear(none, 1.0, scene, far, one, Vec4(0, 0, 0, 1), one, none, 0.0)) == pytest.approx(
        (0, 0, 0, 1)
    )
    # Its gain is a colour: turquoise × 2 over white.
    made = body.clear(none, 0.0, one, nothing, one, Vec4(0, 0, 0, 1), Vec3(0.5, 1.6, 1.5), none, 0.0)
    assert tuple(made) == pytest.approx((0.5, 1.6, 1.5, 1))
    # Without a backdrop it lets through what it would.
    made = body.clear(none, 0.25, scene, nothing, one, Vec4(0, 0, 0, 1), one, none, 1.0)
    assert made.w == pytest.approx(0.25) and made.x == 0


SHAPES = {"plane": cast.PLANE, "level": cast.LEVEL, "disc": cast.DISC, "ball": cast.BALL}


@pytest.mark.parametrize("size", [1.0, 0.6, 1.7])
@pytest.mark.parametrize("name", SHAPES)
def test_light_is_cast_where_a_ray_to_the_lamp_meets_the_shape(name, size):
    rng = np.random.default_rng(4)
    to = np.array([0.25, 0.8, 0.5])
    to /= np.linalg.norm(to)
    origin = np.array([0.3, 0.9, 3.0])
    near = replace(NEAR, floor_height=-1.3)
    for _ in range(60):
        ground = np.array([rng.uniform(-2.5, 2.5), -1.3, rng.uniform(-2.5, 2.5)])
        way = (ground - origin) / np.linalg.norm(ground - origin)
        got = cast.cast_point(Vec3(*origin), Vec3(*way), 0.001, near, Vec3(*to), 1, size, SHAPES[name])
        # Where the shape is as it is made, the rest is so many times smaller.
        steps = (ground + np.linspace(0.001, 9, 60000)[:, None] * to) / size
        if name == "ball":
            inside = (steps**2).sum(axis=1) < 1
        else:
            axis = 1 if name == "level" else 2
            crossing = np.flatnonzero(np.diff(np.sign(steps[:, axis])))
            at = steps[crossing[0]] if len(crossing) else np.full(3, 99.0)
            reach = {
                "plane": 1 - np.abs(at[:2]).max(),
                "level": 2 - np.abs(at[[0, 2]]).max(),
                "disc": 1 - np.hypot(at[0], at[1]),
            }[name]
            inside = np.array([reach > 0])
            if abs(reach) < 0.2:
                continue
            if reach > 0:
                assert tuple(got.xyz) == pytest.approx(tuple(at), abs=2e-3)
                assert tuple(cast.cast_place(got, size)) == pytest.approx(tuple(at * size), abs=4e-3)
        grazed = name == "ball" and abs(np.sqrt((steps**2).sum(axis=1)).min() - 1) < 0.2
        if not grazed:
            assert got.w == pytest.approx(float(inside.any()), abs=1e-6)


def test_the_uv_of_a_cast_is_that_of_the_shape():
    from whorl.shapes import shape

    for name, kind in SHAPES.items():
        mesh = shape(name)
        some = np.flatnonzero((mesh.uvs > 0.02).all(axis=1) & (mesh.uvs < 0.98).all(axis=1))[::37]
        if name in ("plane", "level"):
            some = np.arange(len(mesh.uvs))
        point = [*mesh.positions[some].T.copy(), np.ones(len(some), np.float32)]
        got = run(cast.cast_uv, (("shape", kind),), [point], len(some))
        assert np.stack(got[:2], axis=1) == pytest.approx(mesh.uvs[some], abs=2e-3)


def test_what_lets_light_by():
    white = Vec3(1, 1, 1)
    assert tuple(cast.let_by(0.25, 0.5, white, white, cast.SEE_THROUGH)) == (0.75,) * 3
    assert tuple(cast.let_by(1.0, 0.5, white, white, cast.SOLID)) == (0,) * 3
    assert tuple(cast.let_by(1.0, 0.5, white, white, cast.CUT_AWAY)) == (0,) * 3
    assert tuple(cast.let_by(0.1, 0.5, white, white, cast.CUT_AWAY)) == (1,) * 3
    assert tuple(cast.let_by(0.0, 0.5, white, Vec3(2, 1, 0), cast.GLOWING)) == (2, 1, 0)


def test_a_height_is_met_where_the_line_of_sight_comes_down_to_it():
    """A flat height of h lies at 1 − h of the depth, however many steps lead there."""
    for h in (0.0, 0.3, 0.75, 1.0):
        for steps in (1, 4, 12):
            t = 2.0
            for i in range(1, steps + 1):
                t = body.reached_depth(t, (i - 1) / steps, h, h, i / steps)
            assert t == pytest.approx(1 - h, abs=1e-5)
