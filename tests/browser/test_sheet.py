"""The sheet at size, and the editors that show the signal: folding, notes, muting, copying, histograms, modes."""

import io
import json
import time

import numpy as np
from PIL import Image
from playwright.sync_api import Page, expect

from tests.browser.test_people import add, violations
from tests.browser.test_studio import differs, document, fresh, press, same, settled, stage, steady, visit
from tests.documents import bead, data, strand
from tests.images.pictures import encoded, lanterns
from tests.images.test_maps import COLOUR, grey, normals


def strand_of(page: Page, server, id: str, strand: str) -> dict:
    settled(page)
    return next(s for s in document(page, server, id)["strands"] if s["id"] == strand)


def carry(page: Page, target, dx: float, dy: float) -> None:
    """Drags something by so many pixels."""
    box = target.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx, y + dy, steps=6)
    page.mouse.up()


def test_a_strand_folds_to_its_end_and_stays_folded(page: Page, server):
    id = fresh(page, server)
    expect(page.get_by_test_id("bead-mist-polar")).to_be_visible()
    page.get_by_label("Fold Mist, outer").click()
    expect(page.get_by_test_id("bead-mist-polar")).to_have_count(0)
    expect(page.get_by_test_id("bead-mist-noise")).to_be_visible()
    assert strand_of(page, server, id, "mist")["folded"]
    page.reload()
    expect(page.get_by_label("Unfold Mist, outer")).to_be_visible()
    page.get_by_label("Unfold Mist, outer").click()
    expect(page.get_by_test_id("bead-mist-polar")).to_be_visible()


def test_a_note_is_written_shown_and_kept(page: Page, server):
    id = fresh(page, server)
    page.get_by_label("Gate: more").click()
    page.get_by_text("Add a note").click()
    page.get_by_label("Note on Gate").fill("Where the ferry passes through.")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("strand-gate")).to_contain_text("Where the ferry passes through.")
    assert strand_of(page, server, id, "gate")["note"] == "Where the ferry passes through."


def test_a_muted_bead_passes_on_what_comes_in_and_sounds_again(page: Page, server):
    id = fresh(page, server)
    whole = steady(page)
    press(page, "gate-edge")
    page.keyboard.press("m")
    expect(page.get_by_test_id("bead-gate-edge")).to_contain_text("muted")
    settled(page)
    without = steady(page)
    # The gate's torn edge is a plain circle without the mist that tears it.
    assert np.abs(without - whole).mean() > 1
    assert next(b for b in strand_of(page, server, id, "gate")["beads"] if b["id"] == "edge")["muted"]
    page.keyboard.press("m")
    settled(page)
    same(page, whole, 1)


