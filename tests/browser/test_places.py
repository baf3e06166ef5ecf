"""The stage as a place: neighbours, beacons, paths, meshes, looks that are compared."""

import time
from io import BytesIO

import numpy as np
import pytest
import trimesh
from PIL import Image
from playwright.sync_api import Page, expect

from tests.browser.test_agreement import pixels
from tests.browser.test_people import violations
from tests.browser.test_studio import fresh, press, unmeasured, visit
from tests.images.meshes import glb
from whorl import demo
from whorl.effect import read
from whorl.effect.second import exchanged, taken
from whorl.stage.ready import ON_SHAPES


def saved(page: Page, server, id: str) -> dict:
    """The document once the page says it is saved."""
    expect(page.get_by_text("saved", exact=True)).to_be_visible(timeout=20000)
    return page.request.get(f"{server.address}/api/effects/{id}").json()["document"]


def settled(page: Page, number: int = 0) -> np.ndarray:
    """The stage's pixels at a frame, once they stay."""
    before = pixels(page, number)
    for _ in range(40):
        time.sleep(0.4)
        now = pixels(page, number)
        if np.abs(now - before).max() == 0:
            return now
        before = now
    raise AssertionError("the picture does not come to rest")


def changed(page: Page, before: np.ndarray, by: float, number: int = 0) -> np.ndarray:
    """The stage at rest, once it has become another picture: programs and panoramas take a while to be made."""
    deadline = time.monotonic() + 90
    while np.abs((now := settled(page, number)) - before).mean() <= by:
        assert time.monotonic() < deadline, "the picture stayed what it was"
        time.sleep(0.2)
    return now


def stage_tab(page: Page):
    page.get_by_role("tab", name="Stage").click()
    return page.get_by_test_id("panel-stage")


def test_neighbours_are_put_up_and_moved_and_a_view_is_kept(page: Page, server):
    id = fresh(page, server, "fog-gate")
    panel = stage_tab(page)
    bare = settled(page)
    panel.get_by_role("checkbox", name="floor").check()
    panel.get_by_role("checkbox", name="ball").check()
    panel.get_by_label("backdrop", exact=True).select_option("gradient")
    changed(page, bare, 3)
    panel.get_by_role("button", name="keep this view").click()
    panel.get_by_label("camera yaw", exact=True).fill("70")
    panel.get_by_label("camera yaw", exact=True).press("Enter")
    panel.get_by_role("button", name="view 1", exact=True).click()
    document = saved(page, server, id)
    stage = document["stage"]
    assert stage["neighbours"]["floor"]["on"] and stage["neighbours"]["ball"]["on"]
    assert stage["camera"]["yaw"] == 0 and stage["views"][0]["name"] == "view 1"
    # What is put up can be set moving like any number.
    panel.get_by_test_id("param-height").get_by_role("combobox").select_option("sway")
    expect(panel.get_by_role("textbox", name="height sway ±")).to_be_visible()
    assert saved(page, server, id)["stage"]["neighbours"]["floor"]["height"]["motion"] == "sway"


def test_objects_are_added_dragged_turned_renamed_and_removed_by_keyboard_too(page: Page, server):
    id = fresh(page, server, "fog-gate")
    stage_tab(page)
    panel = page.get_by_test_id("objects")
    panel.get_by_role("button", name="add a figure").press("Enter")
    expect(panel.get_by_role("textbox", name="Name of Right leg")).to_be_focused()
    panel.get_by_role("button", name="add a cylinder").press("Enter")
    name = panel.get_by_role("textbox", name="Name of Cylinder")
    expect(name).to_be_focused()
    # There is room for eight.
    expect(panel.get_by_role("button", name="add a figure")).to_be_disabled()
    name.fill("Bollard")
    first = saved(page, server, id)["stage"]["neighbours"]["objects"]
    assert [o["form"] for o in first] == ["ball", *["capsule"] * 5, "cylinder"]
    dot = page.get_by_test_id(f"placed-{first[-1]['id']}")
    dot.focus()
    page.keyboard.press("ArrowUp")
    page.keyboard.press("Alt+ArrowLeft")
    box = dot.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x - 60, y - 40, steps=3)
    page.mouse.up()
    last = saved(page, server, id)["stage"]["neighbours"]["objects"][-1]
    assert last["name"] == "Bollard" and last["yaw"] == -5
    assert last["position"][0] < first[-1]["position"][0] - 0.1
    assert last["position"][1] > first[-1]["position"][1] + 0.1
    # Only the one at hand shows its numbers.
    expect(panel.get_by_test_id("param-position")).to_have_count(1)
    assert violations(page) == []
    panel.get_by_role("button", name="Numbers of Head").press("Enter")
    expect(panel.get_by_role("group", name="Head").get_by_test_id("param-position")).to_be_visible()
    panel.get_by_role("button", name="Remove Bollard").press("Enter")
    expect(panel.get_by_role("textbox", name="Name of Right leg")).to_be_focused()
    page.keyboard.press("Escape")
    page.get_by_test_id("objects").get_by_label("Head form").select_option("box")
    left = saved(page, server, id)["stage"]["neighbours"]["objects"]
    assert [o["form"] for o in left] == ["box", *["capsule"] * 5]


