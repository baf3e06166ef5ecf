"""Levers against plain arithmetic, what is taken away with them, variants and what lies between."""

import colorsys

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.documents import bead, data, effect, strand
from whorl import demo
from whorl.checks import of_plan
from whorl.effect import BadEffect, read
from whorl.effect.document import Tie
from whorl.effect.levers import (
    applied,
    between,
    dealt,
    kept,
    parsed,
    published,
    set_to,
    standing,
    variant_called,
    without,
)
from whorl.effect.levers import (
    puts as puts_of,
)
from whorl.effect.places import changed, references
from whorl.fields.levers import drifted, levered
from whorl.plan.build import build
from whorl.plan.print.compiled import compiled
from whorl.plan.print.program import program
from whorl.refused import Refused
from whorl.stage.frame import picture

LEVEL = "strands/gate/cut/level"
NUMBERS = st.floats(-1e6, 1e6)
SCALES = st.floats(0.01, 512)


def with_lever(made, place, lever=None):
    """The effect with the number at a place published, as an interface does it."""
    fresh, value = published(made, place, lever)
    made = made if fresh is None else made.model_copy(update={"levers": (*made.levers, fresh)})
    return changed(made, place, value.model_dump())


def bare(made):
    """An effect whose levers have all been taken away, as an interface does it."""
    for lever in made.levers:
        for p in without(made, lever.id):
            made = changed(made, p.place, p.value)
    return made.model_copy(update={"levers": (), "variants": ()})


def gate(*places):
    made = changed(bare(demo.demo("fog-gate")), LEVEL, 0.3)
    for place in places:
        made = with_lever(made, place)
    return made


def uniform(plan, place):
    return next(u for u in plan.uniforms if u.place == place)


def test_publishing_and_taking_away_change_no_pixel():
    plain = changed(gate(), LEVEL, 0.3)
    levered = gate(LEVEL)
    assert levered.levers[0].name == "Gate level" and levered.levers[0].value == 0.3
    before, after = (picture(build(e), 0.2, 48, 48) for e in (plain, levered))
    assert np.array_equal(before, after)
    back = levered
    for p in without(levered, "gate-level"):
        back = changed(back, p.place, p.value)
    assert changed(back, LEVEL, 0.3).strands == plain.strands


@pytest.mark.parametrize("name", demo.slugs())
def test_each_demo_effect_can_be_steered(name):
    made = demo.demo(name)
    assert 4 <= len(made.levers) <= 12 and 2 <= len(made.variants) <= 5
    assert all(x.group for x in made.levers)
    # Taken away, levers that stand still leave the picture as it was; those that moved more than one thing rest.
    standing_still = all(isinstance(x.value, int | float) for x in made.levers)
    before, after = (picture(build(e), 0.3, 32, 32) for e in (made, bare(made)))
    assert np.abs(before - after).max() < (1e-4 if standing_still or name in ("fog-gate", "tide-gauge") else 2)
    looks = [picture(build(applied(made, v)), 0.4, 32, 32) for v in made.variants]
    for i, look in enumerate(looks):
        assert all(np.abs(look - other).mean() > 2e-3 for other in looks[:i]), made.variants[i].name


@given(x=NUMBERS, least=st.floats(-10, 9), span=st.floats(0.1, 10), low=SCALES, high=SCALES, eased=st.booleans())
def test_what_a_lever_moves_is_as_plain_arithmetic_has_it(x, least, span, low, high, eased):
    lever = {"id": "a", "name": "A", "value": x, "least": least, "most": least + span}
    value = {"lever": "a", "low": low, "high": high, "ease": "eased" if eased else "linear"}
    made = effect(strand("s", bead("uv"), bead("noise", scale=value)), levers=[lever])
    got = uniform(build(made), "strands/s/noise/scale").value[0]
    t = (x - least) / (made.levers[0].most - least)
    if eased:
        t = min(max(t, 0), 1)
        t = t * t * (3 - 2 * t)
    hard = uniform(build(made), "strands/s/noise/scale").param.hard
    assert hard[0] <= got <= hard[1]
    assert got == pytest.approx(min(max(low + (high - low) * t, hard[0]), hard[1]), rel=1e-4, abs=1e-3)


