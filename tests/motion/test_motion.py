"""Motions against their closed forms, and the closing analysis against the values themselves."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from whorl.beads.catalogue import CATALOGUE
from whorl.effect.described import fields
from whorl.effect.places import param_at
from whorl.effect.stage import Lamp
from whorl.effect.surface import Surface
from whorl.effect.tree import motions
from whorl.effect.value import Drift, Key, Keys, Sway
from whorl.motion.begin import begin
from whorl.motion.closing import closing, mended
from whorl.motion.values import table, value

SCROLL = CATALOGUE["scroll"].param("offset")
ANGLE = CATALOGUE["rotate"].param("angle")
LEVEL = CATALOGUE["threshold"].param("level")
OFFSET = CATALOGUE["offset"].param("by")


def drift(cycles, base=None):
    return Drift(motion="drift", cycles=cycles, base=base)


def test_a_drift_goes_at_a_constant_rate_of_whole_wraps():
    rows = table(drift([1, -2]), SCROLL, 8)
    assert rows[4] == (0.5, -1.0, 0.0)
    # One cycle of an angle is a whole turn of 360 degrees.
    assert value(drift(1, 10), ANGLE, 0.25) == (100.0,)


def test_a_sway_is_a_sine_about_its_base():
    m = Sway(motion="sway", base=0.5, amount=0.2, cycles=3, start=0.1)
    for phase in (0.0, 0.13, 0.7):
        assert value(m, LEVEL, phase)[0] == pytest.approx(0.5 + 0.2 * math.sin(math.tau * (3 * phase + 0.1)))


def keys(*points):
    return Keys(motion="keys", keys=[Key(phase=p, value=v, ease=e) for p, v, e in points])


def test_keys_are_linear_eased_or_held_and_lead_over_the_join():
    m = keys((0.2, 0.0, "linear"), (0.4, 1.0, "held"), (0.6, 3.0, "eased"))
    assert value(m, LEVEL, 0.3)[0] == pytest.approx(0.5)
    assert value(m, LEVEL, 0.55)[0] == 1.0
    # From 0.6 to 1.2 the way leads from 3 to 0: halfway is at 0.9.
    assert value(m, LEVEL, 0.9)[0] == pytest.approx(1.5)
    before, after = value(m, LEVEL, 1 - 1e-9)[0], value(m, LEVEL, 0.0)[0]
    assert before == pytest.approx(after, abs=1e-6)
    assert closing(m, LEVEL)[0].closed


def test_whole_scrolls_close_and_others_name_the_nearest_that_do():
    assert all(c.closed for c in closing(drift([1, -2]), SCROLL))
    found = closing(drift([1.3, 0]), SCROLL)
    assert [c.closed for c in found] == [False, True, True]
    assert "1 or 2" in found[0].words
    assert found[0].mend.cycles == (1.0, 0.0, 0.0)
    assert closing(drift(0.2), SCROLL)[0].mend.cycles[0] == 1.0


def test_one_mend_closes_every_axis():
    whole = mended(drift([1.3, -0.6, 2]), SCROLL)
    assert whole.cycles == (1.0, -1.0, 2.0)
    assert all(c.closed for c in closing(whole, SCROLL))


def test_an_offset_closes_by_the_period_of_what_it_moves():
    assert not closing(drift([1, 0]), OFFSET, (3.0, 0.0, 0.0))[0].closed
    assert closing(drift([6, 0]), OFFSET, (3.0, 0.0, 0.0))[0].closed
    assert closing(drift([2, 0]), OFFSET, (3.0, 0.0, 0.0))[0].mend.cycles[0] == 3.0


def test_what_nothing_brings_back_is_mended_into_a_sway_over_the_same_stretch():
    found = closing(drift(0.6, 0.2), LEVEL)[0]
    assert not found.closed
    sway = found.mend
    assert value(sway, LEVEL, 0.0)[0] == pytest.approx(0.2)
    assert value(sway, LEVEL, 0.5)[0] == pytest.approx(0.8)


def test_a_last_key_that_differs_from_the_first_is_open_unless_it_is_a_whole_wrap():
    m = keys((0, 0.0, "linear"), (1, 0.7, "linear"))
    assert not closing(m, LEVEL)[0].closed
    assert closing(m, LEVEL)[0].mend.keys[-1].value == 0.0
    assert closing(keys((0, 0.0, "linear"), (1, 720.0, "linear")), ANGLE)[0].closed


NUMBER = st.floats(-50, 50).map(lambda x: round(x, 2))
MOTIONS = st.one_of(
    st.builds(drift, NUMBER, NUMBER),
    st.builds(lambda a, c, s: Sway(motion="sway", amount=a, cycles=c, start=s, base=0.5), NUMBER, NUMBER, NUMBER),
    st.lists(st.tuples(st.integers(0, 20), NUMBER, st.sampled_from(["linear", "eased"])), min_size=1, max_size=6).map(
        lambda ks: keys(*{k[0]: (k[0] / 20, *k[1:]) for k in ks}.values())
    ),
)


@given(MOTIONS)
def test_the_analysis_says_closed_exactly_when_the_end_meets_the_start_and_its_mend_closes(motion):
    end, start = value(motion, ANGLE, 1 - 1e-9)[0], value(motion, ANGLE, 0.0)[0]
    gap = abs((end - start + 180) % 360 - 180)
    found = closing(motion, ANGLE)[0]
    if found.closed:
        assert gap < 1e-3
    else:
        assert gap > 1e-4 or isinstance(motion, Sway)
        assert closing(found.mend, ANGLE)[0].closed


def numbers_of_the_document():
    """Every number outside the strands that may move, by its place."""
    places = [f"surface/{n}" for n, f in fields(Surface).items() if f.param]
    places += [f"stage/lamps/key/{n}" for n, f in fields(Lamp).items() if f.param]
    places += ["stage/neighbours/post/foot", "beacons/b/position", "surface/emission/0/gain", "stage/sky/strength"]
    return [p for p in map(param_at, places) if p and p.moves]


@pytest.mark.parametrize("kind", [m["kind"] for m in motions()])
def test_a_motion_begins_within_the_hard_range_wherever_the_number_stands(kind):
    beads = [p for b in CATALOGUE.values() for p in b.params if p.type in ("number", "pair", "triple") and p.moves]
    for param in (*numbers_of_the_document(), *beads):
        low, high = param.hard
        for start in (low, high, 1e308, *[x for x in param.default if isinstance(x, float)]):
            motion = begin(kind, param, (start,) * param.size)
            rows = table(motion, param, 48)
            # A drift that wraps may go on for good; its sense is that it comes round.
            inside = [x for row in rows for x in row[:1]]
            if not (kind == "drift" and param.wrap is not None):
                assert all(low - 1e-3 * abs(low) <= x <= high + 1e-3 * abs(high) for x in inside), (param, start)
            assert max(inside) > min(inside)
