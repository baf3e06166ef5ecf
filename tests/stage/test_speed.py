"""Speed in plain figures, against what scrolling and turning are on a flat picture."""

import math

import numpy as np
import pytest

from tests.documents import bead, effect, strand
from whorl.checks import check
from whorl.plan.build import build
from whorl.stage.speed import retimed, speed


def moving(*beads, **more):
    camera = {"yaw": 0.0, "pitch": 0.0}
    more = {"stage": {"shape": "plane", "camera": camera}, "turn": {"seconds": 4.0, "fps": 24}, **more}
    return effect(strand("s", bead("uv"), *beads, bead("noise")), **more)


def plane_in_pixels():
    """How wide a plane stands in a picture of 512 pixels: coordinates that move by its width go so far."""
    whole = build(moving(bead("offset", by={"motion": "drift", "cycles": [1.0]})))
    found = speed(whole, "strands/s/offset/by")
    return found.pixels * 96


def test_a_scroll_moves_as_many_pixels_a_frame_as_it_has_to_go():
    wide = plane_in_pixels()
    assert 250 < wide < 512
    tiled = moving(bead("tile", count=[4, 4]), bead("scroll", offset={"motion": "drift", "cycles": [2.0]}))
    found = speed(build(tiled), "strands/s/scroll/offset")
    # Coordinates that were tiled repeat four times, so two repeats are two of the plane's widths in tiles.
    assert found.pixels == pytest.approx(2 * wide / 96, rel=0.02)
    assert found.pixels == pytest.approx(found.median, rel=0.02)
    assert found.change == pytest.approx(2.0 / 4.0) and not found.quick


def test_what_turns_is_quickest_at_the_rim():
    turning = moving(bead("rotate", angle={"motion": "drift", "cycles": 1.0}))
    found = speed(build(turning), "strands/s/rotate/angle")
    wide = plane_in_pixels()
    # Each place goes a full circle about the middle in 96 frames; a hundredth of them goes further than is told.
    along = np.linspace(-0.5, 0.5, 201)
    away = np.hypot(*np.meshgrid(along, along))
    assert found.pixels == pytest.approx(2 * math.pi * wide * np.quantile(away, 0.99) / 96, rel=0.02)
    assert found.median == pytest.approx(2 * math.pi * wide * np.median(away) / 96, rel=0.02)


def test_what_goes_over_half_a_repeat_a_frame_appears_to_run_backwards():
    def quick(cycles):
        return moving(bead("scroll", offset={"motion": "drift", "cycles": [cycles]}))

    slow, fast = quick(47.0), quick(49.0)
    kinds = [f.kind for f in check(slow)], [f.kind for f in check(fast)]
    assert "runs backwards" not in kinds[0] and "runs backwards" in kinds[1]
    assert speed(build(fast), "strands/s/scroll/offset").quick
    # What does not repeat cannot appear to.
    swaying = moving(
        bead("tile", count={"motion": "sway", "amount": [90.0], "base": [100.0, 1.0, 1.0], "cycles": 20.0})
    )
    assert "runs backwards" not in [f.kind for f in check(swaying)]


def test_a_level_has_a_change_a_second_and_no_pixels():
    amount = {"motion": "sway", "base": 1.0, "amount": 0.5, "cycles": 1.0}
    made = effect(strand("s", bead("uv"), bead("noise"), bead("contrast", amount=amount)), turn={"seconds": 4.0})
    found = speed(build(made), "strands/s/contrast/amount")
    assert found.pixels is None and found.change == pytest.approx(2 * math.pi * 0.5 / 4, rel=0.01)
    assert speed(build(made), "strands/s/contrast/pivot") is None


def test_a_turn_is_retimed_so_that_the_busiest_motion_moves_as_many_pixels_as_wanted():
    made = moving(
        bead("scroll", offset={"motion": "drift", "cycles": [2.0]}),
        bead("rotate", angle={"motion": "sway", "amount": 3.0, "base": 0.0}),
    )
    seconds = retimed(build(made), 1.5)
    again = made.model_copy(update={"turn": made.turn.model_copy(update={"seconds": seconds})})
    most = max(speed(build(again), f"strands/s/{p}").pixels for p in ("scroll/offset", "rotate/angle"))
    assert most == pytest.approx(1.5, rel=0.05)
    assert retimed(build(moving()), 1.5) is None
