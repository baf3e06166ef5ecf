"""Lines of sight: rays, the camera's target, and what lies behind the effect."""

import numpy as np
import pytest

from tests.documents import effect
from whorl.effect import camera as cameras
from whorl.effect.stage import Camera
from whorl.plan.build import build
from whorl.stage import sight
from whorl.stage.frame import Film, lit_scene, picture

VIEWS = [Camera(), Camera(yaw=50, pitch=-20, view=60), Camera(yaw=-120, pitch=70, target=[0.5, -0.3, 1.0])]


@pytest.mark.parametrize("camera", VIEWS)
@pytest.mark.parametrize(("width", "height"), [(16, 16), (24, 10), (9, 15)])
def test_a_ray_goes_through_the_middle_of_its_pixel(camera, width, height):
    points = sight.rays(camera, width, height)
    x, y, z = (sight.whole([c], width, height)[0].astype(float) for c in points["at_ray"])
    assert x * x + y * y + z * z == pytest.approx(np.ones((height, width)), abs=1e-5)
    far = cameras.eye(camera)[:, None, None] + 5 * np.stack([x, y, z])
    clip = np.einsum("ij,jhw->ihw", cameras.view_projection(camera, width, height), np.stack([*far, np.ones_like(x)]))
    across = (clip[0] / clip[3] + 1) / 2 * width - 0.5
    down = (1 - clip[1] / clip[3]) / 2 * height - 0.5
    assert across == pytest.approx(np.tile(np.arange(width), (height, 1)), abs=1e-3)
    assert down == pytest.approx(np.tile(np.arange(height)[:, None], (1, width)), abs=1e-3)


@pytest.mark.parametrize("camera", VIEWS)
def test_the_camera_looks_at_its_target_from_its_distance(camera):
    eye = cameras.eye(camera)
    assert np.linalg.norm(eye - np.array(camera.target)) == pytest.approx(camera.distance)
    clip = cameras.view_projection(camera, 32, 32) @ np.array([*camera.target, 1.0])
    assert clip[:2] / clip[3] == pytest.approx([0, 0], abs=1e-9) and clip[3] == pytest.approx(camera.distance)


def test_a_gradient_runs_from_the_foot_of_the_picture_to_its_top():
    drop = {"kind": "gradient", "colour": [0.1, 0.2, 0.3], "second": [0.7, 0.6, 0.5]}
    made = lit_scene(
        build(effect(surface={"composite": "glowing"}, stage={"backdrop": drop})), 0, 64, 64, None, False, 1
    )
    assert made[:3, -1, 5] == pytest.approx([0.1, 0.2, 0.3], abs=2e-3)
    assert made[:3, 0, 5] == pytest.approx([0.7, 0.6, 0.5], abs=2e-3)
    assert made[:3, 31:33, 5].mean(axis=1) == pytest.approx([0.4, 0.4, 0.4], abs=2e-3)
    assert np.ptp(made[:3], axis=2).max() < 1e-6


def test_what_stands_still_behind_the_effect_is_made_once_and_what_moves_each_time():
    def film_of(centre):
        stage = {"neighbours": {"ball": {"on": True, "centre": centre, "radius": 0.5}}}
        plan = build(effect(surface={"composite": "glowing"}, stage=stage))
        film = Film(plan)
        first, second = (picture(plan, phase, 32, 32, film=film) for phase in (0.0, 0.25))
        return film.behind, np.abs(first - second).max()

    kept, apart = film_of([1.0, 0.0, 0.0])
    assert kept is not None and apart == 0
    kept, apart = film_of({"motion": "sway", "amount": [0.8, 0, 0], "base": [0, 0, 0]})
    assert kept is None and apart > 0.05
