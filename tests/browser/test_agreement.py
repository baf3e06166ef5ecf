"""Whole pictures: the browser's stage and the CPU's frame of it are the same picture."""

import time

import numpy as np
import pytest
from playwright.sync_api import Page

from whorl import demo
from whorl.effect import read
from whorl.plan.build import build
from whorl.stage.frame import frame

SIZE = 256


def pixels(page: Page, number: int) -> np.ndarray:
    """A frame as the studio's painter draws it: (size, size, 3) in 0..255, row 0 at the top."""
    for _ in range(400):
        if got := page.evaluate("([size, frame]) => window.whorlPixels?.(size, frame)", [SIZE, number]):
            return np.array(got, float).reshape(SIZE, SIZE, 4)[::-1, :, :3]
        time.sleep(0.2)
    raise AssertionError("nothing was drawn")


def agree(page: Page, server, id: str, effect) -> None:
    """Both draw a frame of an effect on the shelf alike."""
    page.add_init_script("window.whorlQuiet = true")
    page.goto(f"{server.address}/effect/{id}")
    plan = build(effect)
    frames = plan.effect.turn.frames
    number = frames // 3
    gpu = pixels(page, number)
    cpu = np.round(frame(plan, number / frames, SIZE, SIZE, threads=2)[..., :3] * 255)
    apart = np.abs(gpu - cpu).max(axis=-1)
    assert np.abs(gpu - cpu).mean() < 1
    assert (apart <= 4).mean() > 0.995, f"{(apart > 4).mean():.2%} of pixels"
    assert cpu.std() > 5


@pytest.mark.parametrize("slug", demo.slugs())
def test_the_browser_and_the_cpu_draw_one_picture(page: Page, server, slug):
    agree(page, server, slug, demo.demo(slug))


@pytest.mark.parametrize(
    ("slug", "stage"),
    [
        ("chart-lantern", {"shape": "icosphere", "edges": "hard", "size": 0.8}),
        ("pier-light", {"shape": "cylinder", "size": 1.2, "camera": {"yaw": 30, "pitch": 35, "distance": 4.5}}),
    ],
)
def test_other_shapes_sizes_and_edges_are_one_picture_too(page: Page, server, slug, stage):
    document = demo.demo(slug).model_dump(mode="json")
    document["stage"] |= stage
    id = page.request.post(f"{server.address}/api/effects", data={"document": document}).json()["id"]
    agree(page, server, id, read(document))
