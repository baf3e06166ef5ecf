"""Hits against a plain sum over them, along surfaces against geometry, and over the join."""

import itertools
import math

import numpy as np
import pytest

from tests.documents import bead, effect, strand
from whorl import demo
from whorl.plan.build import build
from whorl.plan.run.evaluate import evaluate
from whorl.plan.run.samples import spread
from whorl.stage.frame import picture
from whorl.stage.struck import below, repeated, scattered

HITS = [
    {"id": "a", "position": [0.3, 0.1, 0.0], "phase": 0.1, "strength": 1.0},
    {"id": "b", "position": [-0.4, 0.2, 0.0], "phase": 0.98, "strength": 0.5},
    {"id": "c", "position": [0.0, -0.5, 0.0], "phase": 0.55, "strength": 2.0},
]


def struck(*beads, hits=HITS, shape="plane", plays="looping", **more):
    turn = {"seconds": 2.0, "fps": 24, "plays": plays}
    return effect(strand("s", *beads), hits=hits, stage={"shape": shape}, turn=turn, **more)


def values(made, phase, count=2048):
    plan = build(made)
    points, _ = spread(plan.effect.stage, count)
    last = made.strands[-1].beads[-1].id
    return points, evaluate(plan, plan.beads[f"s/{last}"], points, phase, apart=True)[0]


def smooth(t):
    t = min(max(t, 0.0), 1.0)
    return t * t * (3 - 2 * t)


def plainly(place, phase, form, *, speed=0.8, width=0.12, trail=1.0, fade=1.5, reach=2.0, looping=True):
    """The same by hand, hit by hit, as the entry's words say it."""
    total = 0.0
    for hit in HITS:
        age = (phase - hit["phase"]) % 1.0 * 2.0 if looping else (phase - hit["phase"]) * 2.0
        if age < 0:
            continue
        far = math.dist(place, hit["position"])
        left = max(0.0, 1 - age / min(fade, 2.0)) ** 2 * (1 - min(1.0, far / reach) ** 2) * hit["strength"]
        left *= smooth(speed * age / width)
        behind = speed * age - far
        if form == "ring":
            which = min(max(math.floor(behind / (2 * width) + 0.5), 0), trail)
            high = smooth(1 - abs(behind - which * 2 * width) / width) * 0.5**which
        elif form == "disc":
            high = smooth(behind / width)
        else:
            rounds = max(behind, 0) / (4 * width)
            high = math.cos(math.tau * rounds) * 0.5 ** (rounds / trail) * smooth(behind / width + 1)
        total += high * left
    return total


@pytest.mark.parametrize("form", ["ring", "disc", "wave"])
@pytest.mark.parametrize("plays", ["looping", "once"])
def test_hits_are_the_sum_of_what_each_makes(form, plays):
    for phase in (0.05, 0.3, 0.62):
        points, got = values(struck(bead("hits", settings={"form": form}), plays=plays), phase)
        places = np.stack(points["at_object"], axis=1)
        want = [plainly(p, phase, form, looping=plays == "looping") for p in places]
        assert np.abs(got).max() > 0.1 or (plays == "once" and phase < 0.1)
        assert got == pytest.approx(want, abs=2e-4), (phase, form)


def test_of_several_the_greater_shows_where_they_are_not_to_add():
    one, two = ({**HITS[0], "id": i} for i in "ab")
    added = values(struck(bead("hits"), hits=[one, two]), 0.3)[1]
    greater = values(struck(bead("hits", settings={"sum": "greater"}), hits=[one, two]), 0.3)[1]
    assert added == pytest.approx(2 * greater, abs=1e-5) and added.max() > 0.5


def test_along_a_ball_the_front_is_a_circle_about_its_middle_and_over_a_tube_it_goes_round():
    hit = {"id": "a", "position": [0.0, 0.0, 1.0], "phase": 0.0, "strength": 1.0}
    settings = {"form": "disc", "way": "along"}
    numbers = {"speed": 1.0, "width": 0.001, "fade": 100.0, "reach": 1000.0}
    made = struck(bead("hits", settings=settings, **numbers), hits=[hit], shape="ball")
    radius = float(np.linalg.norm(made.stage.mesh_of().positions[0]))
    for phase in (0.2, 0.45):
        points, got = values(made, phase)
        z = points["at_object"][2] / radius
        # In that time the front has come as far as an arc of so many radians.
        arc = 2.0 * phase / radius
        inside, outside = np.arccos(np.clip(z, -1, 1)) < arc - 0.03, np.arccos(np.clip(z, -1, 1)) > arc + 0.03
        assert (got[inside] > 0.1).all() and (got[outside] == 0).all() and inside.any() and outside.any()
    cylinder = struck(
        bead("hits", settings=settings, **numbers), hits=[{**hit, "position": [0.0, 0.0, 0.5]}], shape="cylinder"
    )
    points, got = values(cylinder, 0.3, 8192)
    x, y, z = points["at_object"]
    side = np.abs(np.hypot(x, z) - np.hypot(x, z).max()) < 1e-3
    r = np.hypot(x, z).max()
    way = np.hypot(np.arctan2(x, z) * r, y)
    near, far = side & (way < 0.6 - 0.05), side & (way > 0.6 + 0.05)
    assert near.any() and (got[near] > 0.1).mean() > 0.99 and (got[far] == 0).mean() > 0.99


