"""Signals: from a datagram to the changed picture, and a minute of a thousand messages a second."""

import subprocess
import time
from pathlib import Path

import numpy as np
from playwright.sync_api import Page
from pythonosc.udp_client import SimpleUDPClient

from bench.bake import served
from tests.browser.chromium import chromium

#: Looks at the picture's answer; messages a second, and for how long.
COUNT, RATE, SECONDS = 120, 1000, 60

#: When each picture was drawn, and where signals had the lever then.
WATCH = """() => {
  window.seen = [];
  window.whorlDrawn = (levers) => window.seen.push([performance.timeOrigin + performance.now(), levers.level]);
}"""


def main() -> None:
    """Prints both."""
    with served() as (port, _), chromium() as browser:
        page = browser.new_page(viewport={"width": 900, "height": 700})
        page.goto(f"http://127.0.0.1:{port}/effect/tide-gauge")
        page.get_by_test_id("play").wait_for()
        info = page.request.post(f"http://127.0.0.1:{port}/api/signals", data={"listening": True}).json()
        page.reload()
        page.get_by_test_id("play").wait_for()
        time.sleep(4)
        page.get_by_test_id("play").click()
        time.sleep(2)
        client = SimpleUDPClient("127.0.0.1", info["port"])
        _latency(page, client)
        _flood(page, client, _server(port))


def _latency(page: Page, client: SimpleUDPClient) -> None:
    page.evaluate(WATCH)
    # A display frame is what this machine needs for one: with a software GPU, far more than the screen does.
    for i in range(200):
        client.send_message("/whorl/tide-gauge/lever/level", 0.3 + 0.001 * (i % 100))
        time.sleep(1 / 60)
    frame = float(np.median(np.diff([at for at, _ in page.evaluate("window.seen")])))
    time.sleep(1)
    page.evaluate("window.seen.length = 0")
    rng, sent = np.random.default_rng(1), {}
    for i in range(COUNT):
        value = round(0.2 + 0.6 * i / COUNT, 5)
        client.send_message("/whorl/tide-gauge/lever/level", value)
        sent[value] = time.time() * 1e3
        time.sleep(0.1 + 0.05 * rng.random())
    seen = page.evaluate("window.seen")
    first: dict[float, float] = {}
    for at, level in seen:
        if level is not None:
            first.setdefault(round(level, 5), at)
    late = [first[v] - at for v, at in sent.items() if v in first]
    middle, worst = np.quantile(late, 0.5), np.quantile(late, 0.95)
    print(f"datagram to picture: {middle:.1f} ms, 95th percentile {worst:.1f} ms, of {len(late)}/{COUNT} values")
    print(f"  in frames of this machine, of {frame:.1f} ms: {middle / frame:.2f}, {worst / frame:.2f} (wanted: 2)")


def _flood(page: Page, client: SimpleUDPClient, pid: int) -> None:
    before, start, sent = _memory(pid), time.monotonic(), 0
    newest: dict[str, float] = {}
    while (passed := time.monotonic() - start) < SECONDS:
        while sent < passed * RATE:
            address = "/whorl/tide-gauge/lever/level" if sent % 8 == 0 else f"/flood/{sent % 8}"
            newest[address] = round((sent % 977) / 977, 5)
            client.send_message(address, newest[address])
            sent += 1
        time.sleep(0.001)
    time.sleep(0.5)
    level = page.evaluate("window.seen.at(-1)[1]")
    after = _memory(pid)
    wanted = newest["/whorl/tide-gauge/lever/level"]
    print(f"{sent} messages in {SECONDS} s: the newest is {'there' if abs(level - wanted) < 1e-5 else 'LOST'}")
    print(f"  server's memory {before:.0f} MiB before, {after:.0f} MiB after")


def _server(port: int) -> int:
    """The process that serves at a port."""
    found = subprocess.run(["pgrep", "-f", f"whorl.start demo .*--port {port} "], capture_output=True, text=True)
    return int(found.stdout.split()[0])


def _memory(pid: int) -> float:
    text = Path(f"/proc/{pid}/status").read_text()
    return int(next(line for line in text.splitlines() if line.startswith("VmRSS")).split()[1]) / 1024