def test_a_beacon_is_placed_dragged_and_turned_on_the_picture(page: Page, server):
    id = fresh(page, server, "fog-gate")
    panel = stage_tab(page)
    panel.get_by_role("button", name="add a beacon").click()
    dot = page.get_by_test_id("placed-beacon-1")
    box = dot.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y - 30, steps=4)
    page.mouse.up()
    beacon = saved(page, server, id)["beacons"][0]
    assert beacon["position"][0] > 0.1 and beacon["position"][1] > 0.05 and beacon["position"][2] == 0
    # One step of undo, and the camera stayed.
    page.keyboard.press("Control+z")
    assert saved(page, server, id)["beacons"][0]["position"] == [0, 0, 0]
    dot.focus()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Alt+ArrowDown")
    document = saved(page, server, id)
    assert document["beacons"][0]["position"][0] > 0 and document["beacons"][0]["pitch"] == 85
    tip = page.get_by_test_id("turn-beacon-1").bounding_box()
    page.mouse.move(tip["x"] + 6, tip["y"] + 6)
    page.mouse.down()
    page.mouse.move(tip["x"] + 150, tip["y"] + 70, steps=4)
    page.mouse.up()
    turned = saved(page, server, id)["beacons"][0]
    assert turned["pitch"] < 60 and abs(turned["yaw"]) > 20
    assert document["stage"]["camera"] == saved(page, server, id)["stage"]["camera"]


def test_a_path_is_dragged_and_a_mesh_is_brought_in_or_refused(page: Page, server, tmp_path):
    id = fresh(page, server, "signal-lamp")
    panel = stage_tab(page)
    before = settled(page)
    knot = page.get_by_test_id("knot-2").bounding_box()
    x, y = knot["x"] + knot["width"] / 2, knot["y"] + knot["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x, y - 60, steps=4)
    page.mouse.up()
    path = saved(page, server, id)["stage"]["path"]
    assert path[2]["at"][1] > 0.1
    assert np.abs(settled(page) - before).mean() > 0.5
    panel.get_by_label("shape", exact=True).select_option("mesh")
    bad = tmp_path / "bad.obj"
    bad.write_text("v 0 0 0\nv 1 0 0\nv 0 nan 0\nf 1 2 3\n")
    panel.get_by_test_id("mesh-file").set_input_files(bad)
    expect(panel.get_by_role("alert")).to_contain_text("not finite")
    good = tmp_path / "crate.glb"
    good.write_bytes(trimesh.creation.box().export(file_type="glb"))
    panel.get_by_test_id("mesh-file").set_input_files(good)
    expect(panel.get_by_test_id("mesh")).to_contain_text("crate.glb")
    expect(panel.get_by_test_id("vertices")).to_contain_text("36 vertices")
    stage = saved(page, server, id)["stage"]
    assert stage["shape"] == "mesh" and len(stage["mesh"]["hash"]) == 64
    bundle = page.request.get(f"{server.address}/api/effects/{id}/export")
    assert bundle.headers["content-type"] == "application/zip"
    # Of a figure the eyes keep their look, by keyboard.
    figure = tmp_path / "figure.glb"
    figure.write_bytes(glb())
    panel.get_by_test_id("mesh-file").set_input_files(figure)
    parts = panel.get_by_role("group", name="Parts of the mesh")
    expect(parts.get_by_role("combobox")).to_have_count(2)
    worn = settled(page)
    parts.get_by_label("What is seen of eyes").focus()
    page.keyboard.press("ArrowDown")
    expect(parts.get_by_label("What is seen of eyes")).to_have_value("plain")
    plain = changed(page, worn, 0.1)
    parts.get_by_label("What is seen of eyes").select_option("hidden")
    changed(page, plain, 0.1)
    expect(panel.get_by_test_id("vertices")).to_contain_text("3,840 vertices")
    assert not violations(page)
    kept = saved(page, server, id)["stage"]["mesh"]["parts"]
    assert {p["name"]: p["wears"] for p in kept} == {"cloak": "the effect", "eyes": "hidden"}
    panel.get_by_test_id("mesh-file").set_input_files(figure)
    expect(parts.get_by_label("What is seen of eyes")).to_have_value("hidden")


def test_a_path_is_drawn_in_one_stroke(page: Page, server):
    id = fresh(page, server, "signal-lamp")
    was = saved(page, server, id)
    panel = stage_tab(page)
    panel.get_by_label("shape", exact=True).select_option("tube")
    before = settled(page)
    draw = panel.get_by_role("button", name="draw it on the picture")
    draw.press("Enter")
    page.keyboard.press("Escape")
    expect(draw).to_have_attribute("aria-pressed", "false")
    draw.click()
    assert not violations(page)
    box = page.get_by_test_id("drawn").bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x + 90, y)
    page.mouse.down()
    for k in range(1, 61):
        page.mouse.move(x + 90 * np.cos(k * np.pi / 30), y - 60 * np.sin(k * np.pi / 30))
    page.mouse.up()
    changed(page, before, 0.3)
    stage = saved(page, server, id)["stage"]
    assert stage["path_closed"] and 3 <= len(stage["path"]) <= 10
    # An ellipse half as high again as wide, flat before the camera.
    at = np.array([p["at"] for p in stage["path"]])
    assert np.ptp(at[:, 0]) / max(np.ptp(at[:, 1]), 1e-6) == pytest.approx(1.5, rel=0.25)
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    assert saved(page, server, id)["stage"] == was["stage"]


