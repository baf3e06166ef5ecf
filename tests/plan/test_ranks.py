"""Evened values against SciPy's rank statistics, and what a level uncovers on every shape."""

import numpy as np
import pytest
from scipy import stats

from tests.documents import bead, effect, strand
from tests.images.pictures import encoded
from whorl.effect import camera as cameras
from whorl.effect.places import changed
from whorl.images import library
from whorl.plan.build import build
from whorl.plan.print.compiled import compiled
from whorl.plan.run.evaluate import evaluate
from whorl.plan.run.ranks import Ranks
from whorl.plan.run.samples import spread
from whorl.shapes import SHAPES
from whorl.stage.frame import Sides

PATTERNS = {
    "noise": [bead("object"), bead("noise", scale=2.0)],
    "cells": [bead("object"), bead("cells", scale=3.0)],
    "fine": [bead("object"), bead("noise", scale=9.0)],
}


def _picture() -> dict:
    """Waves that cross, in 8 bits: between its texels no two values are the same."""
    y, x = np.mgrid[0:48, 0:64] / 64
    waves = np.sin(7 * x + 2) + np.sin(11 * y) + np.sin(5 * x + 13 * y) + 0.7 * np.sin(17 * x - 9 * y)
    pixels = np.clip(127.5 + 34 * waves, 0, 255).astype(np.uint8)
    digest, made = library.add(encoded(np.repeat(pixels[..., None], 3, axis=2)))
    return {"id": "tide", "name": "tide.png", "hash": digest, "width": made.width, "height": made.height}


PATTERNS["picture"] = [bead("uv"), bead("image", settings={"picture": "tide", "take": "red"})]
KINDS = [s for s in SHAPES if s != "mesh"]


def evened(*beads, after=(), shape="ball", **more):
    return effect(strand("s", *beads, bead("even", **more), *after), stage={"shape": shape}, assets=[_picture()])


def at(plan, place, points, phase=0.0, **more):
    return evaluate(plan, plan.beads[place], points, phase, **more)[0]


@pytest.mark.parametrize("pattern", PATTERNS)
def test_an_evened_value_is_the_rank_that_scipy_finds(pattern):
    plan = build(evened(*PATTERNS[pattern]))
    # Other samples than it was made from.
    points, _ = spread(plan.effect.stage, 30011)
    before = at(plan, f"s/{PATTERNS[pattern][-1]['id']}", points, apart=True)
    after = at(plan, "s/even", points, apart=True)
    want = stats.rankdata(before) / len(before)
    assert np.abs(after - want).mean() < 0.004 and np.abs(after - want).max() < 0.02
    assert (np.diff(after[np.argsort(before)]) >= -1e-6).all()


@pytest.mark.parametrize("shape", KINDS)
@pytest.mark.parametrize("pattern", PATTERNS)
def test_a_level_covers_as_much_of_a_shape_as_it_says(shape, pattern):
    plan = build(evened(*PATTERNS[pattern], shape=shape))
    points, _ = spread(plan.effect.stage, 50021)
    got = at(plan, "s/even", points, apart=True)
    levels = np.linspace(0, 1, 11)
    covered = np.asarray([(got < level).mean() for level in levels])
    assert np.abs(covered - levels).mean() <= 0.005, covered


@pytest.mark.parametrize("softness", [0.0, 0.1])
def test_at_0_nothing_is_gone_and_at_1_all_is_pixel_by_pixel(softness):
    """As a picture is drawn, with edges a pixel wide: no specks and no holes."""
    for pattern in PATTERNS.values():
        for level, want in ((0.0, 1.0), (1.0, 0.0)):
            cut = bead("threshold", "cut", level=level, softness=softness)
            plan = build(evened(*pattern, after=(cut,), room=softness))
            stage = plan.effect.stage
            view = cameras.numbers(stage, 96, 96)
            seen, points = Sides(plan, stage, view, 0.0, 96, 96).points(True)
            got = at(plan, "s/cut", points, camera=view)[seen.samples > 0]
            assert np.abs(got - want).max() < 1e-6, (pattern, level)


def test_none_of_it_leaves_what_comes_in_and_half_lies_between():
    plans = {e: build(evened(*PATTERNS["noise"], evenness=e)) for e in (0.0, 0.5, 1.0)}
    points, _ = spread(plans[0.0].effect.stage, 4096)
    none, half, full = (at(p, "s/even", points, apart=True) for p in plans.values())
    assert none == pytest.approx(at(plans[0.0], "s/noise", points, apart=True), abs=1e-6)
    assert half == pytest.approx((none + full) / 2, abs=1e-5)


def drifting(**noise):
    return build(evened(bead("object"), bead("noise", scale=2.0), bead("remap", "lift", **noise)))


def test_a_value_that_moves_has_a_table_a_frame_only_where_its_spread_changes():
    still = drifting()
    track = next(u.track for u in still.uniforms if isinstance(u.track, Ranks))
    assert len(track.tables()) == 1
    lifted = drifting(to_low={"motion": "sway", "base": 0.0, "amount": 0.5})
    track = next(u.track for u in lifted.uniforms if isinstance(u.track, Ranks))
    assert len(track.tables()) == lifted.effect.turn.frames
    points, _ = spread(lifted.effect.stage, 20000)
    for phase in (0.25, 0.75):
        got = at(lifted, "s/even", points, phase, apart=True)
        covered = [(got < level).mean() for level in np.linspace(0, 1, 11)]
        assert np.abs(covered - np.linspace(0, 1, 11)).mean() <= 0.006


def test_what_is_seen_is_evened_by_how_large_it_looks():
    made = evened(bead("object"), bead("noise", scale=1.0))
    made = changed(made, "strands/s/even/over", "view")
    plan = build(made)
    stage = plan.effect.stage
    view = cameras.numbers(stage, 128, 128)
    seen, points = Sides(plan, stage, view, 0.0, 128, 128).points(True)
    got, weights = at(plan, "s/even", points, camera=view), seen.samples.astype(float)
    levels = np.linspace(0, 1, 11)
    covered = np.asarray([np.average(got < level, weights=weights) for level in levels])
    assert np.abs(covered - levels).mean() < 0.006, covered


def test_a_program_does_not_wait_for_what_has_to_be_found_out():
    plan = build(evened(bead("object"), bead("noise", scale=2.71828)))
    first = next(u for u in compiled(plan)["uniforms"] if u["place"] == "strands/s/even/ranks")
    assert first["pending"] and first["rows"] is None and len(first["value"]) == 64
    next(u.track for u in plan.uniforms if isinstance(u.track, Ranks)).tables()
    again = next(u for u in compiled(build(plan.effect))["uniforms"] if u["place"] == "strands/s/even/ranks")
    assert not again["pending"] and len(again["rows"]) == 1
