"""The HTTP interface: answers, refusals in words, and what stands guard before it."""

import io
import itertools
import json
import threading
import time
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image

from tests.api.schema import schema
from tests.documents import bead, data, mist, strand
from tests.images.pictures import encoded, lanterns
from whorl import demo
from whorl.api.app import create_app
from whorl.api.programs import programs
from whorl.shapes import shape
from whorl.store.bakes import ENDED, Bakes


@pytest.fixture
def client(tmp_path):
    with TestClient(create_app(tmp_path, demo_effects=True), "http://127.0.0.1") as c:
        yield c


LIT = data(mist(), surface={"channels": {"emission": [{"strand": "mist"}]}})


def test_a_fresh_shelf_holds_the_demo_effects_and_an_emptied_one_stays_empty(tmp_path):
    names = [demo.demo(slug).name for slug in demo.slugs()]
    assert {"Fog Gate", "Moth Crate", "Buoy Ward", "Pier Light", "Chart Lantern", "Bilge Sheen", "Rain Planks"} <= set(
        names
    )
    for expected in (names, []):
        with TestClient(create_app(tmp_path, demo_effects=True), "http://127.0.0.1") as c:
            shelf = c.get("/api/effects").json()
            assert [e["name"] for e in shelf] == expected
            for e in shelf:
                c.delete(f"/api/effects/{e['id']}")


def test_saving_on_an_old_revision_is_refused_and_nothing_is_lost(client):
    got = client.get("/api/effects/fog-gate").json()
    document = {**got["document"], "notes": "mine"}
    assert client.put("/api/effects/fog-gate", json={"base": 1, "document": document}).json()["revision"] == 2
    refused = client.put("/api/effects/fog-gate", json={"base": 1, "document": {**document, "notes": "late"}})
    assert refused.status_code == 409
    assert refused.json()["head"] == 2 and "saved elsewhere" in refused.json()["words"]
    assert client.get("/api/effects/fog-gate").json()["document"]["notes"] == "mine"


def test_a_document_that_does_not_fit_is_compiled_into_its_problems(client):
    wrong = data(strand("a", bead("uv"), bead("threshold")))
    got = client.post("/api/compile", json={"document": wrong}).json()
    assert got["program"] and got["stood"] == ["strands/a"] and got["problems"][0]["place"] == "strands/a/threshold"
    saved = client.post("/api/effects", json={"document": {"format": "other"}})
    assert saved.status_code == 422 and "not a Whorl effect" in saved.json()["words"]


def test_a_document_with_a_fault_can_be_saved_since_work_is_never_refused(client):
    wrong = data(strand("a", bead("uv"), bead("threshold")))
    assert client.post("/api/effects", json={"document": wrong}).status_code == 201


def test_a_program_comes_with_all_that_a_browser_draws_with(client):
    p = client.post("/api/compile", json={"document": LIT}).json()["program"]
    assert p["fragment"].startswith("#version 300 es") and p["frames"] == 96
    assert {x["place"] for x in p["peeks"]} == {"strands/mist/uv", "strands/mist/noise", "surface/emission"}
    declared = {line.split()[-1].rstrip(";").split("[")[0] for line in p["fragment"].splitlines() if "uniform" in line}
    assert {u["name"] for u in p["uniforms"]} <= declared
    made = {"scene"}
    for q in p["passes"]:
        assert set(q["inputs"]) <= made
        made.add(q["output"])
    assert p["passes"][-1]["output"] == "picture"


def test_a_frame_lets_the_program_go_first_and_waits_no_longer_than_it_has_to(client):
    asked = {"document": LIT, "phase": 0.0, "size": 16, "peek": None}
    with ThreadPoolExecutor(1) as pool:
        with programs.going():
            frame = pool.submit(client.post, "/api/frame.png", json=asked)
            with pytest.raises(TimeoutError):
                frame.result(timeout=programs.PATIENCE / 2)
        assert frame.result(timeout=30).status_code == 200
        # What never ends holds up nobody for good.
        with programs.going():
            assert pool.submit(client.post, "/api/frame.png", json=asked).result(timeout=30).status_code == 200


