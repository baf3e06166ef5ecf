"""The API's schema as the application serves it, made once for all processes of a run: it takes seconds."""

import json
import os
import tempfile
from functools import cache
from pathlib import Path
from typing import Any

from fastapi.testclient import TestClient

from whorl.api.app import create_app

KEPT = Path(__file__).parents[2] / "build" / "served.json"


@cache
def schema() -> dict[str, Any]:
    """`/openapi.json`. It is asked for by whoever collects, which one process does after the other."""
    run = os.environ.get("PYTEST_XDIST_TESTRUNUID")
    kept = json.loads(KEPT.read_text(encoding="utf-8")) if run and KEPT.exists() else {}
    if run is None or kept.get("run") != run:
        kept = {"run": run, "schema": _served()}
        KEPT.parent.mkdir(exist_ok=True)
        new = KEPT.with_suffix(".new")
        new.write_text(json.dumps(kept), encoding="utf-8")
        new.replace(KEPT)
    return kept["schema"]


def _served() -> dict[str, Any]:
    with tempfile.TemporaryDirectory() as data:
        app = create_app(Path(data), hosts=("testserver",))
        return TestClient(app).get("/openapi.json").json()