def test_a_look_is_kept_and_compared_and_bad_conditions_are_shown(page: Page, server):
    fresh(page, server, "verdigris-hull")
    panel = stage_tab(page)

    def middle() -> np.ndarray:
        time.sleep(1.2)
        shot = page.get_by_test_id("stage").screenshot()
        return np.asarray(Image.open(BytesIO(shot)).convert("RGB"), float)

    page.get_by_role("button", name="keep this look").click()
    page.get_by_role("button", name="blink").click()
    kept = middle()
    page.keyboard.press("k")
    panel.get_by_label("exposure", exact=True).fill("3")
    panel.get_by_label("exposure", exact=True).press("Enter")
    brighter = middle()
    assert brighter.mean() > kept.mean() * 1.2
    page.get_by_test_id("compare").get_by_role("button", name="wipe").click()
    halves = middle()
    half = halves.shape[1] // 2
    assert np.abs(halves[:, : half - 8] - kept[:, : half - 8]).mean() < 4
    assert np.abs(halves[:, half + 8 :] - brighter[:, half + 8 :]).mean() < 4
    page.get_by_role("button", name="let it go").click()
    panel.get_by_role("button", name="check in bad conditions").click()
    shots = page.get_by_test_id("conditions")
    for name in ("bright day", "the black", "from behind", "near edge-on"):
        expect(shots).to_contain_text(name)
    read = "const d = c.getContext('2d').getImageData(0, 0, c.width, c.height).data;"
    sample = f"c => {{ {read} return d.reduce((a, b) => a + b, 0) / d.length; }}"
    for _ in range(80):
        lights = [c.evaluate(sample) for c in shots.locator("canvas").all()]
        # A fourth of that is what it covers.
        if min(lights) > 255 / 4 and len({round(x, 2) for x in lights}) == 4:
            break
        time.sleep(0.5)
    else:
        raise AssertionError(f"not all four are drawn: {lights}")