def test_a_shape_is_sent_as_the_stage_has_it(client):
    raw = client.post("/api/shape", json={"shape": "ball"}).content
    n, m, *more = np.frombuffer(raw, np.uint32, 6).tolist()
    mesh = shape("ball")
    assert (n, m, more) == (len(mesh.positions), len(mesh.triangles), [0, 0, 0, 0])
    assert np.array_equal(np.frombuffer(raw, np.float32, n * 3, 24).reshape(-1, 3), mesh.positions)
    # Each vertex has 20 numbers.
    end = 24 + n * 80 + m * 12
    assert np.array_equal(np.frombuffer(raw, np.int32, m * 3, end - m * 12).reshape(-1, 3), mesh.triangles)
    # Coarser ones follow: each has fewer triangles on the same ball, and serves fewer pixels a unit.
    fewer = [(m, np.inf)]
    while end < len(raw):
        (pixels,) = np.frombuffer(raw, np.float32, 1, end)
        n, m = np.frombuffer(raw, np.uint32, 2, end + 4).tolist()
        fewer.append((m, pixels))
        places = np.frombuffer(raw, np.float32, n * 3, end + 28).reshape(-1, 3)
        assert np.linalg.norm(places, axis=1) == pytest.approx(1, abs=1e-6)
        corners = places[np.frombuffer(raw, np.int32, m * 3, end + 28 + n * 80).reshape(-1, 3)]
        edges = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2)
        assert np.median(edges) * pixels == pytest.approx(2.5, rel=1e-3)
        end += 28 + n * 80 + m * 12
    # Squares of two triangles, half as many each way, and what is round keeps eight at least.
    assert end == len(raw) and [m for m, _ in fewer] == [2 * n * m for n, m in ((96, 48), (48, 24), (24, 12), (12, 8))]
    assert all(p < q for (_, q), (_, p) in itertools.pairwise(fewer))
    # A square is one already.
    flat = client.post("/api/shape", json={"shape": "plane"}).content
    assert len(flat) == 24 + 4 * 80 + 2 * 12
    assert client.post("/api/shape", json={"shape": "teapot"}).status_code == 422
    # With hard edges each triangle has its own corners; how large it is shown is no matter of the mesh.
    hard = client.post("/api/shape", json={"shape": "icosphere", "edges": "hard"}).content
    n, m = np.frombuffer(hard, np.uint32, 2).tolist()
    assert n == 3 * m and m > 10_000
    assert client.post("/api/shape", json={"shape": "icosphere", "edges": "hard", "size": 3}).content == hard
    for wrong in ({"edges": "soft"}, {"size": 0}, {"size": 1e9}, {"subdivision": 9}):
        told = client.post("/api/shape", json={"shape": "ball", **wrong})
        assert told.status_code == 422 and "Traceback" not in told.text


def test_a_drawn_line_becomes_a_path_or_is_refused(client):
    line = [[np.cos(a), np.sin(a), 0.0] for a in np.linspace(0, 2 * np.pi, 60)]
    made = client.post("/api/path/drawn", json={"line": line, "radius": 0.2}).json()
    assert made["closed"] and 3 <= len(made["path"]) <= 8 and made["path"][0]["radius"] == 0.2
    for wrong in ([[0, 0, 0]] * 5, [[0, 0]] * 5, [[0, 0, 1e9]] * 5, [[0, 0, 0]], "line"):
        told = client.post("/api/path/drawn", json={"line": wrong, "radius": 0.1})
        assert told.status_code == 422 and "Traceback" not in told.text


def test_a_frame_is_a_png_of_the_size_asked_for(client):
    got = client.post("/api/frame.png", json={"document": LIT, "size": 48, "peek": "mist/noise"})
    image = np.asarray(Image.open(io.BytesIO(got.content)))
    assert image.shape == (48, 48, 3) and image.std() > 5
    gone = client.post("/api/frame.png", json={"document": LIT, "peek": "mist/gone"})
    assert gone.status_code == 422 and "no bead 'mist/gone'" in gone.json()["words"]


