"""The page plays by itself: from a file, without a network, with its levers, as the CPU has it."""

import numpy as np
import pytest

from tests.browser.test_people import violations
from whorl import demo
from whorl.bake.page import write_page
from whorl.effect.levers import applied, variant_called
from whorl.plan.build import build
from whorl.stage.frame import picture

SIZE = 96


@pytest.fixture
def opened(browser, tmp_path):
    """Opens the page of a demo effect from its file, offline; gives the page, and what went wrong on it."""
    contexts = []

    def open_(slug, **more):
        out = tmp_path / f"{slug}.html"
        write_page(demo.demo(slug), out)
        context = browser.new_context(viewport={"width": 1000, "height": 640}, offline=True, **more)
        contexts.append(context)
        page = context.new_page()
        wrong: list[str] = []
        page.on("pageerror", lambda e: wrong.append(str(e)))
        page.on("console", lambda m: wrong.append(m.text) if m.type in ("error", "warning") else None)
        page.on("request", lambda r: wrong.append(r.url) if not r.url.startswith("file:") else None)
        page.goto(out.as_uri())
        page.wait_for_function("window.whorlFrame !== undefined", timeout=90_000)
        return page, wrong

    yield open_
    for context in contexts:
        context.close()


def drawn(page, frame):
    pixels = page.evaluate(f"window.whorlPixels({SIZE}, {frame})")
    return np.asarray(pixels, float).reshape(SIZE, SIZE, 4)[::-1, :, :3]


def reckoned(effect, frame):
    plan = build(effect)
    made = picture(plan, effect.turn.phase(frame), SIZE, SIZE)
    return np.clip(np.moveaxis(made[:3], 0, -1), 0, 1) * 255


@pytest.mark.parametrize(
    "slug", ["fog-gate", "buoy-ward", "soap-lantern", "moth-crate", "night-river", "breathing-sail"]
)
def test_a_page_draws_what_the_core_does(opened, slug):
    page, wrong = opened(slug)
    effect = demo.demo(slug)
    for frame in (3, 40):
        off = np.abs(drawn(page, frame) - reckoned(effect, frame))
        # The mesh goes in 16 and 12 bits, and outlines are smoothed otherwise.
        assert off.mean() < 1.5 and np.quantile(off.max(-1), 0.95) < 8, (off.mean(), np.quantile(off.max(-1), 0.95))
    assert wrong == []


def test_levers_and_variants_act_by_keyboard_too(opened):
    page, wrong = opened("fog-gate")
    effect = demo.demo("fog-gate")
    page.get_by_role("button", name="pause").press("Enter")
    page.get_by_role("button", name="Ember").press("Enter")
    ember = applied(effect, variant_called(effect, "Ember"))
    off = np.abs(drawn(page, 10) - reckoned(ember, 10))
    assert off.mean() < 1.5
    before = drawn(page, 10)
    slider = page.get_by_label("Rim light")
    slider.focus()
    for _ in range(30):
        page.keyboard.press("PageUp")
    assert np.abs(drawn(page, 10) - before).mean() > 0.5
    assert violations(page) == []
    # It turns by keys, and is seen from elsewhere.
    page.get_by_role("img", name="Fog Gate").focus()
    for _ in range(6):
        page.keyboard.press("ArrowRight")
    assert np.abs(drawn(page, 10) - before).mean() > 2
    assert wrong == []


def test_it_rests_where_motion_is_not_wanted_and_loops_where_it_is(opened):
    page, _ = opened("fog-gate", reduced_motion="reduce")
    first = page.evaluate("window.whorlFrame")
    page.wait_for_timeout(1200)
    assert page.evaluate("window.whorlFrame") == first
    page.get_by_role("button", name="play").click()
    page.wait_for_function(f"window.whorlFrame > {first} + 5")
    page.wait_for_function("window.whorlFrame > 80")
    page.wait_for_function("window.whorlFrame < 30")