def test_in_bad_conditions_what_is_found_out_from_a_shape_is_found_out_again_with_another_number(page: Page, server):
    # So wide that beads are at hand beside the panel.
    page.set_viewport_size({"width": 1920, "height": 1080})
    visit(page, server, unmeasured(page, server))
    panel = stage_tab(page)
    ends = panel.evaluate("p => p.getBoundingClientRect().right")
    there = panel.evaluate(
        "p => [...p.querySelectorAll('button, input, select')].map((e) => e.getBoundingClientRect().right)"
    )
    assert len(there) > 20 and max(there) <= ends
    panel.get_by_role("button", name="check in bad conditions").click()
    shots = page.get_by_test_id("conditions")
    expect(shots.locator("canvas:not([data-waiting])")).to_have_count(4)
    asked = set()
    page.on("request", lambda r: asked.add(r.post_data) if r.url.endswith("/api/compile") else None)
    press(page, "weather-noise")
    page.get_by_label("scale", exact=True).fill("7.25")
    page.keyboard.press("Enter")
    deadline = time.monotonic() + 60
    # For each of the four, and for the stage.
    while sum('"scale":7.25' in a for a in asked) < 5:
        assert time.monotonic() < deadline, f"{len(asked)} are asked for"
        page.wait_for_timeout(100)


def test_an_effect_is_tried_on_every_shape_and_put_on_one(page: Page, server):
    id = fresh(page, server, "fog-gate")
    stage_tab(page).get_by_role("button", name="try on many shapes").click()
    shapes = page.get_by_test_id("shapes")
    expect(shapes.locator("canvas:not([data-waiting])")).to_have_count(len(ON_SHAPES), timeout=60000)
    shapes.get_by_role("button", name="ring", exact=True).click()
    expect(shapes).to_have_count(0)
    assert saved(page, server, id)["stage"]["shape"] == "ring"


def test_a_shape_grows_before_a_picture_and_a_lamp_is_set_moving(page: Page, server, tmp_path):
    id = fresh(page, server, "fog-gate")
    panel = stage_tab(page)
    # Made half as large, less of the picture is the effect's; its mesh is the same.
    before = settled(page)
    asked = []
    page.on("request", lambda r: asked.append(r.url) if r.url.endswith("/shape") else None)
    size = panel.get_by_role("textbox", name="size", exact=True)
    size.fill("0.5")
    size.press("Enter")
    small = settled(page)
    rim = np.s_[100:156, 20:40]
    assert np.abs(small - before)[rim].mean() > 3 and not asked
    panel.get_by_label("backdrop", exact=True).select_option("picture")
    bay = tmp_path / "bay.png"
    Image.fromarray(np.full((64, 96, 3), (0, 120, 200), np.uint8)).save(bay)
    panel.get_by_test_id("picture-file").set_input_files(bay)
    expect(panel.get_by_role("radio", name="bay.png")).to_be_checked()
    time.sleep(2)
    corner = settled(page)[2:8, 2:8].mean(axis=(0, 1))
    assert corner[2] > corner[1] + 20 > corner[0] + 60
    panel.get_by_role("button", name="angles and motion").click()
    key = panel.get_by_role("group", name="key lamp")
    key.get_by_test_id("param-yaw").get_by_role("combobox").select_option("sway")
    expect(key.get_by_role("textbox", name="yaw sway ±")).to_be_visible()
    document = saved(page, server, id)
    stage = document["stage"]
    assert stage["size"] == 0.5 and stage["lamps"]["key"]["yaw"]["motion"] == "sway"
    assert stage["backdrop"]["picture"] == document["assets"][0]["id"]
    page.reload()
    stage_tab(page)
    expect(page.get_by_role("radio", name="bay.png")).to_be_checked()


def test_a_second_surface_takes_over_behind_a_glowing_front(page: Page, server):
    id = fresh(page, server, "rain-planks")
    page.get_by_role("tab", name="Surface").click()
    second = page.get_by_test_id("second")
    first = settled(page)
    mask = second.get_by_label("Mask of the second surface")
    strand = mask.locator("option").nth(1).get_attribute("value")
    mask.select_option(strand)
    bare = changed(page, first, 0.5)
    front = second.get_by_test_id("param-front_gain").get_by_role("textbox")
    front.fill("6")
    front.press("Enter")
    glowing = settled(page)
    # The front's own colour, a green, is added where one passes into the other.
    added = (glowing - bare).mean(axis=(0, 1))
    assert added[1] > 0.5 and added[1] > added[0]
    second.get_by_label("Add a strand to base colour of the second surface").click()
    page.locator(f"[role=menuitem][data-value='{strand.rstrip('/')}']").click()
    changed(page, glowing, 0.2)
    kept = saved(page, server, id)["surface"]["second"]
    assert kept["front_gain"] == 6 and kept["channels"]["base"][0]["strand"] == strand.rstrip("/")
    mask.select_option("")
    time.sleep(2)
    assert np.abs(settled(page) - first).max() <= 1


