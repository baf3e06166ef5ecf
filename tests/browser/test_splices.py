"""Splices: put in with what they need, folded, shown alone, kept, brought up to date, scaled as one."""

from playwright.sync_api import Page, expect

from tests.browser.test_people import violations
from tests.browser.test_studio import differs, document, fresh, same, settled, steady, visit


def open_all(page: Page):
    page.get_by_test_id("add-splice").focus()
    page.keyboard.press("Enter")
    dialog = page.get_by_test_id("splices")
    expect(dialog.get_by_role("button", name="Shell glow")).to_be_visible()
    return dialog


def put_in(page: Page, name: str, joins: dict[str, str] | None = None) -> None:
    dialog = open_all(page)
    dialog.get_by_role("button", name=name).first.focus()
    page.keyboard.press("Enter")
    for inlet, to in (joins or {}).items():
        dialog.get_by_label(f"What {inlet} is joined to").select_option(label=to)
    dialog.get_by_role("button", name="put it in").focus()
    page.keyboard.press("Enter")
    expect(dialog).not_to_be_visible()


def more(page: Page, splice: str, what: str) -> None:
    page.get_by_role("button", name=f"Splice {splice}: more").click()
    page.get_by_role("menuitem", name=what).click()


def test_a_splice_is_put_in_folded_shown_alone_and_taken_apart(page: Page, server):
    id = fresh(page, server, "fog-gate")
    before, was = steady(page), document(page, server, id)
    dialog = open_all(page)
    assert violations(page) == []
    dialog.get_by_role("button", name="Dissolve front").click()
    expect(dialog.get_by_role("group", name="Strands for Order of going, by picture")).to_be_visible()
    assert violations(page) == []
    dialog.get_by_label("What Order of going is joined to").select_option(label="Mist, outer")
    dialog.get_by_role("button", name="put it in").click()
    differs(page, before, 2.0)
    settled(page)
    made = document(page, server, id)
    own = [s["id"] for s in made["strands"] if s["of"] == "dissolve-front"]
    assert own == ["body", "left", "rim-2"]
    assert made["splices"][0]["origin"] == "dissolve-front"
    group = page.get_by_test_id("group-dissolve-front")
    expect(group).to_contain_text("from Mist, outer")
    # Folded it stands for its strands, with what comes in and what comes out.
    group.get_by_role("button", name="Fold the splice Dissolve front").click()
    expect(page.get_by_test_id("strand-left")).not_to_be_visible()
    expect(group.get_by_role("button", name="its result: show its numbers")).to_be_visible()
    assert violations(page) == []
    more(page, "Dissolve front", "Show it alone")
    expect(page.get_by_test_id("strand-left")).to_be_visible()
    expect(page.get_by_test_id("strand-veil")).not_to_be_visible()
    page.get_by_role("button", name="back to the whole sheet").press("Enter")
    expect(page.get_by_test_id("strand-veil")).to_be_visible()
    more(page, "Dissolve front", "Take apart into strands")
    expect(group).not_to_be_visible()
    expect(page.get_by_test_id("strand-left")).to_be_visible()
    # Fold, apart and putting in are a step each.
    for _ in range(3):
        page.locator("body").press("Control+z")
    same(page, before, 0.3)
    settled(page)
    again = document(page, server, id)
    assert again["strands"] == was["strands"] and again["surface"] == was["surface"]


def test_strands_are_kept_put_into_another_effect_and_brought_up_to_date(page: Page, server):
    first = fresh(page, server, "chart-lantern")
    page.get_by_role("button", name="Edge glow: more").click()
    page.get_by_role("menuitem", name="Keep as a splice …").click()
    dialog = page.get_by_test_id("keep-splice")
    dialog.get_by_label("Name of the splice").fill("Lantern edge")
    dialog.get_by_label("Scan bands").check()
    assert violations(page) == []
    dialog.get_by_role("button", name="keep it").click()
    expect(dialog).not_to_be_visible()
    second = fresh(page, server, "soap-lantern")
    put_in(page, "Lantern edge")
    settled(page)
    made = document(page, server, second)
    own = {s["name"]: s for s in made["strands"] if s["of"]}
    assert set(own) == {"Edge glow", "Scan bands"}
    # Its first number is changed here.
    strand = own["Scan bands"]
    bead = strand["beads"][-1]
    number = next(k for k, v in bead["params"].items() if isinstance(v, int | float))
    kept = bead["params"][number]
    made["strands"][[s["id"] for s in made["strands"]].index(strand["id"])]["beads"][-1]["params"][number] = kept + 0.5
    head = page.request.get(f"{server.address}/api/effects/{second}").json()["revision"]
    put = page.request.put(f"{server.address}/api/effects/{second}", data={"document": made, "base": head})
    assert put.status == 200, put.text()
    # Where it comes from, the same strands are kept again with one more.
    origin = document(page, server, first)
    for s in origin["strands"]:
        if s["name"] == "Edge glow":
            s["beads"].append({"id": "turned", "kind": "invert"})
    ids = [s["id"] for s in origin["strands"] if s["name"] in ("Edge glow", "Scan bands")]
    body = {"document": origin, "strands": ids, "name": "Lantern edge", "id": "lantern-edge"}
    assert page.request.post(f"{server.address}/api/splices/cut", data=body).status == 201
    visit(page, server, second)
    page.get_by_role("button", name="its origin has changed: bring up to date").click()
    expect(page.get_by_text("up to date; 1 value of yours stayed")).to_be_visible()
    settled(page)
    now = {s["name"]: s for s in document(page, server, second)["strands"] if s["of"]}
    assert now["Edge glow"]["beads"][-1]["kind"] == "invert"
    assert now["Scan bands"]["beads"][-1]["params"][number] == kept + 0.5
    # It can be taken away and put back; its copies stay.
    dialog = open_all(page)
    own = dialog.locator("[data-splice=lantern-edge]")
    own.get_by_role("button", name="take away").click()
    expect(own).not_to_be_visible()
    dialog.get_by_role("button", name="put Lantern edge back").click()
    expect(own).to_be_visible()


def test_a_splice_with_a_beacon_is_ready_to_be_aimed_and_scaled_as_one(page: Page, server):
    hull = document(page, server, "verdigris-hull")
    chosen = [s["id"] for s in hull["strands"]]
    body = {"document": hull, "strands": chosen, "name": "Weather", "words": "a front that a beacon moves"}
    assert page.request.post(f"{server.address}/api/splices/cut", data=body).status == 201
    id = fresh(page, server, "soap-lantern")
    put_in(page, "Weather")
    expect(page.get_by_test_id("panel-stage")).to_be_visible()
    expect(page.get_by_test_id("handles").get_by_role("slider").first).to_be_visible()
    settled(page)
    before = document(page, server, id)
    place = before["beacons"][0]["position"]
    page.locator("body").press("1")
    more(page, "Weather", "Scale as one …")
    field = page.get_by_label("How many times as large Weather is made", exact=True)
    field.fill("2")
    field.press("Enter")
    page.get_by_role("button", name="scale it").click()
    expect(page.get_by_test_id("scale-as-one")).not_to_be_visible()
    settled(page)
    after = document(page, server, id)
    scaled = after["beacons"][0]["position"]
    assert scaled["amount"] == [2 * x for x in place["amount"]]
    assert after["strands"] != before["strands"]