def test_duplicate_rename_delete_restore_export_and_import(client):
    copy = client.post("/api/effects/fog-gate/duplicate").json()
    assert copy["document"]["name"] == "Fog Gate copy"
    client.delete("/api/effects/fog-gate")
    assert client.get("/api/effects/fog-gate").status_code == 404
    client.post("/api/effects/fog-gate/restore")
    export = client.get("/api/effects/fog-gate/export")
    assert 'filename="fog-gate.whorl.json"' in export.headers["content-disposition"]
    again = client.post("/api/effects/import", files={"file": ("fog.whorl.json", export.content)})
    assert again.status_code == 201 and again.json()["document"]["name"] == "Fog Gate"
    torn = client.post("/api/effects/import", files={"file": ("fog.whorl.json", export.content[:200])})
    assert torn.status_code == 422 and "not JSON: line" in torn.json()["words"]


def test_a_bake_is_followed_by_events_and_its_files_are_there(client):
    id = client.post("/api/effects", json={"document": {**LIT, "turn": {"seconds": 0.5, "fps": 8}}}).json()["id"]
    asked = client.post("/api/bakes", json={"effect": id, "options": {"width": 16, "height": 16, "videos": ["gif"]}})
    job = asked.json()["id"]
    with client.stream("GET", f"/api/bakes/{job}/events") as events:
        states = [json.loads(line[6:]) for line in events.iter_lines() if line.startswith("data: ")]
    assert states[-1]["state"] == "done" and len(states[-1]["files"]) == 5
    name = states[-1]["files"][0]
    assert client.get(f"/api/bakes/{job}/files/{name}").status_code == 200
    assert client.get(f"/api/bakes/{job}/files/..%2F..%2Fwhorl.db").status_code == 404
    import zipfile

    archive = zipfile.ZipFile(io.BytesIO(client.get(f"/api/bakes/{job}/all.zip").content))
    assert archive.testzip() is None and sorted(archive.namelist()) == states[-1]["files"]
    assert client.delete(f"/api/bakes/{job}").status_code == 204
    assert client.get(f"/api/bakes/{job}").status_code == 404


def test_a_bake_that_ends_while_it_is_read_is_told_to_have_ended(client, monkeypatch):
    """Whoever watches it reads it as running, each time it is read, and hears of the end all the same."""
    read = Bakes.get

    def late(jobs, id):
        job = read(jobs, id)
        deadline = time.monotonic() + 30
        while job.state not in ENDED and read(jobs, id).state not in ENDED and time.monotonic() < deadline:
            time.sleep(0.02)
        return job

    heard = []

    def watch(job):
        with client.stream("GET", f"/api/bakes/{job}/events") as events:
            heard.extend(json.loads(line[6:])["state"] for line in events.iter_lines() if line.startswith("data: "))

    id = client.post("/api/effects", json={"document": {**LIT, "turn": {"seconds": 2, "fps": 24}}}).json()["id"]
    job = client.post("/api/bakes", json={"effect": id, "options": {"width": 128, "height": 128}}).json()
    monkeypatch.setattr(Bakes, "get", late)
    watching = threading.Thread(target=watch, args=(job["id"],), daemon=True)
    watching.start()
    watching.join(timeout=20)
    assert len(heard) > 1 and heard[-1] == "done"


def test_bad_bake_options_are_told(client):
    for options, said in (
        ({"height": 5}, "options/height"),
        ({"pattern": "x"}, "same name"),
        ({"stills": []}, "choose frames"),
        ({"last": 9999}, "frames lie from 0 to 96"),
    ):
        got = client.post("/api/bakes", json={"effect": "fog-gate", "options": options})
        assert got.status_code == 422 and said in got.json()["words"], got.json()