def test_one_lever_moves_several_numbers_and_turning_it_makes_no_other_program():
    made = with_lever(gate(LEVEL), "strands/gate/cut/softness", "gate-level")
    made = with_lever(made, "surface/emission/0/gain", "gate-level")
    key = compiled(build(made))["key"]
    turned = set_to(made, {"gate level": 0.9})
    assert compiled(build(turned))["key"] == key
    assert uniform(build(turned), LEVEL).value[0] == pytest.approx(0.9)
    text = program(build(made)).fragment
    # One uniform of the program serves all three.
    at = uniform(build(made), "levers/gate-level/value").name
    assert text.count(f"uniform float {at};") == 1 and text.count(f"({at}, ") == 3
    assert not [u for u in compiled(build(made))["uniforms"] if u["place"] == LEVEL]


def test_a_lever_in_motion_moves_what_it_moves_and_its_end_is_checked():
    sway = {"motion": "sway", "amount": 0.2, "base": 0.5}
    made = changed(gate(LEVEL), "levers/gate-level/value", sway)
    plan = build(made)
    assert uniform(plan, LEVEL).at(0.25) == pytest.approx((0.7,))
    there = picture(build(changed(gate(), LEVEL, 0.7)), 0.25, 32, 32)
    assert picture(plan, 0.25, 32, 32) == pytest.approx(there, abs=1e-5)
    assert [t["place"] for t in compiled(plan)["tracks"] if t["uniform"].startswith("levers")] == [
        "levers/gate-level/value"
    ]
    # Set by hand it moves no more.
    assert uniform(build(set_to(made, {"gate-level": 0.1})), LEVEL).track is None
    drifting = changed(made, "levers/gate-level/value", {"motion": "drift", "cycles": 0.5})
    assert any(f["place"] == "levers/gate-level/value" for f in compiled(build(drifting))["findings"])


def test_a_colour_lever_is_the_colour_of_all_it_moves():
    glow = bead("constant", "glow", settings={"gives": "colour"}, colour=[1.0, 0.5, 0.2])
    made = with_lever(effect(strand("s", glow), strand("t", bead("uv"), bead("noise"))), "strands/s/glow/colour")
    lever = made.levers[0]
    assert lever.kind == "colour" and lever.colour == (1.0, 0.5, 0.2)
    red = set_to(made, {lever.id: (2.0, 0.0, 0.0)})
    assert uniform(build(red), "strands/s/glow/colour").value == (2.0, 0.0, 0.0)
    with pytest.raises(BadEffect, match="is a colour"):
        build(changed(made, "strands/t/noise/scale", {"lever": lever.id}))


def test_a_switch_picks_one_of_two_and_mutes_strands():
    lever = {"id": "rim", "name": "Rim on", "kind": "switch"}
    made = read({**bare(demo.demo("fog-gate")).model_dump(mode="json"), "levers": [lever]})
    made = with_lever(made, "strands/gate/cut/softness", "rim")
    strands = [s.model_copy(update={"sounds_with": "rim"}) if s.id == "rim" else s for s in made.strands]
    made = made.model_copy(update={"strands": tuple(strands)})
    off = set_to(made, {"Rim on": 0.0})
    muted = [s.model_copy(update={"muted": s.id == "rim", "sounds_with": None}) for s in strands]
    want = changed(made.model_copy(update={"strands": tuple(muted)}), "strands/gate/cut/softness", 0.0)
    assert np.array_equal(picture(build(off), 0.3, 48, 48), picture(build(want), 0.3, 48, 48))
    assert not np.array_equal(picture(build(off), 0.3, 48, 48), picture(build(made), 0.3, 48, 48))
    back = off
    for p in without(off, "rim"):
        back = changed(back, p.place, p.value)
    assert next(s for s in back.strands if s.id == "rim").muted


