"""Motions shaped by hand: what a pull does to the curve, against the curve itself."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.motion.test_motion import ANGLE, LEVEL, SCROLL, drift, flickering, followed, keys, pulse
from whorl.effect.document import Turn
from whorl.effect.value import Apart, Follow, Handle, Sway
from whorl.motion.kind import Times
from whorl.motion.shaping import Deed, done, fitted, shape
from whorl.motion.values import rows

TURN, ONCE = Turn(seconds=2.0, fps=24), Turn(seconds=2.0, fps=24, plays="once")
FINE = np.linspace(0.0, 1.0, 97)


def curve(motion, param=LEVEL, looping=True, phases=FINE):
    return rows(motion, param, Times(np.asarray(phases), looping, followed))


def sway(**more):
    return Sway(motion="sway", **{"base": 0.5, "amount": 0.3, "cycles": 2.0, "start": 0.1, **more})


EVERY = {
    "drift": (drift([2.0, 0.0]), SCROLL),
    "sway": (sway(), LEVEL),
    "pulse": (pulse(cycles=2, start=0.15), LEVEL),
    "flicker": (flickering(rate=5), LEVEL),
    "keys": (keys((0.1, 0.0, "linear"), (0.4, 1.0, "shaped"), (0.7, 2.0, "eased")), LEVEL),
    "follow": (Follow(motion="follow", place="angle", delay=0.25, gain=0.5, about=10.0), ANGLE),
}


def grips(motion, param=LEVEL, turn=TURN):
    return {g.name: g for g in shape(motion, curve(motion, param), param, turn, followed).grips}


@pytest.mark.parametrize("kind", EVERY)
def test_what_can_be_taken_lies_on_the_curve_or_is_a_handle(kind):
    motion, param = EVERY[kind]
    found = grips(motion, param)
    assert found
    for grip in found.values():
        if not grip.of and grip.name != "high":
            # A step's two sides meet in one point: what is just before it will do as well.
            near = curve(motion, param, phases=[grip.phase, grip.phase - 1e-6])[:, 0]
            assert np.abs(near - grip.value).min() < 1e-4, grip


@pytest.mark.parametrize("kind", EVERY)
def test_a_pull_brings_what_is_pulled_to_the_hand(kind):
    """The point that was pulled is where the hand left it, and so is the curve there."""
    motion, param = EVERY[kind]
    for grip in grips(motion, param).values():
        if grip.name in ("high", "change"):
            continue
        up = 0.0 if kind == "drift" else 0.1
        made, _ = done(motion, param, TURN, Deed("pull", (grip.name,), 0.02, up, snap=False), followed)
        after = grips(made, param)[grip.name]
        assert after.phase == pytest.approx(grip.phase + 0.02, abs=1e-3)
        assert after.value == pytest.approx(grip.value + up, abs=1e-3)


def test_what_is_pulled_comes_to_rest_at_a_frame_unless_it_is_not_to():
    motion, _ = EVERY["keys"]
    snapped, _ = done(motion, LEVEL, TURN, Deed("pull", ("key 1",), 0.013, 0.0))
    assert snapped.keys[1].phase * 48 == pytest.approx(round(0.413 * 48), abs=1e-4)
    free, _ = done(motion, LEVEL, TURN, Deed("pull", ("key 1",), 0.013, 0.0, snap=False))
    assert free.keys[1].phase == pytest.approx(0.413)


def test_keys_are_pulled_together_over_the_join_and_stay_within_a_turn_that_plays_once():
    motion = keys((0.1, 0.0, "linear"), (0.9, 1.0, "linear"))
    deed = Deed("pull", ("key 0", "key 1"), 0.25, 0.5)
    over, _ = done(motion, LEVEL, TURN, deed)
    assert [k.phase for k in over.keys] == pytest.approx([17 / 48, 1.15 - 1 + 17 / 48 - 0.35], abs=1e-4)
    assert [k.value for k in over.keys] == [0.5, 1.5]
    once, _ = done(motion, LEVEL, ONCE, deed)
    assert once.keys[1].phase == 1.0


def test_values_are_pulled_no_further_than_the_number_goes():
    far, _ = done(EVERY["keys"][0], LEVEL, TURN, Deed("pull", ("key 0",), 0.0, 1e9))
    assert far.keys[0].value == LEVEL.hard[1]
    wide, _ = done(sway(), LEVEL, TURN, Deed("pull", ("crest",), 0.0, 1e9))
    seen = curve(wide)
    assert seen.min() >= LEVEL.hard[0] and seen.max() <= LEVEL.hard[1]


@pytest.mark.parametrize("turn", [TURN, ONCE])
def test_a_key_that_is_added_leaves_a_straight_curve_where_it_was(turn):
    motion = keys((0.1, 0.0, "linear"), (0.6, 2.0, "linear"))
    made, name = done(motion, LEVEL, turn, Deed("add", phase=0.37))
    assert name == "key 2" and made.keys[2].phase == pytest.approx(round(0.37 * turn.steps) / turn.steps, abs=1e-5)
    assert curve(made, looping=turn.looping) == pytest.approx(curve(motion, looping=turn.looping), abs=1e-5)
    # Where there is one already it is taken hold of, and none is added.
    assert done(motion, LEVEL, turn, Deed("add", phase=0.6, snap=False)) == (motion, "key 1")


def test_keys_are_removed_but_for_the_last():
    motion = EVERY["keys"][0]
    assert len(done(motion, LEVEL, TURN, Deed("remove", ("key 0", "key 2")))[0].keys) == 1
    assert len(done(motion, LEVEL, TURN, Deed("remove", ("key 0", "key 1", "key 2")))[0].keys) == 1


BENT = keys((0.1, 0.0, "shaped"), (0.4, 1.0, "shaped"), (0.7, 2.0, "held"))
BENT = BENT.model_copy(
    update={"keys": (BENT.keys[0].model_copy(update={"after": Handle(along=0.7, by=0.4)}), *BENT.keys[1:])}
)
SHIFTED = {**EVERY, "bent": (BENT, LEVEL), "apart": (Apart(motion="apart", axes=(sway(), 0.5, pulse())), SCROLL)}


@pytest.mark.parametrize("kind", SHIFTED)
def test_a_motion_that_is_shifted_is_the_same_motion_later(kind):
    motion, param = SHIFTED[kind]
    later, _ = done(motion, param, TURN, Deed("shift", phase=0.3), followed)
    # Not at the steps themselves, where either side will do.
    phases = np.linspace(0.303, 0.997, 61)
    assert curve(later, param, phases=phases) == pytest.approx(curve(motion, param, phases=phases - 0.3), abs=2e-4)


@pytest.mark.parametrize("kind", [k for k in SHIFTED if k not in ("flicker", "follow", "bent")])
def test_a_motion_that_is_reversed_runs_back(kind):
    motion, param = SHIFTED[kind]
    turned, _ = done(motion, param, TURN, Deed("reverse"), followed)
    phases = np.linspace(0.003, 0.997, 61)
    assert curve(turned, param, phases=phases) == pytest.approx(curve(motion, param, phases=1 - phases), abs=2e-4)


def test_what_has_no_reverse_says_so():
    with pytest.raises(ValueError, match="no reverse"):
        done(flickering(), LEVEL, TURN, Deed("reverse"))
    with pytest.raises(ValueError, match="no longer there"):
        done(sway(), LEVEL, TURN, Deed("pull", ("key 3",), 0.1))


def test_a_motion_of_another_number_is_made_to_fit():
    assert fitted(drift([2.0, 1.0, 0.5], [0.1, 0.2, 0.3]), ANGLE) == drift(2.0, 0.1)
    assert fitted(drift(2.0), SCROLL) == drift(2.0)
    assert fitted(SHIFTED["apart"][0], LEVEL) == sway()
    many = keys((0.0, [1.0, 2.0, 3.0], "shaped"))
    assert fitted(many, LEVEL).keys[0].value == 1.0


NAMES = st.lists(st.sampled_from(["key 0", "key 1", "crest", "round", "rise", "hold", "fall", "delay"]), max_size=3)


@given(st.sampled_from(sorted(EVERY)), NAMES, st.floats(-2, 2), st.floats(-1e6, 1e6), st.booleans())
def test_no_pull_makes_a_motion_that_cannot_be(kind, names, phase, value, snap):
    """It stays a motion of the document, finite, and within the number's range where that is held."""
    motion, param = EVERY[kind]
    try:
        made, _ = done(motion, param, TURN, Deed("pull", tuple(names), phase, value, snap=snap), followed)
    except ValueError:
        return
    assert type(made).model_validate(made.model_dump()) == made
    assert np.isfinite(curve(made, param)).all()
