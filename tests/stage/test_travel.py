"""The camera that goes over the turn: each frame is that of a camera which stands where it has gone to."""

import numpy as np
import pytest

from tests.documents import bead, data, strand
from whorl.effect import BadEffect, read
from whorl.effect import camera as cameras
from whorl.effect.places import changed
from whorl.plan.build import build
from whorl.plan.loop import findings
from whorl.stage.frame import Film, frame, picture
from whorl.stage.layers import layers

SIZE = 64


def seen(travel, camera=None, **more):
    cells = strand("cells", bead("object"), bead("noise", scale=3.0), bead("even", settings={"over": "view"}))
    stage = {
        "shape": "ring",
        "camera": {"yaw": 10, "pitch": 25, "distance": 4.5} | (camera or {}),
        "travel": travel,
        "neighbours": {"floor": {"on": True}},
    }
    surface = {"composite": "solid", "lighting": "lit", "channels": {"base": [{"strand": "cells"}]}}
    return read(data(cells, surface=surface, stage=stage, **more))


def shot(effect, phase, **more):
    return frame(build(effect), phase, SIZE, SIZE, **more)


@pytest.mark.parametrize(
    ("name", "motion", "phase", "stands"),
    [
        ("yaw", {"motion": "drift", "cycles": 1.0}, 0.25, {"yaw": 100}),
        ("pitch", {"motion": "sway", "amount": 30.0, "cycles": 1.0}, 0.25, {"pitch": 55}),
        ("pitch", {"motion": "sway", "amount": 170.0, "cycles": 1.0}, 0.25, {"pitch": 89}),
        ("distance", {"motion": "sway", "amount": 0.5, "base": 1.0, "cycles": 1.0}, 0.25, {"distance": 6.75}),
        ("view", {"motion": "sway", "amount": 12.0, "cycles": 1.0}, 0.75, {"view": 22}),
        ("target", {"motion": "sway", "amount": [0.5, 0.0, -0.2], "cycles": 1.0}, 0.25, {"target": [0.5, 0, -0.2]}),
        ("yaw", 33.0, 0.6, {"yaw": 43}),
    ],
)
def test_a_frame_is_that_of_a_camera_that_stands_there(name, motion, phase, stands):
    gone = shot(seen({name: motion}), phase)
    # But for shares over the view, which are measured from fewer samples where it goes.
    assert np.abs(gone - shot(seen({}, camera=stands), phase)).max() < 0.02
    assert np.abs(gone - shot(seen({}), phase)).max() > 0.1


def test_a_lever_takes_the_camera_along():
    levers = [{"id": "nearer", "name": "Nearer", "value": 0.5, "least": 0.0, "most": 1.0}]
    e = seen({"distance": {"lever": "nearer", "low": 1.0, "high": 2.0}}, levers=levers)
    assert np.abs(shot(e, 0.0) - shot(seen({}, camera={"distance": 6.75}), 0.0)).max() < 2e-3


def test_a_film_of_a_camera_that_goes_keeps_nothing_of_where_it_was():
    plan = build(seen({"yaw": {"motion": "drift", "cycles": 1.0}}))
    film = Film(plan)
    for phase in (0.0, 0.3, 0.6):
        alone = picture(plan, phase, SIZE, SIZE)
        assert np.abs(picture(plan, phase, SIZE, SIZE, film=film) - alone).max() < 1e-3


def test_whole_rounds_close_and_half_ones_are_told():
    whole = build(seen({"yaw": {"motion": "drift", "cycles": 1.0}}))
    assert [f for f in findings(whole) if f.place.startswith("stage/travel")] == []
    up = build(seen({"pitch": {"motion": "drift", "cycles": 1.0}}))
    assert [f.place for f in findings(up)] == ["stage/travel/pitch"]


def test_how_far_each_place_goes_is_where_the_camera_of_the_next_frame_has_it():
    effect = seen({"yaw": {"motion": "drift", "cycles": 1.0}})
    plan = build(effect)
    way = layers(plan, ["motion"], 0.0, SIZE, SIZE)["motion"]
    now, soon = (cameras.view_projection(plan.stage_at(p).camera, SIZE, SIZE) for p in (0.0, 1.0 / effect.turn.steps))
    mesh = effect.stage.mesh_of()
    clip = [mesh.positions.astype(float) @ m[:, :3].T + m[:, 3] for m in (now, soon)]
    at = [c[:, :2] / c[:, 3:] * 0.5 * SIZE for c in clip]
    gone = at[1] - at[0]
    near = clip[0][:, 3] < np.quantile(clip[0][:, 3], 0.2)
    x, y = (at[0][near, 0] + SIZE / 2).astype(int), (SIZE / 2 - at[0][near, 1]).astype(int)
    inside = (x > 1) & (x < SIZE - 2) & (y > 1) & (y < SIZE - 2)
    off = way[:, y[inside], x[inside]] - gone[near][inside].T
    assert np.median(np.abs(off)) < 0.15 and np.abs(gone).max() > 0.5


def test_what_is_outside_its_range_is_told_where_it_stands():
    wrong = changed(seen({}), "stage/travel/distance", 1000.0)
    with pytest.raises(BadEffect, match="distance goes from"):
        build(wrong)