@pytest.mark.parametrize(
    ("place", "value", "words"),
    [
        ("levers/a/under", "none", "there is no switch"),
        ("levers/a/under", "a", "there is no switch"),
        (LEVEL, {"lever": "none"}, "there is no lever 'none'"),
        ("strands/veil/ramp/stops", {"lever": "a"}, "not moved by a lever"),
        ("levers/a/value", {"lever": "a"}, "not moved by a lever"),
    ],
)
def test_what_no_lever_can_move_is_told_at_its_place(place, value, words):
    made = gate().model_copy(update={"levers": effect(levers=[{"id": "a", "name": "A"}]).levers})
    with pytest.raises(BadEffect) as told:
        build(changed(made, place, value))
    assert any(p.place == place and words in p.words for p in told.value.problems), told.value.problems


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("gate level", "NAME=VALUE"),
        ("depth=1", "there is no lever 'depth'; there are 'Gate level'"),
        ("gate level=much", "takes a value"),
        ("gate level=1e99", "finite"),
        ("gate level=nan", "finite"),
        ("gate level=1,2,3", "takes one number"),
        ("gate level=5000", "goes from -1000 to 1000"),
    ],
)
def test_a_lever_that_is_set_wrongly_is_told(text, words):
    made = gate(LEVEL)
    with pytest.raises(Refused, match=words):
        set_to(made, dict([parsed(made, text)]))


def test_references_to_levers_are_walked():
    made = gate(LEVEL)
    variant = kept(made, "Open")
    tie = Tie(id="wind", address="/wind", lever=variant.holds[0].lever)
    made = made.model_copy(update={"variants": (variant,), "ties": (tie,)})
    found = [(r.place, r.gone) for r in references(made) if r.kind == "lever"]
    assert found == [("ties/wind", "entry"), (LEVEL, "value"), ("variants/open/holds/0", "entry")]


COLOURS = st.tuples(*[st.floats(0, 50)] * 3)


def steered(number=0.3, colour=(1.0, 0.5, 0.0), on=True, **more):
    levers = [
        {"id": "n", "name": "N", "value": number, "least": -1.0, "most": 2.0, "floor": -5.0, "ceiling": 5.0, **more},
        {"id": "c", "name": "C", "kind": "colour", "colour": list(colour)},
        {"id": "s", "name": "S", "kind": "switch", "on": on},
    ]
    return read(data(strand("s", bead("uv"), bead("noise")), levers=levers))


@given(st.floats(-5, 5), COLOURS, st.booleans(), st.floats(-5, 5), COLOURS, st.booleans(), st.floats(0, 1))
def test_between_two_variants_is_each_at_its_end_and_never_outside(a, b, c, d, e, f, part):
    first, second = steered(a, b, c), steered(d, e, f)
    v, w = kept(first, "One"), kept(second, "Two")
    made = first.model_copy(update={"variants": (v, w)})
    assert set_to(made, between(made, v, w, 0.0)).levers == applied(made, v).levers == first.levers
    assert set_to(made, between(made, v, w, 1.0)).levers == applied(made, w).levers == second.levers
    half = set_to(made, between(made, v, w, part))
    assert min(a, d) - 1e-9 <= half.levers[0].value <= max(a, d) + 1e-9
    assert max(half.levers[1].colour) <= max(*b, *e) + 1e-6
    assert variant_called(made, "TWO") == w


def test_what_is_in_motion_moves_on_through_variants_and_deals():
    made = demo.demo("fog-gate")
    assert "opening" not in {h.lever for h in kept(made, "Now").holds}
    ember, storm = (variant_called(made, n) for n in ("Ember", "Storm"))
    for values in (*dealt(made, 3), between(made, ember, storm, 0.5)):
        assert set_to(made, values).levers[0].value == made.levers[0].value
    assert applied(made, ember).levers[0].value == made.levers[0].value


def test_hues_go_the_short_way_and_angles_round():
    red, purple = steered(colour=(1.0, 0.1, 0.1)), steered(colour=(0.6, 0.1, 1.0))
    v, w = kept(red, "One"), kept(purple, "Two")
    middle = between(red, v, w, 0.5)["c"]
    hue = colorsys.rgb_to_hsv(*(x / max(middle) for x in middle))[0]
    assert 0.85 < hue < 0.95
    low, high = steered(-0.9, round=True), steered(1.9, round=True)
    # Of a round of three the way from −0.9 to 1.9 is −0.2 long.
    assert between(low, kept(low, "a"), kept(high, "b"), 0.5)["n"] == pytest.approx(-1.0)


