"""A bake on the CPU against the same frames of the same program in headless Chromium."""

import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np

from tests.browser.chromium import chromium, has_mesa
from whorl import demo
from whorl.bake.bake import bake
from whorl.bake.options import BakeOptions

SIZE = 512


def main() -> None:
    """Prints frames a second of both, and their ratio, for each demo effect."""
    with served() as (port, folder):
        for slug in demo.slugs():
            one(slug, port, folder)


@contextmanager
def served() -> Iterator[tuple[int, Path]]:
    """A server with the demo effects: its port, and a folder that goes with it."""
    with tempfile.TemporaryDirectory() as folder:
        port = free_port()
        command = [sys.executable, "-m", "whorl.start", "demo", "--no-open", "--port", str(port), "--data", folder]
        server = subprocess.Popen(command, stdout=subprocess.DEVNULL)
        try:
            _answers(port)
            yield port, Path(folder)
        finally:
            server.terminate()
            server.wait()


def _answers(port: int) -> None:
    """Waits until a server listens; its demo effects are there from then on."""
    for _ in range(300):
        try:
            socket.create_connection(("127.0.0.1", port), 1).close()
            return
        except OSError:
            time.sleep(0.2)
    raise SystemExit("The server did not start.")


def one(slug: str, port: int, folder: Path) -> None:
    """Both speeds for one demo effect."""
    effect = demo.demo(slug)
    # Kernels are compiled once for a machine and then loaded; the bake that counts begins after that.
    bake(effect, folder / "warm" / slug, BakeOptions(width=SIZE, height=SIZE, last=2))
    frames = min(96, effect.turn.frames)
    start = time.perf_counter()
    bake(effect, folder / slug, BakeOptions(width=SIZE, height=SIZE, last=frames))
    cpu = frames / (time.perf_counter() - start)
    gpu = 1000 / float(np.median(browser(slug, port)))
    name = "llvmpipe" if has_mesa() else "SwiftShader"
    wanted = "   (wanted: at least 3)" if slug == "fog-gate" else ""
    ours, theirs = f"bake to PNG {cpu:6.1f} frames/s", f"Chromium ({name}) {gpu:6.1f} frames/s"
    print(f"{slug:12} {ours}   {theirs}   {cpu / gpu:5.2f} ×{wanted}")


def browser(slug: str, port: int, frames: int = 24) -> list[float]:
    """Ms of each frame in the studio's own painter, drawn and read back."""
    with chromium() as b:
        page = b.new_page(viewport={"width": 640, "height": 480})
        # The page draws nothing of its own meanwhile.
        page.add_init_script("window.whorlQuiet = true")
        page.goto(f"http://127.0.0.1:{port}/effect/{slug}")
        deadline = time.monotonic() + 120
        while time.monotonic() < deadline:
            if times := page.evaluate("window.whorlMeasure?.(64, 2)"):
                break
            time.sleep(0.5)
        times = page.evaluate(f"whorlMeasure({SIZE}, {frames})")
        return list(times[4:])


def free_port() -> int:
    """A port nobody listens on."""
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])
