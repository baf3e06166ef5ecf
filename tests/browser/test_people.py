"""Used as people use it: by keyboard alone, on the first day and on the worst one; and axe finds nothing."""

import json
import time
from pathlib import Path

import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.conftest import SCALE, WITHIN, Server, go
from tests.browser.test_studio import document, drawn, fresh, press, settled, stage, visit

AXE = (Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text(encoding="utf-8")


#: A colour on its way to another is neither: contrast is asked of where it arrives.
ARRIVED = """() => Promise.all(document.getAnimations().filter((a) => a instanceof CSSTransition)
  .map((a) => a.finished.catch(() => null)))"""
#: Of the page itself there is nothing to say.
FOCUSED = """(e => e === document.body ? '' :
  e.getAttribute('aria-label') || e.labels?.[0]?.textContent || e.textContent || e.tagName)(document.activeElement)"""


def violations(page: Page) -> list[str]:
    """What axe finds on the page as it stands."""
    if page.evaluate("!('axe' in window)"):
        page.evaluate(AXE)
    page.evaluate(ARRIVED)
    rules = "{resultTypes: ['violations'], rules: {'target-size': {enabled: true}}}"
    found = page.evaluate(f"axe.run(document, {rules}).then(r => r.violations)")
    return [f"{v['id']}: {n['html'][:160]}" for v in found for n in v["nodes"]]


def focused(page: Page) -> str:
    """What has the focus, as a screen reader names it."""
    return page.evaluate(FOCUSED).strip()


def expect_focus(page: Page, words: str) -> None:
    """What has the focus comes to be called so: it goes there once what covered the page is gone."""
    deadline = time.monotonic() + 5
    while words not in focused(page):
        assert time.monotonic() < deadline, f"the focus is on {focused(page)!r}"
        time.sleep(0.02)


def tab_to(page: Page, name: str, most: int = 120) -> None:
    """Presses Tab until what has the focus is called so."""
    for _ in range(most):
        if focused(page) == name:
            return
        page.keyboard.press("Tab")
    raise AssertionError(f"Tab never came to {name!r}; it is at {focused(page)!r}")


def add(page: Page, words: str, key: str = "Shift+N") -> None:
    page.keyboard.press(key)
    expect(page.get_by_test_id("finder")).to_be_visible()
    page.keyboard.type(words)
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("finder")).to_be_hidden()


def test_what_waits_to_be_drawn_pulses_only_where_motion_is_wanted(page: Page, server):
    page.add_init_script("window.whorlQuiet = true")
    page.goto(f"{server.address}/effect/fog-gate")
    expect(page.locator("canvas.small[data-waiting][data-near]").first).to_be_visible()
    pulses = "document.getAnimations().filter((a) => a.animationName === 'waiting').length"
    assert page.evaluate(pulses) == 0
    # Nor do dialogs grow and buttons fade.
    page.evaluate("""() => {
      window.moved = 0;
      const told = (e) => (window.moved += e.animationName !== "waiting");
      for (const type of ["animationstart", "transitionrun"]) addEventListener(type, told, true);
    }""")
    help_told(page)
    assert page.evaluate("window.moved") == 0
    page.emulate_media(reduced_motion="no-preference")
    page.wait_for_function(f"{pulses} > 0")
    help_told(page)
    assert page.evaluate("window.moved") > 0


def help_told(page: Page):
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()
    page.get_by_role("dialog").get_by_role("button").first.hover()
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_be_hidden()


UNDEFINED = """() => {
  const rules = [...document.styleSheets].flatMap(s => [...s.cssRules].map(r => r.cssText)).join('\\n');
  const named = (form) => [...rules.matchAll(form)].map(m => m[1]);
  const set = new Set(named(/(--chakra-[^\\s:;]+)\\s*:/g));
  return [...new Set(named(/var\\((--chakra-[^\\s,)]+)\\)/g))].filter(name => !set.has(name));
}"""


