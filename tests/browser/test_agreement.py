"""Whole pictures: the browser's stage and the CPU's frame of it are the same picture."""

import time

import numpy as np
import pytest
from playwright.sync_api import Page
from scipy import ndimage

from tests.browser.test_studio import fresh
from whorl import demo
from whorl.plan.build import build
from whorl.stage.frame import fragments, frame

SIZE = 256
#: Lines of one pixel's width show how a GPU takes slopes: within a triangle, and not across its border.
#: A second bend magnifies that, and the middle of a pixel beside a fold may see another triangle.
FINE = {"chart-lantern": 0.99, "amber-prow": 0.99, "cold-store": 0.99}


def pixels(page: Page, number: int) -> np.ndarray:
    """A frame as the studio's painter draws it: (size, size, 3) in 0..255, row 0 at the top."""
    for _ in range(200):
        if got := page.evaluate("([size, frame]) => window.whorlPixels(size, frame)", [SIZE, number]):
            return np.array(got, float).reshape(SIZE, SIZE, 4)[::-1, :, :3]
        time.sleep(0.2)
    raise AssertionError("nothing was drawn")


def outline(plan) -> np.ndarray:
    """The pixels that the shape's outline runs through or beside."""
    covered = np.zeros(SIZE * SIZE, np.float32)
    for front in (False, True):
        seen = fragments(plan.effect.stage, SIZE, SIZE, front)
        real = seen.pixels >= 0
        covered[seen.pixels[real]] = np.maximum(covered[seen.pixels[real]], seen.coverage[real])
    whole = covered.reshape(SIZE, SIZE)
    return ndimage.maximum_filter(whole, 3) != ndimage.minimum_filter(whole, 3)


@pytest.mark.parametrize("slug", demo.slugs())
def test_the_browser_and_the_cpu_draw_one_picture(page: Page, server, slug):
    # A small page has few small pictures that draw beside.
    page.set_viewport_size({"width": 480, "height": 300})
    fresh(page, server, slug)
    plan = build(demo.demo(slug))
    frames = plan.effect.turn.frames
    number = frames // 3
    gpu = pixels(page, number)
    cpu = np.round(frame(plan, number / frames, SIZE, SIZE, threads=2)[..., :3] * 255)
    apart = np.abs(gpu - cpu).max(axis=-1)
    assert np.abs(gpu - cpu).mean() < 1
    # What remains is how edges are smoothed: a GPU shades a pixel once for each triangle in it.
    away = apart[~outline(plan)]
    within = FINE.get(slug, 0.995)
    assert (away <= 4).mean() > within, f"{(away > 4).mean():.2%} of pixels"
    assert (apart <= 4).mean() > 0.97
    assert cpu.std() > 5
