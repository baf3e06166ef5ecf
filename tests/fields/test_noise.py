"""Noise and cells: exact periods, statistics, and a brute-force search for the nearest points."""

import itertools

import numpy as np
import pytest

from tests.documents import bead, effect, strand
from tests.shade.test_subset import on_cpu
from whorl.fields import cells, noise
from whorl.fields.hash import pcg
from whorl.plan.build import build
from whorl.shade import Vec3, u32
from whorl.shade.kernel import kernel
from whorl.stage import flat

N = 20000
SLOPES = (("values", 0),)


def run(function, fixed, p, *rest):
    out = [np.empty(len(p[0]), np.float32)]
    args = [[np.ascontiguousarray(a, np.float32) for a in p], *rest]
    kernel(function, fixed, (True, *[False] * len(rest)))(len(p[0]), args, out)
    return out[0]


def points(seed, low=-8, high=8, axes=3):
    return np.random.default_rng(seed).uniform(low, high, (axes, N)).astype(np.float32)


def test_the_hash_is_the_papers():
    # Values of `pcg` worked out by hand from its three lines with Python's own integers.
    def reference(v):
        state = (v * 747796405 + 2891336453) % 2**32
        word = (((state >> ((state >> 28) + 4)) ^ state) * 277803737) % 2**32
        return (word >> 22) ^ word

    for v in (0, 1, 2, 12345, 2**31, 2**32 - 1):
        assert pcg(u32(v)) == reference(v)


@pytest.mark.parametrize(("dimensions", "function"), [(2, noise.noise2), (3, noise.noise3), (4, noise.noise4)])
def test_an_octave_has_mean_nought_and_the_stated_spread(dimensions, function):
    p = points(1, axes=dimensions)
    n = run(function, SLOPES, p, (0.0,) * dimensions, (5.0,))
    assert abs(n.mean()) < 0.02
    assert n.std() == pytest.approx(0.28, abs=0.02)
    assert np.abs(n).max() < 1.35


@pytest.mark.parametrize(("dimensions", "function"), [(2, noise.noise2), (3, noise.noise3), (4, noise.noise4)])
def test_an_octave_is_nought_on_the_lattice_and_repeats_exactly_at_its_period(dimensions, function):
    whole = np.random.default_rng(2).integers(-20, 20, (dimensions, 500)).astype(np.float32)
    assert np.all(run(function, SLOPES, whole, (0.0,) * dimensions, (5.0,)) == 0)
    period = tuple(float(3 + k) for k in range(dimensions))
    # In eighths, so that adding a period to a coordinate is exact in float32.
    p = np.round(points(3, axes=dimensions) * 8) / 8
    here = run(function, SLOPES, p, period, (5.0,))
    there = run(function, SLOPES, p + np.array(period, np.float32)[:, None], period, (5.0,))
    assert np.array_equal(here, there)
    assert not np.allclose(here, run(function, SLOPES, p + 1, period, (5.0,)))


@pytest.mark.parametrize("churns", [0, 1])
@pytest.mark.parametrize("dimensions", [2, 3])
def test_layered_noise_meets_itself_and_evolution_returns(dimensions, churns):
    fixed = [("octaves", 3), ("lacunarity", 2), ("dimensions", dimensions), ("churns", churns)]
    fixed = (*fixed, ("distorted", 1), ("style", 0))
    p = np.abs(points(4, 0, 1))
    period = (1.0, 1.0, 1.0) if dimensions == 3 else (1.0, 1.0, 0.0)

    def at(shift, churn):
        moved = p + np.array(shift, np.float32)[:, None]
        return run(noise.noise, fixed, moved, period, (4.0,), (0.5,), (0.8,), (churn,), (3.0,), (7.0,))

    here = at((0, 0, 0), 0.25)
    assert here.min() >= 0 and here.max() <= 1 and here.std() > 0.05
    for axis in range(dimensions):
        shift = [0.0, 0.0, 0.0]
        shift[axis] = 1.0
        assert np.abs(at(shift, 0.25) - here).max() < 2e-5
    assert np.abs(at((0, 0, 0), 1.25) - here).max() < 1e-5
    if churns:
        assert np.abs(at((0, 0, 0), 0.5) - here).max() > 0.1


def test_seeds_give_patterns_that_have_nothing_to_do_with_each_other():
    fixed = tuple(
        zip(("octaves", "lacunarity", "dimensions", "churns", "distorted", "style"), (2, 2, 2, 0, 0, 0), strict=True)
    )
    p = points(5)
    a, b = (run(noise.noise, fixed, p, (0.0,) * 3, (3.0,), (0.5,), (0.0,), (0.0,), (1.0,), (s,)) for s in (1.0, 2.0))
    assert abs(np.corrcoef(a, b)[0, 1]) < 0.05


