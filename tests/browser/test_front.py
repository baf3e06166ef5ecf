"""The front: levers are published, turned, put in order, tried and kept as variants."""

import re
import time

import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_people import tab_to, violations
from tests.browser.test_studio import asks, differs, document, drawn, fresh, press, same, settled, steady


def front(page: Page):
    page.get_by_role("tab", name="Front").click()
    panel = page.get_by_test_id("front")
    expect(panel).to_be_visible()
    return panel


def lever(page: Page, server, id: str, name: str) -> dict:
    settled(page)
    return next(x for x in document(page, server, id)["levers"] if x["name"] == name)


def test_a_number_is_published_turned_without_a_request_and_taken_away(page: Page, server):
    id = fresh(page, server, "breathing-sail")
    press(page, "mark-b3")
    page.get_by_test_id("mode-level").select_option("lever:")
    expect(page.get_by_test_id("mode-level")).to_have_value("lever:mark-level")
    # Another number is moved by the same lever.
    page.get_by_test_id("mode-softness").select_option(label="Mark level")
    settled(page)
    panel = front(page)
    row = panel.get_by_test_id("lever-mark-level")
    row.get_by_role("button", name="Mark level: more").click()
    expect(row).to_contain_text("Mark · rim · level")
    expect(row).to_contain_text("Mark · rim · softness")
    before = steady(page)
    asked = asks(page)
    slider = row.get_by_role("slider", name="Mark level slider")
    box = slider.bounding_box()
    page.mouse.move(box["x"] + box["width"] * 0.35, box["y"] + box["height"] / 2)
    page.mouse.down()
    for part in (0.4, 0.5, 0.6):
        page.mouse.move(box["x"] + box["width"] * part, box["y"] + box["height"] / 2)
    differs(page, before, 0.05)
    assert asked == []
    page.mouse.up()
    turned = lever(page, server, id, "Mark level")
    assert turned["value"] == pytest.approx(0.6, abs=0.02)
    row.get_by_role("button", name="take the lever away").click()
    expect(row).to_have_count(0)
    settled(page)
    mark = next(s for s in document(page, server, id)["strands"] if s["id"] == "mark")["beads"][2]["params"]
    assert mark["level"] == pytest.approx(0.6, abs=0.02)
    page.get_by_role("button", name="Undo").click()
    expect(panel.get_by_test_id("lever-mark-level")).to_be_visible()


def test_a_lever_is_named_grouped_made_private_and_the_front_is_tried(page: Page, server):
    id = fresh(page, server)
    panel = front(page)
    expect(panel.locator("summary").first).to_have_text("gate")
    # A lever in motion says so, and can be held.
    opening = panel.get_by_test_id("lever-opening")
    expect(opening).to_contain_text("in motion: keys")
    opening.get_by_role("button", name="hold it still").click()
    expect(opening.get_by_role("slider", name="Opening slider")).to_be_visible()
    ragged = panel.get_by_test_id("lever-raggedness")
    ragged.get_by_role("button", name="Raggedness: more").click()
    # Set moving it has a curve on the ring, within what it accepts; still again it is where it rested.
    ragged.get_by_test_id("mode-value").select_option("sway")
    expect(page.get_by_role("button", name="Raggedness: sway", exact=False)).to_be_visible()
    moving = lever(page, server, id, "Raggedness")["value"]
    assert moving["base"] - moving["amount"] >= 0 and moving["base"] + moving["amount"] <= 1
    ragged.get_by_test_id("mode-value").select_option("still")
    expect(ragged.get_by_label("Raggedness", exact=True)).to_have_value("0.16")
    for field, text in (("name", "Torn edge"), ("group", "edge"), ("note", "How torn the gate is.")):
        box = panel.get_by_label(f"{field} of", exact=False).first
        box.fill(text)
        box.press("Enter")
    expect(panel).to_contain_text("How torn the gate is.")
    torn = lever(page, server, id, "Torn edge")
    assert torn["group"] == "edge"
    softness = panel.get_by_test_id("lever-edge-softness")
    softness.get_by_role("button", name="Edge softness: more").click()
    softness.get_by_label("private: left out of the front").check()
    panel.get_by_role("button", name="try the front").click()
    expect(page.get_by_test_id("sheet")).to_have_count(0)
    expect(panel.get_by_test_id("lever-edge-softness")).to_have_count(0)
    told = violations(page)
    assert not told, "\n".join(told)
    # By keys alone: to its end, and back to where it rests.
    before = steady(page)
    tab_to(page, "Rim light to its low end")
    page.keyboard.press("Enter")
    differs(page, before, 1)
    assert lever(page, server, id, "Rim light")["value"] == 0
    panel.get_by_role("button", name="Reset Rim light").press("Enter")
    same(page, before, 1)
    panel.get_by_role("button", name="back to the work").click()
    expect(page.get_by_role("tab", name="Front")).to_be_visible()


