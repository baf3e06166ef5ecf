"""Hexagons over a ball: how many there are, how alike, and that nothing steps where faces meet."""

import numpy as np
import pytest

from tests.documents import bead, effect, strand
from whorl.plan.build import build
from whorl.plan.run.evaluate import Evaluation
from whorl.plan.run.samples import spread


def over_ball(count, result, samples=200_000):
    cells = bead("hexagon-ball", count=count, settings={"result": result})
    made = effect(strand("s", bead("object"), cells), stage={"shape": "ball"})
    plan = build(made)
    points, normals = spread(made.stage, samples)
    return np.stack(Evaluation(plan, plan.beads["s/hexagon-ball"])(points, 0.0, 2, apart=True), 1), normals


@pytest.mark.parametrize("count", [1, 2, 3, 5, 8])
def test_there_are_as_many_cells_as_goldberg_says_and_they_are_alike(count):
    ids, areas = np.unique(over_ball(count, "random")[0], return_counts=True)
    assert len(ids) == 10 * count**2 + 2
    assert areas.max() / areas.min() < 2.0
    if count > 1:
        # Twelve of them are pentagons, and smaller than the hexagons by more than those differ.
        ordered = np.sort(areas)
        assert ordered[12] / ordered[11] == max(ordered[1:14] / ordered[:13])


def test_a_cell_has_one_middle_and_one_number_and_lies_round_its_middle():
    numbers, normals = over_ball(6, "random", 60_000)
    middles, _ = over_ball(6, "centre", 60_000)
    distance, _ = over_ball(6, "distance", 60_000)
    assert np.linalg.norm(middles, axis=1) == pytest.approx(1.0, abs=1e-4)
    for number in np.unique(numbers)[::23]:
        own = numbers[:, 0] == number
        assert np.ptp(middles[own], axis=0).max() < 1e-4
        near = normals[own] @ middles[own][0]
        # What lies nearest to its middle is farthest from its border.
        assert distance[own][near.argmax()] > 0.75 and distance[own].min() < 0.25
    # Nearly every point lies nearest to the middle of its own cell.
    known = np.unique(np.round(middles, 3), axis=0)
    nearest = known[(normals[:4000] @ known.T).argmax(axis=1)]
    assert (np.linalg.norm(nearest - middles[:4000], axis=1) < 0.02).mean() > 0.95


def test_it_steps_nowhere():
    """From point to point over the ball, over poles and the icosahedron's edges alike, the distance is continuous."""
    cells = bead("hexagon-ball", count=4)
    made = effect(strand("s", bead("object"), cells), stage={"shape": "ball"})
    plan = build(made)
    rng = np.random.default_rng(3)
    t = np.linspace(0, 2 * np.pi, 16384)
    for _ in range(6):
        a, b = np.linalg.qr(rng.normal(size=(3, 2)))[0].T
        circle = np.cos(t)[:, None] * a + np.sin(t)[:, None] * b
        points, _ = spread(made.stage, len(t))
        points = {**points, "at_object": [np.ascontiguousarray(c, np.float32) for c in circle.T]}
        made_there = Evaluation(plan, plan.beads["s/hexagon-ball"])(points, 0.0, 1, apart=True)[0]
        assert np.abs(np.diff(made_there)).max() < 0.02