@given(st.integers(0, 2**31 - 1), st.floats(-5, 5), COLOURS)
def test_what_is_dealt_lies_within_the_sliders_and_is_the_same_again(seed, number, colour):
    made = steered(number, colour)
    deals = dealt(made, seed)
    assert len(deals) == 8 and deals == dealt(made, seed)
    for values in deals:
        turned = set_to(made, values)
        assert -1 <= standing(turned.levers[0]) <= 2
        assert all(0 <= x <= 1000 for x in standing(turned.levers[1]))


# --- speeds ----------------------------------------------------------------------------------


def streaming(first=2.0, second=6.0, plays="looping"):
    """Two layers that scroll, the one three times as fast as the other."""

    def layer(id, cycles):
        scroll = bead("scroll", offset={"motion": "drift", "cycles": [0.0, cycles, 0.0]})
        return strand(id, bead("uv"), scroll, bead("noise", scale=4.0))

    lit = {"composite": "glowing", "channels": {"emission": [{"strand": "a"}, {"strand": "b"}]}}
    return read(data(layer("a", first), layer("b", second), surface=lit, turn={"seconds": 2.0, "plays": plays}))


def sped(effect, place, lever=None):
    """The effect with the speed of the number at a place published, or moved by a lever that is there."""
    made, value = published(effect, place, lever)
    effect = effect.model_copy(update={"levers": (*effect.levers, made)}) if made else effect
    return changed(effect, place, value.model_dump(mode="json")), (made.id if made else lever)


def phases_of(effect, *phases):
    plan = build(effect)
    return [picture(plan, p, 32, 32) for p in phases]


def test_the_speed_of_a_drift_is_published_and_several_go_on_at_their_ratio():
    before = streaming()
    one, lever = sped(before, "strands/a/scroll/offset")
    both, _ = sped(one, "strands/b/scroll/offset", lever)
    (own,) = both.levers
    assert own.unit == "rounds a turn" and own.value == 2.0 and own.whole and own.name == "A offset speed"
    at = (0.0, 0.3, 0.75)
    for a, b in zip(phases_of(before, *at), phases_of(both, *at), strict=True):
        np.testing.assert_allclose(a, b, atol=2e-4)
    # Turned to another speed it is what drifts at that speed are, three times as fast each.
    for a, b in zip(phases_of(streaming(3.0, 9.0), *at), phases_of(set_to(both, {lever: 3.0}), *at), strict=True):
        np.testing.assert_allclose(a, b, atol=2e-4)
    # Taken away, the drifts are left behind.
    puts = {p.place: p.value for p in without(set_to(both, {lever: 3.0}), lever)}
    assert [puts[f"strands/{s}/scroll/offset"].cycles for s in "ab"] == [(0.0, 3.0, 0.0), (0.0, 9.0, 0.0)]


@pytest.mark.parametrize("at", [0.3, 1.4, 2.6, 3.9])
def test_wherever_a_speed_is_put_the_loop_closes(at):
    made, lever = sped(streaming(), "strands/a/scroll/offset")
    loose = changed(made, f"levers/{lever}/whole", False)
    start, end = phases_of(set_to(loose, {lever: at}), 0.0, 1.0)
    np.testing.assert_allclose(start, end, atol=2e-4)
    assert of_plan(build(set_to(loose, {lever: at}))) == []
    # A turn that plays once takes any speed.
    once, lever = sped(streaming(plays="once"), "strands/a/scroll/offset")
    start, end = phases_of(set_to(changed(once, f"levers/{lever}/whole", False), {lever: 1.5}), 0.0, 1.0)
    assert np.abs(start - end).max() > 0.01


@given(st.floats(0, 1), st.floats(0, 4), st.floats(0, 4))
def test_turned_on_the_way_a_speed_goes_on_from_where_it_is(phase, was, now):
    """With the slip that makes up for it; how fast it goes on is that of the new speed."""

    def at(p, x, slip):
        return drifted(x, 0.0, 4.0, 0.0, 4.0, 0.5, 2.0, p, slip, 0, 1)

    rounds = [levered(x, 0.0, 4.0, 0.0, 4.0, -1e4, 1e4, 0, 1) for x in (was, now)]
    slip = (rounds[0] - rounds[1]) * phase
    assert at(phase, now, slip) == pytest.approx(at(phase, was, 0.0))
    assert at(phase + 0.1, now, slip) - at(phase, now, slip) == pytest.approx(2.0 * 0.1 * rounds[1])


