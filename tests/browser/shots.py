"""The pictures in docs/screenshots, made anew from the demo effects: `./run shots`, or `./run shots light` for one."""

import re
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, expect

from tests.browser.chromium import chromium
from tests.browser.conftest import Server

#: A small picture in sight that is not there yet, or not of now.
WAITING = "canvas.small[data-near]:is([data-waiting], [data-stale])"
FOLDER = Path(__file__).parents[2] / "docs" / "screenshots"


def opened(page: Page, server: Server, slug: str, phase: float, tab: str = "Bead") -> None:
    """An effect opened, paused at a phase, with every small picture drawn, and one of its panels shown."""
    page.goto(f"{server.address}/effect/{slug}")
    page.get_by_test_id("play").wait_for()
    time.sleep(4)
    page.get_by_test_id("play").click()
    frame = page.get_by_label("Frame", exact=True)
    frame.fill(str(round(phase * 96)))
    frame.press("Enter")
    time.sleep(6)
    if tab != "Bead":
        page.get_by_role("tab", name=tab).click()


def fog_gate(page: Page, server: Server, tab: str = "Bead") -> None:
    opened(page, server, "fog-gate", 0.3, tab)


def busy(page: Page, server: Server) -> str:
    """Fog Gate with a motion of every kind on one strand."""
    given = page.request.get(f"{server.address}/api/effects/fog-gate").json()["document"]
    _, _, _, tile, scroll, noise = given["strands"][1]["beads"]
    keys = [(0.0, 4.0, "shaped"), (0.3, 6.5, "shaped"), (0.62, 3.2, "eased"), (0.8, 5.0, "eased")]
    noise["params"] |= {
        "scale": {"motion": "keys", "keys": [{"phase": p, "value": v, "ease": e} for p, v, e in keys]},
        "gain": {"motion": "pulse", "low": 0.45, "high": 0.62, "cycles": 3.0},
        "steps": 2.0,
    }
    tile["params"]["count"] = {"motion": "sway", "base": [3.0, 2.0, 1.0], "amount": [0.0, 0.2, 0.0], "cycles": 5.0}
    scroll["params"]["span"] = {"motion": "flicker", "low": 1.9, "high": 2.1, "rate": 24.0}
    made = page.request.post(f"{server.address}/api/effects", data={"name": "Fog Gate, alive", "document": given})
    return str(made.json()["id"])


def both(page: Page, server: Server) -> str:
    """Soap Lantern that turns into Verdigris Hull."""
    given = page.request.get(f"{server.address}/api/effects/soap-lantern").json()["document"]
    taken = page.request.post(f"{server.address}/api/second/take", data={"document": given, "effect": "verdigris-hull"})
    body = {"name": "Soap Lantern into Verdigris Hull", "document": taken.json()["document"]}
    return str(page.request.post(f"{server.address}/api/effects", data=body).json()["id"])


def shelf(page: Page, server: Server) -> None:
    page.goto(server.address)
    time.sleep(30)


def begin(page: Page, server: Server) -> None:
    page.goto(server.address)
    page.get_by_test_id("new-effect").click()
    time.sleep(30)


def studio(page: Page, server: Server) -> None:
    opened(page, server, "cold-store", 0.2)


def ring(page: Page, server: Server) -> None:
    opened(page, server, busy(page, server), 0.31)
    page.get_by_test_id("bead-mist-turn").click()
    time.sleep(3)


def unrolled(page: Page, server: Server) -> None:
    opened(page, server, "tide-bell", 0.3)
    page.get_by_test_id("bead-line-cut").click()
    page.get_by_test_id("unroll").click()
    page.get_by_role("slider", name="level of threshold in Water, key 2 of 2, unrolled").click()
    time.sleep(6)


def hits(page: Page, server: Server) -> None:
    opened(page, server, "buoy-ward", 0.52)
    page.get_by_test_id("bead-strikes-hits").click()
    time.sleep(4)


def finder(page: Page, server: Server) -> None:
    fog_gate(page, server)
    page.get_by_test_id("bead-mist-noise").click()
    page.keyboard.press("n")
    time.sleep(2)


