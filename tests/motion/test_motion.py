"""Motions against their closed forms, and the closing analysis against the values themselves."""

import itertools
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.documents import bead, data, effect, strand
from whorl.beads.catalogue import CATALOGUE
from whorl.effect import BadEffect, read
from whorl.effect.described import fields
from whorl.effect.places import changed, param_at
from whorl.effect.stage import Lamp
from whorl.effect.surface import Surface
from whorl.effect.tree import motions
from whorl.effect.value import Apart, Drift, Flicker, Follow, Handle, Key, Keys, Pulse, Sway
from whorl.motion import flicker
from whorl.motion.keys import solved
from whorl.motion.kind import Times
from whorl.motion.values import Track, begin, closing, mended, rows, value
from whorl.plan.build import build
from whorl.plan.loop import closings, findings

SCROLL = CATALOGUE["scroll"].param("offset")
ANGLE = CATALOGUE["rotate"].param("angle")
LEVEL = CATALOGUE["threshold"].param("level")
OFFSET = CATALOGUE["offset"].param("by")


def table(motion, param, frames, **more):
    return rows(motion, param, Times.of([f / frames for f in range(frames)], **more))


def drift(cycles, base=None):
    return Drift(motion="drift", cycles=cycles, base=base)


def test_a_drift_goes_at_a_constant_rate_of_whole_wraps():
    assert table(drift([1, -2]), SCROLL, 8)[4].tolist() == [0.5, -1.0, 0.0]
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


def pulse(**more):
    return Pulse(motion="pulse", **{"low": 1.0, "high": 3.0, "rise": 0.2, "hold": 0.1, "fall": 0.4, **more})


@pytest.mark.parametrize("ease", ["linear", "eased"])
@pytest.mark.parametrize("cycles", [1, 3])
def test_a_pulse_has_the_mean_that_its_shares_say(ease, cycles):
    """Both ways up are half done on the average, so the mean is low + (high − low)·(hold + (rise + fall)/2)."""
    m = pulse(rising=ease, falling=ease, cycles=cycles, start=0.3)
    assert table(m, LEVEL, 30000)[:, 0].mean() == pytest.approx(1 + 2 * (0.1 + (0.2 + 0.4) / 2), abs=1e-4)


def test_a_pulse_rises_holds_falls_and_rests():
    m = pulse(rising="linear", falling="linear")
    got = [value(m, LEVEL, p)[0] for p in (0, 0.1, 0.25, 0.5, 0.8)]
    assert got == pytest.approx([1, 2, 3, 2, 1])
    # Shares that do not fit are cut in proportion: it just never rests.
    full = pulse(rise=1.0, hold=1.0, fall=1.0, rising="linear", falling="linear")
    assert [value(full, LEVEL, p)[0] for p in (1 / 6, 0.5, 5 / 6)] == pytest.approx([2, 3, 2])
    # A rise without length is a step.
    assert [value(pulse(rise=0.0), LEVEL, p)[0] for p in (0.0, 0.05)] == [3, 3]


def flickering(**more):
    return Flicker(motion="flicker", **{"low": 0.0, "high": 1.0, "rate": 24, "seed": 5, **more})


def test_a_flicker_has_the_spread_of_even_random_numbers_and_no_pattern_from_change_to_change():
    knots = np.concatenate([table(flickering(rate=48, seed=s), LEVEL, 48)[:, 0] for s in range(60)])
    assert knots.mean() == pytest.approx(0.5, abs=0.02) and knots.var() == pytest.approx(1 / 12, rel=0.06)
    assert abs(np.corrcoef(knots[:-1], knots[1:])[0, 1]) < 0.04


def test_a_smooth_flicker_holds_next_to_nothing_above_its_rate_and_a_stepped_one_does():
    """Power over twice the rate, of all power but the mean's: a smooth step's spectrum falls with the fourth
    power and more, a jump's with the square."""

    def above(roughness):
        got = [table(flickering(roughness=roughness, seed=s), LEVEL, 1536)[:, 0] for s in range(8)]
        power = np.abs(np.fft.rfft(got)) ** 2
        return power[:, 48:].sum() / power[:, 1:].sum()

    assert above(0.0) < 0.01 < 0.05 < above(1.0)


def test_a_flicker_comes_round_and_its_components_go_together_or_each_its_way():
    assert value(flickering(), LEVEL, 0.0) == pytest.approx(value(flickering(), LEVEL, 1.0))
    assert not closing(flickering(rate=7.5), LEVEL)[0].closed
    assert closing(closing(flickering(rate=7.5), LEVEL)[0].mend, LEVEL)[0].closed
    three = {"low": (0.0, 0.0, 0.0), "high": (1.0, 1.0, 1.0)}
    one, each = (table(flickering(together=t, **three), SCROLL, 96) for t in (True, False))
    assert (one[:, 0] == one[:, 1]).all() and abs(np.corrcoef(each[:, 0], each[:, 1])[0, 1]) < 0.5


