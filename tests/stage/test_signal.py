"""Histograms of what comes into a bead, and what a bead makes of rising values."""

import numpy as np
import pytest

from tests.documents import bead, effect, strand
from whorl.effect import BadEffect
from whorl.effect.strands import Bead
from whorl.plan.build import build
from whorl.stage.signal import MOMENTS, SIDE, histogram, incoming, over_turn, response, results


def seen(*beads, bins=10, **more):
    plan = build(effect(strand("s", *beads), **more))
    return histogram(plan, incoming(plan, f"s/{beads[-1]['id']}"), bins)


def test_a_straight_slope_fills_every_bin_alike():
    h = seen(bead("uv"), bead("linear"), bead("invert"))
    assert (h.low, h.high) == (0, 1)
    assert h.parts == pytest.approx([0.1] * 10, abs=0.02) and sum(h.parts) == pytest.approx(1)
    assert h.least == pytest.approx(0.5 / SIDE) and h.most == pytest.approx(1 - 0.5 / SIDE)


def test_the_square_of_a_slope_has_the_distribution_of_its_root():
    h = seen(bead("uv"), bead("linear"), bead("power", exponent=2.0), bead("invert"))
    edges = np.sqrt(np.linspace(0, 1, 11))
    assert h.parts == pytest.approx(np.diff(edges), abs=0.02)


def test_the_range_is_that_of_the_values_and_the_whole_turn_is_looked_at():
    sway = {"motion": "sway", "amount": 2.0, "base": 0.0}
    h = seen(bead("constant", value=sway), bead("invert"))
    moments = 2 * np.sin(2 * np.pi * np.arange(MOMENTS) / MOMENTS)
    assert h.least == pytest.approx(moments.min(), abs=1e-5) and h.most == pytest.approx(moments.max(), abs=1e-5)


def test_a_colour_counts_by_its_luminance_and_a_ball_by_what_is_seen_of_it():
    red = bead("constant", settings={"gives": "colour"}, colour=[1.0, 0.0, 0.0])
    h = seen(red, bead("tint"), bins=100)
    assert h.parts[21] == pytest.approx(1)
    glow = seen(bead("fresnel"), bead("threshold"), bins=4, stage={"shape": "ball"})
    assert glow.parts[0] > 0.5 and glow.most > 0.8


def test_coordinates_have_no_histogram():
    plan = build(effect(strand("s", bead("uv"), bead("tile"), bead("noise"))))
    assert incoming(plan, "s/noise") is None and incoming(plan, "s/nothing") is None


def test_a_beads_response_is_its_formula():
    x = np.linspace(-1, 2, 66)
    raised = response(Bead(id="p", kind="contrast", params={"amount": 3.0, "pivot": 0.25}), -1, 2)
    assert np.ravel(raised) == pytest.approx((x - 0.25) * 3 + 0.25, abs=1e-4)
    colours = response(Bead(id="r", kind="ramp"), 0, 1)
    assert np.shape(colours) == (66, 3) and colours[0] == pytest.approx([0, 0, 0], abs=1e-5)


def test_a_bead_that_takes_no_value_has_no_response():
    with pytest.raises(BadEffect):
        response(Bead(id="n", kind="noise"), 0, 1)


def test_a_shape_is_measured_as_it_stands():
    """World coordinates reach as far as the shape does, as large as it is and where displacement moves it."""
    far = [bead("beacon-distance", start=0, end=10), bead("invert")]
    for size in (0.5, 1.0, 3.0):
        h = seen(*far, stage={"shape": "ball", "size": size})
        assert h.least == pytest.approx(size / 10, rel=0.01) and h.most == pytest.approx(size / 10, rel=0.4)
    lifted = strand("up", bead("constant", value=0.5))
    plan = build(
        effect(
            lifted,
            strand("s", *far),
            stage={"shape": "ball"},
            surface={"displacement": 1.0, "channels": {"displacement": [{"strand": "up"}]}},
        )
    )
    assert histogram(plan, incoming(plan, "s/invert")).most == pytest.approx(0.15, abs=0.02)
    tube = seen(*far, stage={"shape": "tube"})
    assert tube.least < 0.09 and 0.11 < tube.most < 0.17


def test_what_a_bead_makes_is_seen_moment_by_moment():
    sway = {"motion": "sway", "amount": 0.5, "base": 0.5}
    plan = build(effect(strand("s", bead("uv"), bead("linear"), bead("threshold", level=sway, softness=0.0))))
    made = over_turn(plan, results(plan, "s/threshold"), moments=8, bins=2)
    # Of a straight slope as much is below the level as the level says.
    levels = 0.5 + 0.5 * np.sin(2 * np.pi * (np.arange(8) + 0.5) / 8)
    assert [m[1] for m in made.moments] == pytest.approx(list(1 - levels), abs=0.02)
    still = build(effect(strand("s", bead("uv"), bead("linear"))))
    assert (
        over_turn(still, results(still, "s/linear"), moments=8).moments
        == [over_turn(still, results(still, "s/linear"), moments=1).moments[0]] * 8
    )
    assert results(plan, "s/uv") is None and results(plan, "s/none") is None
