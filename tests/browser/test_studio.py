"""The real interface in a browser, used as a person would: click, drag, type, reload."""

import io
import json
import random
import re
import time

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, Route, expect

from tests.browser.conftest import WITHIN, go


def settled(page: Page) -> None:
    expect(page.get_by_test_id("save-state")).to_have_text("saved")


def fresh(page: Page, server, slug: str = "fog-gate") -> str:
    """A copy of a demo effect of this test's own, opened and drawn; playback is paused."""
    copy = page.request.post(f"{server.address}/api/effects/{slug}/duplicate").json()["id"]
    visit(page, server, copy)
    return copy


def visit(page: Page, server, id: str) -> None:
    go(page, server, id)
    drawn(page)
    if page.get_by_test_id("play").get_attribute("aria-label").startswith("Pause"):
        page.get_by_test_id("play").click()


def drawn(page: Page) -> None:
    """Waits until the stage shows something, and not what it says before."""
    deadline = time.monotonic() + 60
    # To look takes ten times as long as to read, and has the page drawn anew while it has enough to do.
    while opening(page).count() or stage(page).std() < 3:
        assert time.monotonic() < deadline, "the stage stayed empty"
        time.sleep(0.25)


def opening(page: Page):
    return page.get_by_text(re.compile("Opening the stage|Making the (picture|stage)"))


def stage(page: Page) -> np.ndarray:
    """The middle of the stage as pixels."""
    box = page.get_by_test_id("stage").bounding_box()
    inner = box["width"] * 0.6
    clip = {"x": box["x"] + box["width"] * 0.2, "y": box["y"] + box["height"] * 0.2, "width": inner, "height": inner}
    # To hide a caret that is not there would have the whole page styled anew, twice.
    seen = page.screenshot(clip=clip, caret="initial")
    return np.asarray(Image.open(io.BytesIO(seen)).convert("RGB")).astype(float)


def steady(page: Page) -> np.ndarray:
    """The stage once nothing else is about to be drawn there, and two looks at it are the same."""
    there = page.locator("[data-testid=stage] canvas:not([data-waiting])")
    expect(page.get_by_test_id("meanwhile")).to_have_count(0)
    expect(there).to_have_count(1)
    last = stage(page)
    for _ in range(60):
        time.sleep(0.15)
        now = stage(page)
        if now.shape == last.shape and np.abs(now - last).mean() < 0.01 and there.count():
            return now
        last = now
    raise AssertionError("the stage does not come to rest")


def differs(page: Page, before: np.ndarray, by: float, brighter: bool = False) -> None:
    """The picture comes to differ by more than so much in the mean of all, in levels of 255."""
    _comes(page, before, lambda d: (d.mean() if brighter else np.abs(d).mean()) > by)


def asks(page: Page) -> list[str]:
    """What is asked of the server from here on, but for what looks at pictures behind everything else, and for whether
    others have saved, which a tab asks now and then."""
    asked: list[str] = []
    behind = ("/checks/look", "/revisions?most=1")
    page.on("request", lambda r: None if r.url.endswith(behind) else asked.append(r.url))
    return asked


def same(page: Page, before: np.ndarray, within: float) -> None:
    """The picture comes to be as it was, within so much in the mean of all, in levels of 255."""
    _comes(page, before, lambda d: np.abs(d).mean() < within)


def _comes(page: Page, before: np.ndarray, told) -> None:
    deadline = time.monotonic() + 90
    while not told(now := steady(page) - before):
        assert time.monotonic() < deadline, f"apart by {np.abs(now).mean():.3f}"


def document(page: Page, server, id: str) -> dict:
    return page.request.get(f"{server.address}/api/effects/{id}").json()["document"]


def press(page: Page, bead: str) -> None:
    page.get_by_test_id(f"bead-{bead}").click()


def drag(page: Page, target, to: float) -> None:
    """Drags from the middle of an element to a part of its width."""
    target.scroll_into_view_if_needed()
    box = target.bounding_box()
    y = box["y"] + box["height"] / 2
    page.mouse.move(box["x"] + box["width"] * 0.5, y)
    page.mouse.down()
    for i in range(1, 9):
        page.mouse.move(box["x"] + box["width"] * (0.5 + (to - 0.5) * i / 8), y)


def test_a_demo_opens_from_the_shelf_and_moves(page: Page, server):
    page.goto(server.address)
    for name in ("Fog Gate", "Moth Crate", "Buoy Ward"):
        expect(page.get_by_label(f"Open {name}", exact=True)).to_be_visible()
    page.get_by_label("Open Fog Gate", exact=True).click()
    drawn(page)
    if page.get_by_test_id("play").get_attribute("aria-label").startswith("Play"):
        page.get_by_test_id("play").click()
    first = stage(page)
    # The driver may still be at the shelf's seven programs.
    deadline = time.monotonic() + 90
    while np.abs(stage(page) - first).mean() < 0.5:
        assert time.monotonic() < deadline, "nothing moves"
        time.sleep(0.2)
    # The page fits its window: nothing scrolls but what is meant to.
    assert page.evaluate("document.documentElement.scrollHeight <= innerHeight")