def test_axe_finds_nothing_on_any_view_dialog_or_panel(page: Page, server):
    page.goto(server.address)
    expect(page.get_by_label("Open Fog Gate", exact=True)).to_be_visible()
    found = {"shelf": violations(page)}
    fresh(page, server)
    found["studio"] = violations(page)
    for key, tab in (
        ("2", "surface"),
        ("3", "stage"),
        ("4", "checks"),
        ("5", "front"),
        ("6", "signals"),
        ("1", "bead"),
    ):
        page.keyboard.press(key)
        expect(page.get_by_test_id(f"panel-{tab}")).to_be_visible()
        found[tab] = violations(page)
    page.keyboard.press("?")
    expect(page.get_by_test_id("keys")).to_be_visible()
    found["keys"] = violations(page)
    page.keyboard.press("Escape")
    page.keyboard.press("Shift+N")
    expect(page.get_by_test_id("finder")).to_be_visible()
    found["finder"] = violations(page)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="History", exact=True).click()
    expect(page.get_by_test_id("revision-1")).to_be_visible()
    found["history"] = violations(page)
    page.keyboard.press("Escape")
    page.get_by_test_id("bake-button").click()
    expect(page.get_by_test_id("bake-dialog")).to_be_visible()
    page.get_by_text("finer, motion blur").click()
    page.get_by_role("button", name="add a size").click()
    found["pictures"] = violations(page)
    for form in ("maps", "code", "page", "glb"):
        page.get_by_test_id(f"form-{form}").click()
        expect(page.get_by_test_id("save-form")).to_have_text("Save")
        found[form] = violations(page)
    told = [f"{view}: {v}" for view, all_of_it in found.items() for v in all_of_it]
    assert not told, "\n".join(told)
    # Nothing that was shown asked for a colour or a size that the theme left out.
    assert page.evaluate(UNDEFINED) == []


def test_keys_pressed_the_moment_something_opens_go_to_it(page: Page, server):
    """Before it has taken the focus: a letter is no shortcut then, and Escape closes already."""
    fresh(page, server)
    page.keyboard.press("2")
    at_once = """([open, shown, key]) => new Promise(done => {
      const watch = new MutationObserver(() => {
        if (!document.querySelector(shown)) return;
        watch.disconnect();
        document.activeElement.dispatchEvent(new KeyboardEvent('keydown', {key, bubbles: true, cancelable: true}));
        done(document.activeElement.closest(shown) !== null);
      });
      watch.observe(document, {subtree: true, childList: true, attributes: true});
      document.querySelector(open).click();
    })"""
    taken = page.evaluate(at_once, ["[aria-label^='Add a strand to']", "[role=menu][data-state=open]", "f"])
    assert taken, "the menu takes the key, and the focus with it"
    expect(page.get_by_role("button", name="whole window")).to_be_visible()
    page.keyboard.press("Escape")
    page.evaluate(at_once, ["[aria-label^='Keys']", "[role=dialog][data-state=open]", "Escape"])
    expect(page.get_by_test_id("keys")).to_be_hidden()


def test_what_a_letter_finds_the_moment_a_menu_opens_stays_found(page: Page, server):
    """Opened by a key, it marks its first entry in its first frame, which a letter may come before."""
    id = fresh(page, server)
    page.keyboard.press("2")
    find = """(letter) => new Promise(done => {
      const watch = new MutationObserver(() => {
        if (!document.querySelector('[role=menu][data-state=open]')) return;
        watch.disconnect();
        press(document.activeElement, letter);
        requestAnimationFrame(() => requestAnimationFrame(done));
      });
      const press = (at, key) => at.dispatchEvent(new KeyboardEvent('keydown', {key, bubbles: true, cancelable: true}));
      watch.observe(document, {subtree: true, childList: true, attributes: true});
      const menu = document.querySelector("[aria-label^='Add a strand to emission']");
      menu.focus();
      press(menu, 'ArrowDown');
    })"""
    page.evaluate(find, "h")
    assert page.locator("[role=menuitem][data-highlighted]").all_inner_texts() == ["Halo"]
    page.keyboard.press("Enter")
    expect_focus(page, "gain")
    settled(page)
    made = document(page, server, id)
    added = made["surface"]["channels"]["emission"][-1]["strand"]
    assert next(s["name"] for s in made["strands"] if s["id"] == added) == "Halo"


