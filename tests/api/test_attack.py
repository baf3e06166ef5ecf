"""What hostile or unlucky requests meet: words and a status of the contract, never a trace, never a hang."""

import errno
import http.client
import io
import json
import os
import signal
import socket
import struct
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
import zipfile

import numpy as np
import pytest
import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from schemathesis.specs.openapi.checks import positive_data_acceptance

from tests.api.schema import schema
from tests.documents import bead, data, mist, strand
from tests.images.pictures import encoded, lanterns
from whorl.api import checking
from whorl.api.app import create_app
from whorl.bundle import ASSETS, DOCUMENT
from whorl.images import Library
from whorl.images.solid import BadSolid, read_solid

LIT = data(mist(), surface={"channels": {"emission": [{"strand": "mist"}]}})


@pytest.fixture(scope="module")
def app(tmp_path_factory):
    return create_app(tmp_path_factory.mktemp("attacked"), hosts=("testserver",))


@pytest.fixture(scope="module")
def client(app):
    with TestClient(app, "http://127.0.0.1", raise_server_exceptions=False) as c:
        assert c.post("/api/effects", json={"document": {**LIT, "name": "Fog"}}).json()["id"] == "fog"
        yield c


# --- every operation, by its schema ------------------------------------------------------------


@pytest.fixture(scope="module")
def api_schema(tmp_path_factory):
    app = create_app(tmp_path_factory.mktemp("schema"), hosts=("testserver",))
    app.openapi_schema = schema()
    return schemathesis.openapi.from_asgi("/openapi.json", app)


OPERATIONS = [
    (method, path)
    for path, item in schema()["paths"].items()
    for method in item
    if not path.endswith("/events")  # which has no end of its own
]


@pytest.mark.parametrize(("method", "path"), OPERATIONS)
def test_every_answer_is_one_that_the_schema_knows(api_schema, method, path, monkeypatch):
    # Gently it would take a dozen times as long.
    monkeypatch.setattr(checking, "RESTS", 0.0)

    @given(case=api_schema[path][method].as_strategy())
    @settings(max_examples=6, deadline=None, suppress_health_check=list(HealthCheck), derandomize=True)
    def answered(case):
        # That a document's references lead somewhere is more than its schema tells.
        case.call_and_validate(excluded_checks=[positive_data_acceptance])

    answered()


# --- what fell before --------------------------------------------------------------------------


def document(**change):
    return {**LIT, **change}


@pytest.mark.parametrize(
    ("method", "path", "status"),
    [
        ("GET", "/api/effects/fog/revisions/99999999999999999999", 422),
        ("GET", "/api/effects/fog/revisions/0", 422),
        ("GET", "/%00", 404),
        ("GET", "/api/effects/a%00b", 404),
        ("GET", "/" + "long/" * 2000, 404),
        ("GET", "/api/nothing", 404),
        ("DELETE", "/api/effects", 405),
        ("PATCH", "/api/effects/fog", 405),
    ],
)
def test_addresses_that_lead_nowhere(client, method, path, status):
    got = client.request(method, path)
    assert got.status_code == status and got.json()["words"]


def test_head_answers_as_get_does_without_a_body(client):
    got, bare = client.get("/api/effects"), client.head("/api/effects")
    assert bare.status_code == 200 and bare.content == b""
    assert bare.headers["content-length"] == str(len(got.content))


def test_a_length_that_is_no_number_is_refused(client):
    for length in ("many", "-1", "9" * 40):
        got = client.post("/api/effects", content=b"{}", headers={"Content-Length": length})
        assert got.status_code in (400, 413)


@pytest.mark.parametrize("text", ["\ud800", "a\udfffb"])
def test_half_a_character_is_refused_wherever_a_text_is_taken(client, text):
    bare = json.dumps(text)
    noted, named = (json.dumps(document(**{field: "@@"})).replace('"@@"', bare) for field in ("notes", "name"))
    for path, body in (
        ("/api/effects", f'{{"name": {bare}}}'),
        ("/api/effects", f'{{"document": {noted}}}'),
        ("/api/effects", f'{{"document": {named}}}'),
    ):
        got = client.post(path, content=body, headers={"Content-Type": "application/json"})
        assert got.status_code == 422, path
        assert "half a character" in got.json()["words"]
    headers = {"Content-Type": "application/json"}
    told = client.post("/api/compile", content=f'{{"document": {noted}}}', headers=headers).json()["problems"]
    assert [p["place"] for p in told] == ["notes"] and "half a character" in told[0]["words"]
    got = client.put("/api/effects/fog/tags", content=f'{{"tags": [{bare}]}}')
    assert got.status_code == 422


