"""A sheet of sixty strands and three hundred beads in the browser: how it scrolls, and how soon a bead is selected."""

import json
import subprocess
import sys
import tempfile
import time
import urllib.request

import numpy as np

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
    """Prints the ms between frames while the sheet scrolls, and from a press to the bead's controls."""
    with tempfile.TemporaryDirectory() as folder, chromium() as browser:
        port = free_port()
        command = [sys.executable, "-m", "whorl.cli", "serve", "--port", str(port), "--data", folder]
        server = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        try:
            made = _add(port)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.goto(f"http://127.0.0.1:{port}/effect/{made}")
            page.wait_for_selector("[data-testid=strand-s59]")
            page.click("[data-testid=play]")
            time.sleep(20)
            times = np.array(page.evaluate(FRAMES)[5:])
            print(
                f"scrolling: median {np.median(times):5.1f} ms a frame, 95th percentile {np.percentile(times, 95):5.1f}"
            )
            pressed = []
            for i in range(20):
                start = time.perf_counter()
                page.locator(f"[data-testid=bead-s{i}-noise]").dispatch_event("click")
                page.wait_for_selector(f"[data-testid=bead-s{i}-noise][data-selected=true]")
                pressed.append((time.perf_counter() - start) * 1e3)
            report("selecting a bead", np.array(pressed))
        finally:
            server.terminate()
            server.wait()


def report(name: str, ms: np.ndarray) -> None:
    """The median and the 95th percentile."""
    print(f"{name}: median {np.median(ms):5.1f} ms, 95th percentile {np.percentile(ms, 95):5.1f} ms")


def _add(port: int) -> str:
    body = json.dumps({"document": sheet(60)}).encode()
    address = f"http://127.0.0.1:{port}/api/effects"
    for _ in range(100):
        try:
            asked = urllib.request.Request(address, data=body, headers={"Content-Type": "application/json"})
            return str(json.loads(urllib.request.urlopen(asked).read())["id"])
        except OSError:
            time.sleep(0.2)
    raise RuntimeError("the server did not start")