def test_strangers_are_turned_away(client):
    assert client.get("/api/effects", headers={"Host": "evil.example"}).status_code == 400
    foreign = client.post("/api/effects", json={"name": "A"}, headers={"Origin": "http://evil.example"})
    assert foreign.status_code == 403
    for origin in ("http://127.0.0.1:8321", "http://localhost", "null", "http://127.0.0.1.evil.example"):
        # Another port, or another name, of this machine is another site.
        assert client.post("/api/effects", json={"name": "A"}, headers={"Origin": origin}).status_code == 403
    own = client.post("/api/effects", json={"name": "A"}, headers={"Origin": "http://127.0.0.1"})
    assert own.status_code == 201 and own.headers["Cross-Origin-Resource-Policy"] == "same-origin"


def test_a_server_for_the_whole_network_answers_to_numbers_but_to_no_strange_name(tmp_path):
    with TestClient(create_app(tmp_path, hosts=("0.0.0.0",)), "http://192.168.7.9") as c:
        assert c.get("/api/effects").status_code == 200
        assert c.get("/api/effects", headers={"Host": "evil.example"}).status_code == 400


@pytest.mark.parametrize(
    "path", ["//etc/passwd", "/../pyproject.toml", "/%2e%2e/%2e%2e/pyproject.toml", "/assets/../../cli.py"]
)
def test_files_outside_the_front_end_are_never_served(client, path):
    got = client.get(path)
    assert "root:" not in got.text and "[project]" not in got.text and "typer" not in got.text


