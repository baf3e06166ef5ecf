"""Shaping: the curve against SciPy, steps against their definitions, and a pixel's footprint."""

import numpy as np
import pytest
from scipy.interpolate import PchipInterpolator

from tests.documents import bead, effect, strand
from tests.shade.test_subset import on_cpu
from whorl.fields import shaping
from whorl.plan.build import build
from whorl.shade.kernel import kernel
from whorl.shade.values import Table8, Vec4
from whorl.stage import flat

CURVES = {
    "line": [(0, 0), (1, 1)],
    "three": [(0, 0), (0.3, 0.8), (1, 1)],
    "turning": [(0, 0.2), (0.2, 0.9), (0.5, 0.1), (0.55, 0.6), (1, 0.6)],
    "eight": [(-1, 0), (0, 1), (0.1, 2), (0.2, 2.1), (0.3, 5), (0.8, 1), (0.9, 0), (2, 3)],
}


def table(points):
    return Table8([Vec4(v, v, v, at) for at, v in points])


@pytest.mark.parametrize("name", CURVES)
def test_the_curve_is_scipys_monotone_cubic(name):
    points = CURVES[name]
    expected = PchipInterpolator(*zip(*points, strict=True))
    xs = np.linspace(points[0][0], points[-1][0], 301)
    made = np.array([shaping.curve(float(x), table(points)) for x in xs])
    assert np.abs(made - expected(xs)).max() < 1e-12
    assert shaping.curve(-9.0, table(points)) == points[0][1]
    assert shaping.curve(9.0, table(points)) == points[-1][1]


def test_the_curve_is_the_same_as_an_array_kernel():
    points = CURVES["eight"]
    xs = np.linspace(-2, 3, 500).astype(np.float32)
    rows = table(points)
    flat_rows = tuple(c for row in rows for c in row)
    out = [np.empty(500, np.float32)]
    kernel(shaping.curve, (), (True, False))(500, [[xs], flat_rows], out)
    plain = [shaping.curve(float(x), rows) for x in xs]
    assert np.abs(out[0] - plain).max() < 2e-5


def test_a_curve_rises_only_where_its_points_do():
    points = [(0, 0), (0.4, 0.05), (0.45, 0.9), (1, 1)]
    xs = np.linspace(0, 1, 500)
    made = [shaping.curve(float(x), table(points)) for x in xs]
    assert (np.diff(made) >= -1e-12).all()


def test_posterise_has_so_many_levels():
    made = {round(shaping.posterise(x / 999, 0.0, 5.0, 0.0), 6) for x in range(1000)}
    assert {0.0, 0.25, 0.5, 0.75, 1.0} <= made
    levels = [shaping.posterise(x, 0.0, 5.0, 0.0) for x in (0.05, 0.3, 0.55, 0.8, 0.99)]
    assert levels == pytest.approx([0.0, 0.25, 0.5, 0.75, 1.0])


@pytest.mark.parametrize(
    ("function", "args", "expected"),
    [
        (shaping.limited, (1.5, 0.2, 0.8), 0.8),
        (shaping.limited, (0.5, 0.8, 0.2), 0.5),
        (shaping.contrast, (0.75, 2.0, 0.5), 1.0),
        (shaping.sine, (0.25, 2.0, 0.0), 1.0),
        (shaping.sine, (0.25, 2.0, 0.5), 0.0),
        (shaping.fraction, (0.6, 0.0, 2.0, 0.0), 0.2),
        (shaping.apart, (0.2, 0.5), 0.3),
    ],
)
def test_shaping_by_its_formula(function, args, expected):
    assert function(*map(float, args)) == pytest.approx(expected)


def test_fraction_over_a_footprint_has_no_jump():
    xs = np.linspace(0, 1, 4001)
    made = on_cpu(shaping.fraction, (), [xs], [np.full_like(xs, 0.02)], [np.full_like(xs, 4.0)], [np.zeros_like(xs)])[0]
    assert np.abs(np.diff(made)).max() < 0.02


def test_an_edge_is_a_pixel_wide_whatever_the_size_of_the_picture():
    """A hard threshold over a slope: the share of in-between pixels is one column, smoothed or not at all."""
    for size in (32, 128):
        for edges, most in (("smooth", 2), ("hard", 0)):
            cut = bead("threshold", settings={"edges": edges}, softness=0, level=0.503)
            plan = build(effect(strand("s", bead("uv"), bead("linear"), cut)))
            row = flat.field(plan, plan.beads["s/threshold"], size, 0.0)[0, :, 0]
            between = ((row > 0) & (row < 1)).sum()
            assert between <= most and (edges == "hard" or between >= 1)


def test_where_polar_coordinates_wrap_an_edge_is_no_wider_than_elsewhere():
    lines = bead("bands", settings={"axis": "x"}, count=[6, 0, 0], width=[0.5, 0, 0], softness=0)
    plan = build(effect(strand("s", bead("uv"), bead("polar"), lines)))
    picture = flat.field(plan, plan.beads["s/bands"], 256, 0.0)[..., 0]
    # The angle wraps between the middle rows, to the left, in the midst of a line: all of it is 1.
    assert picture[127:129, 8:100].min() == 1.0