def test_random_numbers_are_those_of_the_published_generator():
    """The first outputs of SplitMix64 begun at 0, as its authors' code gives them."""
    want = [0xE220A8397B1DCDAF, 0x6E789E6AA1B965F4, 0x06C45D188009454F]
    got = flicker.drawn(0, np.arange(3), np.zeros(3, np.int64))
    assert got.tolist() == [(w >> 11) / 2**53 for w in want]


@given(st.floats(0, 1), st.floats(0, 1), st.lists(st.floats(0, 1), min_size=2, max_size=20))
def test_a_shaped_way_never_turns_back_in_time(x1, x2, times):
    t = np.sort(np.asarray(times))
    s = solved(x1, x2, t)
    assert (np.diff(s) >= -1e-7).all()
    assert 3 * (1 - s) ** 2 * s * x1 + 3 * (1 - s) * s**2 * x2 + s**3 == pytest.approx(t, abs=1e-6)


def test_a_shaped_way_is_the_cubic_of_its_handles():
    """Against de Casteljau's construction at s = 1/2, and the straight line where handles lie on it."""
    a = Key(phase=0.0, value=0.0, ease="shaped", after=Handle(along=0.6, by=0.9))
    b = Key(phase=0.5, value=1.0, before=Handle(along=0.3, by=-0.2))
    m = Keys(motion="keys", keys=[a, b])
    points = [(0.0, 0.0), (0.3, 0.9), (0.35, 0.8), (0.5, 1.0)]
    while len(points) > 1:
        points = [((p[0] + q[0]) / 2, (p[1] + q[1]) / 2) for p, q in itertools.pairwise(points)]
    assert value(m, LEVEL, points[0][0])[0] == pytest.approx(points[0][1], abs=1e-7)
    straight = [
        Key(phase=0.0, value=0.0, ease="shaped", after=Handle(by=1 / 3)),
        Key(phase=0.5, value=1.0, before=Handle(by=-1 / 3)),
    ]
    assert value(Keys(motion="keys", keys=straight), LEVEL, 0.2)[0] == pytest.approx(0.4)


def test_played_once_keys_stay_at_their_ends_and_the_last_is_at_phase_1():
    m = keys((0.2, 1.0, "linear"), (0.8, 4.0, "linear"))
    assert [value(m, LEVEL, p, looping=False)[0] for p in (0, 0.2, 0.5, 0.8, 1)] == pytest.approx([1, 1, 2.5, 4, 4])
    # In a turn that loops, phase 1 is the end of the way that leads over the join.
    assert value(m, LEVEL, 1.0)[0] == pytest.approx(value(m, LEVEL, 0.0)[0])
    ended = keys((0.0, 0.0, "linear"), (1.0, 0.7, "linear"))
    assert value(ended, LEVEL, 1.0)[0] == 0.7


def followed(place, times):
    return rows(drift(1.0, 0.0), ANGLE, times) if place == "angle" else table(pulse(), LEVEL, 1)


def test_what_follows_is_later_and_weaker_and_closes_as_what_it_follows_does():
    m = Follow(motion="follow", place="angle", delay=0.25, gain=0.5, about=10.0)
    track = Track(m, ANGLE, True, followed)
    assert track(0.5) == pytest.approx((10 + 0.5 * 360 * 0.25,))
    # Before it began it goes on the way it came, so nothing jumps a delay after the join.
    assert track(0.0) == pytest.approx((10 - 45,))
    assert not closing(m, ANGLE, others=followed)[0].closed
    assert closing(m.model_copy(update={"gain": 2.0}), ANGLE, others=followed)[0].closed
    once = Track(m, ANGLE, False, followed)
    assert once(0.0) == once(0.25) == (10.0,)


def test_axes_move_each_by_itself_and_close_each_by_itself():
    m = Apart(motion="apart", axes=(drift(1.5), 0.25, Sway(motion="sway", amount=1.0, base=0.0, cycles=2)))
    got = table(m, SCROLL, 8)
    assert got[:, 0] == pytest.approx(np.arange(8) * 1.5 / 8)
    assert (got[:, 1] == 0.25).all() and got[1, 2] == pytest.approx(1.0)
    assert [c.closed for c in closing(m, SCROLL)] == [False, True, True]
    whole = mended(m, SCROLL)
    assert all(c.closed for c in closing(whole, SCROLL)) and whole.axes[1:] == m.axes[1:]