def test_a_glowing_shell_with_contact_on_the_floor_is_built_without_a_pointer(page: Page, server):
    page.goto(server.address)
    expect(page.get_by_label("Open Fog Gate", exact=True)).to_be_visible()
    tab_to(page, "New effect")
    page.keyboard.press("Enter")
    # Nothing to begin from is offered first.
    tab_to(page, "Blank an empty sheet")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("sheet")).to_be_visible()
    add(page, "fresnel")
    expect_focus(page, "fresnel")
    add(page, "contact")
    expect_focus(page, "contact")
    page.keyboard.press("3")
    tab_to(page, "shape")
    page.keyboard.type("ball")
    tab_to(page, "floor")
    page.keyboard.press("Space")
    expect(page.get_by_test_id("neighbours").get_by_label("floor", exact=True).first).to_be_checked()
    playing = page.get_by_test_id("play").get_attribute("aria-label")
    page.keyboard.press("2")
    tab_to(page, "composite")
    page.keyboard.type("see")
    for name in ("Fresnel", "Contact"):
        tab_to(page, "Add a strand to emission")
        page.keyboard.press("Enter")
        expect(page.get_by_role("menuitem", name=name)).to_be_visible()
        page.keyboard.type(name[:4])
        page.keyboard.press("Enter")
        expect(page.get_by_test_id("channel-emission")).to_contain_text(name)
        # The focus is on what was made, and what is before it can be gone back to.
        expect_focus(page, "gain")
        page.keyboard.press("Shift+Tab")
        page.keyboard.press("Shift+Tab")
        page.keyboard.press("Shift+Tab")
    assert page.get_by_test_id("play").get_attribute("aria-label") == playing
    settled(page)
    id = page.url.rsplit("/", 1)[-1]
    made = document(page, server, id)
    assert [s["name"] for s in made["strands"]] == ["Fresnel", "Contact"]
    strands = {s["name"]: s["id"] for s in made["strands"]}
    assert [e["strand"] for e in made["surface"]["channels"]["emission"]] == list(strands.values())
    assert made["surface"]["composite"] == "see-through" and made["stage"]["shape"] == "ball"
    assert made["stage"]["neighbours"]["floor"]["on"] is True
    drawn(page)


def test_the_first_bead_brings_its_coordinates_and_escape_leaves_nothing(page: Page, server):
    empty = page.request.post(f"{server.address}/api/effects", data={"name": "First"}).json()["id"]
    go(page, server, empty)
    page.get_by_role("button", name="Add the first strand").click()
    expect(page.get_by_test_id("finder")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_text("An empty sheet")).to_be_visible()
    assert page.get_by_role("button", name="Undo").is_disabled()
    page.get_by_role("button", name="Add the first strand").click()
    page.keyboard.type("noise")
    expect(page.get_by_test_id("finder").get_by_role("option").first).to_contain_text("brings surface UV before it")
    page.keyboard.press("Enter")
    settled(page)
    (strand,) = document(page, server, empty)["strands"]
    assert strand["name"] == "Noise" and [b["kind"] for b in strand["beads"]] == ["uv", "noise"]
    # One step of undo takes all of it back.
    page.keyboard.press("Control+z")
    expect(page.get_by_text("An empty sheet")).to_be_visible()


def test_keys_stay_with_the_control_that_has_the_focus(page: Page, server):
    fresh(page, server)
    playing = page.get_by_test_id("play").get_attribute("aria-label")
    press(page, "mist-noise")
    box = page.get_by_label("distorted", exact=True)
    box.focus()
    page.keyboard.press("Space")
    expect(box).to_be_checked()
    assert page.get_by_test_id("play").get_attribute("aria-label") == playing
    # Arrows on a tab go from tab to tab; on a slider they step it. Neither walks in the sheet.
    page.get_by_role("tab", name="Bead").focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("tab", name="Surface")).to_have_attribute("aria-selected", "true")
    page.keyboard.press("ArrowLeft")
    slider = page.get_by_label("scale slider")
    slider.focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_test_id("bead-mist-noise")).to_have_attribute("data-selected", "true")
    for key, end in (("End", "aria-valuemax"), ("Home", "aria-valuemin")):
        page.keyboard.press(key)
        expect(slider).to_have_attribute("aria-valuenow", slider.get_attribute(end))
    hand = page.get_by_role("slider", name="Phase of the turn")
    hand.focus()
    for key, frame in (("End", "95"), ("Home", "0")):
        page.keyboard.press(key)
        expect(page.get_by_label("Frame", exact=True)).to_have_value(frame)
    # Neither moves in a number that is typed.
    page.get_by_label("scale", exact=True).focus()
    page.keyboard.press("End")
    expect(slider).to_have_attribute("aria-valuenow", slider.get_attribute("aria-valuemin"))
    slider.focus()
    # Backspace takes a bead away only where a bead has the focus.
    page.keyboard.press("Backspace")
    expect(page.get_by_test_id("bead-mist-noise")).to_be_visible()
    # Keys of a letter can be turned off.
    page.get_by_label("Keys (?)").click()
    page.get_by_label("keys of a single letter or sign act").uncheck()
    page.keyboard.press("Escape")
    page.get_by_test_id("bead-mist-noise").focus()
    page.keyboard.press("m")
    expect(page.get_by_test_id("bead-mist-noise")).to_have_attribute("data-muted", "false")
    page.evaluate("localStorage.clear()")