def test_the_shelf_plays_every_effect_where_motion_is_wanted(page: Page, server):
    page.emulate_media(reduced_motion="no-preference")
    page.goto(server.address)
    picture = page.get_by_test_id("shelf-buoy-ward").locator("canvas")

    def look():
        return np.asarray(Image.open(io.BytesIO(picture.screenshot())).convert("RGB")).astype(float)

    deadline = time.monotonic() + 60
    while (first := look()).std() < 5:
        assert time.monotonic() < deadline
        time.sleep(0.3)
    while np.abs(look() - first).mean() < 0.3:
        assert time.monotonic() < deadline
        time.sleep(0.3)
    page.emulate_media(reduced_motion="reduce")
    while np.abs(look() - first).mean() > 0:
        assert time.monotonic() < deadline
        first = look()
        time.sleep(0.6)
    # The other cards come to their one moment when the driver has their programs; then nothing is drawn any more.
    while (frames := page.evaluate(FRAMES, 1000)) > 5:
        assert time.monotonic() < deadline, f"{frames} frames in a second"


#: How many frames a page makes in so many milliseconds.
FRAMES = """(time) => new Promise((done) => {
  const ask = window.requestAnimationFrame;
  let count = 0;
  window.requestAnimationFrame = (call) => ask.call(window, (now) => { count++; call(now); });
  setTimeout(() => { window.requestAnimationFrame = ask; done(count); }, time);
})"""


def test_a_page_at_rest_makes_no_frames_and_few_where_something_is_pressed(page: Page, server):
    fresh(page, server)
    expect(page.locator("canvas.small[data-waiting][data-near]")).to_have_count(0)
    page.wait_for_timeout(500)
    at_rest = page.evaluate(FRAMES, 1000)
    page.get_by_test_id("play").focus()
    page.evaluate(f"window.counted = ({FRAMES})(1000)")
    page.keyboard.press("Shift")
    assert at_rest <= 5 and page.evaluate("window.counted") <= 8


def unmeasured(page: Page, server) -> str:
    """A copy of Verdigris Hull with noise of its own, so that nobody knows yet how its values lie over the shape."""
    given = document(page, server, "verdigris-hull") | {"name": "A hull of its own"}
    [noise] = [b for s in given["strands"] if s["id"] == "weather" for b in s["beads"] if b["id"] == "noise"]
    noise["params"]["seed"] = float(random.randrange(100, 65_000))
    return page.request.post(f"{server.address}/api/effects", data={"document": given}).json()["id"]


def holding(page: Page) -> list[Route]:
    """Holds back what is asked for that has to be found out from a shape."""
    held: list[Route] = []
    page.route("**/api/measured", lambda r: held.append(r))
    return held


def asked(page: Page, held: list[Route]) -> None:
    deadline = time.monotonic() + 60
    while not held:
        assert time.monotonic() < deadline, "nothing is asked"
        page.wait_for_timeout(100)
    # It has all the time that it would take to draw.
    page.wait_for_timeout(2500)


def test_nothing_is_drawn_before_what_is_found_out_from_the_shape_is_there(page: Page, server):
    id = unmeasured(page, server)
    held = holding(page)
    page.goto(f"{server.address}/effect/{id}")
    asked(page, held)
    expect(opening(page)).to_be_visible()
    expect(page.locator("[data-testid^=bead-] canvas:not([data-waiting])")).to_have_count(0)
    held.pop().continue_()
    expect(opening(page)).to_have_count(0)
    first = steady(page)
    page.wait_for_timeout(1000)
    assert np.array_equal(steady(page), first) and first.std() > 3
    # Where it does not come the rest is drawn without it.
    page.unroute_all(behavior="ignoreErrors")
    page.route("**/api/measured", lambda r: r.abort())
    page.goto(f"{server.address}/effect/{unmeasured(page, server)}")
    drawn(page)


def test_the_shelf_waits_for_what_is_found_out_from_a_shape(page: Page, server):
    id = unmeasured(page, server)
    held = holding(page)
    # Only this one is drawn.
    others = re.compile(rf"/api/effects/(?!{id}/)[^/]+/program$")
    page.route(others, lambda r: r.fulfill(status=503, json={"detail": "not now"}))
    page.goto(server.address)
    picture = page.get_by_test_id(f"shelf-{id}").locator("canvas")
    asked(page, held)
    expect(picture).to_have_attribute("data-waiting", "true")
    held.pop().continue_()
    expect(picture).not_to_have_attribute("data-waiting", "true", timeout=60_000)


