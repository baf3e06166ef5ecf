"""Thresholds, ramps, gradients, coordinates and colour, against closed forms and colour-science."""

import math
import warnings

import numpy as np
import pytest

from tests.shade.test_subset import on_cpu
from whorl.fields import colour, coordinates, patterns, screen, shaping, view
from whorl.shade import Table8, Vec2, Vec3, Vec4

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    import colour as science


def test_srgb_is_the_standards():
    x = np.linspace(0, 1, 1001)
    mine = on_cpu(colour.srgb_of, (), [x])[0]
    assert np.abs(mine - science.cctf_encoding(x, "sRGB")).max() < 2e-6


def test_luminance_weighs_as_rec_709():
    weights = science.RGB_COLOURSPACES["ITU-R BT.709"].matrix_RGB_to_XYZ[1]
    for axis in range(3):
        unit = Vec3(*(1.0 if i == axis else 0.0 for i in range(3)))
        assert colour.luminance(unit) == pytest.approx(weights[axis], abs=2e-4)


def test_a_threshold_without_softness_is_a_step_and_a_rim_is_the_difference_of_two():
    x = np.linspace(0, 1, 1001)
    at, nought, wide = np.full_like(x, 0.4), np.zeros_like(x), np.full_like(x, 0.2)
    step = on_cpu(shaping.threshold, (), [x], [nought], [at], [nought], [nought])[0]
    assert np.array_equal(step[np.abs(x - 0.4) > 1e-5], (x > 0.4)[np.abs(x - 0.4) > 1e-5])
    soft = np.full_like(x, 0.1)
    rim = on_cpu(shaping.rim, (), [x], [nought], [at], [nought], [wide], [nought], [soft])[0]
    low = on_cpu(shaping.threshold, (), [x], [nought], [at], [nought], [soft])[0]
    high = on_cpu(shaping.threshold, (), [x], [nought], [at + wide], [nought], [soft])[0]
    assert np.abs(rim - (low - high)).max() < 1e-6
    assert rim[(x > 0.46) & (x < 0.54)].min() == 1


def test_a_ramp_is_numpys_interpolation():
    places, reds = [0.1, 0.4, 0.7, 0.9], [0.0, 2.0, 0.5, 1.0]
    stops = Table8([Vec4(r, 0, 1, p) for p, r in zip(places, reds, strict=True)])
    for x in np.linspace(-0.2, 1.2, 57):
        got = shaping.ramp(float(x), stops, shaping.LINEAR)
        assert got.x == pytest.approx(np.interp(x, places, reds), abs=1e-6) and got.z == 1
    # Held stops keep their colour up to the next.
    assert shaping.ramp(0.69, stops, shaping.CONSTANT).x == 2.0


def test_remap_is_a_straight_line_that_may_run_backwards():
    assert shaping.remap(0.25, 0.0, 0.5, 10.0, 20.0, 0) == pytest.approx(15)
    assert shaping.remap(0.75, 1.0, 0.0, 0.0, 1.0, 1) == pytest.approx(0.25)
    assert shaping.remap(3.0, 0.0, 1.0, 0.0, 2.0, 1) == 2
    assert math.isfinite(shaping.remap(0.5, 0.3, 0.3, 0.0, 1.0, 0))


def test_gradients_are_their_closed_forms():
    assert patterns.linear(Vec3(0.3, 0.4, 0), Vec3(0, 2, 0), 0.0, 1.0, 0) == pytest.approx(0.4)
    assert patterns.linear(Vec3(1, 1, 1), Vec3(1, 1, 1), 0.0, math.sqrt(3), 0) == pytest.approx(1)
    assert patterns.radial(Vec3(0.8, 0.9, 0), Vec3(0.5, 0.5, 0), 1.0, 0) == pytest.approx(0.5)
    assert patterns.radial(Vec3(0.75, 0.5, 0), Vec3(0.5, 0.5, 0), 0.5, patterns.SMOOTH) == pytest.approx(0.5)


def test_polar_gives_angle_and_distance_and_nothing_breaks_at_the_centre():
    for angle in (-3.0, -1.0, 0.5, 2.0, 3.1):
        p = coordinates.polar(Vec3(0.5 + 0.3 * math.cos(angle), 0.5 + 0.3 * math.sin(angle), 0), Vec2(0.5, 0.5))
        assert p.x == pytest.approx((angle / math.tau + 0.5) % 1, abs=1e-6)
        assert p.y == pytest.approx(0.3)
    centre = on_cpu(coordinates.polar, (), [[0.5], [0.5], [0.0]], [[0.5], [0.5]])
    assert all(np.isfinite(c).all() for c in centre)


def test_turning_four_quarters_comes_back_and_keeps_the_period_only_where_it_may():
    p = Vec3(0.2, 0.9, 0.4)
    for axis in range(3):
        q = p
        for _ in range(4):
            q = coordinates.rotate(q, 90.0, Vec3(0.5, 0.5, 0.5), axis)
        assert tuple(q) == pytest.approx(tuple(p))
    square, oblong = Vec3(1, 1, 0), Vec3(2, 1, 0)
    period = coordinates.rotate_period
    assert tuple(period(square, 90.0, 2)) == (1, 1, 0)
    assert tuple(period(oblong, 90.0, 2)) == (0, 0, 0)
    assert tuple(period(oblong, 180.0, 2)) == (2, 1, 0)
    assert tuple(period(square, 30.0, 2)) == (0, 0, 0)


def test_fresnel_is_nought_facing_and_one_at_grazing():
    n = Vec3(0, 0, 1)
    assert view.fresnel(n, Vec3(0, 0, 1), 5.0, 1.0, 0.0, 0) == 0
    assert view.fresnel(n, Vec3(1, 0, 0), 5.0, 1.0, 0.0, 0) == 1
    slant = Vec3(math.sin(1.0), 0, math.cos(1.0))
    assert view.fresnel(n, slant, 3.0, 0.5, 0.1, 0) == pytest.approx(0.1 + 0.5 * (1 - math.cos(1.0)) ** 3)


def test_the_tone_mapper_keeps_dim_colours_and_never_passes_white():
    # Khronos: below its shoulder the curve only takes off the base reflectance of 0.04.
    assert tuple(screen.neutral(Vec3(0.5, 0.3, 0.2))) == pytest.approx((0.46, 0.26, 0.16), abs=1e-6)
    shown = on_cpu(screen.neutral, (), list(np.random.default_rng(3).uniform(0, 50, (3, 2000))))
    assert max(c.max() for c in shown) < 1 and min(c.min() for c in shown) > -1e-5
    grey = on_cpu(screen.neutral, (), [np.linspace(0.1, 30, 500)] * 3)[0]
    assert np.all(np.diff(grey) > 0)