def test_an_effect_begins_from_a_starter_and_the_shelf_shows_variants(page: Page, server):
    page.goto(server.address)
    page.get_by_role("button", name="5 variants of Fog Gate", exact=True).click()
    pictures = page.get_by_test_id("variants-fog-gate").locator("img")
    expect(pictures).to_have_count(5)
    assert pictures.nth(1).evaluate("i => i.decode().then(() => i.naturalWidth)") == 96
    page.get_by_test_id("new-effect").click()
    begin = page.get_by_test_id("begin")
    expect(begin.get_by_role("button", name="Ward of hexagons")).to_be_visible()
    expect(begin.locator("canvas:not([data-waiting])").first).to_be_visible(timeout=60000)
    told = violations(page)
    assert not told, "\n".join(told)
    begin.get_by_role("button", name="Swirl Mist").click()
    drawn(page)
    expect(page.get_by_label("Effect name")).to_have_value("Swirl")
    panel = front(page)
    expect(panel.get_by_test_id("lever-twist")).to_be_visible()


def test_variants_are_kept_applied_mixed_and_dealt(page: Page, server):
    id = fresh(page, server)
    panel = front(page)
    made = steady(page)
    panel.get_by_role("button", name="Variant Deep violet").click()
    differs(page, made, 3)
    violet = steady(page)
    hue = lever(page, server, id, "Hue")
    assert hue["value"] == pytest.approx(0.24)
    panel.get_by_label("From variant").select_option("As made")
    panel.get_by_label("To variant").select_option("Deep violet")
    between = panel.get_by_label("Between two variants")
    between.focus()
    between.press("Home")
    between.press("End")
    same(page, violet, 1)
    between.fill("0.5")
    expect(panel.get_by_label("Hue", exact=True)).to_have_value("0.12")
    assert lever(page, server, id, "Hue")["value"] == pytest.approx(0.12)
    panel.get_by_label("Name of the variant").fill("Half way")
    panel.get_by_role("button", name="keep as a variant").click()
    expect(panel.get_by_role("button", name="Variant Half way")).to_be_visible()
    panel.get_by_role("button", name="deal eight").click()
    expect(panel.get_by_test_id("deals").locator("canvas:not([data-waiting])")).to_have_count(8, timeout=60000)
    half = steady(page)
    panel.get_by_role("button", name="Dealt 3").click()
    differs(page, half, 1)
    panel.get_by_role("button", name="Remove Half way").click()
    settled(page)
    page.reload()
    drawn(page)
    panel = front(page)
    expect(panel.get_by_role("button", name="Variant Half way")).to_have_count(0)
    names = [v["name"] for v in document(page, server, id)["variants"]]
    assert names == ["As made", "Ember", "Storm", "Whisper", "Deep violet"]


def test_a_speed_that_is_turned_while_it_plays_does_not_jump(page: Page, server):
    id = fresh(page, server, "fog-gate")
    press(page, "mist-scroll")
    page.get_by_test_id("mode-offset").select_option("lever:")
    expect(page.get_by_test_id("mode-offset")).to_have_value("lever:mist-outer-offset-speed")
    settled(page)
    speed = next(x for x in document(page, server, id)["levers"] if x["name"].endswith("speed"))
    assert speed["unit"] == "rounds a turn"
    panel = front(page)
    row = panel.get_by_test_id(f"lever-{speed['id']}")
    box = row.get_by_role("textbox", name=speed["name"], exact=True)
    frame = page.get_by_label("Frame", exact=True)
    frame.fill("40")
    frame.press("Enter")
    page.get_by_test_id("play").click()
    box.fill(str(speed["value"] + 1))
    box.press("Enter")
    page.get_by_test_id("play").click()
    # It went on from where it was, and not where a bake at the new speed has it: that is shown once the phase is set.
    ahead = steady(page)
    page.locator("body").press(".")
    page.locator("body").press(",")
    differs(page, ahead, 0.5)