def test_a_peek_shows_one_bead_says_so_and_returns(page: Page, server):
    fresh(page, server)
    whole = steady(page)
    press(page, "gate-cut")
    page.keyboard.press("v")
    expect(page.get_by_test_id("peek-label")).to_contain_text("threshold of Gate")
    peeked = steady(page)
    # A threshold is black and white.
    assert np.ptp(peeked, axis=2).max() < 6 and np.abs(peeked - whole).mean() > 20
    page.keyboard.press("v")
    expect(page.get_by_test_id("peek-label")).to_have_count(0)
    same(page, whole, 1)


def test_dragging_a_slider_changes_the_picture_without_a_request(page: Page, server):
    id = fresh(page, server)
    press(page, "gate-cut")
    before = steady(page)
    settled(page)
    asked = asks(page)
    slider = page.get_by_role("slider", name="level slider")
    drag(page, slider, 0.75)
    time.sleep(1.2)
    during = stage(page)
    assert asked == []
    assert np.abs(during - before).mean() > 3
    page.mouse.up()
    settled(page)
    assert any("/api/effects/" in url for url in asked)
    level = document(page, server, id)["strands"][3]["beads"][3]["params"]["level"]
    assert level == pytest.approx(0.75, abs=0.02)
    # The whole drag is one step of undo.
    page.keyboard.press("Control+z")
    same(page, before, 1)


def test_a_number_is_typed_up_to_its_hard_limit_and_reset(page: Page, server):
    id = fresh(page, server)
    press(page, "mist-noise")
    number = page.get_by_label("scale", exact=True)
    number.fill("40")
    number.press("Enter")
    settled(page)
    noise = document(page, server, id)["strands"][1]["beads"][5]
    assert noise["params"]["scale"] == 40
    number.fill("9999")
    number.press("Enter")
    expect(number).to_have_value("512")
    number.fill("a lot")
    number.press("Enter")
    # What is no number says so, and nothing changes.
    expect(page.get_by_role("alert").filter(has_text="'a lot' is no number")).to_be_visible()
    number.press("Escape")
    expect(number).to_have_value("512")
    page.get_by_label("Reset scale").click()
    expect(number).to_have_value("4")


def test_setting_a_number_moving_gives_it_a_track_on_the_ring(page: Page, server):
    id = fresh(page, server)
    press(page, "gate-cut")
    track = page.locator("[data-testid=track][data-place='strands/gate/cut/level']")
    expect(track).to_have_count(0)
    page.get_by_test_id("mode-level").select_option("sway")
    expect(track).to_have_count(1)
    line = track.get_by_test_id("track-line")
    expect(line).to_have_attribute("aria-label", "level of threshold in Gate: sway ±0.25")
    expect(track).to_have_attribute("data-closed", "true")
    settled(page)
    assert document(page, server, id)["strands"][3]["beads"][3]["params"]["level"]["motion"] == "sway"
    first = steady(page)
    for _ in range(12):
        page.keyboard.press(".")
    differs(page, first, 0.5)
    page.get_by_test_id("mode-level").select_option("keys")
    expect(line).to_have_attribute("aria-label", "level of threshold in Gate: 2 keys")
    expect(track.get_by_role("slider")).to_have_count(2)


def test_a_broken_loop_is_shown_on_the_ring_and_mended_with_one_click(page: Page, server):
    fresh(page, server)
    press(page, "mist-scroll")
    expect(page.get_by_test_id("ring")).to_have_attribute("data-open", "0")
    drift = page.get_by_label("offset drift y")
    drift.fill("-1.4")
    drift.press("Enter")
    expect(page.get_by_test_id("ring")).to_have_attribute("data-open", "1")
    expect(page.get_by_test_id("checks-button")).to_contain_text("1")
    track = page.locator("[data-testid=track][data-place='strands/mist/scroll/offset']")
    expect(track).to_have_attribute("data-closed", "false")
    expect(page.get_by_role("alert")).to_contain_text("-2 or -1 would")
    page.get_by_test_id("mend").click()
    expect(page.get_by_test_id("ring")).to_have_attribute("data-open", "0")
    expect(drift).to_have_value("-1")
    # The same from the join itself.
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Undo").click()
    page.get_by_test_id("join-mend").click()
    expect(page.get_by_test_id("ring")).to_have_attribute("data-open", "0")
    expect(page.get_by_test_id("checks-button")).to_contain_text("✓")


