"""A sheet of sixty strands and three hundred beads in the browser, beside one of eight and forty."""

import json
import os
import subprocess
import sys
import tempfile
import time
import urllib.request

import numpy as np
from playwright.sync_api import Browser

from bench.bake import free_port
from bench.compile import sheet
from tests.browser.chromium import chromium

FRAMES = """
() => new Promise((done) => {
  const sheet = document.querySelector("[data-testid=sheet]");
  const times = [];
  let before = performance.now();
  const tick = (now) => {
    times.push(now - before);
    before = now;
    sheet.scrollTop = (times.length * 40) % (sheet.scrollHeight - sheet.clientHeight);
    times.length < 90 ? requestAnimationFrame(tick) : done(times);
  };
  requestAnimationFrame(tick);
})
"""


def main() -> None:
    """Prints, for a sheet of 40 beads and one of 300, how soon it is up and drawn, the ms between frames while
    it plays and scrolls, and from a press on a bead to its controls."""
    medians = []
    for strands in (8, 60):
        with tempfile.TemporaryDirectory() as folder:
            # Programs that an earlier run compiled are not to be found.
            os.environ["MESA_SHADER_CACHE_DIR"] = folder
            try:
                with chromium() as browser:
                    medians.append(_measure(browser, folder, strands))
            finally:
                del os.environ["MESA_SHADER_CACHE_DIR"]
    print(f"scrolling 300 beads takes {medians[1] / medians[0]:.2f} × as long as 40")


def _measure(browser: Browser, folder: str, strands: int) -> float:
    port = free_port()
    command = [sys.executable, "-m", "whorl.start", "serve", "--port", str(port), "--data", folder]
    server = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    try:
        made = _add(port, strands)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        start = time.perf_counter()
        page.goto(f"http://127.0.0.1:{port}/effect/{made}")
        page.wait_for_selector(f"[data-testid=strand-s{strands - 1}]")
        up = time.perf_counter() - start
        while not page.evaluate("async () => (await window.whorlMeasure(64, 1)).length"):
            time.sleep(0.2)
        drawn = time.perf_counter() - start
        print(f"{strands * 5} beads: the sheet is up after {up:.1f} s, the picture after {drawn:.1f} s")
        times = np.array(page.evaluate(FRAMES)[5:])
        report("  a frame while it plays and scrolls", times)
        pressed = []
        for i in range(20):
            bead = f"[data-testid=bead-s{i % strands}-{'noise' if i < strands else 'tile'}]"
            start = time.perf_counter()
            page.locator(bead).dispatch_event("click")
            page.wait_for_selector(f"{bead}[data-selected=true]")
            pressed.append((time.perf_counter() - start) * 1e3)
        report("  selecting a bead", np.array(pressed))
        return float(np.median(times))
    finally:
        server.terminate()
        server.wait()


def report(name: str, ms: np.ndarray) -> None:
    """The median and the 95th percentile."""
    print(f"{name}: median {np.median(ms):5.1f} ms, 95th percentile {np.percentile(ms, 95):5.1f} ms")


def _add(port: int, strands: int) -> str:
    body = json.dumps({"document": sheet(strands)}).encode()
    address = f"http://127.0.0.1:{port}/api/effects"
    for _ in range(100):
        try:
            asked = urllib.request.Request(address, data=body, headers={"Content-Type": "application/json"})
            return str(json.loads(urllib.request.urlopen(asked).read())["id"])
        except OSError:
            time.sleep(0.2)
    raise RuntimeError("the server did not start")
