"""What is wholly hidden is not worked out, and the picture is the same."""

import numpy as np
import pytest

from tests.documents import bead, effect, strand
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
    compared(build(read(given)), parts, monkeypatch)


def test_a_near_side_that_looks_up_an_opaque_far_one_stays(monkeypatch):
    """A shell with a ball in it, which hides parts of the far side: that is drawn twice, and first."""
    rim = strand("rim", bead("fresnel"))
    surface = {"body": "hollow", "opacity": 1.0, "refraction": 1.3, "channels": {"emission": [{"strand": "rim"}]}}
    neighbours = {"ball": {"on": True, "centre": [0.1, 0, 0.1], "radius": 0.35}, "post": {"on": True}}
    plan = build(effect(rim, surface=surface, stage={"shape": "dome", "neighbours": neighbours}))
    assert plan.layer == "again"
    compared(plan, None, monkeypatch)


def test_frames_that_keep_nothing_from_one_to_the_next_leave_it_out_too(monkeypatch):
    """A displaced ball of cloth: its points are others in each frame."""
    given = demo.demo("breathing-sail").model_dump(mode="json")
    given["stage"]["shape"] = "ball"
    plan = build(read(given))
    taken = counted(monkeypatch)
    film = frame.Film(plan)
    made = frame.lit_scene(plan, 0.3, 201, 150, None, False, 1, film)
    assert not film.keeps and taken
    np.testing.assert_allclose(frame.lit_scene(plan, 0.3, 201, 150, None, False, 1), made, atol=1e-5)


def counted(monkeypatch):
    """The shares of pictures that are worked out in part, as they come."""
    taken = []
    sight_some = sight.some

    def some(points, chosen):
        taken.append(chosen.mean())
        return sight_some(points, chosen)

    monkeypatch.setattr(sight, "some", some)
    return taken


def compared(plan, parts, monkeypatch):
    """The picture with parts left out, as often as that, is the whole one."""
    taken = counted(monkeypatch)
    made = frame.lit_scene(plan, 0.3, 201, 150, None, False, 1)
    assert parts in (None, len(taken)) and all(share < frame.MOST for share in taken)
    taken.clear()
    monkeypatch.setattr(frame, "MOST", -1.0)
    np.testing.assert_array_equal(frame.lit_scene(plan, 0.3, 201, 150, None, False, 1), made)
    assert not taken