def test_a_strand_and_beads_are_added_by_typing_and_survive_undo_redo_and_reload(page: Page, server):
    id = fresh(page, server)
    page.get_by_test_id("add-strand").scroll_into_view_if_needed()
    page.get_by_test_id("add-strand").click()
    finder = page.get_by_test_id("finder")
    expect(finder).to_be_visible()
    page.keyboard.type("surface uv")
    page.keyboard.press("Enter")
    expect(finder).to_be_hidden()
    for word in ("honeycomb", "edge glow line"):
        page.keyboard.press("n")
        expect(finder).to_be_visible()
        # What fits behind the last bead is known once its program is there.
        expect(finder.get_by_role("option").first).to_be_visible()
        page.get_by_label("Find a bead").fill(word.split()[0])
        expect(finder.get_by_role("option").first).to_have_attribute("aria-disabled", "false")
        page.keyboard.press("Enter")
        expect(finder).to_be_hidden()
    settled(page)
    strand = document(page, server, id)["strands"][-1]
    assert [b["kind"] for b in strand["beads"]] == ["uv", "hexagons", "rim"]
    beads = page.locator(f"[data-testid^='bead-{strand['id']}-']")
    expect(beads).to_have_count(3)
    page.keyboard.press("Control+z")
    expect(beads).to_have_count(2)
    page.keyboard.press("Control+Shift+z")
    expect(beads).to_have_count(3)
    settled(page)
    page.reload()
    drawn(page)
    expect(beads).to_have_count(3)


SLOW_DRIVER = """{
  const { linkProgram, getSyncParameter } = WebGL2RenderingContext.prototype;
  let until = 0;
  WebGL2RenderingContext.prototype.linkProgram = function (program) {
    until = performance.now() + 2500;
    linkProgram.call(this, program);
  };
  WebGL2RenderingContext.prototype.getSyncParameter = function (sync, name) {
    return performance.now() < until ? this.UNSIGNALED : getSyncParameter.call(this, sync, name);
  };
}"""


def test_the_servers_picture_stands_in_while_a_slow_driver_makes_a_program(page: Page, server):
    page.add_init_script(SLOW_DRIVER)
    id = fresh(page, server)
    expect(page.locator("canvas.small[data-waiting][data-near]")).to_have_count(0)
    # A server that draws it for the first time may take longer than the driver.
    page.request.get(f"{server.address}/api/effects/{id}/frame.png?phase=0&size=32").body()
    before = steady(page)
    page.locator("button.bead[aria-label*='bead 4 of Veil']").click()
    page.keyboard.press("n")
    page.get_by_label("Find a bead").fill("invert")
    expect(page.get_by_test_id("finder").get_by_role("option").first).to_have_attribute("aria-disabled", "false")
    page.keyboard.press("Enter")
    stands = page.get_by_test_id("meanwhile")
    expect(stands).to_be_visible()
    assert 16 <= stands.evaluate("i => i.naturalWidth") < page.get_by_test_id("stage").bounding_box()["width"]
    seen = stage(page)
    expect(stands).to_have_count(0)
    own = steady(page)
    assert np.abs(own - before).mean() > 3
    assert np.abs(seen - own).mean() < np.abs(own - before).mean() / 4
    # It goes too where the picture comes out as the one that is there.
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+Shift+z")
    settled(page)
    expect(stands).to_have_count(0)
    assert np.abs(steady(page) - own).mean() < 1
    # What moves is left to the driver.
    page.keyboard.press("Control+z")
    expect(stands).to_be_visible()
    page.get_by_test_id("play").click()
    expect(stands).to_have_count(0)
    assert np.abs(stage(page) - own).mean() > 1
    # That it was slow is known at the next opening.
    page.reload()
    expect(stands).to_be_visible()
    expect(page.get_by_text("Making the stage")).to_be_visible()
    seen = stage(page)
    drawn(page)
    assert np.abs(seen - steady(page)).mean() < np.abs(own - before).mean() / 4


def test_what_is_opened_next_is_not_shown_as_what_was_open(page: Page, server):
    page.add_init_script(SLOW_DRIVER)
    other = page.request.post(f"{server.address}/api/effects/moth-crate/duplicate").json()["id"]
    fresh(page, server)
    was = steady(page)
    page.route("**/api/frame.png", lambda r: r.abort())  # what would stand in
    page.evaluate(WITHIN, f"/effect/{other}")
    expect(opening(page)).to_be_visible()
    # A few words on grey.
    assert was.std() > 20 > stage(page).std()
    drawn(page)
    assert steady(page).std() > 20


def test_what_is_opened_next_begins_as_in_a_new_page(page: Page, server):
    other = page.request.post(f"{server.address}/api/effects/moth-crate/duplicate").json()["id"]
    fresh(page, server)
    page.get_by_label("Playback speed").select_option("1/4 speed")
    page.get_by_label("Moments laid together").select_option("ghosts")
    page.get_by_label("Frame", exact=True).fill("10")
    page.keyboard.press("Enter")
    page.get_by_role("button", name="whole window").click()
    page.keyboard.press("F1")
    expect(page.get_by_test_id("help")).to_be_visible()
    page.evaluate(WITHIN, f"/effect/{other}")
    drawn(page)
    expect(page.get_by_test_id("help")).to_have_count(0)
    expect(page.get_by_role("region", name="Sheet")).to_be_visible()
    expect(page.get_by_label("Playback speed")).to_have_value("1")
    expect(page.get_by_label("Moments laid together")).to_have_value("now")
    expect(page.get_by_label("Frame", exact=True)).to_have_value("0")