@pytest.mark.parametrize(
    "motion",
    [
        {"motion": "sway", "amount": 0.1, "start": 1e308},
        {"motion": "sway", "amount": 0.1, "cycles": -1e308},
        {"motion": "sway", "amount": 1e308, "base": 1e308},
        {"motion": "drift", "cycles": 1e308, "base": 1e308},
        {"motion": "keys", "keys": [{"phase": 0, "value": 1e308}, {"phase": 0.5, "value": -1e308}]},
    ],
)
def test_a_motion_that_cannot_be_drawn_is_told_and_nothing_stumbles(client, motion):
    wild = data(strand("a", bead("uv"), bead("noise", scale=motion)))
    made = client.post("/api/compile", json={"document": wild})
    told = made.json().get("problems") or []
    assert made.status_code in (200, 422) and any(p["place"].startswith("strands/a/noise/scale") for p in told)


def test_a_text_is_no_number_and_a_number_no_switch(client):
    for change, place in (
        ({"turn": {"seconds": "4"}}, "turn/seconds"),
        ({"turn": {"fps": "24"}}, "turn/fps"),
        ({"turn": {"fps": True}}, "turn/fps"),
        ({"strands": [{**mist(), "muted": 1}]}, "strands/mist/muted"),
    ):
        got = client.post("/api/effects", json={"document": document(surface={}, **change)})
        assert got.status_code == 422 and got.json()["problems"][0]["place"] == place
    assert client.put("/api/effects/fog", json={"base": "1", "document": LIT}).status_code == 422
    assert client.put("/api/effects/fog", json={"base": 1, "document": LIT, "more": 1}).status_code == 422


def test_no_more_than_a_hundred_problems_are_told(client):
    wrong = [strand(f"s{k}", bead("uv"), bead("noise", scale=1e9)) for k in range(150)]
    got = client.post("/api/compile", json={"document": data(*wrong)})
    assert len(got.json()["problems"]) == 100


def test_moments_have_their_zone(client):
    got = client.get("/api/effects").json()[0]
    assert got["changed"].endswith("Z") and got["created"].endswith("Z")
    assert client.get("/api/effects/fog/revisions").json()[0]["saved"].endswith("Z")


def test_a_mesh_where_a_picture_is_wanted_and_the_reverse_are_told(client):
    solid = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"
    mesh = client.post("/api/meshes", content=solid).json()["hash"]
    picture = client.post("/api/assets", content=encoded(lanterns())).json()["hash"]
    assert client.get(f"/api/assets/{mesh}/levels").status_code == 422
    assert client.get(f"/api/assets/{mesh}/small.png").status_code == 422
    asset = {"id": "a", "name": "a.png", "hash": mesh, "width": 2, "height": 2}
    image = strand("s", bead("uv"), bead("image", settings={"picture": "a"}))
    wrong = data(image, assets=[asset], surface={"channels": {"emission": [{"strand": "s"}]}})
    got = client.post("/api/frame.png", json={"document": wrong, "size": 16, "phase": 0})
    assert got.status_code == 422 and "picture" in got.json()["words"]
    stage = {"shape": "mesh", "mesh": {"name": "m.obj", "hash": picture}}
    assert client.post("/api/compile", json={"document": document(stage=stage)}).status_code in (200, 422)
    got = client.post("/api/frame.png", json={"document": document(stage=stage), "size": 16, "phase": 0})
    assert got.status_code == 422 and "mesh" in got.json()["words"]


def test_a_full_disk_is_told_where_a_file_is_brought_in(client, monkeypatch):
    def full(self, data):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(Library, "keep", full)
    got = client.post("/api/assets", content=encoded(lanterns(5, 3)))
    assert got.status_code == 503 and got.json()["words"] == "the disk is full; nothing was changed"


def test_a_picture_that_many_name_is_read_once_and_their_sum_is_bounded(client, monkeypatch):
    from whorl import bundle

    file = encoded(lanterns(512, 512))
    digest = Library().keep(file)
    assets = [{"id": f"a{k}", "name": f"{k}.png", "hash": digest, "width": 512, "height": 512} for k in range(64)]
    read = []
    monkeypatch.setattr(bundle, "decode", lambda data: read.append(1) or Image_of(512, 512))
    Image_of = lambda w, h: bundle.Decoded(np.zeros((h, w, 4), np.uint8), "colour", True)  # noqa: E731
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as z:
        z.writestr(DOCUMENT, json.dumps(document(assets=assets)))
        z.writestr(ASSETS + digest, file)
    assert len(bundle.read_file(packed.getvalue(), Library()).assets) == 64 and len(read) == 1
    monkeypatch.setattr(bundle, "MOST_PIXELS", 1000)
    with pytest.raises(bundle.BadEffect, match="megapixels"):
        bundle.read_file(packed.getvalue(), Library())


def glb(tree, binary=b""):
    text = json.dumps(tree).encode()
    text += b" " * (-len(text) % 4)
    body = struct.pack("<II", len(text), 0x4E4F534A) + text
    body += struct.pack("<II", len(binary), 0x004E4942) + binary if binary else b""
    return struct.pack("<4sII", b"glTF", 2, 12 + len(body)) + body


