"""Time by hand: curves on the ring, unrolled, hits on the picture, a turn that plays once, moments laid together."""

import io
import time

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

from tests.browser.conftest import go
from tests.browser.test_people import expect_focus, violations
from tests.browser.test_studio import differs, document, drawn, fresh, press, settled, steady

KEYS = {
    "motion": "keys",
    "keys": [
        {"phase": 0.0, "value": 0.17, "ease": "linear"},
        {"phase": 0.25, "value": 0.5, "ease": "shaped"},
        {"phase": 0.75, "value": 0.3, "ease": "eased"},
    ],
}
LEVEL = "strands/gate/cut/level"
#: Small pictures are compared with the core's.
SCALE = 0.25


def opened(page: Page, server, change=lambda d: None) -> str:
    """A Fog Gate of its own that has been changed; stands still at its first frame."""
    given = page.request.get(f"{server.address}/api/effects/fog-gate").json()["document"]
    gate = given["strands"][3]["beads"]
    gate[1]["params"]["radius"], gate[3]["params"]["level"] = 0.5, KEYS
    change(given)
    id = page.request.post(f"{server.address}/api/effects", data={"name": "Gate", "document": given}).json()["id"]
    page.emulate_media(reduced_motion="reduce")
    go(page, server, id)
    press(page, "gate-cut")
    drawn(page)
    return id


def level(page: Page, server, id: str) -> dict:
    settled(page)
    return document(page, server, id)["strands"][3]["beads"][3]["params"]["level"]


def drag(page: Page, grip, dx: float, dy: float) -> None:
    box = grip.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    for i in range(1, 6):
        page.mouse.move(x + dx * i / 5, y + dy * i / 5)
        time.sleep(0.03)
    page.mouse.up()


def test_a_key_is_dragged_round_and_outwards_and_the_picture_follows(page: Page, server):
    id = opened(page, server)
    for _ in range(20):
        page.keyboard.press(".")
    before = steady(page)
    grip = page.get_by_test_id("grip-key-1")
    # At three o'clock: down is later, to the left is inwards.
    drag(page, grip, -8, 40)
    moved = level(page, server, id)["keys"][1]
    assert moved["phase"] > 0.26 and moved["value"] < 0.48
    # It rests at a frame.
    assert moved["phase"] * 96 == pytest.approx(round(moved["phase"] * 96), abs=1e-3)
    differs(page, before, 0.5)
    page.get_by_role("button", name="Undo").click()
    settled(page)
    back = level(page, server, id)["keys"][1]
    assert (back["phase"], back["value"]) == (0.25, 0.5)


def test_a_key_and_the_hand_are_moved_by_a_finger(page: Page, server):
    id = opened(page, server)
    fingers = page.context.new_cdp_session(page)
    fingers.send("Emulation.setTouchEmulationEnabled", {"enabled": True})

    def touched(target, dx: float, dy: float) -> None:
        box = target.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        fingers.send("Input.dispatchTouchEvent", {"type": "touchStart", "touchPoints": [{"x": x, "y": y}]})
        for i in range(1, 6):
            at = {"x": x + dx * i / 5, "y": y + dy * i / 5}
            fingers.send("Input.dispatchTouchEvent", {"type": "touchMove", "touchPoints": [at]})
            time.sleep(0.03)
        fingers.send("Input.dispatchTouchEvent", {"type": "touchEnd", "touchPoints": []})

    touched(page.get_by_test_id("grip-key-1"), -8, 40)
    moved = level(page, server, id)["keys"][1]
    assert moved["phase"] > 0.26 and moved["value"] < 0.48
    # The hand stands at twelve o'clock: to the right is on into the turn.
    hand = page.get_by_role("slider", name="Phase of the turn")
    touched(hand, 60, 12)
    assert 0.01 < float(hand.get_attribute("aria-valuenow")) < 0.25
    # A curve is touched where it runs, and a key is made there.
    page.get_by_test_id("unroll").click()
    unrolled = page.get_by_test_id("unrolled")
    expect(unrolled.get_by_test_id("made")).to_be_visible()
    curve = unrolled.get_by_role("button", name="The curve of level of threshold in Gate; + adds a point at the hand")
    along = """e => {
      const p = e.getPointAtLength(0.9 * e.getTotalLength()), r = e.ownerSVGElement.getBoundingClientRect();
      return {x: r.left + p.x, y: r.top + p.y};
    }"""
    at = curve.evaluate(along)
    fingers.send("Input.dispatchTouchEvent", {"type": "touchStart", "touchPoints": [at]})
    fingers.send("Input.dispatchTouchEvent", {"type": "touchEnd", "touchPoints": []})
    expect(unrolled.get_by_role("slider", name="level of threshold in Gate, key 4 of 4, unrolled")).to_be_visible()
    assert len(level(page, server, id)["keys"]) == 4