def test_a_strand_goes_to_the_surface_and_shows(page: Page, server):
    empty = page.request.post(f"{server.address}/api/effects", data={"name": "Harbour Glow"}).json()["id"]
    go(page, server, empty)
    page.get_by_role("button", name="Add the first strand").click()
    page.keyboard.type("constant")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("finder")).to_be_hidden()
    page.keyboard.press("2")
    page.get_by_label("Add a strand to emission").click()
    page.get_by_role("menuitem", name="Constant").click()
    drawn_middle = None
    for _ in range(80):
        drawn_middle = stage(page).mean()
        if drawn_middle > 120:
            break
        time.sleep(0.25)
    assert drawn_middle > 120
    settled(page)
    assert len(document(page, server, empty)["surface"]["channels"]["emission"]) == 1


def test_beads_and_strands_are_moved_duplicated_renamed_and_deleted(page: Page, server):
    id = fresh(page, server, "buoy-ward")
    kinds = lambda s: [b["kind"] for b in document(page, server, id)["strands"][s]["beads"]]  # noqa: E731
    before = kinds(1)
    page.get_by_test_id("bead-lines-edge").drag_to(
        page.get_by_test_id("strand-lines").get_by_label("Add a bead to Lines")
    )
    settled(page)
    assert kinds(1) == [before[0], before[2], before[1]]
    press(page, "lines-edge")
    page.keyboard.press("Alt+ArrowLeft")
    settled(page)
    assert kinds(1) == before
    page.keyboard.press("Control+d")
    settled(page)
    assert kinds(1) == [before[0], "invert", "invert", before[2]]
    page.keyboard.press("Delete")
    settled(page)
    assert kinds(1) == before
    name = page.get_by_test_id("strand-lines").get_by_role("button", name="Lines", exact=True)
    name.dblclick()
    page.get_by_label("Strand name").fill("Wires")
    page.keyboard.press("Enter")
    page.get_by_label("Wires: more").click()
    page.get_by_role("menuitem", name="Move up").click()
    settled(page)
    # Above what it taps it cannot stand: told at the bead, and the picture stays.
    assert [s["name"] for s in document(page, server, id)["strands"]][:2] == ["Wires", "Lattice"]
    expect(page.get_by_test_id("bead-lines-tap")).to_have_attribute("data-wrong", "true")
    assert stage(page).std() > 3
    page.keyboard.press("Control+z")
    expect(page.get_by_test_id("bead-lines-tap")).to_have_attribute("data-wrong", "false")


def test_a_fault_is_told_at_its_bead_and_the_last_picture_stays(page: Page, server):
    fresh(page, server)
    good = steady(page)
    press(page, "gate-edge")
    page.keyboard.press("Delete")
    # Without the blend its tap has nothing to go on from.
    expect(page.get_by_test_id("checks-button")).not_to_contain_text("✓")
    page.keyboard.press("4")
    expect(page.get_by_test_id("checks")).to_contain_text("a tap needs the strand")
    expect(page.get_by_test_id("bead-rim-tap")).to_have_attribute("data-wrong", "true")
    # The rim is drawn as it was and says so; the gate, which has no fault, is without its blend now.
    page.get_by_test_id("sheet-line").click()
    expect(page.get_by_test_id("strand-rim")).to_have_attribute("data-stood", "true")
    expect(page.get_by_test_id("strand-rim")).to_contain_text("drawn as it was")
    expect(page.get_by_test_id("strand-gate")).to_have_attribute("data-stood", "false")
    differs(page, good, 1)
    assert stage(page).std() > 3
    page.keyboard.press("Control+z")
    expect(page.get_by_test_id("checks-button")).to_contain_text("✓")
    same(page, good, 1)


def test_a_number_is_fed_from_a_strand(page: Page, server):
    id = fresh(page, server)
    press(page, "gate-cut")
    page.get_by_test_id("mode-softness").select_option("strand")
    page.get_by_label("softness from").select_option(label="Swirl · radial")
    settled(page)
    softness = document(page, server, id)["strands"][3]["beads"][3]["params"]["softness"]
    assert (softness["strand"], softness["bead"]) == ("swirl", "spot")
    expect(page.get_by_test_id("checks-button")).to_contain_text("✓")
    expect(page.get_by_test_id("bead-swirl-spot")).to_have_attribute("data-lit", "true")