def test_a_muted_strand_leaves_the_surface_and_a_solo_one_is_alone(page: Page, server):
    fresh(page, server)
    whole = steady(page)
    page.get_by_label("Rim: more").click()
    page.get_by_text("Mute: leave it out").click()
    expect(page.get_by_test_id("strand-rim")).to_contain_text("muted")
    time.sleep(1)
    muted = steady(page)
    assert muted.mean() < whole.mean() - 1
    page.get_by_label("Rim: more").click()
    page.get_by_text("Sound again").click()
    page.get_by_label("Rim: more").click()
    page.get_by_text("Solo: its light alone").click()
    time.sleep(1)
    alone = steady(page)
    # The rim without the veil: dark in the middle.
    middle = np.s_[len(alone) // 3 : -len(alone) // 3, len(alone) // 3 : -len(alone) // 3]
    assert alone[middle].mean() < whole[middle].mean() / 2
    assert np.abs(alone - whole).mean() > 2


def test_a_bead_is_copied_into_another_effect_with_what_it_depends_on(page: Page, server):
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    fresh(page, server)
    press(page, "veil-inner")
    page.keyboard.press("Control+c")
    clip = json.loads(page.evaluate("navigator.clipboard.readText()"))
    assert clip["bead"]["kind"] == "blend" and {s["id"] for s in clip["strands"]} == {"swirl", "mist", "mist-inner"}
    other = page.request.post(f"{server.address}/api/effects/buoy-ward/duplicate").json()["id"]
    visit(page, server, other)
    before = document(page, server, other)["strands"]
    first = next(s for s in before if s["beads"])
    press(page, f"{first['id']}-{first['beads'][-1]['id']}")
    page.keyboard.press("Control+v")
    settled(page)
    after = document(page, server, other)["strands"]
    added = {s["id"] for s in after} - {s["id"] for s in before}
    assert {"swirl", "mist", "mist-inner"} == added
    pasted = next(s for s in after if s["id"] == first["id"])["beads"][-1]
    assert pasted["kind"] == "blend" and pasted["params"]["top"]["strand"] == "mist-inner"
    # What it depends on lies above it, and all of it is drawn.
    order = [s["id"] for s in after]
    assert order.index("mist-inner") < order.index(first["id"])


def test_a_strand_is_copied_by_its_name_within_its_effect(page: Page, server):
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    id = fresh(page, server)
    press(page, "rim-ramp")
    page.get_by_test_id("strand-rim").locator(".strand-name").focus()
    page.keyboard.press("Control+c")
    page.keyboard.press("Control+v")
    settled(page)
    strands = document(page, server, id)["strands"]
    copy = next(s for s in strands if s["name"] == "Rim copy")
    original = next(s for s in strands if s["id"] == "rim")
    assert copy["beads"] == original["beads"]
    # Nothing it depends on was copied: it is there already.
    assert len(strands) == 8


def test_a_threshold_is_dragged_on_the_histogram_of_what_comes_in(page: Page, server):
    id = fresh(page, server)
    press(page, "gate-cut")
    view = page.get_by_test_id("signal")
    expect(view).to_contain_text("comes in:", timeout=240000)
    expect(view.get_by_test_id("strip")).to_be_visible(timeout=240000)
    before = steady(page)
    carry(page, page.get_by_role("slider", name="Level", exact=True), 90, 0)
    settled(page)
    level = next(b for b in strand_of(page, server, id, "gate")["beads"] if b["id"] == "cut")["params"]["level"]
    assert level > 0.25
    differs(page, before, 2)
    page.get_by_role("slider", name="Level", exact=True).focus()
    page.keyboard.press("ArrowLeft")
    settled(page)
    later = next(b for b in strand_of(page, server, id, "gate")["beads"] if b["id"] == "cut")["params"]["level"]
    assert later < level


def test_a_curve_gets_points_that_are_dragged_and_removed(page: Page, server):
    id = fresh(page, server)
    press(page, "halo-band")
    page.keyboard.press("n")
    page.get_by_label("Find a bead").fill("curve")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("curve")).to_be_visible()
    expect(page.get_by_test_id("finder")).to_have_count(0)
    ground = page.get_by_label("Add a point to the curve")
    box = ground.bounding_box()
    # Waits until nothing that closes lies over it any more.
    ground.click(position={"x": box["width"] * 0.5, "y": box["height"] * 0.2})
    expect(page.get_by_role("slider", name="Point 3")).to_be_visible()
    carry(page, page.get_by_role("slider", name="Point 3"), 30, 20)

    def points():
        beads = strand_of(page, server, id, "halo")["beads"]
        return next(b for b in beads if b["kind"] == "curve")["params"]["points"]

    made = points()
    assert len(made) == 3 and 0.5 < made[2]["at"] < 0.65 and 0.5 < made[2]["value"] < 0.8
    page.get_by_role("slider", name="Point 3").focus()
    page.keyboard.press("Delete")
    settled(page)
    assert len(points()) == 2


def test_a_blends_mode_is_chosen_by_its_picture(page: Page, server):
    id = fresh(page, server)
    press(page, "veil-inner")
    modes = page.get_by_test_id("modes")
    expect(modes.get_by_role("radio")).to_have_count(17)
    expect(modes.get_by_role("radio", name="overlay")).to_have_attribute("aria-checked", "true")

    def picture(mode):
        return (
            modes.get_by_role("radio", name=mode, exact=True)
            .locator("canvas")
            .evaluate("c => [...c.getContext('2d').getImageData(0, 0, c.width, c.height).data]")
        )

    deadline = time.monotonic() + 60
    while not any(picture("add")) or not any(picture("multiply")):
        assert time.monotonic() < deadline, "the modes stay empty"
        time.sleep(0.5)
    # Adding is brighter than multiplying, whatever is added.
    assert np.mean(picture("add")) > np.mean(picture("multiply")) + 10
    before = stage(page)
    modes.get_by_role("radio", name="add", exact=True).click()
    settled(page)
    chosen = next(b for b in strand_of(page, server, id, "veil")["beads"] if b["id"] == "inner")
    assert chosen["settings"]["mode"] == "add"
    differs(page, before, 1)


def test_the_finder_finds_by_what_people_call_the_result(page: Page, server):
    fresh(page, server)
    press(page, "mist-scroll")
    for words, kind in (("honeycomb", "hexagons"), ("lava", "noise"), ("scan lines", "bands"), ("planks", "bricks")):
        page.keyboard.press("n")
        page.get_by_label("Find a bead").fill(words)
        first = page.get_by_test_id("finder").get_by_role("option").first
        expect(first).to_contain_text(kind)
        loaded = first.locator("img").evaluate("i => i.complete && i.naturalWidth > 0 || i.decode().then(() => true)")
        assert loaded
        page.keyboard.press("Escape")
        expect(page.get_by_test_id("finder")).to_have_count(0)


