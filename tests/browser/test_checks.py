"""Findings that are seen: evidence on stage and ring, mends tried and taken, reasons to set one aside, cost."""

import json

from playwright.sync_api import Page, expect

from tests.browser.test_people import violations
from tests.browser.test_studio import document, fresh, settled, visit

#: See the fixture `page`.
LOOKED = True


def planted(page: Page, server, change) -> str:
    """A copy of Signal Lamp with a fault, opened at its checks, all of it looked at."""
    id = fresh(page, server, "signal-lamp")
    settled(page)
    address = f"{server.address}/api/effects/{id}"
    kept = page.request.get(address).json()
    change(kept["document"])
    body = json.dumps({"document": kept["document"], "base": kept["revision"]})
    answer = page.request.put(address, data=body, headers={"Content-Type": "application/json"})
    assert answer.ok, answer.text()
    # It rests, so that it is looked at at full speed.
    visit(page, server, id)
    page.get_by_role("tab", name="Checks").click()
    done(page)
    return id


def done(page: Page) -> None:
    expect(page.get_by_test_id("looked")).to_have_attribute("data-done", "true")


def test_a_finding_is_seen_tried_taken_undone_and_set_aside_by_keyboard(page: Page, server):
    id = planted(page, server, lambda d: d["stage"].update(exposure=5.0))
    burnt = page.locator('[data-finding="burnt out"][data-when=""]')
    expect(page.get_by_role("group", name="looks wrong")).to_contain_text("burnt out: stage · exposure")
    # Where and when it is seen.
    burnt.get_by_role("button", name="Show on the stage").press("Enter")
    expect(page.get_by_test_id("spot")).to_be_visible()
    expect(page.get_by_test_id("passage")).to_be_attached()
    box, stage = page.get_by_test_id("spot").bounding_box(), page.get_by_test_id("stage").bounding_box()
    assert stage["x"] - 1 <= box["x"] and box["x"] + box["width"] <= stage["x"] + stage["width"] + 1
    burnt.get_by_role("button", name="No longer show").press("Enter")
    expect(page.get_by_test_id("spot")).to_have_count(0)
    # On a copy, side by side; the document is as it was until it is taken.
    burnt.get_by_role("button", name="try: ").press("Enter")
    tried = page.get_by_test_id("tried")
    expect(tried.locator("figure")).to_have_count(2)
    assert violations(page) == []
    assert document(page, server, id)["stage"]["exposure"] == 5.0
    tried.get_by_role("button", name="take it").press("Enter")
    done(page)
    expect(burnt).to_have_count(0)
    settled(page)
    mended = document(page, server, id)["stage"]["exposure"]
    assert mended < 5.0
    page.get_by_role("button", name="Undo").press("Enter")
    done(page)
    expect(burnt).to_be_visible()
    # Set aside with a reason, which travels with the document.
    burnt.get_by_role("button", name="set aside").press("Enter")
    reason = page.get_by_label("Why burnt out of", exact=False)
    expect(reason).to_be_focused()
    page.keyboard.type("It is the flash of the lamp.")
    page.keyboard.press("Enter")
    expect(burnt).to_have_count(0)
    settled(page)
    (aside,) = document(page, server, id)["aside"]
    assert (aside["kind"], aside["reason"]) == ("burnt out", "It is the flash of the lamp.")
    visit(page, server, id)
    page.get_by_role("tab", name="Checks").click()
    done(page)
    expect(burnt).to_have_count(0)
    page.locator("summary", has_text="set aside").press("Enter")
    assert violations(page) == []
    page.get_by_role("button", name="take it up again: burnt out of").first.press("Enter")
    expect(burnt).to_be_visible()


def test_what_does_nothing_is_taken_out_and_what_it_costs_is_shown(page: Page, server, tmp_path):
    idle = {"id": "idle", "kind": "remap", "settings": {"clamped": False}, "params": {}, "muted": False}

    def change(d):
        next(s for s in d["strands"] if s["id"] == "streaks")["beads"].append(idle)

    id = planted(page, server, change)
    found = page.locator('[data-finding="does nothing"]')
    found.get_by_test_id("mend").press("Enter")
    expect(found).to_have_count(0)
    settled(page)
    streaks = next(s for s in document(page, server, id)["strands"] if s["id"] == "streaks")
    assert [b["kind"] for b in streaks["beads"]][-1] == "contrast"
    # The dearest bead stands first, and leads to its controls.
    cost = page.get_by_test_id("cost")
    cost.locator("summary").press("Enter")
    first = cost.locator("tbody tr").first
    expect(first).to_be_visible()
    assert violations(page) == []
    budget = cost.get_by_label("Milliseconds that a picture may take", exact=True)
    budget.fill("0.1")
    budget.press("Enter")
    expect(cost).to_contain_text("over what may be spent")
    with page.expect_download() as got:
        page.get_by_role("button", name="save a report").press("Enter")
    text = got.value.path().read_text(encoding="utf-8")
    assert "## Flashes" in text and "It passes" in text
    cost.get_by_role("button", name="Streaks · noise").press("Enter")
    expect(page.get_by_role("tab", name="Bead")).to_have_attribute("aria-selected", "true")


def test_pictures_are_looked_at_only_when_asked_where_that_is_chosen(page: Page, server):
    id = fresh(page, server, "signal-lamp")
    page.get_by_role("tab", name="Checks").click()
    by_itself = page.get_by_role("checkbox", name="look by itself")
    by_itself.uncheck()
    visit(page, server, id)
    asked = []
    page.on("request", lambda r: asked.append(r.url) if r.url.endswith("/checks/look") else None)
    page.get_by_role("tab", name="Checks").click()
    expect(page.get_by_test_id("looked")).to_contain_text("have not been looked at")
    # Longer than the sheet has to be still.
    page.wait_for_timeout(2500)
    assert asked == []
    page.get_by_role("button", name="look now").press("Enter")
    done(page)
    assert len(asked) == 1
    by_itself.check()
    assert violations(page) == []