def test_the_hand_scrubs_and_the_frame_number_is_typed(page: Page, server):
    fresh(page, server)
    ring = page.get_by_test_id("ring").bounding_box()
    middle = (ring["x"] + ring["width"] / 2, ring["y"] + ring["height"] / 2)
    radius = ring["width"] / 2 - 30
    page.mouse.move(middle[0], middle[1] - radius)
    page.mouse.down()
    page.mouse.move(middle[0] + radius, middle[1], steps=6)
    page.mouse.up()
    expect(page.get_by_label("Frame", exact=True)).to_have_value("24")
    page.get_by_label("Frame", exact=True).fill("90")
    page.keyboard.press("Enter")
    phase = page.get_by_role("slider", name="Phase of the turn")
    assert float(phase.get_attribute("aria-valuenow")) == pytest.approx(90 / 96, abs=0.01)
    phase.focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_label("Frame", exact=True)).to_have_value("91")


def test_a_bake_shows_its_progress_and_its_files_are_downloaded(page: Page, server):
    fresh(page, server, "buoy-ward")
    page.get_by_test_id("bake-button").click()
    dialog = page.get_by_test_id("bake-dialog")
    for side, pixels in (("width", "80"), ("height", "64")):
        dialog.get_by_label(f"bake {side}").fill(pixels)
        dialog.get_by_label(f"bake {side}").press("Enter")
    dialog.get_by_label("EXR").check()
    last = dialog.get_by_label("last frame")
    last.fill("12")
    last.press("Enter")
    dialog.get_by_test_id("start-bake").click()
    job = dialog.get_by_test_id("bake-job").first
    expect(job).to_have_attribute("data-state", re.compile("waiting|running|done"))
    expect(job).to_have_attribute("data-state", "done", timeout=180000)
    with page.expect_download() as waiting:
        job.get_by_role("link", name=re.compile("webm")).click()
    assert waiting.value.path().stat().st_size > 500
    everything = job.get_by_role("link", name="zip")
    expect(everything).to_have_text("all 25 files (zip)")
    with page.expect_download() as waiting:
        everything.click()
    import zipfile

    files = zipfile.ZipFile(waiting.value.path())
    frames = [n for n in files.namelist() if n.endswith(".png")]
    assert len(frames) == 12
    assert Image.open(io.BytesIO(files.read(frames[0]))).size == (80, 64)


def test_which_frames_are_baked_is_asked_once_it_is_known_how_many_there_are(page: Page, server):
    page.route("**/api/compile", lambda route: None)
    page.goto(f"{server.address}/effect/fog-gate")
    # Nothing has been checked yet, either.
    expect(page.get_by_test_id("checks-button")).to_have_text("Checks …")
    page.get_by_test_id("bake-button").click()
    dialog = page.get_by_test_id("bake-dialog")
    expect(dialog.get_by_role("group", name="frames", exact=True)).to_contain_text("getting ready")
    expect(dialog.get_by_label("last frame")).to_have_count(0)
    expect(dialog.get_by_test_id("start-bake")).to_be_disabled()
    # What was held goes on.
    page.unroute("**/api/compile")
    last = dialog.get_by_label("last frame")
    last.fill("12")
    last.press("Enter")
    expect(last).to_have_value("12")
    expect(dialog.get_by_test_id("start-bake")).to_be_enabled()
    expect(page.get_by_test_id("checks-button")).not_to_have_text("Checks …")


def test_a_bake_whose_end_the_list_tells_first_is_not_shown_as_running(page: Page, server):
    fresh(page, server)
    page.get_by_test_id("bake-button").click()
    dialog = page.get_by_test_id("bake-dialog")
    for field, number in (("bake width", "16"), ("bake height", "16"), ("last frame", "1")):
        dialog.get_by_label(field).fill(number)
        dialog.get_by_label(field).press("Enter")
    # Its events tell that it runs, and nothing after that.
    page.route(
        re.compile("/api/bakes/[^/]+/events"),
        lambda route: route.fulfill(
            content_type="text/event-stream",
            body="retry: 600000\ndata: "
            + json.dumps({**page.request.get(route.request.url[: -len("/events")]).json(), "state": "running"})
            + "\n\n",
        ),
    )
    jobs = dialog.get_by_test_id("bake-job")
    for count in (1, 2):
        dialog.get_by_test_id("start-bake").click()
        expect(jobs).to_have_count(count)
        address = f"{server.address}/api/bakes?effect={page.url.rsplit('/', 1)[1]}"
        deadline = time.monotonic() + 60
        while any(j["state"] in ("waiting", "running") for j in page.request.get(address).json()):
            assert time.monotonic() < deadline, "a bake of one frame does not end"
            time.sleep(0.2)
    expect(jobs.nth(1)).to_have_attribute("data-state", "done")