def test_what_does_not_come_round_takes_no_speed():
    own = strand("s", bead("uv"), bead("offset", by={"motion": "drift", "cycles": [1.0, 0.0, 0.0]}), bead("noise"))
    effect = read(data(own))
    # It is published as a number, as it would be standing still.
    made, value = published(effect, "strands/s/offset/by")
    assert not value.rate
    rate = {"lever": made.id, "low": 0.0, "high": 2.0, "rate": True}
    forced = changed(effect.model_copy(update={"levers": (made,)}), "strands/s/offset/by", rate)
    with pytest.raises(BadEffect, match="scroll it instead"):
        build(forced)


# --- choices and places ----------------------------------------------------------------------


def blended(mode="multiply"):
    """Two noises, one laid over the other in some way, on a glowing surface."""
    over = bead("blend", settings={"mode": mode}, top={"strand": "a"})
    lit = {"composite": "glowing", "channels": {"emission": [{"strand": "b"}]}}
    return read(
        data(
            strand("a", bead("uv"), bead("noise", scale=3.0)),
            strand("b", bead("uv"), bead("noise", scale=6.0, seed=4.0), over),
            surface=lit,
        )
    )


MODE = "strands/b/blend/mode"


def chosen_by(effect, place, lever=None):
    made, value = published(effect, place, lever)
    assert value is None and made.kind == "choice"
    return effect.model_copy(update={"levers": (*(x for x in effect.levers if x.id != made.id), made)}), made.id


def test_a_setting_is_published_as_a_choice_of_all_that_may_stand_there():
    effect, id = chosen_by(blended("screen"), MODE)
    (lever,) = effect.levers
    assert len(lever.options) == 12 and lever.options[lever.chosen].name == "screen"
    assert [p.value for o in lever.options for p in o.puts] == [o.name for o in lever.options]
    turned = set_to(effect, dict([parsed(effect, f"{id}=Multiply")]))
    assert turned.strands[1].beads[2].settings["mode"] == "multiply"
    assert np.array_equal(phases_of(turned, 0.2)[0], phases_of(blended("multiply"), 0.2)[0])
    # What the interface is told to put is the same.
    puts = {p.place: p.value for p in puts_of(effect, {id: standing(turned.levers[0])})}
    assert puts == {f"levers/{id}/chosen": turned.levers[0].chosen, MODE: "multiply"}
    for wrong in ("none of them", "99", "-1"):
        with pytest.raises(Refused, match="takes one of"):
            parsed(effect, f"{id}={wrong}")


def test_a_choice_sets_several_things_at_once():
    effect, id = chosen_by(blended(), MODE)
    effect, _ = chosen_by(effect, "strands/a/noise/scale", id)
    effect, _ = chosen_by(effect, "surface/composite", id)
    (lever,) = effect.levers
    assert all([p.place for p in o.puts] == [MODE, "strands/a/noise/scale", "surface/composite"] for o in lever.options)
    assert lever.options[0].puts[1].value == 3.0
    # What moves, or is moved, is no plain value to be set.
    moving = changed(effect, "strands/b/noise/scale", {"motion": "sway", "amount": 1.0, "base": 6.0})
    with pytest.raises(Refused, match="stands still"):
        published(moving, "strands/b/noise/scale", id)
    with pytest.raises(KeyError):
        published(effect, "strands/b/noise/nothing", id)
    # A place that is gone is passed over.
    gone = effect.model_copy(update={"strands": effect.strands[1:]})
    assert set_to(gone, {id: 1.0}).strands[0].beads[2].settings["mode"] == lever.options[1].name


def test_pictures_are_chosen_for_several_beads_at_once():
    assets = [
        {"id": n, "name": f"{n}.png", "hash": c * 64, "width": 4, "height": 4} for n, c in (("bay", "a"), ("pier", "b"))
    ]
    image = lambda id: strand(id, bead("uv"), bead("image", settings={"picture": "bay"}))  # noqa: E731
    effect = read(data(image("colour"), image("bumps"), assets=assets))
    effect, id = chosen_by(effect, "strands/colour/image/picture")
    effect, _ = chosen_by(effect, "strands/bumps/image/picture", id)
    # The second bead goes with the first in each way.
    turned = set_to(effect, {id: 1.0})
    assert [s.beads[1].settings["picture"] for s in turned.strands] == ["pier", "pier"]


