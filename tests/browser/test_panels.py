"""The panels below the sheet: a ramp's stops, a motion's keys, the surface, the stage and its camera."""

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.test_sheet import carry, strand_of
from tests.browser.test_studio import asks, differs, document, fresh, press, same, settled, stage, steady


def stops_of(page: Page, server, id: str) -> list[dict]:
    settled(page)
    beads = strand_of(page, server, id, "wood")["beads"]
    return next(b for b in beads if b["id"] == "colour")["params"]["stops"]


def show(page: Page, tab: str) -> None:
    page.get_by_role("tab", name=tab).click()


def test_stops_are_added_moved_spread_flipped_and_removed(page: Page, server):
    id = fresh(page, server, "rain-planks")
    press(page, "wood-colour")
    stops = page.get_by_test_id("stops")
    expect(stops.get_by_role("button", name="Stop at")).to_have_count(3)
    before = stops_of(page, server, id)
    carry(page, stops.get_by_role("button", name="Stop at 0.5", exact=True), 40, 0)
    moved = stops_of(page, server, id)
    assert moved[1]["at"] > 0.55 and [moved[0], moved[2]] == [before[0], before[2]]
    strip = page.get_by_title("Press to add a colour here")
    box = strip.bounding_box()
    strip.click(position={"x": box["width"] * 0.3, "y": 8})
    expect(stops.get_by_role("button", name="Stop at")).to_have_count(4)
    expect(stops).to_contain_text("stop 4 of 4")
    added = stops_of(page, server, id)[3]
    # Between its neighbours in place and in colour: pressing where nothing is changes nothing that is seen.
    around = sorted(moved, key=lambda s: s["at"])
    below = max((s for s in around if s["at"] <= added["at"]), key=lambda s: s["at"])
    above = min((s for s in around if s["at"] > added["at"]), key=lambda s: s["at"])
    part = (added["at"] - below["at"]) / (above["at"] - below["at"])
    mixed = np.array(below["colour"]) * (1 - part) + np.array(above["colour"]) * part
    assert added["colour"] == pytest.approx(mixed.tolist(), rel=0.05)
    stops.get_by_role("button", name="spread evenly").click()
    places = [s["at"] for s in stops_of(page, server, id)]
    assert np.diff(sorted(places)) == pytest.approx(np.full(3, np.diff(sorted(places))[0]), abs=1e-3)
    order = [s["colour"] for s in sorted(stops_of(page, server, id), key=lambda s: s["at"])]
    stops.get_by_role("button", name="flip").click()
    flipped = [s["colour"] for s in sorted(stops_of(page, server, id), key=lambda s: s["at"])]
    assert flipped == order[::-1]
    stops.get_by_role("button", name="remove stop").click()
    expect(stops.get_by_role("button", name="Stop at")).to_have_count(3)
    for _ in range(4):
        stops.get_by_role("button", name="Stop at").first.press("Delete")
    # The last one stays: a ramp without a colour would be none.
    assert len(stops_of(page, server, id)) == 1


def test_a_stop_gets_a_colour_brighter_than_white(page: Page, server):
    id = fresh(page, server, "rain-planks")
    press(page, "wood-colour")
    page.get_by_role("button", name="Stop at 0.85").focus()
    before = steady(page)
    page.get_by_label("Stop colour", exact=True).fill("#ff8000")
    strength = page.get_by_test_id("stops").get_by_role("textbox", name="Stop colour strength")
    strength.fill("6")
    strength.press("Enter")
    colour = stops_of(page, server, id)[2]["colour"]
    # sRGB's 128 is 0.216 of linear light.
    assert colour == pytest.approx([6, 6 * 0.2159, 0], abs=0.01)
    differs(page, before, 1, brighter=True)