def test_a_save_on_an_old_revision_asks_and_keeps_mine_or_takes_theirs(page: Page, server):
    id = fresh(page, server)
    # A tab in which nothing is changed would take theirs up by itself before anything is typed.
    page.route("**/revisions*", lambda route: route.abort())
    got = page.request.get(f"{server.address}/api/effects/{id}").json()
    theirs = {**got["document"], "notes": "theirs"}
    page.request.put(f"{server.address}/api/effects/{id}", data={"base": got["revision"], "document": theirs})
    press(page, "gate-cut")
    number = page.get_by_label("level", exact=True)
    number.fill("0.3")
    number.press("Enter")
    expect(page.get_by_test_id("save-state")).to_contain_text("saved elsewhere")
    page.get_by_role("button", name="see what differs").click()
    expect(page.get_by_test_id("changed-mine")).to_contain_text("level of threshold in Gate")
    expect(page.get_by_test_id("changed-theirs")).to_contain_text("→ theirs")
    page.get_by_role("button", name="Keep mine").click()
    settled(page)
    kept = page.request.get(f"{server.address}/api/effects/{id}").json()
    assert kept["revision"] == got["revision"] + 2 and kept["document"]["notes"] == got["document"]["notes"]


def test_work_outlives_a_server_that_dies_in_the_middle(page: Page, tmp_path):
    from tests.browser.conftest import Server

    own = Server(tmp_path)
    own.start()
    try:
        visit(page, own, "fog-gate")
        own.kill()
        press(page, "gate-cut")
        number = page.get_by_label("level", exact=True)
        number.fill("0.31")
        number.press("Enter")
        expect(page.get_by_test_id("save-state")).to_contain_text("not saved")
        own.start()
        settled(page)
        assert document(page, own, "fog-gate")["strands"][3]["beads"][3]["params"]["level"] == 0.31
    finally:
        own.kill()


def test_what_is_imported_while_the_shelf_still_loads_is_on_it(page: Page, server, tmp_path):
    """A list from before the import that comes after it is not the last word."""
    held = []

    def late(route):
        if route.request.method == "GET" and not held:
            held.append((route, route.fetch()))
        else:
            route.continue_()

    page.route("**/api/effects", late)
    page.goto(server.address)
    # Its own name each time: where it is run again, the one before is there.
    name = f"Slack Water {time.time_ns() % 10**6}"
    file = tmp_path / "slack.whorl.json"
    file.write_text(json.dumps({"format": "whorl-effect", "version": 1, "name": name}))
    page.get_by_test_id("import").set_input_files(file)
    expect(page.get_by_test_id("shelf-said")).to_contain_text(f"{name} is on the shelf")
    route, response = held[0]
    route.fulfill(response=response)
    expect(page.get_by_label(f"Open {name}", exact=True)).to_be_visible(timeout=20000)


def test_the_shelf_makes_imports_renames_duplicates_deletes_and_undoes(page: Page, server, tmp_path):
    page.goto(server.address)
    source = {"format": "whorl-effect", "version": 1, "name": "Tide Mark"}
    file = tmp_path / "tide.whorl.json"
    file.write_text(json.dumps(source))
    page.get_by_test_id("import").set_input_files(file)
    expect(page.get_by_label("Open Tide Mark")).to_be_visible()
    file.write_text('{"format": "whorl-effect", "version": 1}')
    page.get_by_test_id("import").set_input_files(file)
    expect(page.get_by_test_id("shelf-said")).to_contain_text("'name' is missing")
    page.get_by_label("Tide Mark: more").click()
    page.get_by_role("menuitem", name="Rename").click()
    page.get_by_label("Effect name").fill("Ebb Mark")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Open Ebb Mark")).to_be_visible()
    page.get_by_label("Ebb Mark: more").click()
    page.get_by_role("menuitem", name="Duplicate").click()
    expect(page.get_by_label("Open Ebb Mark copy")).to_be_visible()
    page.get_by_label("Ebb Mark copy: more").click()
    page.get_by_role("menuitem", name="Delete").click()
    expect(page.get_by_label("Open Ebb Mark copy")).to_have_count(0)
    page.get_by_role("button", name="undo").click()
    expect(page.get_by_label("Open Ebb Mark copy")).to_be_visible()


def test_keys_are_shown_and_an_effect_that_is_not_there_says_so(page: Page, server):
    fresh(page, server)
    page.keyboard.press("?")
    expect(page.get_by_test_id("keys")).to_contain_text("peek at the selected bead")
    page.keyboard.press("Escape")
    press(page, "swirl-uv")
    page.keyboard.press("ArrowRight")
    expect(page.get_by_test_id("bead-swirl-spot")).to_have_attribute("data-selected", "true")
    page.keyboard.press("ArrowDown")
    expect(page.get_by_test_id("bead-mist-turn")).to_have_attribute("data-selected", "true")
    page.goto(f"{server.address}/effect/no-such-effect")
    expect(page.get_by_text("There is no such effect")).to_be_visible()