def test_a_setting_is_published_as_a_choice_that_sets_several_things(page: Page, server):
    id = fresh(page, server, "fog-gate")
    before = steady(page)
    page.get_by_role("tab", name="Surface").click()
    page.get_by_label("Publish composite").select_option("a choice of its own")
    expect(page.get_by_text("on the front")).to_be_visible()
    # A number goes with it: plain, as it stands.
    page.get_by_test_id("sheet-line").click()
    press(page, "halo-tint")
    row = page.get_by_test_id("mode-gain")
    row.select_option(label="Surface composite")
    panel = front(page)
    row = panel.locator("[data-testid^=lever-]", has_text="Surface composite")
    row.get_by_role("button", name="Surface composite: more").click()
    expect(row.get_by_test_id("ways")).to_contain_text("composite, Halo · tint · gain")
    told = violations(page)
    assert told == []
    # What stands is kept for a way: a halo far brighter where it only glows.
    row.get_by_role("combobox", name="Surface composite").select_option("glowing")
    page.get_by_test_id("sheet-line").click()
    press(page, "halo-tint")
    field = page.get_by_role("textbox", name="gain", exact=True)
    field.fill("6")
    field.press("Enter")
    panel = front(page)
    row = panel.locator("[data-testid^=lever-]", has_text="Surface composite")
    row.get_by_role("button", name="Surface composite: more").click()
    ways = row.get_by_test_id("ways")
    names = [ways.get_by_role("textbox").nth(i).input_value() for i in range(4)]
    ways.get_by_role("button", name="keep for it what stands now").nth(names.index("glowing")).click()
    glowing = steady(page)
    # Back and forth: both the setting and the number go along.
    row.get_by_role("combobox", name="Surface composite").select_option("see-through")
    same(page, before, 0.5)
    row.get_by_role("combobox", name="Surface composite").select_option("glowing")
    same(page, glowing, 0.5)
    settled(page)
    made = document(page, server, id)
    assert made["surface"]["composite"] == "glowing"
    lever = next(x for x in made["levers"] if x["kind"] == "choice")
    assert lever["options"][lever["chosen"]]["name"] == "glowing"
    gain = next(p["value"] for p in lever["options"][lever["chosen"]]["puts"] if p["place"].endswith("gain"))
    assert gain == 6


def test_a_beacon_is_published_as_a_place_and_still_dragged(page: Page, server):
    id = fresh(page, server, "verdigris-hull")
    page.get_by_role("tab", name="Stage").click()
    mode = page.get_by_test_id("beacons").get_by_test_id("mode-position")
    mode.select_option("still")
    mode.select_option("lever:")
    settled(page)
    lever_of = lambda: next(x for x in document(page, server, id)["levers"] if x["kind"] == "place")  # noqa: E731
    expect(page.get_by_test_id("beacons").get_by_text("position").first).to_be_visible()
    before = steady(page)
    handle = page.get_by_test_id("handles").get_by_role("slider").first
    handle.focus()
    for _ in range(6):
        page.keyboard.press("ArrowRight")
    differs(page, before, 0.3)
    settled(page)
    moved = lever_of()
    assert moved["position"] != moved["rest_position"]
    panel = front(page)
    row = panel.locator("[data-testid^=lever-]", has_text=moved["name"])
    row.get_by_role("button", name=f"Reset {moved['name']}").click()
    page.get_by_role("tab", name="Stage").click()
    same(page, before, 0.3)
    settled(page)
    assert lever_of()["position"] == lever_of()["rest_position"]


def test_what_a_choice_leads_to_is_compiled_ahead(page: Page, server):
    fresh(page, server, "fog-gate")
    made: list[str] = []
    page.on("response", lambda r: made.append(r.url) if r.url.endswith("/api/compile") else None)
    page.get_by_role("tab", name="Surface").click()
    page.get_by_label("Publish composite").select_option("a choice of its own")
    panel = front(page)
    row = panel.locator("[data-testid^=lever-]", has_text="Surface composite")
    before = steady(page)
    # One for what is published, and one for each other way.
    deadline = time.monotonic() + 90
    while len(made) < 4:
        assert time.monotonic() < deadline, made
        page.wait_for_timeout(200)
    page.wait_for_timeout(6000)
    page.route("**/api/compile", lambda route: route.abort())
    row.get_by_role("combobox", name="Surface composite").select_option("solid")
    differs(page, before, 0.5)


