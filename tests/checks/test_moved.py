"""Checks of displacement, and of what shows."""

import pytest

from tests.documents import bead, effect, strand
from whorl.checks import check
from whorl.shapes import shape


def swelling(shape_name, subdivision, value, **surface):
    grey = strand("grey", bead("constant", value=0.5))
    height = strand("h", bead("constant", value=value))
    channels = {"base": [{"strand": "grey"}], "displacement": [{"strand": "h"}]}
    given = {"composite": "solid", "displacement": 1.0, "channels": channels, **surface}
    return effect(grey, height, surface=given, stage={"shape": shape_name, "subdivision": subdivision})


def test_it_says_by_how_much_a_shape_leaves_its_bounds_and_when():
    motion = {"motion": "sway", "amount": 0.2, "base": 0.2}
    (found,) = check(swelling("ball", 1, motion))
    assert found.kind == "bounds" and found.place == "surface/displacement"
    assert "0.4 units" in found.words and "20% of its size" in found.words and "phase 0.25" in found.words
    # Nothing that shrinks leaves its bounds.
    assert check(swelling("ball", 1, -0.2)) == []


@pytest.mark.parametrize(("subdivision", "few"), [(0, True), (2, False)])
def test_a_shape_too_coarse_to_follow_is_told_and_mended(subdivision, few):
    found = [f for f in check(swelling("plane", subdivision, 0.3)) if f.kind == "coarse"]
    assert bool(found) == few
    if few:
        assert "4 vertices" in found[0].words and found[0].place == "stage/subdivision"
        assert len(shape("plane", found[0].mends[0].changes[0].value).positions) > 600


def test_a_clear_body_needs_no_colour_to_show_and_a_solid_does():
    bare = {"composite": "see-through", "body": "hollow", "opacity": 0.0}
    assert check(effect(surface=bare)) == []
    assert [f.kind for f in check(effect(surface={"composite": "solid"}))] == ["nothing shows"]
