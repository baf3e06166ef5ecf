"""Lines and repeated shapes: where they lie, how much they cover, and that a pixel's width smooths them."""

import numpy as np
import pytest

from whorl.fields import lines
from whorl.shade import Vec2, Vec3

HARD = Vec3(0, 0, 0)


def across(function, n=400, high=1.0):
    """A function of one coordinate over 0..high."""
    return np.array([function(float(x)) for x in (np.arange(n) + 0.5) / n * high])


def test_bands_cover_their_width_and_add_up():
    def one(x, lines_):
        p = Vec3(0, x, 0)
        return lines.bands(p, HARD, Vec3(5, 10, 2), Vec3(0.3, 0.1, 0.5), Vec3(1, 0.5, 0.25), HARD, 0.0, 1, lines_)

    assert across(lambda x: one(x, 1)).mean() == pytest.approx(0.3, abs=0.01)
    both = across(lambda x: one(x, 2))
    assert both.max() == 1.0 and np.unique(np.round(both, 3)).tolist() == [0.0, 0.5, 1.0]
    assert 0.25 in np.unique(np.round(across(lambda x: one(x, 3)), 3))


def test_lines_finer_than_pixels_become_their_average():
    fine = Vec3(0, 0.5, 0)
    values = across(
        lambda x: lines.bands(Vec3(0, x, 0), fine, Vec3(8, 0, 0), Vec3(0.3, 0, 0), Vec3(1, 0, 0), HARD, 0.0, 1, 1)
    )
    assert np.abs(values - 0.3).max() < 1e-6


@pytest.mark.parametrize("shape", [lines.SINE, lines.TRIANGLE, lines.SAW, lines.SQUARE])
def test_waves_are_those_of_the_textbook(shape):
    from scipy import signal

    t = np.linspace(0.013, 2.97, 300)
    made = np.array([lines.waves(Vec3(float(x), 0, 0), HARD, 1.0, 0.0, shape, 0) for x in t])
    turn = 2 * np.pi * t
    expected = {
        lines.SINE: 0.5 - 0.5 * np.cos(turn),
        lines.TRIANGLE: 0.5 + 0.5 * signal.sawtooth(turn, 0.5),
        lines.SAW: 0.5 + 0.5 * signal.sawtooth(turn),
        lines.SQUARE: 0.5 + 0.5 * signal.square(turn - np.pi / 2),
    }[shape]
    assert np.abs(made - expected).max() < 1e-6


@pytest.mark.parametrize("shape", [lines.SAW, lines.SQUARE])
def test_a_wave_with_a_footprint_has_no_jump_and_keeps_its_mean(shape):
    wide = Vec3(0.1, 0, 0)
    made = across(lambda x: lines.waves(Vec3(x, 0, 0), wide, 1.0, 0.25, shape, 0), 4000, 2.0)
    assert np.abs(np.diff(made)).max() < 0.01
    assert made.mean() == pytest.approx(0.5, abs=0.005)


def test_checker_squares_take_turns():
    def at(x, y, z=0.0, dimensions=2):
        return lines.checker(Vec3(x, y, z), HARD, 2.0, dimensions)

    # Two pairs a unit: squares of a quarter, the first of them half before the origin.
    assert at(0.0, 0.0) != at(0.25, 0.0) == at(0.0, 0.25) != at(0.25, 0.25) == at(0.0, 0.0)
    assert at(0.0, 0.0, 0.25, 3) != at(0.0, 0.0, 0.0, 3)


def test_a_dot_is_round_and_as_large_as_it_says():
    def at(x, y):
        return lines.dots(Vec3(x, y, 0), HARD, HARD, 4.0, 0.3, 0.0, 0.0, 0.0, 1.0)

    n = 64
    grid = np.array([[at((i + 0.5) / n, (j + 0.5) / n) for i in range(n)] for j in range(n)])
    assert grid.mean() == pytest.approx(np.pi * 0.3**2, rel=0.05)
    strewn = [lines.dots(Vec3(x, 0.6, 0), HARD, HARD, 4.0, 0.2, 0.0, 1.0, 0.5, 3.0) for x in np.linspace(0, 4, 400)]
    assert 0 < np.mean(strewn) < 0.5


def test_bricks_have_joints_of_their_width_and_one_value_each():
    def at(x, y, result=0, stagger=0.5):
        return lines.bricks(Vec3(x, y, 0), HARD, HARD, Vec2(2, 4), 0.2, 0.0, stagger, 1.0, result)

    column = across(lambda y: at(0.25, y, stagger=0.0))
    assert (column == 0).mean() == pytest.approx(0.2, abs=0.02)
    # The joint between bricks of the first row lies at ½, of the second at ¼.
    assert at(0.5, 0.125) == 0 and at(0.5, 0.375) == 1 and at(0.25, 0.375) == 0
    one = {at(x, 0.1, 1) for x in (0.05, 0.2, 0.45)}
    assert len(one) == 1 and at(0.6, 0.1, 1) not in one


def test_a_grid_is_the_lines_of_both_axes():
    assert lines.grid(Vec3(0.5, 0.13, 0), HARD, 2.0, 0.1, 0.0) == 1
    assert lines.grid(Vec3(0.13, 0.5, 0), HARD, 2.0, 0.1, 0.0) == 1
    assert lines.grid(Vec3(0.25, 0.25, 0), HARD, 2.0, 0.1, 0.0) == 0


def test_angular_counts_sectors_and_spiral_turns_with_radius():
    middle = Vec2(0.5, 0.5)

    def at(degrees, count=1.0, r=0.3):
        a = np.radians(degrees)
        p = Vec3(0.5 + r * float(np.cos(a)), 0.5 + r * float(np.sin(a)), 0)
        return lines.angular(p, HARD, middle, 0.0, count, lines.SAW)

    assert [at(d) for d in (-90, 0, 90)] == pytest.approx([0.25, 0.5, 0.75], abs=1e-6)
    assert at(45, 4.0) == pytest.approx(0.5, abs=1e-5) and at(135, 4.0) == pytest.approx(0.5, abs=1e-5)

    def arm(r):
        return lines.spiral(Vec3(0.5 + r, 0.5, 0), HARD, middle, 2.0, 4.0, 0.0, lines.SAW)

    assert arm(0.1) == pytest.approx(0.4, abs=1e-5) and arm(0.2) == pytest.approx(0.8, abs=1e-5)


def test_box_distance_is_exact_outside_its_rounded_corners():
    def at(x, y, z=0.0):
        return lines.box_distance(Vec3(x, y, z), HARD, Vec3(1.0, 0.6, 2.0), 0.1, 1.0, 0)

    assert at(0, 0) == 1 and at(0.5, 0) == pytest.approx(1)
    assert at(0.8, 0) == pytest.approx(1 - 0.3)
    # Past the corner: the distance to the rounding's middle, less its radius.
    assert at(0.7, 0.6) == pytest.approx(1 - (np.hypot(0.3, 0.4) - 0.1))


def test_random_cells_are_even_and_differ():
    values = np.array(
        [lines.random_cells(Vec3(i + 0.5, j + 0.5, 0), HARD, 1.0, 5.0, 2) for i in range(40) for j in range(40)]
    )
    assert len(np.unique(values)) == 1600
    assert values.mean() == pytest.approx(0.5, abs=0.03) and values.std() == pytest.approx(12**-0.5, abs=0.02)
