"""Handing over through the API: forms made at once, what becomes of an effect in each, estimates."""

import io
import zipfile

import pytest
from fastapi.testclient import TestClient
from PIL import Image

from whorl import demo
from whorl.api.app import create_app
from whorl.bake.handed import HANDED, RECEIVERS, estimate
from whorl.bake.options import BakeOptions


@pytest.fixture(scope="module")
def client(tmp_path_factory):
    with TestClient(create_app(tmp_path_factory.mktemp("data"), demo_effects=True), base_url="http://127.0.0.1") as c:
        yield c


def test_every_form_that_is_made_at_once_is_a_zip_of_what_it_names(client):
    wanted = {
        "maps": {"fog-gate-emission.png", "fog-gate-opacity.png", "fog-gate-maps.json"},
        "code": {"fog-gate.wgsl", "fog-gate-parameters.json", "README.md"},
        "page": {"fog-gate.html"},
        "glb": {"fog-gate.glb", "fog-gate-glb.md"},
        "mtlx": {"fog-gate.mtlx", "fog-gate-mtlx.md"},
        "usd": {"fog-gate.usdc", "fog-gate.mtlx", "fog-gate-usd.md"},
    }
    assert set(wanted) == {h.key for h in HANDED.values() if h.write}
    for form, names in wanted.items():
        got = client.get(f"/api/effects/fog-gate/handed/{form}.zip?size=32&frames=2&language=wgsl")
        assert got.status_code == 200, got.text
        found = set(zipfile.ZipFile(io.BytesIO(got.content)).namelist())
        assert names <= found, (form, found)


def test_what_is_asked_for_wrongly_is_told(client):
    for path in (
        "handed/pictures.zip",
        "handed/obj.zip",
        "handed/maps.zip?size=5",
        "handed/glb.zip?size=2048&frames=64",
        "handed/code.zip?language=basic",
        "code.txt?language=basic",
        "map.png?channel=fog",
    ):
        got = client.get(f"/api/effects/fog-gate/{path}")
        assert got.status_code == 422 and "words" in got.json(), path
    assert client.get("/api/effects/none/handed").status_code == 404


def test_each_form_says_what_becomes_of_an_effect(client):
    told = client.get("/api/effects/soap-lantern/handed").json()
    assert set(told) == set(HANDED)
    assert all(one["carried"] for one in told.values())
    assert "milk" in " ".join(told["glb"]["lost"])
    forms = {h.key for h in HANDED.values()}
    for receiver in RECEIVERS:
        assert set(receiver.forms) <= forms
        BakeOptions.model_validate({**receiver.bake, "stills": receiver.bake["stills"] or ["png"]})


def test_a_page_is_shown_apart_and_saved_as_a_file(client):
    shown = client.get("/api/effects/fog-gate/page.html?shown=true")
    assert "sandbox allow-scripts;" in shown.headers["content-security-policy"]
    assert "frame-ancestors 'self'" in shown.headers["content-security-policy"]
    assert "content-disposition" not in shown.headers
    saved = client.get("/api/effects/fog-gate/page.html")
    assert saved.headers["content-disposition"] == 'attachment; filename="fog-gate.html"'
    assert "sandbox" not in client.get("/api/catalogue").headers["content-security-policy"]


def test_maps_and_code_can_be_looked_at(client):
    picture = Image.open(io.BytesIO(client.get("/api/effects/fog-gate/map.png?size=64&channel=opacity").content))
    assert picture.size == (64, 64) and picture.getextrema()[0][1] == 255
    assert "fn fog_gate_channels" in client.get("/api/effects/fog-gate/code.txt?language=wgsl").text


def test_an_estimate_grows_with_what_is_asked_for(client):
    def of(**options):
        got = client.post("/api/estimate", json={"effect": "fog-gate", "options": options})
        assert got.status_code == 200, got.text
        return got.json()

    small, large = of(width=128, height=128), of(width=512, height=512, every=2, loops=2)
    assert small["frames"] == 96 and large["frames"] == 96
    assert large["bytes"] > 4 * small["bytes"] and large["seconds"] > 0
    out_of_turn = client.post("/api/estimate", json={"effect": "fog-gate", "options": {"first": 96}})
    assert out_of_turn.status_code == 422 and "do not lie in the turn" in out_of_turn.json()["words"]
    effect = demo.demo("fog-gate")
    more = {"sizes": [{"width": 64, "height": 64}], "shapes": ["ball", "box"]}
    assert estimate(effect, BakeOptions(**more)).frames == 4 * 96


def test_what_a_bake_cannot_make_is_told_before_it_begins(client):
    for options, words in (
        ({"forms": ["obj"]}, "no form 'obj'"),
        ({"stills": ["exr"], "layers": ["fog/none"]}, "no layer 'fog/none'"),
        ({"pattern": "gate-####", "variants": ["Ember", "Storm"]}, "two takes the same name"),
        ({"stills": [], "forms": ["glb"], "map_size": 2048, "map_frames": 64}, "make maps of 16384"),
    ):
        got = client.post("/api/bakes", json={"effect": "fog-gate", "options": options})
        assert got.status_code == 422 and words in got.json()["words"], (options, got.text)
    assert client.get("/api/bakes?effect=fog-gate").json() == []


def test_a_sheet_is_measured_by_the_frames_that_are_drawn(client):
    def cells(**options):
        got = client.post("/api/sheet", json={"frames": 96, "options": {"width": 32, "height": 32, **options}}).json()
        return got["columns"] * got["rows"]

    assert 16 <= cells(every=6) == cells(last=16) < cells()
    # What is too large whole is not when every eighth frame is drawn.
    large = {"width": 1024, "height": 1024, "videos": [], "stills": [], "sheet": {}}
    told = client.post("/api/bakes", json={"effect": "fog-gate", "options": large})
    assert told.status_code == 422 and "8192" in told.json()["words"], told.text
    begun = client.post("/api/bakes", json={"effect": "fog-gate", "options": {**large, "every": 8, "last": 8}})
    assert begun.status_code == 201, begun.text
    client.delete(f"/api/bakes/{begun.json()['id']}")