def test_keys_are_set_eased_added_at_the_hand_and_removed(page: Page, server):
    id = fresh(page, server)
    press(page, "gate-spot")
    page.get_by_test_id("mode-radius").select_option("still")
    press(page, "gate-cut")
    page.get_by_test_id("mode-level").select_option("keys")
    page.get_by_label("Key 1 ease").select_option("held")
    value = page.get_by_role("textbox", name="Key 2 value")
    value.fill("0.9")
    value.press("Enter")

    def keys():
        settled(page)
        return strand_of(page, server, id, "gate")["beads"][3]["params"]["level"]["keys"]

    assert keys()[0]["ease"] == "held" and keys()[1]["value"] == 0.9
    # A held key jumps: the picture stays until the next key, and is another after it.
    page.keyboard.press("Home")
    frame = page.get_by_role("textbox", name="Frame", exact=True)
    looks = {}
    for f in (2, 40, 52):
        frame.fill(str(f))
        frame.press("Enter")
        looks[f] = steady(page)
    assert np.abs(looks[52] - looks[2]).mean() > 2 * np.abs(looks[40] - looks[2]).mean()
    page.get_by_role("button", name="add a key at this phase").click()
    assert len(keys()) == 3 and keys()[2]["phase"] == pytest.approx(52 / 96, abs=0.001)
    # At a phase that has a key there is nothing to add.
    page.get_by_role("button", name="add a key at this phase").click()
    assert len(keys()) == 3
    page.get_by_label("Remove key 3").click()
    assert len(keys()) == 2


def test_the_surface_composites_otherwise_and_says_what_cannot_act(page: Page, server):
    id = fresh(page, server, "buoy-ward")
    show(page, "Surface")
    panel = page.get_by_test_id("panel-surface")
    before = steady(page)
    panel.get_by_label("composite", exact=True).select_option("solid")
    expect(panel).to_contain_text("opacity does nothing here: it acts on a cut-away surface")
    differs(page, before, 2)
    solid = steady(page)
    panel.get_by_role("button", name="make it cut away").click()
    expect(panel).not_to_contain_text("opacity does nothing")
    differs(page, solid, 0.5)
    panel.get_by_label("sides", exact=True).select_option("front")
    settled(page)
    surface = document(page, server, id)["surface"]
    assert surface["composite"] == "cut away" and surface["sides"] == "front"
    # The far side's strength is not asked for where there is no far side.
    expect(panel).not_to_contain_text("far side")


def test_the_stage_takes_other_shapes_light_and_backdrops(page: Page, server):
    id = fresh(page, server)
    show(page, "Stage")
    panel = page.get_by_test_id("panel-stage")
    for shape in ("ball", "box"):
        before = steady(page)
        panel.get_by_label("shape").select_option(shape)
        differs(page, before, 2)
    before = steady(page)
    exposure = panel.get_by_role("textbox", name="exposure")
    exposure.fill("-3")
    exposure.press("Enter")
    differs(page, before, 2)
    before = steady(page)
    panel.get_by_label("backdrop", exact=True).select_option("plain")
    panel.get_by_label("backdrop colour", exact=True).fill("#00ff00")
    differs(page, before, 2)
    green = steady(page)
    assert green[..., 1].mean() > green[..., 0].mean() + 20
    settled(page)
    kept = document(page, server, id)["stage"]
    assert kept["shape"] == "box" and kept["exposure"] == -3
    assert kept["backdrop"]["kind"] == "plain" and kept["backdrop"]["colour"] == [0, 1, 0]


def test_the_camera_turns_by_drag_and_by_keys_and_goes_back(page: Page, server):
    id = fresh(page, server, "verdigris-hull")
    before = steady(page)
    start = document(page, server, id)["stage"]["camera"]
    ground = page.get_by_role("application", name="Stage.")
    box = ground.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 80, y + 20, steps=6)
    page.mouse.up()
    differs(page, before, 2)
    settled(page)
    turned = document(page, server, id)["stage"]["camera"]
    assert turned["yaw"] == pytest.approx((start["yaw"] - 36 + 540) % 360 - 180, abs=1)
    assert turned["pitch"] == pytest.approx(start["pitch"] + 9, abs=1)
    ground.focus()
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("+")
    settled(page)
    nearer = document(page, server, id)["stage"]["camera"]
    assert nearer["distance"] < turned["distance"] and nearer["yaw"] != turned["yaw"]
    # A drag is one step back.
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    settled(page)
    assert document(page, server, id)["stage"]["camera"] == start
    same(page, before, 1)
    show(page, "Stage")
    page.get_by_role("button", name="face on").click()
    settled(page)
    assert document(page, server, id)["stage"]["camera"]["yaw"] == 0


