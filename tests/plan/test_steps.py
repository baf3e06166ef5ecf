"""Steps: light nodes run together, and what does not move is kept; the picture stays the same."""

import numpy as np
import pytest

from tests.documents import bead, effect, strand
from whorl import demo
from whorl.motion.values import Track
from whorl.plan.build import build
from whorl.plan.run.evaluate import Evaluation, Kept, evaluate
from whorl.plan.run.steps import light, steps, still
from whorl.stage import flat
from whorl.stage.frame import Film, frame

VALUES = strand("light", bead("uv"), bead("linear"), bead("power", exponent=2.0), bead("invert"))


def points(size=16):
    return flat.points(size, size)


@pytest.mark.parametrize("slug", demo.slugs())
def test_running_nodes_together_changes_nothing(slug):
    plan = build(demo.demo(slug))
    apart = evaluate(plan, plan.picture, points(), 0.3)
    together = Evaluation(plan, plan.picture, fused=True)
    assert len(together.steps) < len(steps(plan, plan.picture))
    for a, b in zip(apart, together(points(), 0.3), strict=True):
        assert np.abs(a - b).max() < 2e-5


@pytest.mark.parametrize("slug", demo.slugs())
def test_a_film_shows_the_frames_that_are_drawn_one_by_one(slug):
    plan = build(demo.demo(slug))
    film = Film(plan)
    for phase in (0.0, 0.25, 0.7):
        alone, filmed = frame(plan, phase, 40, 40), frame(plan, phase, 40, 40, film=film)
        assert np.abs(alone - filmed).max() < 1e-4
    # Where the shape itself moves there is nothing to keep.
    assert film.kept[True].complete or plan.raised


def test_light_nodes_with_one_user_become_one_step():
    plan = build(effect(VALUES))
    found = steps(plan, plan.beads["light/invert"], fused=True)
    assert [len(s.links) for s in found] == [4]
    assert len(steps(plan, plan.beads["light/invert"])) == 4


def test_a_result_with_two_users_is_made_once_and_stays_a_step():
    split = strand(
        "split",
        bead("tap", **{"from": {"strand": "light", "bead": "linear"}}),
        bead("blend", settings={"mode": "add"}, top={"strand": "light"}),
    )
    plan = build(effect(VALUES, split))
    found = steps(plan, plan.beads["split/blend"], fused=True)
    assert [s.node.place for s in found] == ["strands/light/linear", "strands/split/blend"]


def test_a_colour_between_nodes_of_one_step_is_turned_to_its_luminance():
    tinted = strand("t", bead("uv"), bead("linear"), bead("tint", colour=[1.0, 0.0, 0.0]), bead("invert"))
    plan = build(effect(tinted))
    (step,) = steps(plan, plan.beads["t/invert"], fused=True)
    assert "luminance" in [k.function.name for k in step.links]
    apart, together = (Evaluation(plan, plan.beads["t/invert"], f)(points(), 0.0) for f in (False, True))
    assert np.abs(apart[0] - together[0]).max() < 1e-6


def test_noise_is_too_heavy_to_be_run_with_others():
    plan = build(effect(strand("n", bead("uv"), bead("noise"), bead("invert"))))
    assert not light(plan.beads["n/noise"]) and light(plan.beads["n/invert"])


def moving_scroll():
    drift = {"motion": "drift", "cycles": [1.0, 0.0]}
    return effect(strand("m", bead("uv"), bead("rotate", angle=30.0), bead("scroll", offset=drift), bead("linear")))


def test_a_period_goes_with_the_motion_of_what_it_is_made_of():
    """Tiles that become more: a noise that churns repeats after as many cells as there are tiles at each moment."""
    grown = {"motion": "sway", "base": [3.0, 3.0, 1.0], "amount": [1.0, 0.0, 0.0]}
    tiles = strand("t", bead("uv"), bead("tile", count=grown), bead("noise", settings={"octaves": 1}, scale=1.0))
    plan = build(effect(tiles))
    tiled, uv = plan.beads["t/tile"].period, plan.beads["t/uv"].period
    assert tiled.moves and not uv.moves and uv.at(0.25) == uv.at(0.75)
    for phase in (0.0, 0.25, 0.75):
        count = next(u for u in plan.uniforms if u.place.endswith("/count")).at(phase)
        assert tiled.at(phase) == pytest.approx(np.multiply(count, uv.at(phase)))
    assert tiled.at(0.25) != tiled.at(0.75)