def test_a_place_moves_a_beacon():
    near = bead("beacon-distance", settings={"beacon": "lamp"}, start=0.0, end=1.5)
    lit = {"composite": "glowing", "channels": {"emission": [{"strand": "s"}]}}
    stage = {"shape": "ball"}

    def with_lamp(position):
        lamp = [{"id": "lamp", "name": "Lamp", "position": position}]
        return read(data(strand("s", near), surface=lit, stage=stage, beacons=lamp))

    effect = with_lamp([0.2, 0.9, 0.4])
    made = with_lever(effect, "beacons/lamp/position")
    (lever,) = made.levers
    assert lever.kind == "place" and lever.position == (0.2, 0.9, 0.4) and lever.name == "Lamp position"
    np.testing.assert_allclose(phases_of(made, 0.0)[0], phases_of(effect, 0.0)[0], atol=1e-6)
    moved_to = set_to(made, {lever.id: (-0.7, 0.1, 0.8)})
    np.testing.assert_allclose(phases_of(moved_to, 0.0)[0], phases_of(with_lamp([-0.7, 0.1, 0.8]), 0.0)[0], atol=1e-6)
    assert [(p.place, p.value) for p in without(moved_to, lever.id)] == [("beacons/lamp/position", (-0.7, 0.1, 0.8))]
    assert set_to(made, dict([parsed(made, f"{lever.id}=1,2,3")])).levers[0].position == (1.0, 2.0, 3.0)
    for wrong in (0.5, (1.0, 2.0), (1e4, 0.0, 0.0)):
        with pytest.raises(Refused, match="takes a place"):
            set_to(made, {lever.id: wrong})
    # Half way between two it is in the middle, and what takes no place says so.
    first, second = (kept(set_to(made, {lever.id: p}), n) for p, n in (((0.0,) * 3, "a"), ((1.0, 2.0, 3.0), "b")))
    assert between(made, first, second, 0.5)[lever.id] == (0.5, 1.0, 1.5)
    with pytest.raises(BadEffect, match="is a place"):
        build(changed(made, "strands/s/beacon-distance/start", {"lever": lever.id}))


def test_variants_deals_and_ways_between_hold_choices():
    effect, id = chosen_by(blended(), MODE)
    first, second = kept(set_to(effect, {id: 0.0}), "a"), kept(set_to(effect, {id: 5.0}), "b")
    assert [between(effect, first, second, p)[id] for p in (0.0, 0.4, 0.6, 1.0)] == [0.0, 0.0, 5.0, 5.0]
    assert applied(effect, second).strands[1].beads[2].settings["mode"] == effect.levers[0].options[5].name
    seen = {d[id] for d in (d for seed in range(20) for d in dealt(effect, seed))}
    assert seen <= set(map(float, range(12))) and len(seen) > 3


STEPS = st.sampled_from(
    ["strands", "a", "b", "noise", "scale", "blend", "mode", "surface", "emission", "0", "levers", ""]
)
PLACES = st.lists(STEPS | st.text(max_size=4), max_size=6).map("/".join)
VALUES = st.booleans() | st.floats(-1e6, 1e6) | st.text(max_size=8) | st.lists(st.floats(0, 9), min_size=1, max_size=3)


@given(st.lists(st.tuples(PLACES, VALUES), max_size=4))
def test_whatever_a_choice_would_set_is_set_or_passed_over(given_):
    puts = [{"place": place, "value": value} for place, value in given_]
    lever = {"id": "c", "name": "C", "kind": "choice", "options": [{"name": "a"}, {"name": "b", "puts": puts}]}
    effect = read({**blended().model_dump(mode="json"), "levers": [lever]})
    made = set_to(effect, {"c": 1.0})
    assert made.levers == () or made.levers[0].chosen in (0, 1)
    assert next(p.place for p in puts_of(effect, {"c": 1.0})) == "levers/c/chosen"


