"""Objects on the stage: distances, rays and turns against NumPy and SciPy."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from tests.fields.test_surroundings import NEAR
from whorl.effect.stage import FORMS
from whorl.fields import solids, surroundings
from whorl.fields.lighting import Lights, lamp_direction
from whorl.shade import Vec3, Vec4

SIZE = (0.8, 1.4, 0.5)
#: The same from all round, and no lamp.
EVEN = Lights(*[Vec3(0, 0, 1), Vec3(0, 0, 0)] * 3, *[Vec3(1, 1, 1)] * 3)
places = st.tuples(*[st.floats(-2.5, 2.5)] * 3).map(np.array)
angles = st.floats(-180, 180)
forms = st.sampled_from(list(FORMS))


def away(form, p):
    """How far places (…, 3) are from a solid of SIZE, from what each form is."""
    w, h, d = (x / 2 for x in SIZE)
    if form == "ball":
        return np.linalg.norm(p, axis=-1) - w
    if form == "capsule":
        ends = np.array([0, h - w, 0])
        along = np.clip(p @ (ends * 2) + ends @ ends * 2, 0, ends @ ends * 4) / (ends @ ends * 4)
        return np.linalg.norm(p + ends - along[..., None] * 2 * ends, axis=-1) - w
    if form == "cylinder":
        # In its half plane it is a rectangle.
        x, y, z = np.moveaxis(p, -1, 0)
        p, half = np.stack([np.hypot(x, z), y, 0 * x], axis=-1), np.array([w, h, 9])
    else:
        half = np.array([w, solids.SHEET if form == "plane" else h, d])
    outside = np.linalg.norm(p - np.clip(p, -half, half), axis=-1)
    return np.where(outside > 0, outside, -np.abs(np.abs(p) - half).min(axis=-1))


def sized(form):
    return solids.size_of(Vec3(*SIZE), list(FORMS).index(form))


@given(forms, places)
@settings(max_examples=200, deadline=None)
def test_distances_are_exact(form, p):
    assert solids.from_solid(Vec3(*p), sized(form)) == pytest.approx(away(form, p), abs=2e-5)


@given(forms, places, angles, st.floats(-1, 1))
@settings(max_examples=300, deadline=None)
def test_a_ray_ends_on_the_solid_and_on_nothing_before(form, p, turn, high):
    if away(form, p) < 0.02:
        return
    flat, turn = np.sqrt(1 - high * high), np.radians(turn)
    way = np.array([flat * np.cos(turn), high, flat * np.sin(turn)])
    t, caught = solids.to_solid(Vec3(*p), Vec3(*way), sized(form), 0.0, 1e-4)
    # Past the solid's edge by less than a cone's width it may be either.
    nearest = away(form, p + np.linspace(0, 8, 2000)[:, None] * way).min()
    if nearest > 0.01:
        assert caught < 0.5 or t == solids.NEVER
    elif caught == 1.0:
        assert away(form, p + t * way) == pytest.approx(0, abs=2e-3)
        assert away(form, p + np.linspace(0, t * 0.995, 200)[:, None] * way).min() > -2e-3
        out = np.array(tuple(solids.outward(Vec3(*(p + t * way)), sized(form))))
        assert np.linalg.norm(out) == pytest.approx(1, abs=1e-4)
        assert out @ way < 1e-3


@given(angles, st.floats(-90, 90), angles, places)
@settings(max_examples=100, deadline=None)
def test_the_axis_turns_as_a_lamp_does_and_spin_goes_about_it(yaw, pitch, spin, p):
    turn = solids.turn_of(yaw, pitch, spin)
    up = solids.turned_out(Vec3(0, 1, 0), turn)
    assert tuple(up) == pytest.approx(tuple(lamp_direction(yaw, pitch)), abs=1e-5)
    by = Rotation.from_euler("YXY", [yaw, 90 - pitch, spin], degrees=True)
    assert tuple(solids.turned_out(Vec3(*p), turn)) == pytest.approx(tuple(by.apply(p)), abs=1e-4)
    assert tuple(solids.turned_back(Vec3(*by.apply(p)), turn)) == pytest.approx(tuple(p), abs=1e-4)


@pytest.mark.parametrize("form", FORMS)
def test_a_cone_past_an_edge_is_caught_by_halves(form):
    """A ray along z at the right edge, at which half of the cone misses it: also of a sheet that is seen from above."""
    eye, way = (Vec3(0, 4, 0), Vec3(0, -1, 0)) if form == "plane" else (Vec3(0, 0, 4), Vec3(0, 0, -1))
    for off, share in ((-0.05, 1.0), (0.0, 0.5), (0.05, 0.0)):
        at = Vec3(SIZE[0] / 2 + off, eye.y, eye.z)
        assert solids.to_solid(at, way, sized(form), 0.02, 0.0).y == pytest.approx(share, abs=0.02)


def stood(**objects):
    """The neighbours with objects by number: (at, turn, size)."""
    given = {}
    for i, (at, turn, size) in enumerate(objects.values()):
        given |= {f"at{i}": Vec3(*at), f"turn{i}": turn, f"size{i}": size, f"colour{i}": Vec3(1, 1, 1)}
    return replace(NEAR, **given), 36 * len(objects)


@pytest.mark.parametrize("count", range(1, 9))
def test_every_object_counts_at_its_own_place_and_turn(count):
    turns = [(i * 40.0, 90.0 - 90.0 * (i % 2), 0.0) for i in range(count)]
    near, kinds = stood(**{f"o{i}": ((3 * i, 0, 0), solids.turn_of(*t), sized("box")) for i, t in enumerate(turns)})
    for i, (yaw, pitch, spin) in enumerate(turns):
        # How high a turned box reaches.
        across = Rotation.from_euler("YXY", [yaw, 90 - pitch, spin], degrees=True).as_matrix()[1]
        top = np.abs(across) @ (np.array(SIZE) / 2)
        assert surroundings.behind(Vec3(3 * i, 3, 0), Vec3(0, -1, 0), near, kinds) == pytest.approx(3 - top, abs=1e-3)
        assert surroundings.gap(Vec3(3 * i, top + 0.1, 0), near, kinds) == pytest.approx(0.1, abs=1e-4)
        assert surroundings.reached(Vec3(3 * i, -2, 0), Vec3(0, 1, 0), near, kinds) < 0.01
    assert surroundings.reached(Vec3(1.5, -2, 0), Vec3(0, 1, 0), near, kinds) > 0.99


def test_the_next_object_is_seen_past_the_edge_of_the_nearest():
    near, kinds = stood(
        a=((0, 0, 1), Vec4(0, 0, 0, 1), sized("box")), b=((0, 0, -2), Vec4(0, 0, 0, 1), Vec4(2, 2, 0.1, 1))
    )
    near = replace(near, colour0=Vec3(1, 0, 0), colour1=Vec3(0, 0, 1))

    def at(x):
        beyond, white = Vec3(0, 1, 0), Vec3(1, 1, 1)
        return surroundings.seen(Vec3(x, 0, 4), Vec3(0, 0, -1), 0.02, 0.0, beyond, white, near, EVEN, kinds)

    front, edge, back, out = at(0.3), at(0.4), at(0.5), at(3)
    assert front.x > 0.1 and front.z == 0 and back.z > 0.1 and back.x == 0
    assert tuple(edge) == pytest.approx([(f + b) / 2 for f, b in zip(front, back, strict=True)], abs=0.03)
    assert tuple(out) == (0, 1, 0) and front.y == edge.y == back.y == 0