def test_what_moves_is_asked_once_for_a_moment(monkeypatch):
    """By all that is drawn of it, and again at another: 0.25 of a turn later a sway is at its end."""
    swaying = strand("s", bead("uv"), bead("linear", start={"motion": "sway", "base": 0.0, "amount": 0.5}))
    plan = build(effect(swaying, surface={"composite": "solid", "channels": {"emission": [{"strand": "s"}]}}))
    asked = []
    rows = Track.rows
    monkeypatch.setattr(Track, "rows", lambda self, phases: [asked.append(phases), rows(self, phases)][1])
    first = [evaluate(plan, plan.beads["s/linear"], points(), p)[0] for p in (0.0, 0.25, 0.25, 0.0)]
    evaluate(plan, plan.picture, points(), 0.0)
    assert asked == [[0.0], [0.25], [0.0]]
    assert np.array_equal(first[0], first[3]) and np.array_equal(first[1], first[2])
    assert np.abs(first[0] - first[1]).max() > 0.1


@pytest.mark.parametrize("size", [2, 16, 64])
def test_rows_that_are_used_again_are_not_those_of_another_result(size):
    """A colour whose grey two beads ask for, and a footprint, among strands that begin while it is still wanted."""
    red = strand("red", bead("uv"), bead("linear"), bead("tint", colour=[0.4, 0.9, 0.2]))
    ways = {"one": ("invert", {}), "two": ("power", {"exponent": 2.0}), "three": ("threshold", {"level": 0.3})}
    taps = [
        strand(name, bead("tap", **{"from": {"strand": "red"}}), bead(kind, **given))
        for name, (kind, given) in ways.items()
    ]
    lit = [{"strand": "red"}, *({"strand": name} for name in ways)]
    plan = build(effect(red, *taps, surface={"composite": "solid", "channels": {"emission": lit}}))
    at = points(size)
    x = evaluate(plan, plan.beads["red/linear"], at, 0.0)[0]
    grey = x * float(np.dot([0.4, 0.9, 0.2], [0.2126, 0.7152, 0.0722]))
    made = {name: evaluate(plan, plan.beads[f"{name}/{kind}"], at, 0.0)[0] for name, (kind, _) in ways.items()}
    assert made["one"] == pytest.approx(1 - grey, abs=1e-4)
    assert made["two"] == pytest.approx(grey**2, abs=1e-4)
    emission = plan.channels["emission"]
    for threads in (1, 2):
        together = evaluate(plan, emission, at, 0.0, threads)
        for c, share in enumerate((0.4, 0.9, 0.2)):
            assert together[c] == pytest.approx(x * share + sum(made.values()), abs=1e-4)


def test_what_no_motion_changes_is_kept_and_not_run_again():
    plan = build(moving_scroll())
    node = plan.beads["m/linear"]
    kept, again = still(steps(plan, node))
    assert [s.node.place for s in kept] == ["strands/m/rotate"]
    assert [s.node.place for s in again] == ["strands/m/scroll", "strands/m/linear"]
    run, memory = Evaluation(plan, node), Kept()
    first = run(points(), 0.0, kept=memory)
    assert memory.complete and len(memory.results) == 1
    for phase in (0.3, 0.0):
        assert np.array_equal(run(points(), phase, kept=memory)[0], evaluate(plan, node, points(), phase)[0])
    assert np.array_equal(first[0], run(points(), 0.0, kept=memory)[0])


def test_what_would_take_too_much_memory_is_not_kept(monkeypatch):
    monkeypatch.setattr(Kept, "MOST", 100)
    plan = build(moving_scroll())
    run, memory = Evaluation(plan, plan.beads["m/linear"]), Kept()
    run(points(), 0.0, kept=memory)
    assert not memory.complete
    assert np.array_equal(run(points(), 0.6, kept=memory)[0], evaluate(plan, run.node, points(), 0.6)[0])