def typed(page: Page, bead: str, label: str, value: str) -> None:
    press(page, bead)
    number = page.get_by_label(label, exact=True)
    number.fill(value)
    number.press("Enter")


def test_numbers_take_arithmetic_and_say_what_is_none(page: Page, server):
    id = fresh(page, server)
    typed(page, "gate-cut", "level", "1/4 + 2*0.05")
    settled(page)
    assert document(page, server, id)["strands"][3]["beads"][3]["params"]["level"] == 0.35
    typed(page, "gate-cut", "level", "a third")
    expect(page.get_by_role("alert").filter(has_text="is no number")).to_be_visible()
    page.get_by_label("level", exact=True).press("Escape")
    settled(page)
    assert document(page, server, id)["strands"][3]["beads"][3]["params"]["level"] == 0.35


@pytest.fixture
def own(tmp_path):
    made = Server(tmp_path)
    made.start()
    yield made
    made.kill()


def test_what_was_not_saved_when_the_page_was_left_is_offered_and_taken_up(page: Page, own):
    visit(page, own, "fog-gate")
    own.kill()
    typed(page, "gate-cut", "level", "0.37")
    expect(page.get_by_test_id("save-state")).to_contain_text("not saved")
    page.goto("about:blank")
    own.start()
    visit(page, own, "fog-gate")
    expect(page.get_by_test_id("draft")).to_contain_text("did not reach the server")
    assert document(page, own, "fog-gate")["strands"][3]["beads"][3]["params"]["level"] != 0.37
    page.get_by_role("button", name="take them up").click()
    settled(page)
    assert document(page, own, "fog-gate")["strands"][3]["beads"][3]["params"]["level"] == 0.37
    page.reload()
    drawn(page)
    expect(page.get_by_test_id("draft")).to_have_count(0)


def test_what_was_changed_last_is_saved_though_another_effect_is_opened_meanwhile(page: Page, server):
    other = page.request.post(f"{server.address}/api/effects/moth-crate/duplicate").json()["id"]
    id = fresh(page, server)
    held = []

    def slow(route: Route) -> None:
        if route.request.method == "PUT" and not held:
            held.append(route)
        else:
            route.continue_()

    page.route(f"**/api/effects/{id}", slow)
    typed(page, "gate-cut", "level", "0.41")
    while not held:
        page.wait_for_timeout(50)
    typed(page, "gate-cut", "level", "0.42")
    page.evaluate(WITHIN, f"/effect/{other}")
    drawn(page)
    # What is changed here meanwhile is not forgotten either.
    name = page.get_by_label("Effect name")
    name.fill("Crate of Moths")
    name.press("Enter")
    held[0].continue_()
    settled(page)
    assert document(page, server, other)["name"] == "Crate of Moths"
    page.evaluate(WITHIN, f"/effect/{id}")
    drawn(page)
    expect(page.get_by_test_id("draft")).to_have_count(0)
    assert document(page, server, id)["strands"][3]["beads"][3]["params"]["level"] == 0.42