def test_a_whole_effect_is_taken_as_the_second_surface_and_exchanged_by_keyboard(page: Page, server):
    id = fresh(page, server, "signal-lamp")
    was = saved(page, server, id)
    page.get_by_role("tab", name="Surface").click()
    second = page.get_by_test_id("second")
    # Half-way round the front has passed over all of it.
    half = read(was).turn.frames // 2
    before = settled(page, half)
    second.get_by_role("button", name="take an effect").press("Enter")
    dialog = page.get_by_test_id("take-effect")
    dialog.get_by_label("Find an effect").fill("verd")
    hull = dialog.get_by_role("button", name="Verdigris Hull", exact=True)
    expect(hull).to_be_visible()
    expect(dialog.get_by_role("button", name="Fog Gate")).to_have_count(0)
    assert not violations(page)
    hull.press("Enter")
    where = dialog.get_by_label("Where Verdigris Hull shows")
    where.select_option(label="Streaks")
    assert not violations(page)
    where.select_option(label="a front passes, which comes along")
    dialog.get_by_role("button", name="take it").press("Enter")
    expect(second.get_by_label("Mask of the second surface")).to_be_focused()
    taken_one = changed(page, before, 2.0, half)
    made = saved(page, server, id)
    assert read(made) == taken(read(was), demo.demo("verdigris-hull"))[0]
    assert not violations(page)
    second.get_by_label("composite", exact=True).select_option("glowing")
    changed(page, taken_one, 0.5, half)
    page.keyboard.press("Control+z")
    second.get_by_role("button", name="exchange both").press("Enter")
    changed(page, taken_one, 1.0, half)
    assert read(saved(page, server, id)) == exchanged(read(made))
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    assert saved(page, server, id) == was


def test_a_shape_seen_through_itself_plays_at_less_than_full_resolution(page: Page, server):
    fresh(page, server, "tide-gauge")
    panel = stage_tab(page)
    panel.get_by_label("edges", exact=True).select_option("hard")
    expect(panel.get_by_test_id("vertices")).to_contain_text("27,648 vertices")
    before = settled(page)
    if page.get_by_test_id("play").get_attribute("aria-label") == "Play (space)":
        page.get_by_test_id("play").click()
    expect(page.get_by_text("resolution while playing")).to_be_visible()
    time.sleep(1)
    page.get_by_test_id("play").click()
    # The far side was drawn all the while: the page tells of errors in drawing, and fails.
    assert np.abs(settled(page) - before).max() == 0


def test_the_picture_comes_back_after_the_driver_took_it_away(page: Page, server):
    fresh(page, server, "fog-gate")
    before = settled(page)
    small = page.get_by_test_id("bead-mist-noise").locator("canvas")
    drawn = "c => new Uint32Array(c.getContext('2d').getImageData(0, 0, c.width, c.height).data.buffer).some(Boolean)"
    expect(small).to_be_visible()
    context = "document.querySelector('[data-testid=stage] canvas').getContext('webgl2')"
    page.evaluate(f"window.context = {context}.getExtension('WEBGL_lose_context'); window.context.loseContext()")
    expect(page.get_by_text("The picture is away for a moment")).to_be_visible()
    time.sleep(1)
    page.evaluate("window.context.restoreContext()")
    expect(page.get_by_text("The picture is away for a moment")).to_have_count(0)
    assert np.abs(settled(page) - before).max() == 0
    assert small.evaluate(drawn)


def test_any_bead_goes_to_a_channel_and_entries_are_put_in_order(page: Page, server):
    """By keyboard: the bead of an entry and of the mask is chosen, and one entry put before another."""
    id = fresh(page, server)
    page.get_by_role("tab", name="Surface").click()
    rows = page.get_by_test_id("channel-emission").locator("[data-entry]")
    expect(rows).to_have_count(3)
    before = settled(page)
    first = page.get_by_label("What goes to emission, 1", exact=True)
    bead = first.locator("option[value^='veil/']").nth(1).get_attribute("value")
    first.select_option(bead)
    changed(page, before, 0.2)
    emission = saved(page, server, id)["surface"]["channels"]["emission"]
    assert f"{emission[0]['strand']}/{emission[0]['bead']}" == bead
    names = [e["strand"] for e in emission]
    page.get_by_label("Place of Veil in emission: 1 of 3").press("ArrowDown")
    expect(page.get_by_label("Place of Veil in emission: 2 of 3")).to_be_focused()
    emission = saved(page, server, id)["surface"]["channels"]["emission"]
    assert [e["strand"] for e in emission] == [names[1], names[0], names[2]] and emission[1]["bead"]
    page.get_by_label("Place of Veil in emission: 2 of 3").drag_to(rows.nth(2))
    expect(page.get_by_label("Place of Veil in emission: 3 of 3")).to_be_visible()
    mask = page.get_by_label("Mask of the second surface")
    mask.select_option(bead)
    second = saved(page, server, id)["surface"]["second"]
    assert f"{second['strand']}/{second['bead']}" == bead
    assert not violations(page)


