"""Signals from outside: they move the picture, are tied to levers, kept as keys, and told when they stop."""

import itertools
import re
import threading
import time
from contextlib import contextmanager

import pytest
from playwright.sync_api import Page, expect
from pythonosc.udp_client import SimpleUDPClient

from tests.browser.test_people import tab_to, violations
from tests.browser.test_studio import asks, differs, document, drawn, fresh, same, settled, stage, steady


@pytest.fixture
def osc(server):
    return SimpleUDPClient("127.0.0.1", server.signals)


def listening(page: Page):
    page.get_by_role("tab", name="Signals").click()
    panel = page.get_by_test_id("signals")
    take = panel.get_by_role("button", name="take signals", exact=True)
    stop = panel.get_by_role("button", name="stop taking signals")
    expect(take.or_(stop)).to_be_visible()
    if take.is_visible():
        take.click()
    expect(stop).to_be_visible()
    return panel


@contextmanager
def sending(osc, made):
    """Sends thirty messages a second, made from their number."""
    over = threading.Event()

    def send():
        for i in itertools.count():
            osc.send_message(*made(i))
            if over.wait(0.03):
                return

    sender = threading.Thread(target=send)
    sender.start()
    try:
        yield
    finally:
        over.set()
        sender.join()


@pytest.fixture(autouse=True)
def quiet(page, server):
    yield
    page.request.post(f"{server.address}/api/signals", data={"listening": False})


def named(page: Page, server, id: str) -> str:
    """What an effect is called in addresses."""
    return re.sub(r"[^a-z0-9]+", "-", document(page, server, id)["name"].lower())


def test_a_signal_moves_the_picture_and_nothing_is_asked_or_changed(page: Page, server, osc):
    id = fresh(page, server, "fog-gate")
    panel = listening(page)
    before, kept = steady(page), document(page, server, id)
    asked = asks(page)
    address = f"/whorl/{named(page, server, id)}/lever/opening"
    osc.send_message(address, 0.58)
    differs(page, before, 2.0)
    assert asked == []
    row = panel.locator(f"tr[data-address='{address}']")
    expect(row).to_contain_text("0.58")
    expect(row).to_contain_text("Opening")
    # The front says who has the lever.
    page.get_by_role("tab", name="Front").click()
    expect(page.get_by_test_id("had-opening")).to_contain_text("0.58")
    page.get_by_test_id("had-opening").get_by_role("button", name="from a signal").click()
    # Malformed datagrams are counted, and nothing else happens.
    osc._sock.sendto(b"nonsense", ("127.0.0.1", server.signals))
    expect(panel.get_by_test_id("counts")).to_contain_text("1 dropped")
    # Set aside, the effect is as it was, and the document was never touched.
    panel.get_by_label("this effect follows").uncheck()
    same(page, before, 0.3)
    settled(page)
    assert document(page, server, id) == kept


def test_an_address_is_tied_to_a_lever_and_a_turn_is_kept_as_keys(page: Page, server, osc):
    id = fresh(page, server, "tide-gauge")
    panel = listening(page)
    for _ in range(3):
        osc.send_message("/pier/wind", 0.7)
        time.sleep(0.1)
    panel.get_by_label("Tie /pier/wind to a lever").select_option(label="Strip")
    settled(page)
    tied = document(page, server, id)["ties"][-1]
    assert (tied["address"], tied["lever"], tied["low"], tied["high"]) == ("/pier/wind", "strip", 0.0, 1.0)
    with sending(osc, lambda i: ("/pier/wind", 0.5 + 0.4 * (i % 40) / 40)):
        panel.get_by_role("button", name="keep one turn").click()
        expect(panel.get_by_role("progressbar", name="Keeping one turn")).to_be_visible()
        expect(panel.get_by_test_id("kept")).to_contain_text(re.compile(r"Strip: \d+ keys, off by "))
    settled(page)
    value = next(x for x in document(page, server, id)["levers"] if x["id"] == "strip")["value"]
    heights = [k["value"] for k in value["keys"]]
    # 0.5 to 0.9 of its slider, 0.02 to 0.14.
    assert value["motion"] == "keys" and min(heights) >= 0.079 and max(heights) <= 0.129
    assert max(heights) - min(heights) > 0.03
    expect(panel.get_by_label("this effect follows")).not_to_be_checked()
    # One step takes it back.
    page.keyboard.press("Control+z")
    settled(page)
    assert document(page, server, id)["levers"] != [] and not isinstance(
        next(x for x in document(page, server, id)["levers"] if x["id"] == "strip")["value"], dict
    )


def test_what_strikes_is_seen_at_once(page: Page, server, osc):
    id = fresh(page, server, "buoy-ward")
    listening(page)
    before = steady(page)
    address = f"/whorl/{named(page, server, id)}/hit"
    with sending(osc, lambda i: (address, [0.1, 0.5, 0.86, 2.0])):
        deadline = time.monotonic() + 30
        while abs(stage(page) - before).mean() < 1.0:
            assert time.monotonic() < deadline, "nothing was struck"
    # It dies away, and then the ward is as it was.
    same(page, before, 0.3)


def test_the_night_is_played_by_keyboard_and_outlives_the_server(page: Page, server):
    fresh(page, server, "fog-gate")
    page.locator("body").press("6")
    panel = page.get_by_test_id("signals")
    tab_to(page, "play the ferry's night")
    page.keyboard.press("Enter")
    expect(panel.locator("tr[data-address='/ferry/tide']")).to_contain_text("tie it to")
    expect(panel.locator("tr[data-address='/ferry/gate']")).to_contain_text("Opening")
    panel.get_by_text("Addresses of this effect").click()
    told = panel.get_by_role("group").get_by_text(re.compile(r"/whorl/fog-gate.*/lever/opening"))
    expect(told).to_be_visible()
    assert violations(page) == []
    server.kill()
    expect(panel.get_by_role("alert")).to_contain_text("not answering")
    server.start()
    # Nobody listens after a start until somebody asks.
    expect(panel.get_by_role("button", name="take signals", exact=True)).to_be_visible()
    drawn(page)