def shaping(page: Page, server: Server, bead: str = "gate-cut") -> None:
    fog_gate(page, server)
    page.get_by_test_id(f"bead-{bead}").click()
    time.sleep(14)


def modes(page: Page, server: Server) -> None:
    shaping(page, server, "veil-inner")


def shapes(page: Page, server: Server) -> None:
    fog_gate(page, server, "Stage")
    page.get_by_role("button", name="try on many shapes").click()
    time.sleep(12)


def front(page: Page, server: Server) -> None:
    fog_gate(page, server, "Front")
    page.get_by_role("button", name="try the front").click()
    time.sleep(12)


def signals(page: Page, server: Server) -> None:
    fog_gate(page, server, "Signals")
    page.get_by_role("button", name="play the ferry's night").click()
    time.sleep(11)


def splices(page: Page, server: Server) -> None:
    fog_gate(page, server)
    page.get_by_test_id("add-splice").click()
    time.sleep(30)


def bake(page: Page, server: Server) -> None:
    """A small sheet half way."""
    fog_gate(page, server)
    page.get_by_test_id("bake-button").click()
    for side, pixels in (("width", "320"), ("height", "256")):
        page.get_by_label(f"bake {side}").fill(pixels)
        page.get_by_label(f"bake {side}").press("Enter")
    time.sleep(6)
    page.get_by_test_id("start-bake").click()
    page.get_by_text(re.compile(r"[2-8]\d of 96 frames")).first.wait_for(timeout=60000)


def surface(page: Page, server: Server) -> None:
    opened(page, server, both(page, server), 0.5, "Surface")
    page.get_by_test_id("second").scroll_into_view_if_needed()
    time.sleep(20)


def place(page: Page, server: Server) -> None:
    opened(page, server, "verdigris-hull", 0.52, "Stage")
    page.get_by_test_id("beacons").scroll_into_view_if_needed()
    time.sleep(3)


def light(page: Page, server: Server) -> None:
    opened(page, server, "rain-planks", 0.3, "Stage")
    time.sleep(5)


def checks(page: Page, server: Server) -> None:
    """Signal Lamp, far too bright: a finding that is shown on the stage, and its mend being tried."""
    given = page.request.get(f"{server.address}/api/effects/signal-lamp").json()["document"]
    given["stage"]["exposure"] = 4.5
    made = page.request.post(
        f"{server.address}/api/effects", data={"name": "Signal Lamp, too bright", "document": given}
    )
    opened(page, server, str(made.json()["id"]), 0.3, "Checks")
    page.locator('[data-testid="looked"][data-done="true"]').wait_for(timeout=120000)
    page.get_by_role("button", name="Show on the stage").first.click()
    page.get_by_role("button", name="try: ").first.click()
    time.sleep(8)


def studio_large(page: Page, server: Server) -> None:
    page.set_viewport_size({"width": 1920, "height": 1080})
    opened(page, server, "moth-crate", 0.22)
    page.get_by_test_id("bead-heat-ramp").click()
    time.sleep(5)


#: Every view by the name of its picture, each from an opening of its own.
VIEWS: dict[str, Callable[[Page, Server], None]] = {
    view.__name__.replace("_", "-"): view
    for view in (
        *(shelf, begin, studio, ring, unrolled, hits, finder, shaping, modes, shapes, front, signals, splices, bake),
        *(surface, place, light, checks, studio_large),
    )
}


def main() -> None:
    """Writes the views named on the command line, or all."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    wanted = sys.argv[1:] or list(VIEWS)
    if unknown := set(wanted) - set(VIEWS):
        sys.exit(f"no such view: {', '.join(sorted(unknown))}; there are {', '.join(VIEWS)}")
    with tempfile.TemporaryDirectory() as data, chromium() as browser:
        server = Server(Path(data))
        server.start()
        try:
            for name in wanted:
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                VIEWS[name](page, server)
                expect(page.locator(WAITING)).to_have_count(0, timeout=120000)
                page.screenshot(path=FOLDER / f"{name}.png")
                page.close()
                print(f"docs/screenshots/{name}.png")
        finally:
            server.kill()


if __name__ == "__main__":
    main()