def test_a_picture_is_brought_in_shown_kept_and_travels_in_an_export(page: Page, server, tmp_path):
    id = fresh(page, server, "buoy-ward")
    picture = tmp_path / "harbour-lights.png"
    picture.write_bytes(encoded(lanterns(64, 40)))
    page.get_by_test_id("add-strand").click()
    for words in ("surface uv", "photo"):
        page.get_by_label("Find a bead").fill(words)
        page.keyboard.press("Enter")
        expect(page.get_by_test_id("finder")).to_have_count(0)
        if words != "photo":
            page.keyboard.press("n")
    expect(page.get_by_test_id("pictures")).to_contain_text("travels with the effect")
    page.get_by_test_id("picture-file").set_input_files(picture)
    expect(page.get_by_role("radio", name="harbour-lights.png")).to_have_attribute("aria-checked", "true")
    settled(page)
    kept = document(page, server, id)
    assert [(a["name"], a["width"], a["height"]) for a in kept["assets"]] == [("harbour-lights.png", 64, 40)]
    page.keyboard.press("v")
    expect(page.get_by_test_id("peek-label")).to_contain_text("image")
    shown = steady(page)
    # Three lights, of three colours.
    assert np.ptp(shown, axis=2).max() > 100
    # What is none is refused in words, and nothing else changes.
    torn = tmp_path / "torn.png"
    torn.write_bytes(picture.read_bytes()[:50])
    page.get_by_test_id("picture-file").set_input_files(torn)
    expect(page.get_by_role("alert")).to_contain_text("not a picture")
    assert document(page, server, id)["assets"] == kept["assets"]
    export = page.request.get(f"{server.address}/api/effects/{id}/export")
    assert "whorl.zip" in export.headers["content-disposition"]
    again = page.request.post(
        f"{server.address}/api/effects/import",
        multipart={"file": {"name": "a.whorl.zip", "mimeType": "application/zip", "buffer": export.body()}},
    ).json()
    assert again["document"]["assets"] == kept["assets"]


def test_a_formula_is_typed_told_what_is_wrong_with_it_and_drawn_all_the_while(page: Page, server):
    """By keyboard alone: a bead is added, its text typed, a fault seen at its place and mended, all of it undone."""
    id = fresh(page, server)
    add(page, "expression")
    text = page.get_by_test_id("formula")
    expect(text).to_have_value("x * k")
    text.focus()
    page.keyboard.press("Control+A")
    page.keyboard.type("nois(x * 9)")
    told = page.get_by_test_id("formula-problem")
    expect(told).to_contain_text("there is no function 'nois'")
    expect(told.locator("mark")).to_have_text("nois")
    expect(page.get_by_test_id("formula")).to_have_attribute("aria-invalid", "true")
    assert not violations(page)
    page.keyboard.press("Control+A")
    page.keyboard.type("noise(x * l + a)")
    expect(told).to_contain_text("it comes to a number, and three numbers are wanted")
    # The numbers that it names have their rows.
    expect(page.get_by_label("l", exact=True).first).to_be_visible()
    expect(page.get_by_label("m", exact=True)).to_have_count(0)
    page.get_by_role("button", name="let it give a value").click()
    expect(told).to_have_count(0)
    settled(page)
    kept = page.request.get(f"{server.address}/api/effects/{id}").json()["document"]["strands"][-1]["beads"][-1]
    assert kept["settings"] == {"formula": "noise(x * l + a)", "gives": "value"}
    before = picture_of(page.get_by_test_id("peek").locator("canvas"))
    text.focus()
    page.keyboard.press("End")
    page.keyboard.type(" * 0")
    expect(told).to_have_count(0)
    deadline = time.monotonic() + 20
    while picture_of(page.get_by_test_id("peek").locator("canvas")).max() > before.max() / 2:
        assert time.monotonic() < deadline, "the bead's picture did not follow its text"
        time.sleep(0.1)


def picture_of(canvas) -> np.ndarray:
    picture = np.asarray(Image.open(io.BytesIO(canvas.screenshot())).convert("L")).astype(float)
    edge = len(picture) // 4
    return picture[edge:-edge, edge:-edge]


def chosen(page: Page, button: str, files) -> None:
    """Files that are brought in by a button."""
    with page.expect_file_chooser() as chooser:
        page.get_by_role("button", name=button).click()
    chooser.value.set_files(files)


