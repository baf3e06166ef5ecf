"""What every server of the browser's tests would make anew, made before they are forked: the application's routes, its
shelf, the kernels and packages of a first effect."""

import importlib
import tempfile
from pathlib import Path

from fastapi.testclient import TestClient

from whorl import demo
from whorl.api.app import create_app

# What serves it is chosen, and imported, by name.
for name in ("lifespan.on", "loops.auto", "protocols.http.auto", "protocols.websockets.auto"):
    importlib.import_module(f"uvicorn.{name}")

with tempfile.TemporaryDirectory() as data:
    # Without what begins with a server: no thread must live when it is forked.
    client = TestClient(create_app(Path(data), demo_effects=True), "http://127.0.0.1")
    document = demo.demo("fog-gate").model_dump(mode="json")
    for answer in (client.post("/api/compile", json={"document": document}), client.get("/api/effects")):
        assert answer.status_code == 200, answer.text