def test_of_two_tabs_the_one_that_nobody_edits_follows_and_both_can_be_kept(page: Page, server):
    id = fresh(page, server)
    other = page.context.browser.new_page(device_scale_factor=SCALE, reduced_motion="reduce")
    visit(other, server, id)
    typed(page, "gate-cut", "level", "0.41")
    settled(page)
    press(other, "gate-cut")
    other.bring_to_front()
    expect(other.get_by_label("level", exact=True)).to_have_value("0.41")
    # Undo goes back to what stood there before.
    expect(other.get_by_role("button", name="Undo")).to_be_enabled()
    # Both change the same place at once: each is kept, mine as an effect of its own.
    head = page.request.get(f"{server.address}/api/effects/{id}").json()
    theirs = json.loads(json.dumps(head["document"]))
    theirs["strands"][3]["beads"][3]["params"]["level"] = 0.2
    page.request.put(f"{server.address}/api/effects/{id}", data={"base": head["revision"], "document": theirs})
    typed(other, "gate-cut", "level", "0.8")
    other.get_by_role("button", name="see what differs").click()
    expect(other.get_by_test_id("changed-mine")).to_contain_text("0.41 → 0.8")
    expect(other.get_by_test_id("changed-theirs")).to_contain_text("0.41 → 0.2")
    other.get_by_role("button", name="Keep both").click()
    expect(other.get_by_label("level", exact=True)).to_have_value("0.2")
    names = [e["name"] for e in page.request.get(f"{server.address}/api/effects").json()]
    assert "Fog Gate copy (mine)" in names
    # Undo brings mine back, as a new revision upon theirs.
    other.keyboard.press("Escape")
    other.get_by_role("button", name="Undo").click()
    expect(other.get_by_label("level", exact=True)).to_have_value("0.8")
    settled(other)
    other.close()


def test_the_history_says_what_changed_and_goes_back(page: Page, server):
    id = fresh(page, server)
    before = document(page, server, id)["strands"][3]["beads"][3]["params"]["level"]
    typed(page, "gate-cut", "level", "0.44")
    settled(page)
    page.get_by_role("button", name="History", exact=True).click()
    rows = page.get_by_test_id("history").locator("li.revision")
    expect(rows).to_have_count(2)
    expect(page.get_by_test_id("revision-2")).to_contain_text("level of threshold in Gate")
    expect(page.get_by_test_id("revision-1")).to_contain_text("where it began")
    picture = page.get_by_test_id("revision-1").locator("img")
    assert picture.evaluate("i => i.decode().then(() => i.naturalWidth)") == 72
    page.get_by_test_id("revision-1").get_by_role("button", name="compare").click()
    expect(page.get_by_test_id("compare")).to_be_visible()
    page.get_by_role("button", name="History", exact=True).click()
    page.get_by_test_id("revision-1").get_by_role("button", name="go back to it").click()
    deadline = time.monotonic() + 60
    while (kept := page.request.get(f"{server.address}/api/effects/{id}").json())["revision"] < 3:
        assert time.monotonic() < deadline, "it never went back"
        time.sleep(0.1)
    assert kept["revision"] == 3 and kept["document"]["strands"][3]["beads"][3]["params"]["level"] == before


@pytest.mark.parametrize(("width", "height"), [(640, 400), (900, 800)])
def test_where_there_is_little_room_everything_stands_below_one_another(page: Page, server, width, height):
    page.set_viewport_size({"width": width, "height": height})
    fresh(page, server)
    assert page.evaluate("document.documentElement.scrollWidth") <= width
    for test_id in ("stage", "play", "sheet", "panel-bead", "bake-button"):
        part = page.get_by_test_id(test_id)
        part.scroll_into_view_if_needed()
        box = part.bounding_box()
        assert box["x"] >= 0 and box["x"] + box["width"] <= width + 1, test_id
    page.set_viewport_size({"width": 1280, "height": 800})


def test_the_shelf_is_looked_through_and_tagged(page: Page, server):
    id = page.request.post(f"{server.address}/api/effects", data={"name": "Quay Fire"}).json()["id"]
    page.goto(server.address)
    page.get_by_label("Quay Fire: more").click()
    page.get_by_role("menuitem", name="Tags").click()
    page.get_by_label("Tags of Quay Fire").fill("ember, slow")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id(f"shelf-{id}")).to_contain_text("ember · slow")
    look = page.get_by_label("Look for an effect")
    look.fill("ember")
    expect(page.locator("[data-testid^=shelf-quay]")).to_have_count(1)
    expect(page.get_by_label("Open Fog Gate", exact=True)).to_have_count(0)
    look.fill("no such thing")
    expect(page.get_by_text("Nothing on the shelf is called so")).to_be_visible()