METRICS = [lambda d: np.linalg.norm(d, axis=2), lambda d: np.abs(d).sum(axis=2), lambda d: np.abs(d).max(axis=2)]


@pytest.mark.parametrize("metric", range(3), ids=["round", "diamond", "square"])
@pytest.mark.parametrize("dimensions", [2, 3])
def test_cell_distances_are_those_of_a_search_over_all_points(dimensions, metric):
    period, seed, jitter, churn, smoothness = (4.0, 3.0, 2.0), 9.0, 0.9, 0.3, 0.1
    count = [int(c) for c in period]
    first = cells.seed_of(seed)
    sites = []
    ranges = [range(-3, c + 3) for c in count]
    if dimensions == 2:
        ranges[2] = range(1)
    for c in itertools.product(*ranges):
        cell = Vec3(*map(float, c))
        row = cells.row_of(cell.y, period[1], cells.plane_of(cell.z, period[2], first))
        offset = tuple(cells.way_to(cell.x, Vec3(0.0), Vec3(0.0), period[0], row, jitter, churn, 3))
        sites.append([a + b for a, b in zip(c, offset, strict=True)])
    sites = np.array(sites)[:, :dimensions]
    p = np.random.default_rng(6).uniform(0, 1, (3, 300)) * np.array(period)[:, None]
    distances = np.sort(METRICS[metric](p[:dimensions].T[:, None] - sites[None]), axis=1)
    # The power mean; all but the nearest fade from half of how far the search reaches.
    left = np.clip(2 - 2 * distances / (2 if dimensions == 2 else 1), 0, 1)
    shares = (distances[:, :1] / distances) ** (1 / smoothness) * left**2 * (3 - 2 * left)
    together = distances[:, 0] * (1 + shares[:, 1:].sum(axis=1)) ** -smoothness
    expected = {0: distances[:, 0], 1: distances[:, 1], 2: distances[:, 1] - distances[:, 0], 5: together}
    if metric == 0:
        away = sites[None] - p[:dimensions].T[:, None]
        near = np.take_along_axis(away, np.linalg.norm(away, axis=2).argmin(axis=1)[:, None, None], axis=1)
        apart = away - near
        gap = np.linalg.norm(apart, axis=2)
        halfway = ((away + near) / 2 * apart).sum(axis=2) / np.maximum(gap, 1e-9)
        expected[3] = np.where(gap < 1e-6, np.inf, halfway).min(axis=1)
    for result, wanted in expected.items():
        fixed = (("dimensions", dimensions), ("result", result), ("metric", metric))
        got = run(cells.cells, fixed, p, period, (1.0,), (jitter,), (smoothness,), (churn,), (seed,))
        # Only points that are more than a cell away may be missed, and those seldom.
        top = 2 if result in (1, 5) else 1
        within = 2e-5 if result == 5 else 1e-5
        assert np.quantile(np.abs(got - np.clip(wanted, 0, top)), 0.98) < within, result


@pytest.mark.parametrize("dimensions", [2, 3])
def test_smooth_cells_stay_distances_and_the_difference_of_two_is_a_web_of_light(dimensions):
    """What smoothness is for: soft pebbles, and caustics from a difference of two."""
    p = np.random.default_rng(3).uniform(0, 8, (3, 60000)) * (np.array([1, 1, 0 if dimensions == 2 else 1])[:, None])

    def smooth(smoothness, result=5):
        fixed = (("dimensions", dimensions), ("result", result), ("metric", 0))
        rest = ((0.0,) * 3, (1.0,), (1.0,), (smoothness,), (0.0,), (4.0,))
        return run(cells.cells, fixed, p, *rest)

    nearest, between = smooth(0.0, 0), smooth(0.0, 2)
    for smoothness in (0.0, 0.02, 0.2, 0.4, 0.7, 1.0):
        made = smooth(smoothness)
        # Neither at nought nor held at any limit above.
        assert ((made <= 1 / 255) | (made >= made.max() - 1e-4)).mean() < 0.01
        assert (made <= nearest + 0.35).all()
    assert np.quantile(np.abs(smooth(0.0) - nearest), 0.99) < 0.02
    # Far from any border it is the distance itself, not bent.
    alone = between > 0.6
    assert smooth(0.1)[alone] == pytest.approx(nearest[alone], rel=0.03)
    web = smooth(0.1) - smooth(0.5)
    assert (web < 1e-5).mean() < 0.05 and web.min() > -1e-6
    assert web[between < 0.05].mean() > 4 * web[nearest < 0.15].mean()


