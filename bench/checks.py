"""What checks cost: at each compile, all that look at pictures, and beside the live picture."""

import json
import statistics
import time

from playwright.sync_api import Page

from bench.bake import served
from tests.browser.chromium import chromium
from whorl import demo
from whorl.checks import LOOKS, looked, of_plan
from whorl.checks.looks import Looks
from whorl.effect import read
from whorl.plan.build import build

#: Frames of the live picture that are timed, in turns with and without.
FRAMES, ROUNDS = 80, 8
SAMPLE = """(count) => new Promise((done) => {
  const times = [];
  let last = performance.now();
  const tick = () => {
    const now = performance.now();
    times.push(now - last);
    last = now;
    times.length < count ? requestAnimationFrame(tick) : done(times);
  };
  requestAnimationFrame(tick);
})"""


def main() -> None:
    """Prints all three."""
    _structure()
    _live()
    _pictures()


def _structure() -> None:
    """What is found at each compile, for a sheet of 40 beads, some of which are at fault."""
    strands = [
        {
            "id": f"s{i}",
            "name": f"S{i}",
            "beads": [
                {"id": "uv", "kind": "uv"},
                {"id": "scroll", "kind": "scroll", "params": {"offset": {"motion": "drift", "cycles": [1.0, 0, 0]}}},
                {"id": "noise", "kind": "noise", "params": {"scale": 3.0}},
                {"id": "rim", "kind": "rim", "params": {"width": 0.0 if i % 3 == 0 else 0.1}},
                {"id": "ramp", "kind": "ramp"},
            ],
        }
        for i in range(8)
    ]
    document = {"format": "whorl-effect", "version": 1, "name": "Forty", "strands": strands}
    document["surface"] = {"channels": {"emission": [{"strand": f"s{i}"} for i in range(8)]}}
    plan = build(read(document))
    of_plan(plan)
    times = [_timed(lambda: of_plan(plan)) for _ in range(15)]
    print(f"structure checks over 40 beads: {min(times) * 1e3:.2f} ms (wanted: 5)")


def _pictures() -> None:
    """Each check that looks, over Fog Gate, and all of them over every demo effect."""
    plan = build(demo.demo("fog-gate"))
    list(looked(plan.effect, everywhere=False))
    whole = _timed(lambda: list(looked(plan.effect, everywhere=False)))
    print(f"all picture checks over Fog Gate: {whole:.2f} s (wanted: 6)")
    looks = Looks(plan)
    for c in LOOKS:
        print(f"  {c.__name__.split('.')[-1]:10} {_timed(lambda c=c: list(c.look(looks))):.2f} s")
    for slug in demo.slugs():
        effect, found = demo.demo(slug), []
        took = _timed(lambda e=effect, f=found: f.extend(looked(e)))
        told = [f"{f.kind} at {f.place} {f.when}".strip() for f in found if not f.aside]
        print(f"  {slug:15} everywhere {took:.1f} s: {'; '.join(told) or 'nothing found'}")


def _live() -> None:
    """Frames of the playing stage, with a look under way in the background and without, in turns."""
    with served() as (port, _), chromium() as browser:
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.route("**/api/checks/look", lambda route: route.abort())
        page.goto(f"http://127.0.0.1:{port}/effect/fog-gate")
        page.get_by_test_id("play").wait_for()
        time.sleep(6)
        own = json.dumps({"document": demo.demo("fog-gate").model_dump(mode="json"), "gently": True})
        without, beside = [], []
        for _ in range(ROUNDS):
            without += _frames(page)
            page.evaluate(
                """(body) => { window.ended = new AbortController();
                fetch("/api/checks/look?beside", {method: "POST", headers: {"Content-Type": "application/json"},
                  body, signal: window.ended.signal}).catch(() => 0); }""",
                own,
            )
            time.sleep(1.0)
            beside += _frames(page)
            page.evaluate("window.ended.abort()")
            time.sleep(1.5)
        a, b = statistics.mean(without), statistics.mean(beside)
        print(f"a frame of the live picture: {a:.1f} ms alone, {b:.1f} ms beside a look: {b / a:.3f} x (wanted: 1.05)")


def _frames(page: Page) -> list[float]:
    found: list[float] = page.evaluate(SAMPLE, FRAMES)
    return found


def _timed(work) -> float:  # type: ignore[no-untyped-def]
    start = time.perf_counter()
    work()
    return time.perf_counter() - start