def test_a_colour_of_the_stage_is_set_moving_and_a_number_of_the_surface_is_fed(page: Page, server):
    id = fresh(page, server, "cold-store")
    page.get_by_role("tab", name="Stage").click()
    page.get_by_role("button", name="angles and motion").click()
    key = page.get_by_role("group", name="key lamp")
    key.get_by_label("colour: still, moving or fed").select_option("sway")
    expect(key.get_by_role("textbox", name="colour sway ± red")).to_be_visible()
    assert saved(page, server, id)["stage"]["lamps"]["key"]["colour"]["motion"] == "sway"
    page.get_by_role("tab", name="Surface").click()
    page.get_by_test_id("mode-absorbed").select_option("strand")
    expect(page.get_by_label("absorbed from", exact=True)).to_be_visible()
    assert saved(page, server, id)["surface"]["absorbed"]["strand"]
    page.keyboard.press("Control+z")


def test_surroundings_are_chosen_turned_shown_behind_and_taken_away(page: Page, server, tmp_path):
    id = fresh(page, server, "verdigris-hull")
    panel = stage_tab(page)
    before = settled(page)
    panel.get_by_role("radio", name="Studio boxes").click()
    expect(panel.get_by_role("radio", name="Studio boxes")).to_be_checked()
    boxes = changed(page, before, 0.5)
    panel.get_by_label("backdrop", exact=True).select_option("surroundings")
    turn = panel.get_by_test_id("surroundings").get_by_role("textbox", name="turn")
    turn.fill("120")
    turn.press("Enter")
    changed(page, boxes, 0.3)
    document = saved(page, server, id)
    assert (
        document["stage"]["sky"]["turn"] == 120 and document["stage"]["sky"]["picture"] == document["assets"][-1]["id"]
    )
    assert not violations(page)
    page.reload()
    panel = stage_tab(page)
    expect(panel.get_by_role("radio", name="Studio boxes")).to_be_checked()
    panel.get_by_role("radio", name="sky colours").click()
    panel.get_by_label("backdrop", exact=True).select_option("plain")
    assert saved(page, server, id)["stage"]["sky"]["picture"] == ""
    # One of the artist's own: light from the left alone.
    own = tmp_path / "left.png"
    pixels = np.zeros((64, 128, 3), np.uint8)
    pixels[20:44, 10:40] = 255
    Image.fromarray(pixels).save(own)
    panel.get_by_text("a panorama of your own").click()
    panel.get_by_test_id("surroundings").get_by_test_id("picture-file").set_input_files(own)
    expect(panel.get_by_role("radio", name="left.png").first).to_be_checked()
    # What is no picture is told and changes nothing.
    bad = tmp_path / "bad.hdr"
    bad.write_bytes(b"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 8 +X 8\n")
    panel.get_by_test_id("surroundings").get_by_test_id("picture-file").set_input_files(bad)
    expect(panel.get_by_text("the HDR file ends too early, or is malformed")).to_be_visible()
    assert saved(page, server, id)["stage"]["sky"]["picture"] == "left"


def test_a_point_is_put_into_a_path_that_stays_and_the_path_is_closed(page: Page, server):
    id = fresh(page, server, "signal-lamp")
    panel = stage_tab(page)
    before = settled(page)
    path = saved(page, server, id)["stage"]["path"]
    panel.get_by_label("Put a point in after point 2").click()
    expect(panel.get_by_label("point 6 radius")).to_be_visible()
    time.sleep(1.5)
    assert np.abs(settled(page) - before).mean() < 0.4
    now = saved(page, server, id)["stage"]["path"]
    assert len(now) == len(path) + 1 and now[2]["before"] == now[2]["after"]
    panel.get_by_label("Its end leads into its beginning").check()
    changed(page, before, 0.5)
    assert saved(page, server, id)["stage"]["path_closed"] is True