def test_tints_and_colours_of_the_surface_are_colours_of_levers():
    def lit(tint, absorbed):
        entry = {"strand": "s", "tint": tint, "gain": 2.0}
        clear = {"composite": "see-through", "body": "filled", "opacity": 0.0, "absorbed": absorbed}
        surface = {**clear, "channels": {"emission": [entry]}}
        return read(data(strand("s", bead("uv"), bead("noise")), surface=surface, stage={"shape": "ball"}))

    own = lit([0.9, 0.3, 0.1], [0.2, 0.8, 0.5])
    made = own
    for place in ("surface/emission/0/tint", "surface/absorbed"):
        made = with_lever(made, place)
    assert [x.kind for x in made.levers] == ["colour", "colour"]
    np.testing.assert_allclose(phases_of(made, 0.0)[0], phases_of(own, 0.0)[0], atol=1e-6)
    first, second = made.levers
    turned = set_to(made, {first.id: (0.1, 0.2, 1.5), second.id: (0.9, 0.1, 0.1)})
    wanted = lit([0.1, 0.2, 1.5], [0.9, 0.1, 0.1])
    np.testing.assert_allclose(phases_of(turned, 0.0)[0], phases_of(wanted, 0.0)[0], atol=1e-6)
    assert {r.place for r in references(made) if r.kind == "lever"} == {"surface/emission/0/tint", "surface/absorbed"}
    back = bare(turned)
    assert back.surface.channels.emission[0].tint == (0.1, 0.2, 1.5) and back.surface.absorbed == (0.9, 0.1, 0.1)


RAMPS = st.lists(st.tuples(st.floats(-1, 2), st.tuples(*[st.floats(0, 8)] * 3)), min_size=1, max_size=8)


def ramped(stops, interpolation, levers=()):
    """A radial value through a ramp, shown as it is."""
    ramp = bead("ramp", settings={"interpolation": interpolation}, stops=stops)
    surface = {"channels": {"emission": [{"strand": "a"}]}}
    return effect(strand("a", bead("uv"), bead("radial"), ramp), levers=list(levers), surface=surface)


@pytest.mark.parametrize("interpolation", ["constant", "linear", "smooth"])
@settings(max_examples=12)
@given(stops=RAMPS, dyes=st.lists(st.tuples(*[st.floats(0, 8)] * 3), min_size=2, max_size=2), seed=st.integers(0, 63))
def test_a_lever_colours_a_stop_as_if_it_stood_there(interpolation, stops, dyes, seed):
    chosen = {seed % len(stops): 0, seed // 8 % len(stops): 1}
    levers = [{"id": f"dye-{n}", "name": f"Dye {n}", "kind": "colour", "colour": c} for n, c in enumerate(dyes)]
    plain = [{"at": at, "colour": dyes[chosen[i]] if i in chosen else c} for i, (at, c) in enumerate(stops)]
    led = [
        {"at": at, "colour": c, "lever": f"dye-{chosen[i]}" if i in chosen else None} for i, (at, c) in enumerate(stops)
    ]
    wanted = picture(build(ramped(plain, interpolation)), 0.0, 24, 24)
    got = picture(build(ramped(led, interpolation, levers)), 0.0, 24, 24)
    assert np.abs(wanted.astype(int) - got.astype(int)).max() <= 1


def test_a_stop_is_published_takes_a_lever_and_is_left_with_its_colour():
    stops = [{"at": 0, "colour": [0, 0, 0]}, {"at": 1, "colour": [1, 0.5, 0.25]}]
    made = ramped(stops, "linear")
    place = "strands/a/ramp/stops/1/lever"
    lever, value = published(made, place)
    assert lever.kind == "colour" and lever.colour == (1, 0.5, 0.25) and value == lever.id
    made = changed(made.model_copy(update={"levers": (lever,)}), place, value)
    assert [(r.place, r.id) for r in references(made) if r.kind == "lever"] == [(place, lever.id)]
    turned = set_to(made, {lever.id: (0.25, 0.75, 4.0)})
    for p in without(turned, lever.id):
        turned = changed(turned, p.place, p.value)
    assert turned.strands[0].beads[2].params["stops"][1].colour == (0.25, 0.75, 4.0)
    assert turned.strands[0].beads[2].params["stops"][1].lever is None
    number, _ = published(gate(), LEVEL)
    with pytest.raises(Refused, match="takes a lever that is a colour"):
        published(made.model_copy(update={"levers": (number,)}), place, number.id)