def test_a_sheet_is_baked_and_played_and_a_page_and_maps_are_had(page: Page, server):
    id = fresh(page, server)
    page.get_by_test_id("bake-button").click()
    dialog = page.get_by_test_id("bake-dialog")
    for side in ("width", "height"):
        dialog.get_by_label(f"bake {side}").fill("48")
        dialog.get_by_label(f"bake {side}").press("Enter")
    dialog.get_by_label("WebM").uncheck()
    dialog.get_by_label("PNG", exact=True).uncheck()
    expect(dialog.get_by_text("Choose frames, a video, a sheet or another form.")).to_be_visible()
    dialog.get_by_label("frames in a grid").check()
    expect(dialog.get_by_test_id("sheet-measures")).to_have_text("19 × 6 frames on 1024 × 1024 pixels")
    dialog.get_by_label("sheet every").fill("4")
    dialog.get_by_label("sheet every").press("Enter")
    expect(dialog.get_by_test_id("sheet-measures")).to_have_text("9 × 3 frames on 512 × 512 pixels")
    dialog.get_by_test_id("start-bake").click()
    played = dialog.get_by_role("img", name=re.compile("-sheet.png, played"))
    expect(played).to_be_visible()
    # It is stepped through: pictures of it differ.
    first = played.screenshot()
    deadline = time.monotonic() + 20
    while played.screenshot() == first:
        assert time.monotonic() < deadline, "the sheet is not played"
    for form, name in (("page", f"{id}.html"), ("maps", f"{id}-maps.zip"), ("glb", f"{id}-glb.zip")):
        dialog.get_by_test_id(f"form-{form}").click()
        with page.expect_download() as got:
            dialog.get_by_test_id("save-form").click()
        assert got.value.suggested_filename == name


def test_it_is_handed_over_to_whoever_takes_it(page: Page, server):
    """A receiver sets what is made and puts its forms first; what was chosen is there again after a reload."""
    id = fresh(page, server)
    page.get_by_test_id("bake-button").click()
    dialog = page.get_by_test_id("bake-dialog")
    expect(dialog.get_by_test_id("estimate")).to_contain_text("96 frames, about")
    dialog.get_by_role("button", name="A film").click()
    expect(dialog.get_by_label("EXR", exact=True)).to_be_checked()
    expect(dialog.get_by_label("bake width")).to_have_value("1920")
    expect(dialog.get_by_role("tab").nth(1)).to_contain_text("USD")
    dialog.get_by_label("depth", exact=True).uncheck()
    # By keys alone: down the list of forms, and what becomes of the effect in each.
    dialog.get_by_role("tab", name="Pictures").focus()
    page.keyboard.press("ArrowDown")
    expect(dialog.get_by_role("tab", name="USD")).to_have_attribute("aria-selected", "true")
    expect(dialog.get_by_role("tabpanel", name="USD")).to_contain_text("shape with UV and normals")
    page.reload()
    page.get_by_test_id("bake-button").click()
    expect(dialog.get_by_role("button", name="A film")).to_have_attribute("aria-pressed", "true")
    expect(dialog.get_by_role("tab", name="USD")).to_have_attribute("aria-selected", "true")
    dialog.get_by_test_id("form-pictures").click()
    expect(dialog.get_by_label("depth", exact=True)).not_to_be_checked()
    expect(dialog.get_by_label("normal", exact=True)).to_be_checked()
    # Each form can be looked at before it is taken.
    dialog.get_by_test_id("form-code").click()
    dialog.get_by_label("Language shown").select_option("WGSL")
    expect(dialog.get_by_role("region", name="WGSL code")).to_contain_text("fn ")
    dialog.get_by_test_id("form-page").click()
    inside = page.frame_locator("iframe[title='the page, playing']")
    expect(inside.get_by_role("heading", name="Fog Gate")).to_be_visible(timeout=20000)
    assert id


def test_more_sizes_and_shapes_are_counted_before_they_are_made(page: Page, server):
    fresh(page, server)
    page.get_by_test_id("bake-button").click()
    dialog = page.get_by_test_id("bake-dialog")
    dialog.get_by_text("finer, motion blur").click()
    dialog.get_by_role("button", name="add a size").click()
    dialog.get_by_label("width of size 2").fill("64")
    dialog.get_by_label("width of size 2").press("Enter")
    dialog.get_by_label("ball", exact=True).check()
    dialog.get_by_label("box", exact=True).check()
    expect(dialog.get_by_test_id("estimate")).to_contain_text("384 frames", timeout=20000)
    dialog.get_by_label("every nth frame").fill("48")
    dialog.get_by_label("every nth frame").press("Enter")
    expect(dialog.get_by_test_id("estimate")).to_contain_text("8 frames", timeout=20000)