def instanced(nodes, count=3):
    places = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes()
    return glb(
        {
            "asset": {"version": "2.0"},
            "buffers": [{"byteLength": len(places)}],
            "bufferViews": [{"buffer": 0, "byteLength": len(places)}],
            "accessors": [{"bufferView": 0, "componentType": 5126, "count": count, "type": "VEC3"}],
            "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
            "nodes": nodes,
            "scenes": [{"nodes": [0]}],
            "scene": 0,
        },
        places,
    )


@pytest.mark.parametrize(
    ("file", "words"),
    [
        (instanced([{"children": list(range(1, 5001))}, *[{"mesh": 0}] * 5000]), "nodes"),
        (instanced([{"mesh": 0, "children": [0]}]), "nodes"),
        (instanced([{"mesh": 0, "children": [1]}, {"mesh": 0}], count=10**7), "triangles"),
        (instanced([{"mesh": 7}]), "not a mesh"),
        (glb({"scenes": [{"nodes": [3]}]}), "not a mesh"),
        (b"glTF" + b"\xff" * 40, "not a mesh"),
    ],
)
def test_a_scene_of_too_many_is_refused_before_it_is_put_together(file, words):
    begun = time.process_time()
    with pytest.raises(BadSolid, match=words):
        read_solid(file)
    assert time.process_time() - begun < 2


def test_a_scene_of_a_few_is_read():
    made = read_solid(instanced([{"mesh": 0, "children": [1]}, {"mesh": 0, "translation": [0, 0, 2]}]))
    assert len(made.triangles) == 2


MEASURED = """
import io, re
import numpy as np
from PIL import Image
from whorl.images.decode import decode
from whorl.images.sheet import sheet_of
made = io.BytesIO()
Image.fromarray(np.zeros((4096, 8192, 3), np.uint8)).save(made, "PNG", compress_level=1)
sheet = sheet_of(decode(made.getvalue()), True)
assert sheet.size[:2] == (4096, 2048)
# Of this process alone: what resource tells begins with the most that the process had which began this one.
print(int(re.search(r"VmHWM:\\s*(\\d+) kB", open("/proc/self/status").read())[1]) // 1024)
"""


def test_the_largest_picture_that_is_taken_needs_less_than_a_gigabyte():
    done = subprocess.run([sys.executable, "-c", MEASURED], capture_output=True, text=True, check=True)
    assert int(done.stdout) < 1024


# --- a server of its own -----------------------------------------------------------------------


def free_port():
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


@pytest.fixture
def running(tmp_path):
    """A real server on a data folder: its address and its process."""
    port = free_port()
    command = [sys.executable, "-m", "whorl.start", "serve", "--port", str(port), "--data", str(tmp_path)]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    address = f"http://127.0.0.1:{port}"
    deadline = time.monotonic() + 60
    while True:
        try:
            urllib.request.urlopen(f"{address}/api/effects", timeout=1).read()
            break
        except (urllib.error.URLError, OSError):
            assert process.poll() is None and time.monotonic() < deadline, process.stderr.read()
            time.sleep(0.1)
    yield address, process
    process.kill()
    process.wait()


def sent(address, path, body):
    request = urllib.request.Request(
        address + path, json.dumps(body).encode(), {"Content-Type": "application/json"}, method="POST"
    )
    return json.loads(urllib.request.urlopen(request, timeout=30).read())


def test_many_who_watch_a_bake_hold_up_nobody_and_a_stop_is_a_stop(running):
    address, process = running
    long = {**LIT, "turn": {"seconds": 120, "fps": 60}}
    sent(address, "/api/effects", {"document": {**long, "name": "Long"}})
    asked = {"effect": "long", "options": {"width": 512, "height": 512}}
    jobs = [sent(address, "/api/bakes", asked)["id"] for _ in range(2)]
    watching = [urllib.request.urlopen(f"{address}/api/bakes/{jobs[1]}/events", timeout=30) for _ in range(60)]
    begun = time.monotonic()
    for _ in range(5):
        assert json.loads(urllib.request.urlopen(f"{address}/api/effects", timeout=5).read())
    assert time.monotonic() - begun < 5
    drained = threading.Thread(target=lambda: [w.read() for w in watching], daemon=True)
    drained.start()
    process.send_signal(signal.SIGTERM)
    assert process.wait(timeout=20) is not None


def test_a_line_that_rests_is_kept(running):
    address, _ = running
    line = http.client.HTTPConnection(address.removeprefix("http://"), timeout=30)
    line.request("GET", "/api/effects")
    line.getresponse().read()
    kept = line.sock
    time.sleep(6)
    line.request("GET", "/api/effects")
    assert line.getresponse().status == 200 and line.sock is kept


def test_a_second_server_on_the_same_data_is_refused_in_words(running, tmp_path):
    command = [sys.executable, "-m", "whorl.start", "serve", "--port", str(free_port()), "--data", str(tmp_path)]
    done = subprocess.run(command, capture_output=True, text=True, timeout=60, env={**os.environ, "COLUMNS": "300"})
    assert done.returncode == 2 and "another Whorl works on" in done.stderr and "Traceback" not in done.stderr
