"""Whole pictures: the browser's stage and the CPU's frame of it are the same picture."""

import time

import numpy as np
import pytest
from playwright.sync_api import Page
from scipy import ndimage

from whorl import demo
from whorl.plan.build import build
from whorl.stage import camera as cameras
from whorl.stage.frame import Sides, frame

SIZE = 256
#: Lines of one pixel's width show how a GPU takes slopes: within a triangle, and not across its border.
#: A second bend magnifies that, and the middle of a pixel beside a fold may see another triangle.
FINE = {"chart-lantern": 0.99, "cold-store": 0.99, "amber-prow": 0.96}


def pixels(page: Page, number: int) -> np.ndarray:
    """A frame as the studio's painter draws it: (size, size, 3) in 0..255, row 0 at the top."""
    for _ in range(400):
        if got := page.evaluate("([size, frame]) => window.whorlPixels?.(size, frame)", [SIZE, number]):
            return np.array(got, float).reshape(SIZE, SIZE, 4)[::-1, :, :3]
        time.sleep(0.2)
    raise AssertionError("nothing was drawn")


def outline(plan, phase) -> np.ndarray:
    """The pixels that the shape's outline runs through or beside."""
    covered = np.zeros(SIZE * SIZE)
    side = Sides(plan, cameras.numbers(plan.effect.stage.camera, SIZE, SIZE), phase, SIZE, SIZE)
    for front in (False, True):
        seen = side(front)
        real = seen.pixels >= 0
        own = np.bincount(seen.pixels[real], seen.coverage[real], SIZE * SIZE)
        covered = np.maximum(covered, own)
    whole = covered.reshape(SIZE, SIZE)
    return ndimage.maximum_filter(whole, 3) != ndimage.minimum_filter(whole, 3)


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
    # What remains is how edges are smoothed: a GPU shades a pixel once for each triangle in it.
    away = apart[~outline(plan, number / frames)]
    within = FINE.get(slug, 0.995)
    assert (away <= 4).mean() > within, f"{(away > 4).mean():.2%} of pixels"
    assert (apart <= 4).mean() > within - 0.025
    assert cpu.std() > 5