def test_levers_are_put_in_order_by_dragging(page: Page, server):
    id = fresh(page, server, "fog-gate")
    panel = front(page)
    panel.get_by_test_id("lever-hue").get_by_text("Hue").first.drag_to(panel.get_by_test_id("lever-raggedness"))
    settled(page)
    levers = document(page, server, id)["levers"]
    assert [x["name"] for x in levers][:3] == ["Opening", "Hue", "Raggedness"]
    assert levers[1]["group"] == levers[2]["group"] == "gate"


def test_a_tint_is_the_colour_of_a_lever(page: Page, server):
    id = fresh(page, server, "fog-gate")
    before = steady(page)
    page.get_by_role("tab", name="Surface").click()
    pick = page.get_by_label("Whose colour the tint of Veil is")
    pick.select_option("a new lever")
    expect(page.get_by_label("Tint of Veil", exact=True)).to_have_count(0)
    settled(page)
    lever = next(x for x in document(page, server, id)["levers"] if x["name"].endswith("tint"))
    same(page, before, 0.3)
    panel = front(page)
    swatch = panel.get_by_test_id(f"lever-{lever['id']}").locator("input[type=color]")
    swatch.fill("#ff2200")
    differs(page, before, 1.0)
    page.get_by_role("tab", name="Surface").click()
    pick.select_option("own tint")
    expect(page.get_by_label("Tint of Veil", exact=True)).to_be_visible()
    settled(page)
    entry = document(page, server, id)["surface"]["channels"]["emission"][0]
    assert entry["tint"][0] > 0.9 > 0.2 > entry["tint"][2]


def test_a_beacons_axis_that_a_lever_turns_is_shown_so_and_not_taken_from_it(page: Page, server):
    id = fresh(page, server, "verdigris-hull")
    page.get_by_role("tab", name="Stage").click()
    page.get_by_test_id("beacons").get_by_test_id("mode-yaw").select_option("lever:")
    handle = page.get_by_test_id("handles").get_by_role("slider").first
    panel = front(page)
    row = panel.locator("[data-testid^=lever-]", has_text="yaw")
    box = row.get_by_role("textbox")
    box.fill("60")
    box.press("Enter")
    page.get_by_role("tab", name="Stage").click()
    expect(handle).to_have_attribute("aria-valuetext", re.compile(r"· 60°"))
    handle.focus()
    page.keyboard.press("Alt+ArrowRight")
    settled(page)
    assert document(page, server, id)["beacons"][0]["yaw"]["lever"]


def test_a_stop_of_a_ramp_is_published_and_turned_without_a_request(page: Page, server):
    id = fresh(page, server, "rain-planks")
    press(page, "wood-colour")
    stops = page.get_by_test_id("stops")
    stops.get_by_label("Where the stop's colour comes from").select_option(label="a new lever")
    settled(page)
    own = next(x for x in document(page, server, id)["levers"] if x["kind"] == "colour" and "colour" in x["name"])
    expect(stops.get_by_role("button", name=own["name"])).to_be_visible()
    assert violations(page) == []
    before = steady(page)
    stops.get_by_role("button", name=own["name"]).press("Enter")
    row = page.get_by_test_id("front").get_by_test_id(f"lever-{own['id']}")
    # No program is asked for: what is asked does not come.
    page.route("**/api/compile", lambda route: route.abort())
    row.get_by_label(own["name"], exact=True).fill("#20ff40")
    differs(page, before, 1.0)
    page.unroute("**/api/compile")
    settled(page)
    row.get_by_role("button", name=f"{own['name']}: more").click()
    expect(row).to_contain_text("Wood · ramp · stop 1")
    turned = steady(page)
    row.get_by_role("button", name="take the lever away").click()
    expect(row).to_have_count(0)
    settled(page)
    same(page, turned, 0.2)
    wood = next(s for s in document(page, server, id)["strands"] if s["id"] == "wood")
    stop = next(b for b in wood["beads"] if b["id"] == "colour")["params"]["stops"][0]
    assert stop["lever"] is None and stop["colour"][1] == 1.0 and stop["colour"][0] < 0.1