@pytest.mark.parametrize("form", ["ring", "disc", "wave"])
def test_the_join_is_no_other_moment_than_any_for_a_hit_anywhere_in_the_turn(form):
    """The change over the join against the changes beside it."""
    for phase in (0.0, 0.5, 0.98):
        made = struck(bead("hits", settings={"form": form}), hits=[{**HITS[0], "phase": phase}])
        frames = [values(made, f / 48, 512)[1] for f in (46, 47, 0, 1, 2)]
        change = [float(np.abs(b - a).mean()) for a, b in itertools.pairwise(frames)]
        if phase == 0.0:
            # It strikes at the join: what was before has faded, and a ring begins with nothing.
            assert change[1] < 0.02
        else:
            assert change[1] <= 1.2 * max(change[0], change[2]) + 1e-6, (phase, change)


def test_coordinates_that_come_in_are_what_distances_are_measured_in():
    """From UV and tiled, a hit stands where its own place has come to."""
    for source in (("uv",), ("uv", "tile"), ("object", "rotate")):
        made = struck(
            *[bead(k) for k in source], bead("hits", settings={"form": "disc"}, width=0.01, fade=100), hits=HITS[:1]
        )
        points, got = values(made, 0.3, 16384)
        at = np.stack(points["at_object"], axis=1)
        near = np.linalg.norm(at - HITS[0]["position"], axis=1)
        assert got[near.argmin()] > 0.5, source


def test_how_lately_something_struck():
    made = struck(bead("age-of-hit", rise=0.0, fade=1.0), hits=HITS[:2])
    got = [float(values(made, p, 64)[1][0]) for p in (0.1, 0.35, 0.7, 0.98)]
    # Half a second after the first, of strength 1; then nothing; then the second's own strength.
    assert got == pytest.approx([1.0, 0.5, 0.0, 0.5], abs=1e-3)
    rising = struck(bead("age-of-hit", rise=0.5, fade=1.0), hits=HITS[:1])
    # At the moment itself; half way up, an eighth of the turn later; at its height.
    got = [float(values(rising, p, 64)[1][0]) for p in (0.1, 0.225, 0.35)]
    assert got == pytest.approx([0.0, 0.5 * 0.75, 0.5], abs=1e-3)


@pytest.mark.parametrize("name", ["buoy-ward", "rain-planks", "tide-bell"])
def test_a_whole_picture_goes_over_the_join_as_over_any_frame_wherever_in_the_turn_something_strikes(name):
    made = demo.demo(name)
    for phase in (0.0, 0.5, 0.98):
        first, *others = made.hits
        plan = build(made.model_copy(update={"hits": [first.model_copy(update={"phase": phase}), *others]}))
        steps = plan.effect.turn.steps
        frames = [picture(plan, f % steps / steps, 64, 64).astype(float) for f in (-2, -1, 0, 1, 2)]
        change = [float(np.abs(b - a).mean()) for a, b in itertools.pairwise(frames)]
        assert change[1] <= 1.2 * max(change[0], change[2]), (phase, change)


def test_a_hit_is_picked_where_the_picture_shows_the_shape():
    made = struck(bead("hits"), shape="ball")
    stage = made.stage.model_copy(update={"camera": made.stage.camera.model_copy(update={"yaw": 0.0, "pitch": 0.0})})
    middle = below(stage, 0.5, 0.5)
    radius = np.linalg.norm(stage.mesh_of().positions[0])
    assert middle == pytest.approx([0.0, 0.0, radius], abs=2e-3)
    assert below(stage, 0.01, 0.01) is None
    right = below(stage, 0.55, 0.5)
    assert right[0] > 0.02 and np.linalg.norm(right) == pytest.approx(radius, rel=2e-3)


def test_scattered_hits_keep_apart_and_come_evenly():
    made = struck(bead("hits"), shape="ball").model_copy()
    hits = scattered(made.stage, made.turn, 16, 3)
    places = np.asarray([h.position for h in hits])
    gaps = np.linalg.norm(places[:, None] - places[None], axis=2) + np.eye(16) * 9
    radius = np.linalg.norm(made.stage.mesh_of().positions[0])
    assert gaps.min() > 0.3 * radius
    assert sorted(round(h.phase * 16) for h in hits) == list(range(16))
    assert scattered(made.stage, made.turn, 16, 3) == hits != scattered(made.stage, made.turn, 16, 4)


@pytest.mark.parametrize(("plays", "phases"), [("looping", [0.98, 0.23, 0.48, 0.73]), ("once", [0.98])])
def test_a_hit_comes_again_every_so_many_frames_round_the_join_where_there_is_one(plays, phases):
    made = struck(bead("hits"), hits=HITS[1:2], plays=plays)
    again = repeated(made.hits, "b", 12, made.turn)
    assert [h.phase for h in again] == pytest.approx(phases) and len({h.id for h in again}) == len(again)
    assert len(repeated(made.hits, "b", 1, made.turn)) <= 16
    assert repeated(made.hits, "nobody", 12, made.turn) == list(made.hits)