def test_the_distance_to_a_border_is_nought_between_two_points_and_grows_at_the_right_rate():
    fixed, rest = (
        (("dimensions", 2), ("result", 3), ("metric", 0)),
        ((1.0, 1.0, 0.0), (5.0,), (1.0,), (0.1,), (0.0,), (3.0,)),
    )
    x = np.linspace(0, 1, 4001)
    line = [x, np.full_like(x, 0.37), np.zeros_like(x)]
    border = run(cells.cells, fixed, line, *rest)
    cell = run(cells.cells, (("dimensions", 2), ("result", 4), ("metric", 0)), line, *rest)
    changes = np.flatnonzero(np.diff(cell) != 0)
    assert len(changes) >= 4
    assert border[changes].max() < 5 * 2 / 4000
    # A distance changes by no more than the way that was gone.
    assert np.abs(np.diff(border)).max() <= 5 / 4000 * 1.01


def test_hexagons_tile_on_both_axes_and_have_one_value_a_cell():
    from whorl.fields import patterns

    p = np.abs(points(8, 0, 1))
    for result in (0, 1):
        here, right, up = (
            run(
                patterns.hexagons,
                (("result", result),),
                p + np.array(s, np.float32)[:, None],
                (1.0, 1.0, 0.0),
                (6.0,),
                (2.0,),
            )
            for s in ((0, 0, 0), (1, 0, 0), (0, 1, 0))
        )
        same = [np.abs(here - other) < 1e-4 for other in (right, up)]
        # A sample that lies on a border may fall to either side.
        assert all(s.mean() > 0.999 for s in same)
    columns, rows = 6, round(6 / 3**0.5)
    assert len(np.unique(here)) == columns * rows * 2


def test_vectors_given_to_on_cpu_keep_their_order():
    out = on_cpu(noise.fade, (), [np.array([0.0, 0.5, 1.0])])
    assert out[0].tolist() == [0.0, 0.5, 1.0]


def test_three_noises_know_nothing_of_one_another_and_the_first_is_the_noise():
    scaled = {"scale": 6.0, "seed": 3}
    three = strand("three", bead("uv"), bead("noise-three", settings={"octaves": 2}, **scaled))
    one = strand("one", bead("uv"), bead("noise", settings={"octaves": 2}, **scaled))
    plan = build(effect(three, one))
    got = flat.field(plan, plan.beads["three/noise-three"], 128, 0.0)
    np.testing.assert_array_equal(got[..., :1], flat.field(plan, plan.beads["one/noise"], 128, 0.0))
    shares = np.corrcoef(got.reshape(-1, 3).T)
    assert np.abs(shares[np.triu_indices(3, 1)]).max() < 0.3
    assert np.abs(got.mean(axis=(0, 1)) - 0.5).max() < 0.1
    # It tiles where its coordinates do.
    edge = np.abs(got[:, 0] - got[:, -1]).mean()
    assert edge < 2 * np.abs(got[:, 0] - got[:, 1]).mean()


def test_values_are_coordinates_of_whatever_comes_after():
    """Rings of a value are where its level is that of the ring, and noise of a noise is constant where that one is."""
    ramp = strand("ramp", bead("uv"), bead("linear", start=0.0, span=1.0))
    rings = strand("rings", bead("tap", **{"from": {"strand": "ramp"}}), bead("from-values", scale=3.0), bead("radial"))
    plan = build(effect(ramp, rings))
    u = flat.field(plan, plan.beads["ramp/linear"], 64, 0.0)
    got = flat.field(plan, plan.beads["rings/from-values"], 64, 0.0)
    np.testing.assert_allclose(got, np.repeat(3.0 * u, 3, axis=2), atol=1e-5)
    tint = bead("tint", colour=[0.2, 0.4, 0.6])
    tinted = strand("c", bead("uv"), bead("linear"), tint, bead("from-values", second=0.5))
    plan = build(effect(tinted))
    grey = flat.field(plan, plan.beads["c/linear"], 16, 0.0)
    got = flat.field(plan, plan.beads["c/from-values"], 16, 0.0)
    np.testing.assert_allclose(got, grey * [0.2, 0.4, 0.6] + [0, 0.5, 0], atol=1e-5)