def test_a_picture_is_replaced_wherever_it_is_used_in_one_step(page: Page, server, tmp_path):
    id = fresh(page, server)
    first, second = tmp_path / "lanterns.png", tmp_path / "dusk.png"
    first.write_bytes(encoded(lanterns()))
    second.write_bytes(encoded(255 - lanterns(32, 32)))
    for _ in range(2):
        add(page, "photo")
        expect(page.get_by_test_id("pictures")).to_be_visible()
        page.get_by_test_id("picture-file").set_input_files(first)
        expect(page.get_by_role("radio", name="lanterns.png")).to_be_checked()
    settled(page)
    before = document(page, server, id)
    chosen(page, "replace lanterns.png everywhere", second)
    expect(page.get_by_role("radio", name="dusk.png")).to_be_checked()
    expect(page.get_by_role("radio", name="lanterns.png")).to_have_count(0)
    settled(page)
    after = document(page, server, id)
    assert [a["id"] for a in after["assets"]] == [a["id"] for a in before["assets"]] and len(after["assets"]) == 1
    assert after["assets"][0]["width"] == 32 and after["strands"] == before["strands"]
    page.get_by_role("button", name="Undo").click()
    expect(page.get_by_role("radio", name="lanterns.png")).to_be_checked()
    # Several numbered ones are a sequence, in the order of their numbers; how it plays is chosen beside it.
    frames = [tmp_path / f"glow-{k}.png" for k in (10, 9, 11)]
    for k, path in enumerate(frames):
        path.write_bytes(encoded(np.full((8, 8, 3), 80 * k, np.uint8)))
    chosen(page, "bring in a picture", frames)
    expect(page.get_by_test_id("sequence")).to_contain_text("3 frames")
    page.get_by_test_id("sequence").get_by_label("rounds").select_option("2")
    settled(page)
    played = document(page, server, id)["assets"][1]
    assert played["frames"] == 3 and played["loops"] == 2
    small = page.request.get(f"{server.address}/api/assets/{played['hash']}/small.png").body()
    assert round(np.asarray(Image.open(io.BytesIO(small)).convert("L")).mean()) == 80
    (tmp_path / "alone.png").write_bytes(encoded(lanterns()))
    chosen(page, "bring in a picture", [tmp_path / "alone.png", frames[0]])
    expect(page.get_by_test_id("pictures").get_by_role("alert")).to_contain_text("alone.png has no number")
    assert violations(page) == []


def test_a_set_of_maps_is_dropped_told_apart_and_wired_in_one_step(page: Page, server, tmp_path):
    """By what its files are called and hold; undone it is all gone."""
    id = fresh(page, server, "verdigris-hull")
    before = document(page, server, id)
    for name, pixels in (
        ("planks_albedo.png", COLOUR),
        ("planks_normal.png", normals(True)),
        ("planks_rough.png", grey()),
    ):
        (tmp_path / name).write_bytes(encoded(pixels))
    (tmp_path / "notes.png").write_bytes(b"no picture")
    page.get_by_test_id("add-maps").click()
    dialog = page.get_by_test_id("maps")
    expect(dialog.get_by_role("button", name="put them in")).to_be_disabled()
    dialog.get_by_test_id("map-files").set_input_files(sorted(tmp_path.glob("*.png")))
    expect(dialog.get_by_test_id("map")).to_have_count(3)
    expect(dialog.get_by_text("notes.png: this is not a picture that is read here")).to_be_visible()
    expect(dialog.get_by_label("What planks_rough.png is for")).to_have_value("roughness")
    expect(dialog.get_by_label("green down")).to_be_checked()
    assert not violations(page)
    dialog.get_by_role("button", name="put them in").click()
    expect(dialog).to_be_hidden()
    settled(page)
    after = document(page, server, id)
    assert [s["id"] for s in after["strands"][-4:]] == ["maps", "map-base", "map-normal", "map-roughness"]
    assert after["surface"]["channels"]["base"][-1]["strand"] == "map-base"
    page.get_by_role("button", name="Undo").click()
    settled(page)
    assert document(page, server, id)["strands"] == before["strands"]
    # A folder, chosen or dropped; what is no picture in it was not chosen by anybody.
    inner = tmp_path / "planks" / "more"
    inner.mkdir(parents=True)
    for name in ("planks_albedo.png", "planks_rough.png"):
        (tmp_path / name).rename(inner / name)
    (inner / "licence.txt").write_text("free")
    page.get_by_test_id("add-maps").click()
    dialog.get_by_test_id("map-folder").set_input_files(tmp_path / "planks")
    expect(dialog.get_by_test_id("map")).to_have_count(2)
    expect(dialog.get_by_role("alert")).to_have_count(0)
    page.keyboard.press("Escape")
    page.get_by_test_id("add-maps").click()
    page.evaluate(DROPPED, list(encoded(grey())))
    expect(dialog.get_by_test_id("map")).to_have_count(1)
    expect(dialog.get_by_role("alert")).to_have_count(0)


