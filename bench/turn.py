"""What time costs: motion tables, rows for the hand, evening, hits beside noise."""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
from fastapi.testclient import TestClient

from whorl import demo
from whorl.api.app import create_app
from whorl.beads.catalogue import CATALOGUE
from whorl.effect import read
from whorl.effect.value import Flicker, Handle, Key, Keys, Pulse, Sway
from whorl.motion.values import Track
from whorl.plan.build import build
from whorl.plan.run.evaluate import evaluate
from whorl.plan.run.ranks import Ranks
from whorl.plan.run.samples import spread


def _best(work: Callable[[], object], count: int = 7) -> float:
    times = []
    for _ in range(count):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return min(times)


def main() -> None:
    """Prints all four."""
    _table()
    _rows()
    _even()
    _hits()


def _table() -> None:
    level = CATALOGUE["threshold"].param("level")
    assert level
    keys = tuple(Key(phase=i / 6, value=i % 3 / 2, ease="shaped", after=Handle(along=0.6, by=0.1)) for i in range(6))
    kinds = [
        Sway(motion="sway", amount=0.2, base=0.5, cycles=3.0),
        Pulse(motion="pulse", low=0.0, high=1.0, cycles=2.0),
        Flicker(motion="flicker", low=0.0, high=1.0, rate=40.0),
        Keys(motion="keys", keys=keys),
    ]
    tracks = [Track(kinds[i % 4], level) for i in range(64)]
    phases = np.arange(2880) / 2880
    took = _best(lambda: [t.rows(phases) for t in tracks])
    print(f"64 motions x 2,880 frames: {took * 1e3:.1f} ms ({took / 64 * 1e6:.0f} us a motion)")


def _rows() -> None:
    """New rows of one motion, as a dragged key asks for them, of a sheet of 40 beads with 30 motions."""
    sway = {"motion": "sway", "amount": 0.1, "base": 0.5}
    thresholds = [{"id": f"t{i}", "kind": "threshold", "params": {"level": sway}} for i in range(30)]
    plain = [{"id": f"c{i}", "kind": "contrast"} for i in range(8)]
    beads = [{"id": "uv", "kind": "uv"}, {"id": "noise", "kind": "noise"}, *plain, *thresholds]
    document = {"format": "whorl-effect", "version": 1, "name": "Many", "strands": []}
    document["strands"] = [{"id": "s", "name": "S", "beads": beads}]
    read(document)
    keys = {"motion": "keys", "keys": [{"phase": 0.1 * i, "value": 0.1 * i, "ease": "shaped"} for i in range(8)]}
    body = {"motion": keys, "place": "strands/s/t4/level", "bead": "threshold", "turn": {}}
    times = []
    with tempfile.TemporaryDirectory() as data, TestClient(create_app(Path(data)), "http://127.0.0.1") as client:
        for i in range(200):
            deed = {"kind": "pull", "names": ["key 3"], "phase": i / 1000, "value": 0.01}
            start = time.perf_counter()
            got = client.post("/api/rows", json={**body, "deed": deed})
            times.append(time.perf_counter() - start)
            assert got.status_code == 200, got.text
    print(
        f"rows of a dragged key: 95th percentile {np.quantile(times, 0.95) * 1e3:.1f} ms (client in the same process)"
    )


def _even() -> None:
    plan = build(demo.demo("moth-crate"))
    track = next(u.track for u in plan.uniforms if isinstance(u.track, Ranks))
    track.made()
    print(f"even, Moth Crate: {_best(track.made) * 1e3:.0f} ms")


def _hits() -> None:
    hits = [{"id": f"h{i}", "position": [0.1 * i - 0.8, 0.0, 0.0], "phase": i / 16} for i in range(16)]
    place = {"id": "o", "kind": "object"}
    struck = [{"id": "h", "kind": "hits"}]
    noise = [place, {"id": "n", "kind": "noise", "settings": {"octaves": 4, "dimensions": "3"}}]
    document = {"format": "whorl-effect", "version": 1, "name": "Struck", "hits": hits}
    document["strands"] = [{"id": "s", "name": "S", "beads": struck}, {"id": "t", "name": "T", "beads": noise}]
    plan = build(read(document))
    points, _ = spread(plan.effect.stage, 1 << 18)
    took = {
        at: _best(lambda at=at: evaluate(plan, plan.beads[at], points, 0.3, apart=True))  # type: ignore[misc]
        for at in ("s/h", "t/n")
    }
    print(f"16 hits to four octaves of noise: {took['s/h'] / took['t/n']:.2f}")