def test_a_curve_is_shaped_by_keys_alone(page: Page, server):
    id = opened(page, server)
    line = page.get_by_test_id("track-line")
    line.focus()
    for _ in range(12):
        page.keyboard.press(".")
    page.keyboard.press("+")
    expect(page.get_by_test_id("grip-key-3")).to_be_visible()
    assert level(page, server, id)["keys"][3]["phase"] == pytest.approx(0.125)
    page.get_by_test_id("grip-key-3").focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_test_id("grip-key-3")).to_have_attribute("aria-valuenow", "0.1354")
    raised(page, page.get_by_test_id("grip-key-3"), "ArrowUp")
    assert level(page, server, id)["keys"][3]["value"] > 0.335
    page.keyboard.press("Delete")
    expect(page.get_by_test_id("grip-key-3")).to_have_count(0)
    # A handle shows with its key, and is moved as keys are.
    page.get_by_test_id("grip-key-1").focus()
    page.keyboard.press("Enter")
    handle = page.get_by_test_id("grip-after-1")
    expect(handle).to_be_visible()
    handle.focus()
    raised(page, handle, "Shift+ArrowUp")
    assert level(page, server, id)["keys"][1]["after"]["by"] > 0


def raised(page: Page, grip, key: str) -> None:
    """A grip is moved by a key; the core says where to, and that is saved."""
    before = grip.get_attribute("aria-valuetext") or ""
    page.keyboard.press(key)
    expect(grip).not_to_have_attribute("aria-valuetext", before)
    settled(page)


def test_a_track_is_unrolled_for_precise_work_and_rolled_up_again(page: Page, server):
    id = opened(page, server)
    page.get_by_test_id("unroll").click()
    unrolled = page.get_by_test_id("unrolled")
    expect(unrolled).to_contain_text("level of threshold in Gate")
    expect(page.get_by_test_id("speed")).to_contain_text("largest change")
    grip = unrolled.get_by_role("slider", name="level of threshold in Gate, key 2 of 3, unrolled")
    grip.click()
    value = unrolled.get_by_label("key 2 of 3 value")
    value.fill("0.62")
    value.press("Enter")
    expect(grip).to_have_attribute("aria-valuetext", "phase 0.250, value 0.62")
    assert level(page, server, id)["keys"][1]["value"] == pytest.approx(0.62)
    unrolled.get_by_role("button", name="reverse").click()
    expect(unrolled.get_by_role("slider", name="level of threshold in Gate, key 2 of 3, unrolled")).to_have_attribute(
        "aria-valuetext", "phase 0.750, value 0.62"
    )
    told = [v for v in violations(page)]
    assert not told, "\n".join(told)
    unrolled.get_by_role("button", name="back to its numbers").click()
    expect(page.get_by_test_id("param-level")).to_be_visible()


