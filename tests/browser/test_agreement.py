"""Whole pictures: the browser's stage and the CPU's frame of it are the same picture."""

import time

import numpy as np
import pytest
from playwright.sync_api import Page

from whorl import demo
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


@pytest.mark.parametrize("slug", demo.slugs())
def test_the_browser_and_the_cpu_draw_one_picture(page: Page, server, slug):
    page.add_init_script("window.whorlQuiet = true")
    page.goto(f"{server.address}/effect/{slug}")
    plan = build(demo.demo(slug))
    frames = plan.effect.turn.frames
    number = frames // 3
    gpu = pixels(page, number)
    cpu = np.round(frame(plan, number / frames, SIZE, SIZE, threads=2)[..., :3] * 255)
    apart = np.abs(gpu - cpu).max(axis=-1)
    assert np.abs(gpu - cpu).mean() < 1
    assert (apart <= 4).mean() > 0.995, f"{(apart > 4).mean():.2%} of pixels"
    assert cpu.std() > 5
