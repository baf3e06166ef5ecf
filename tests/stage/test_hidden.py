"""What is wholly hidden is not worked out, and the picture is the same."""

import numpy as np
import pytest

from whorl import demo
from whorl.effect import read
from whorl.plan.build import build
from whorl.stage import frame, sight


@pytest.mark.parametrize(
    ("slug", "shape", "parts"),
    [("night-river", None, 1), ("moth-crate", None, 1), ("verdigris-hull", "ball", 2), ("signal-lamp", None, 0)],
)
def test_what_is_hidden_is_left_out_and_nothing_else(slug, shape, parts, monkeypatch):
    """A river's bed; what shows through holes; a ball hides its back and all behind it; light hides nothing."""
    given = demo.demo(slug).model_dump(mode="json")
    if shape:
        given["stage"]["shape"] = shape
        given["surface"]["sides"] = "both"
    plan = build(read(given))
    taken = []

    def some(points, chosen):
        taken.append(chosen.mean())
        return sight_some(points, chosen)

    sight_some = sight.some
    monkeypatch.setattr(sight, "some", some)
    made = frame.lit_scene(plan, 0.3, 201, 150, None, False, 1)
    assert len(taken) == parts and all(share < frame.MOST for share in taken)
    taken.clear()
    monkeypatch.setattr(frame, "MOST", -1.0)
    np.testing.assert_array_equal(frame.lit_scene(plan, 0.3, 201, 150, None, False, 1), made)
    assert not taken