def test_a_hit_is_placed_by_a_press_on_the_picture_and_carried_round_the_ring(page: Page, server):
    id = "buoy-ward"
    given = page.request.get(f"{server.address}/api/effects/{id}").json()["document"]
    given["hits"] = []
    id = page.request.post(f"{server.address}/api/effects", data={"name": "Ward", "document": given}).json()["id"]
    page.emulate_media(reduced_motion="reduce")
    go(page, server, id)
    press(page, "strikes-hits")
    drawn(page)
    page.get_by_role("button", name="place a hit here, now").click()
    over = page.get_by_test_id("place-hit")
    box = over.bounding_box()
    # The corner shows no shape, and says so.
    page.mouse.click(box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.06)
    expect(page.get_by_role("alert")).to_contain_text("not seen there")
    page.mouse.click(box["x"] + box["width"] * 0.45, box["y"] + box["height"] * 0.5)
    tick = page.get_by_test_id("tick-h1")
    expect(tick).to_have_count(1)
    expect(over).to_have_count(0)
    expect_focus(page, "Hit h1")
    settled(page)
    hit = document(page, server, id)["hits"][0]
    assert 0.9 < np.linalg.norm(np.add(hit["position"], [0, 0.55, 0])) < 1.15
    page.get_by_label("Frame", exact=True).fill("10")
    page.keyboard.press("Enter")
    before = steady(page)
    tick.focus()
    for _ in range(4):
        page.keyboard.press("ArrowRight")
    expect(tick).to_have_attribute("aria-valuetext", "frame 4")
    differs(page, before, 2)
    page.keyboard.press("Delete")
    expect(tick).to_have_count(0)


def test_a_turn_that_plays_once_goes_to_its_end_and_stays(page: Page, server):
    go(page, server, "moth-crate")
    expect(page.get_by_test_id("ring")).to_have_attribute("data-plays", "once")
    drawn(page)
    page.get_by_role("button", name="stay at the end").click()
    page.get_by_test_id("play").click()
    frame = page.get_by_label("Frame", exact=True)
    expect(page.get_by_test_id("play")).to_have_attribute("aria-label", "Play (space)")
    expect(frame).to_have_value("119")
    # From the end it begins again.
    page.get_by_test_id("play").click()
    expect(page.get_by_test_id("play")).to_have_attribute("aria-label", "Pause (space)")
    page.keyboard.press("p")
    assert int(frame.input_value()) < 119
    expect(page.get_by_test_id("phases")).to_contain_text("end")


def test_other_moments_are_laid_over_and_beside_the_present_one(page: Page, server):
    fresh(page, server)
    view = page.get_by_label("Moments laid together")
    for name in ("ghosts", "difference", "ends"):
        view.select_option(name)
        shown = page.get_by_test_id(name)
        expect(shown).to_be_visible()
        expect(shown.locator("canvas[data-waiting]")).to_have_count(0)
    view.select_option("now")
    expect(page.get_by_test_id("ends")).to_have_count(0)
    # A short stretch shows single frames.
    frame = page.get_by_label("Frame", exact=True)
    frame.fill("0")
    frame.press("Enter")
    for _ in range(4):
        page.get_by_role("button", name="closer").click()
    expect(page.get_by_test_id("phases")).to_contain_text("f 1")
    page.get_by_role("button", name="to and fro").click()
    page.keyboard.press("p")
    time.sleep(1.5)
    assert int(frame.input_value()) <= 9


@pytest.mark.parametrize("slug", ["buoy-ward", "amber-prow", "cold-store", "pier-light"])
def test_small_pictures_of_fewer_triangles_are_what_the_core_draws_of_all(page: Page, server, slug):
    go(page, server, slug)
    drawn(page)
    page.get_by_label("Moments laid together").select_option("ends")
    canvas = page.get_by_test_id("ends").locator("canvas:not([data-waiting])").first
    expect(canvas).to_be_visible()
    read = "c => [c.width, ...c.getContext('2d').getImageData(0, 0, c.width, c.height).data]"
    size, *pixels = canvas.evaluate(read)
    here = np.reshape(pixels, (size, size, 4))[:, :, :3].astype(float)
    told = page.request.get(f"{server.address}/api/effects/{slug}/frame.png?phase=0&size={size}").body()
    there = np.asarray(Image.open(io.BytesIO(told)).convert("RGB")).astype(float)
    # Nothing is where it was not, and the whole is as bright.
    assert np.corrcoef(here.ravel(), there.ravel())[0, 1] > 0.98
    assert np.abs(here - there).mean() < 4 and np.abs(here.mean() - there.mean()) < 1.5