def test_bodies_are_bounded_whether_or_not_they_say_how_long_they_are(client):
    big = b"x" * (9 * 1024 * 1024)
    assert client.post("/api/compile", content=big).status_code == 413
    assert client.post("/api/compile", content=iter([big[: len(big) // 2]] * 2)).status_code == 413


def test_every_answer_carries_a_strict_policy_and_no_trace(client):
    for path in ("/api/effects", "/api/effects/none", "/api/effects/fog-gate/frame.png?size=1"):
        got = client.get(path)
        policy = got.headers["content-security-policy"]
        assert "default-src 'none'" in policy and "unsafe" not in policy
        assert "Traceback" not in got.text
    first, second = (client.get("/api/effects").headers["content-security-policy"] for _ in range(2))
    assert first != second


def test_the_schema_of_the_api_has_examples():
    schemas = schema()["components"]["schemas"]
    assert schemas["Save"]["properties"]["document"]["examples"]
    assert schemas["BakeRequest"]["properties"]["effect"]["examples"]


def test_a_picture_is_brought_in_shown_and_travels_with_an_export(client):
    file = encoded(lanterns())
    kept = client.post("/api/assets", content=file)
    assert kept.status_code == 201
    got = kept.json()
    assert (got["width"], got["height"], got["channels"]) == (37, 23, "colour")
    levels = client.get(f"/api/assets/{got['hash']}/levels?read=colour").content
    # The largest level at left, the others (18 × 11, 9 × 5, …) in a column beside it, within 2⁵ rows.
    wide, high, *size = np.frombuffer(levels[:24], "<u4").tolist()
    assert (wide, size) == (37 + 18, [37, 23, 5, 5]) and 23 <= high <= 32
    assert len(levels) == 24 + 8 * wide * high
    assert client.get(f"/api/assets/{got['hash']}/small.png").content[:4] == b"\x89PNG"
    assert client.get(f"/api/assets/{'0' * 64}/levels").status_code == 404
    asset = {"id": "lanterns", "name": "lanterns.png", **{k: got[k] for k in ("hash", "width", "height")}}
    document = data(strand("s", bead("uv"), bead("image", settings={"picture": "lanterns"})), assets=[asset])
    made = client.post("/api/effects", json={"document": document}).json()
    program = client.get(f"/api/effects/{made['id']}/program").json()["program"]
    still = {"frames": 1, "ahead": 0, "at": ""}
    assert program["pictures"] == [{"name": "picture_0", "hash": got["hash"], "read": "colour", **still}]
    export = client.get(f"/api/effects/{made['id']}/export")
    assert "whorl.zip" in export.headers["content-disposition"]
    again = client.post("/api/effects/import", files={"file": ("a.whorl.zip", export.content)})
    assert again.status_code == 201 and again.json()["document"]["assets"][0].items() >= asset.items()


def test_a_picture_that_is_none_is_refused_in_words(client):
    refused = client.post("/api/assets", content=b"GIF89a, or something like it")
    assert refused.status_code == 422 and "PNG, JPEG, WebP, OpenEXR or HDR" in refused.json()["words"]


def test_signals_and_responses_come_from_the_core(client):
    document = data(strand("s", bead("uv"), bead("linear"), bead("threshold")))
    got = client.post("/api/signal", json={"document": document, "place": "s/threshold"}).json()
    assert sum(got["parts"]) == pytest.approx(1) and (got["low"], got["high"]) == (0, 1)
    assert client.post("/api/signal", json={"document": document, "place": "s/linear"}).json() is None
    made = client.post("/api/over-turn", json={"document": document, "place": "s/threshold"}).json()
    assert len(made["moments"]) > 8 and all(sum(m) == pytest.approx(1) for m in made["moments"])
    asked = {"bead": bead("threshold", level=0.5, softness=0.2), "low": 0, "high": 1}
    values = client.post("/api/response", json=asked).json()["values"]
    assert values[0] == [0] and values[-1] == [1] and len(values) == 66
    wrong = client.post("/api/response", json={"bead": bead("noise"), "low": 0, "high": 1})
    assert wrong.status_code == 422 and "coordinates" in wrong.json()["words"]


@pytest.mark.parametrize(
    ("body", "said"),
    [
        ({"motion": "sway", "place": "stage/lamps/key/yaw", "now": [40]}, None),
        ({"motion": "drift", "place": "strands/a/b/scale", "now": [4], "bead": "noise"}, None),
        ({"motion": "drift", "place": "stage/camera/yaw", "now": [0]}, "does not move"),
        ({"motion": "keys", "place": "stage", "now": [0]}, "no number here"),
        ({"motion": "keys", "place": "", "now": [0]}, "no number here"),
        ({"motion": "keys", "place": "strands/a/b/c", "now": [0], "bead": "fog"}, "no number here"),
        ({"motion": "jump", "place": "surface/far", "now": [0]}, "drift"),
        ({"motion": "sway", "place": "surface/far", "now": []}, "now"),
    ],
)
def test_a_number_is_set_moving_or_it_is_said_why_not(client, body, said):
    got = client.post("/api/motion", json=body)
    if said is None:
        assert got.status_code == 200 and got.json()["motion"]["motion"] == body["motion"]
    else:
        assert got.status_code == 422 and said in got.json()["words"]
    assert client.post("/api/motion", content='{"motion":"sway","place":"surface/far","now":[NaN]}').status_code == 422


def test_the_catalogue_describes_every_number_of_the_document(client):
    got = client.get("/api/catalogue").json()
    assert {"Effect", "Surface", "Channels", "Entry", "Stage", "Lamp", "Floor", "Camera", "Drift", "Stop"} <= set(
        got["parts"]
    )
    for part, fields in got["parts"].items():
        for f in fields:
            assert f["param"] or f["kind"] in ("choice", "switch", "text", "part", "list", "picture", "params"), part
            if f["param"]:
                low, high = f["param"]["soft"]
                assert f["param"]["hard"][0] <= low < high <= f["param"]["hard"][1] and f["words"], (part, f["name"])
            assert not f["options"] or all(o["words"] for o in f["options"])
    assert got["defaults"]["stage"]["lamps"]["key"]["yaw"] == 40


def test_what_was_not_foreseen_is_logged_with_its_trace_and_told_in_a_line(tmp_path, caplog, monkeypatch):
    from whorl.api import programs

    def stumble(effect):
        raise ValueError("a fault of the program")

    monkeypatch.setattr(programs, "_program", stumble)
    app = create_app(tmp_path)
    with TestClient(app, "http://127.0.0.1", raise_server_exceptions=False) as c:
        told = c.post("/api/compile", json={"document": LIT})
    assert told.status_code == 500 and "a fault of the program" not in told.text and "stumbled" in told.json()["words"]
    assert any("a fault of the program" in str(r.exc_info) for r in caplog.records)


def test_levers_are_published_taken_away_mixed_and_dealt(client):
    document = json.loads(client.get("/api/effects/fog-gate/export").content)
    place = "strands/gate/cut/level"
    made = client.post("/api/levers/publish", json={"document": document, "place": place}).json()
    assert made["lever"]["name"] == "Gate level" and made["value"]["lever"] == "gate-level"
    for wrong, status in (("strands/gate/cut/none", 422), ("strands/veil/ramp/stops", 422), ("turn/fps", 422)):
        got = client.post("/api/levers/publish", json={"document": document, "place": wrong})
        assert got.status_code == status, got.text
    changes = client.post("/api/levers/without", json={"document": document, "lever": "twist"}).json()["changes"]
    assert changes == [{"place": "strands/swirl/degrees/to_high", "value": -260.0}]
    assert client.post("/api/levers/without", json={"document": document, "lever": "none"}).status_code == 422
    body = {"document": document, "first": "as-made", "second": "Deep violet", "part": 0.5}
    mixed = {c["place"]: c["value"] for c in client.post("/api/variants/between", json=body).json()["changes"]}
    assert mixed["levers/hue/value"] == pytest.approx(0.12) and "levers/opening/value" not in mixed
    assert client.post("/api/variants/apply", json={"document": document, "variant": "x"}).status_code == 422
    deals = client.post("/api/variants/deal", json={"document": document, "seed": 4}).json()["deals"]
    assert (
        len(deals) == 8
        and deals == client.post("/api/variants/deal", json={"document": document, "seed": 4}).json()["deals"]
    )
    kept = client.post("/api/variants/keep", json={"document": document, "variant": "Ember"}).json()
    assert kept["id"] == "ember"
    # A lever's motion begins within what that lever accepts.
    asked = {"motion": "sway", "place": "levers/raggedness/value", "now": [0.0], "document": document}
    begun = client.post("/api/motion", json=asked).json()["motion"]
    assert begun["base"] - begun["amount"] >= -1e-9


def test_hits_that_are_moved_get_their_rows_without_a_program(client):
    made = demo.demo("buoy-ward").model_dump(mode="json")
    hits = [{**made["hits"][0], "position": [0.0, 0.6, 0.8], "phase": 0.25}]
    got = client.post("/api/hits", json={"hits": hits, "stage": made["stage"], "turn": made["turn"]})
    assert got.status_code == 200, got.text
    rows = got.json()["rows"]
    assert rows["hits/places"][0][:3] == [0.0, 0.6, 0.8]
    # A quarter of the turn on it strikes: its age is nothing there, and half a turn at three quarters.
    seconds = made["turn"]["seconds"]
    frames = len(rows["hits/ages"])
    assert rows["hits/ages"][frames // 4][0] == pytest.approx(0.0, abs=1e-6)
    assert rows["hits/ages"][3 * frames // 4][0] == pytest.approx(seconds / 2)
    again = client.post("/api/repeat", json={"hits": hits, "id": hits[0]["id"], "every": 24, "turn": made["turn"]})
    assert again.status_code == 200 and len(again.json()["hits"]) == frames // 24


def test_an_effect_of_the_shelf_is_taken_as_a_second_surface(client):
    given = {"document": LIT, "effect": "verdigris-hull", "strand": "mist"}
    made = client.post("/api/second/take", json=given).json()
    second = made["document"]["surface"]["second"]
    assert second["strand"] == "mist" and second["composite"] == "solid" and made["id"] == "verdigris-hull"
    turned = client.post("/api/second/exchange", json={"document": made["document"]}).json()
    assert turned["surface"]["composite"] == "solid"
    for bad, code, words in (
        ({"effect": "nothing"}, 404, ""),
        ({"strand": "nobody"}, 422, "the mask is to be a strand"),
        ({"document": {"format": "other"}}, 422, "not a Whorl effect"),
    ):
        answer = client.post("/api/second/take", json={**given, **bad})
        assert answer.status_code == code and words in answer.json()["words"]
    assert client.post("/api/second/exchange", json={"document": LIT}).status_code == 422