#: Drops a folder with a picture and a text in it, as browsers tell of it.
DROPPED = """(bytes) => {
  const file = (name, data) => ({ name, isFile: true, isDirectory: false, file: (ok) => ok(new File([data], name)) });
  const inside = [[file("planks_rough.png", new Uint8Array(bytes)), file("read me.txt", "free")], []];
  const folder = { name: "planks", isFile: false, isDirectory: true,
    createReader: () => ({ readEntries: (ok) => ok(inside.shift()) }) };
  const event = new Event("drop", { bubbles: true, cancelable: true });
  const dataTransfer = { items: [{ webkitGetAsEntry: () => folder }], files: [] };
  Object.defineProperty(event, "dataTransfer", { value: dataTransfer });
  document.querySelector("[data-testid=map-files]").parentElement.dispatchEvent(event);
}"""


COUNTED = """window.draws = 0;
for (const kind of ["drawElements", "drawArrays"]) {
  const draw = WebGL2RenderingContext.prototype[kind];
  WebGL2RenderingContext.prototype[kind] = function (...given) { window.draws++; return draw.apply(this, given); };
}"""


def draws(page: Page) -> int:
    """How much has been drawn, once nothing is any more."""
    before, now = -1, 0
    while now != before:
        page.wait_for_timeout(1500)
        before, now = now, page.evaluate("window.draws")
    return now


#: The pictures within something that are drawn, as text.
SHOWN = """(part) => [...part.querySelectorAll("canvas.small:not([data-waiting])")].map((c) =>
  c.getContext("2d").getImageData(0, 0, c.width, c.height).data.join())"""


def test_what_stands_in_the_sheet_already_is_copied_into_the_finder(page: Page, server):
    page.add_init_script(COUNTED)
    # What is out of sight is not drawn.
    page.set_viewport_size({"width": 1280, "height": 1600})
    fresh(page, server, "fog-gate")
    before = draws(page)
    sheet = page.get_by_test_id("sheet").evaluate(SHOWN)
    page.keyboard.press("Shift+N")
    finder = page.get_by_test_id("finder")
    expect(finder.locator("canvas.small").first).not_to_have_attribute("data-waiting", "true")
    assert draws(page) == before
    copied = finder.evaluate(SHOWN)
    assert len({*copied}) > 10 and {*copied} <= {*sheet}


def test_pictures_that_move_on_by_one_bead_are_those_of_the_beads_before(page: Page, server):
    """Each becomes what another shows until then, and is copied only from what does not change as well."""
    inverts = [bead("invert", f"invert{i}") for i in range(3)]
    shine = strand("shine", bead("uv"), bead("linear"), *inverts)
    effect = data(shine, surface={"channels": {"emission": [{"strand": "shine"}]}})
    id = page.request.post(f"{server.address}/api/effects", data={"name": "Shine", "document": effect}).json()["id"]
    visit(page, server, id)
    here = page.get_by_test_id("strand-shine")
    expect(here.locator("canvas.small[data-waiting]")).to_have_count(0)
    _, *shown = here.evaluate(SHOWN)
    one, other = shown[:2]
    assert one != other and shown == [one, other, one, other]
    press(page, "shine-invert0")
    page.keyboard.press("m")
    deadline = time.monotonic() + 20
    while here.evaluate(SHOWN)[1:] != [one, one, other, one]:
        assert time.monotonic() < deadline, "other pictures came"
        page.wait_for_timeout(200)


def test_what_comes_out_the_same_is_not_drawn_again(page: Page, server):
    page.add_init_script(COUNTED)
    fresh(page, server, "fog-gate")
    # With a wide bloom small pictures are many draws, too.
    page.keyboard.press("3")
    page.get_by_label("bloom radius slider").press("End")
    page.get_by_test_id("sheet-line").click()
    opened = draws(page)
    assert opened > 100
    # A strand that feeds nothing yet leaves the picture; a bead that is muted and feeds it does not.
    page.keyboard.press("Shift+N")
    page.keyboard.type("noise")
    page.keyboard.press("Enter")
    added = draws(page) - opened
    assert 0 < added < 40
    page.locator("button.bead[aria-label*='bead 4 of Veil']").click()
    page.keyboard.press("m")
    assert draws(page) - opened - added > 100