NUMBER = st.floats(-50, 50).map(lambda x: round(x, 2))
MOTIONS = st.one_of(
    st.builds(drift, NUMBER, NUMBER),
    st.builds(lambda a, c, s: Sway(motion="sway", amount=a, cycles=c, start=s, base=0.5), NUMBER, NUMBER, NUMBER),
    st.builds(lambda c, s: pulse(cycles=c, start=s), NUMBER, NUMBER),
    st.builds(lambda r, k: flickering(rate=r, seed=k), st.floats(1, 50), st.integers(0, 9)),
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
        assert gap > 1e-4 or isinstance(motion, Sway | Pulse | Flicker)
        assert closing(found.mend, ANGLE)[0].closed


def numbers_of_the_document():
    """Every number outside the strands that may move, by its place."""
    places = [f"surface/{n}" for n, f in fields(Surface).items() if f.param]
    places += [f"stage/lamps/key/{n}" for n, f in fields(Lamp).items() if f.param]
    places += ["stage/neighbours/post/foot", "beacons/b/position", "surface/emission/0/gain", "stage/sky/strength"]
    return [p for p in map(param_at, places) if p and p.moves]


@pytest.mark.parametrize("kind", [m["kind"] for m in motions() if not m["several"]])
def test_a_motion_begins_within_the_hard_range_wherever_the_number_stands(kind):
    beads = [p for b in CATALOGUE.values() for p in b.params if p.type in ("number", "pair", "triple") and p.moves]
    for param in (*numbers_of_the_document(), *beads):
        low, high = param.hard
        for start in (low, high, 1e308, *[x for x in param.default if isinstance(x, float)]):
            motion = begin(kind, param, (start,) * param.size, "angle", followed)
            # A drift that wraps may go on for good; its sense is that it comes round.
            inside = Track(motion, param, True, followed).rows([f / 48 for f in range(48)])[:, 0].tolist()
            if not (kind == "drift" and param.wrap is not None):
                assert all(low - 1e-3 * abs(low) <= x <= high + 1e-3 * abs(high) for x in inside), (param, start)
            assert max(inside) > min(inside)


VALUES = st.floats(-30, 30)
WILD = st.one_of(
    st.builds(lambda a, b, c: {"motion": "sway", "amount": a, "base": b, "cycles": c}, VALUES, VALUES, VALUES),
    st.builds(lambda a, b: {"motion": "pulse", "low": a, "high": b}, VALUES, VALUES),
    st.builds(lambda a, b: {"motion": "flicker", "low": a, "high": b}, VALUES, VALUES),
    st.builds(
        lambda a, b, h: {
            "motion": "keys",
            "keys": [{"phase": 0.0, "value": a, "ease": "shaped", "after": {"by": h}}, {"phase": 0.4, "value": b}],
        },
        *[VALUES] * 3,
    ),
)


@given(WILD)
def test_a_motion_that_leaves_its_range_is_told_with_mends_that_hold_it(motion):
    document = data(strand("s", bead("uv"), bead("noise", gain=motion)))
    low, high = CATALOGUE["noise"].param("gain").hard
    try:
        build(read(document))
    except BadEffect as e:
        [problem] = e.problems
        words = [m.words for m in problem.mends]
        assert words[0] == "keep it within its range" and words[1].startswith("set it to")
        for mend in problem.mends:
            [change] = mend.changes
            plan = build(changed(read(document), change.place, change.value))
            moved = next(u for u in plan.uniforms if u.place == change.place)
            assert all(low - 1e-8 <= moved.at(p)[0] <= high + 1e-8 for p in plan.effect.turn.phases)


@pytest.mark.parametrize(
    ("text", "cycles", "closes"),
    [
        ("sin(x.x * 3 - k)", 2 * np.pi, True),
        ("sin(x.x * 3 - k)", 6.0, False),
        ("sin(x.x * 3 - k)", -4 * np.pi, True),
        ("cos(2 * k) * x.y", np.pi, True),
        ("fract(x.x + k)", 2.0, True),
        ("fract(x.x + k)", 0.5, False),
        ("x.x + k", 1.0, False),
        ("x.x * l", 7.0, True),
    ],
)
def test_a_drift_closes_where_the_formula_it_goes_into_brings_it_round(text, cycles, closes):
    drift = {"motion": "drift", "cycles": cycles, "base": 0.3}
    written = bead("formula", settings={"formula": text, "gives": "value"}, k=drift)
    plan = build(effect(strand("f", bead("uv"), written)))
    assert [f.kind for f in findings(plan)] == ([] if closes else ["open loop"])
    assert [c.closed for axes in closings(plan).values() for c in axes] == [closes]