def test_the_divider_is_moved_by_keys_and_remembered(page: Page, server):
    id = fresh(page, server)
    panel = page.locator("#panel")
    before = panel.bounding_box()["height"]
    page.get_by_test_id("divider").focus()
    for _ in range(3):
        page.keyboard.press("ArrowUp")
    higher = panel.bounding_box()["height"]
    assert higher == pytest.approx(before + 72, abs=2)
    visit(page, server, id)
    assert panel.bounding_box()["height"] == pytest.approx(higher, abs=2)
    page.evaluate("localStorage.clear()")
    # The stage takes the whole window, and gives it back.
    page.keyboard.press("f")
    expect(page.get_by_test_id("sheet")).to_have_count(0)
    time.sleep(0.5)
    assert page.get_by_test_id("stage").bounding_box()["width"] > 400 and stage(page).std() > 3
    page.keyboard.press("f")
    expect(page.get_by_test_id("sheet")).to_be_visible()


def test_a_beads_menu_splits_its_strand_inserts_before_it_and_tells_what_it_does(page: Page, server):
    id = fresh(page, server)
    bead = page.get_by_test_id("bead-mist-tile")
    bead.click(button="right")
    menu = page.get_by_test_id("bead-menu")
    expect(menu).to_be_visible()
    # It opens where it was asked for.
    assert abs(menu.bounding_box()["x"] - bead.bounding_box()["x"]) < 100
    page.get_by_role("menuitem", name="Split the strand before it").click()
    expect(page.get_by_role("button", name="Mist, outer, on", exact=True)).to_be_visible()
    settled(page)
    strands = document(page, server, id)["strands"]
    first, rest = strands[1], strands[2]
    assert [b["kind"] for b in first["beads"]] == ["uv", "rotate", "polar"]
    assert [b["kind"] for b in rest["beads"]] == ["tap", "tile", "scroll", "noise"]
    expect_focus(page, "tile")
    # By key, on the bead that has the focus.
    page.get_by_test_id("bead-gate-cut").focus()
    page.keyboard.press("Shift+F10")
    page.get_by_role("menuitem", name="Insert before").click()
    expect(page.get_by_test_id("finder")).to_be_visible()
    page.keyboard.type("invert")
    page.keyboard.press("Enter")
    expect(page.get_by_test_id("bead-gate-invert")).to_be_visible()
    settled(page)
    gate = next(s for s in document(page, server, id)["strands"] if s["id"] == "gate")
    assert [b["kind"] for b in gate["beads"]][-2:] == ["invert", "threshold"]
    page.keyboard.press("F1")
    expect(page.get_by_test_id("help")).to_contain_text("invert")
    assert violations(page) == []
    page.get_by_test_id("help").get_by_role("button", name="threshold").click()
    expect(page.get_by_test_id("help")).to_contain_text("level")


def test_looks_are_kept_over_a_reload_and_it_is_seen_which_is_shown(page: Page, server):
    id = fresh(page, server)
    for n in (1, 2):
        page.get_by_role("button", name="keep this look").click()
        expect(page.get_by_role("button", name=f"look {n}", exact=True)).to_have_attribute("aria-pressed", "true")
        # The browser writes it down by and by.
        time.sleep(1)
    visit(page, server, id)
    one = page.get_by_role("button", name="look 1", exact=True)
    one.click()
    expect(page.get_by_test_id("compare")).to_be_visible()
    words = page.locator(".compare-word")
    expect(words).to_have_text(["look 1", "now"])
    page.keyboard.press("k")
    expect(words).to_have_text(["look 1"])
    page.keyboard.press("k")
    expect(words).to_have_text(["now"])
    page.get_by_role("button", name="let it go").click()
    expect(one).to_have_count(0)
    expect(page.get_by_role("button", name="look 2", exact=True)).to_be_visible()