def test_a_surface_is_lit_and_a_lamp_is_turned_on_its_disc(page: Page, server):
    id = fresh(page, server, "buoy-ward")
    show(page, "Stage")
    light = page.get_by_test_id("light")
    # Lamps light neighbours and the milk of a clear body even where the surface is self-lit.
    expect(light).not_to_contain_text("fall on nothing")
    before = steady(page)
    show(page, "Surface")
    page.get_by_label("lighting", exact=True).select_option("lit")
    show(page, "Stage")
    page.wait_for_timeout(500)
    lit = steady(page)
    assert np.abs(lit - before).mean() > 1
    # Dragged to the middle of the disc it stands overhead; nothing is asked of the server meanwhile.
    key = light.get_by_role("slider", name="key lamp's place")
    disc = light.get_by_role("group", name="Lamps on the sky").bounding_box()
    box = key.locator("circle").last.bounding_box()
    asked = asks(page)
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(disc["x"] + disc["width"] / 2, disc["y"] + disc["height"] / 2, steps=6)
    turned = steady(page)
    assert np.abs(turned - lit).mean() > 0.5 and asked == []
    page.mouse.up()
    settled(page)
    assert document(page, server, id)["stage"]["lamps"]["key"]["pitch"] > 85
    key.press("ArrowDown")
    settled(page)
    assert document(page, server, id)["stage"]["lamps"]["key"]["pitch"] == pytest.approx(83, abs=3)
    light.get_by_role("checkbox", name="key lamp").uncheck()
    expect(key).to_have_count(0)
    page.wait_for_timeout(500)
    assert steady(page).mean() < turned.mean()
    settled(page)
    kept = document(page, server, id)
    shape = kept["stage"]["shape"]
    page.get_by_role("button", name="bright day").click()
    page.wait_for_timeout(500)
    assert steady(page).mean() > turned.mean() + 20
    settled(page)
    day = document(page, server, id)["stage"]
    assert day["shape"] == shape and day["lamps"]["key"]["strength"] == 3 and day["backdrop"]["kind"] == "plain"
    assert kept["surface"]["lighting"] == "lit" and kept["stage"]["lamps"]["key"]["on"] is False


def test_lamps_that_fall_on_nothing_are_told_and_the_surface_is_made_lit(page: Page, server):
    id = fresh(page, server, "fog-gate")
    show(page, "Stage")
    light = page.get_by_test_id("light")
    expect(light).to_contain_text("Lamps and sky fall on nothing here")
    before = steady(page)
    light.get_by_role("button", name="make it lit").click()
    expect(light).not_to_contain_text("fall on nothing")
    page.wait_for_timeout(500)
    differs(page, before, 1)
    settled(page)
    assert document(page, server, id)["surface"]["lighting"] == "lit"


def test_a_strand_feeds_roughness_as_gloss_and_a_wrong_one_is_told(page: Page, server):
    id = fresh(page, server, "verdigris-hull")
    show(page, "Surface")
    panel = page.get_by_test_id("panel-surface")
    expect(page.get_by_test_id("surface")).to_contain_text("roughness")
    before = steady(page)
    panel.get_by_label("the strands give gloss").check()
    page.wait_for_timeout(500)
    differs(page, before, 1)
    # Coordinates are no measure; the last picture stays.
    held = steady(page)
    panel.get_by_label("Add a strand to metallic").click()
    page.locator("[role=menuitem][data-value=plates]").click()
    panel.get_by_label("lighting", exact=True).select_option("self-lit")
    expect(panel).to_contain_text("metallic does nothing here: it acts on a lit surface")
    panel.get_by_role("button", name="make it lit").first.click()
    panel.get_by_label("Add a strand to normal").click()
    page.locator("[role=menuitem][data-value=weather]").click()
    expect(panel).to_contain_text("this channel takes a direction; that strand gives a value")
    settled(page)
    surface = document(page, server, id)["surface"]
    assert surface["gloss"] is True and [e["strand"] for e in surface["channels"]["metallic"]] == ["metal", "plates"]
    assert held.std() > 3 and stage(page).std() > 3


def test_nothing_that_a_lever_takes_lies_over_another_control_beside_the_sheet(page: Page, server):
    page.set_viewport_size({"width": 1920, "height": 1080})
    fresh(page, server)
    page.get_by_role("tab", name="Surface").click()
    rows = page.get_by_test_id("channel-emission").locator("[data-entry]")
    expect(rows.first.get_by_role("button", name="Brightness")).to_be_visible()
    script = """(row) => {
      const all = [...row.querySelectorAll('input, select, button')].filter((e) => e.offsetParent);
      const boxes = all.map((e) => e.getBoundingClientRect());
      const apart = (a, b) => a.right < b.left + 1 || a.bottom < b.top + 1;
      return boxes.flatMap((a, i) => boxes.slice(i + 1).filter((b) => !apart(a, b) && !apart(b, a))).length;
    }"""
    assert [row.evaluate(script) for row in rows.all()] == [0, 0, 0]
