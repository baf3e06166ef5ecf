"""From a changed document to its program: over HTTP as the browser does it, on a sheet of 40 beads."""

import tempfile
import time
from pathlib import Path

import numpy as np
from fastapi.testclient import TestClient

from whorl.api.app import create_app


def sheet(strands: int) -> dict[str, object]:
    """A document of five beads a strand."""
    made = []
    for i in range(strands):
        beads: list[dict[str, object]] = [
            {"id": "uv", "kind": "uv"},
            {"id": "tile", "kind": "tile"},
            {"id": "scroll", "kind": "scroll", "params": {"offset": {"motion": "drift", "cycles": [1, 0]}}},
            {"id": "noise", "kind": "noise", "settings": {"octaves": 1 + i % 6}},
            {"id": "cut", "kind": "threshold"},
        ]
        if i:
            top = {"strand": f"s{i - 1}"}
            beads[4] = {"id": "blend", "kind": "blend", "settings": {"mode": "screen"}, "params": {"top": top}}
        made.append({"id": f"s{i}", "name": f"Strand {i}", "beads": beads})
    channels = {"emission": [{"strand": f"s{strands - 1}"}]}
    return {"format": "whorl-effect", "version": 1, "name": "Bench", "strands": made, "surface": {"channels": channels}}


def main() -> None:
    """Prints the median and the 95th percentile of adding a bead."""
    with tempfile.TemporaryDirectory() as folder, TestClient(create_app(Path(folder)), "http://127.0.0.1") as client:
        for strands in (8, 60):
            document = sheet(strands)
            client.post("/api/compile", json={"document": document})
            times = []
            last = document["strands"][-1]["beads"]  # type: ignore[index]
            for i in range(60):
                kind = ["invert", "power", "rim", "remap"][i % 4]
                beads = [*last, {"id": "more", "kind": kind}]
                changed = {
                    **document,
                    "strands": [*document["strands"][:-1], {**document["strands"][-1], "beads": beads}],
                }  # type: ignore[index,misc]
                start = time.perf_counter()
                answer = client.post("/api/compile", json={"document": changed}).json()
                times.append((time.perf_counter() - start) * 1e3)
                assert answer["program"], answer["problems"]
            ms = np.array(times)
            median, most = np.median(ms), np.percentile(ms, 95)
            wanted = "   (wanted: under 100)" if strands == 8 else ""
            print(f"{strands * 5:4} beads: median {median:6.1f} ms, 95th percentile {most:6.1f} ms{wanted}")
