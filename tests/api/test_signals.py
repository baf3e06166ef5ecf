"""The lines of signals: who may use them, what they tell, and that nothing that is sent breaks them."""

import json
import time

import pytest
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pythonosc.udp_client import SimpleUDPClient
from starlette.websockets import WebSocketDisconnect

from whorl import demo
from whorl.api.app import create_app
from whorl.signals.port import Port

LIVE, IN = "/api/signals/live", "/api/signals/in"
HOST = {"host": "127.0.0.1"}


@pytest.fixture(scope="module")
def port():
    return Port(port=0)


@pytest.fixture(scope="module")
def client(tmp_path_factory, port):
    with TestClient(create_app(tmp_path_factory.mktemp("signals"), port=port), "http://127.0.0.1") as c:
        yield c


@pytest.fixture
def listening(client, port):
    assert client.post("/api/signals", json={"listening": True}).json()["listening"]
    yield SimpleUDPClient("127.0.0.1", port.number)
    client.post("/api/signals", json={"listening": False})


def used(slug="fog-gate", **more):
    return {"use": {**demo.demo(slug).model_dump(mode="json"), **more}}


def told(ws, what):
    """The next that is told of a kind."""
    for _ in range(400):
        got = ws.receive_json()
        if what in got:
            return got[what]
    raise AssertionError(f"nothing was told of {what}")


def following(ws, slug="fog-gate"):
    ws.send_json({**used(slug), "watch": True})
    told(ws, "name")
    ws.send_json({"watch": False})


def test_a_datagram_reaches_the_page(client, listening):
    with client.websocket_connect(LIVE, headers=HOST) as ws:
        following(ws)
        listening.send_message("/whorl/fog-gate/lever/opening", 0.5)
        assert told(ws, "state")["levers"] == {"opening": 0.5}
        listening.send_message("/whorl/fog-gate/hit", [0.0, 0.0, 0.5, 2.0])
        (strike,) = told(ws, "state")["strikes"]
        assert strike["strength"] == 2.0 and len(strike["uv"]) == 2
        listening.send_message("/whorl/*/phase", 0.25)
        assert told(ws, "state")["phase"] == 0.25
        ws.send_json({"forget": True})
        assert told(ws, "state")["levers"] == {}


def test_the_same_as_json(client, listening):
    with client.websocket_connect(LIVE, headers=HOST) as ws, client.websocket_connect(IN, headers=HOST) as page:
        following(ws)
        page.send_json({"address": "/whorl/fog-gate/lever/opening", "arguments": [0.31]})
        assert told(ws, "state")["levers"] == {"opening": 0.31}
        page.send_text("nonsense")
        assert "message" in page.receive_json()["words"]


def test_nothing_is_taken_until_it_is_asked_for(client, port):
    assert client.get("/api/signals").json()["listening"] is False
    before = port.heard.count
    with client.websocket_connect(IN, headers=HOST) as page:
        page.send_json({"address": "/whorl/fog-gate/lever/opening", "arguments": [0.31]})
        assert "not taken" in page.receive_json()["words"]
    assert port.heard.count == before


def test_a_turn_is_kept(client, listening):
    with client.websocket_connect(LIVE, headers=HOST) as ws:
        ws.send_json(used("tide-gauge", turn={"seconds": 0.5, "fps": 24}))
        ws.send_json({"record": {"tolerance": 1.0}})
        for i in range(5):
            listening.send_message("/ferry/tide", [-1.6, 1.6][i % 2] * 1.0)
            time.sleep(0.05)
        got = told(ws, "recorded")
        assert [x["lever"] for x in got["levers"]] == ["level"] and got["hits"] == []
        assert len(got["levers"][0]["motion"]["keys"]) >= 2


@pytest.mark.parametrize("headers", [{"host": "elsewhere.example"}, {**HOST, "origin": "http://elsewhere.example"}])
@pytest.mark.parametrize("path", [LIVE, IN])
def test_another_site_has_no_line(client, path, headers):
    with pytest.raises(WebSocketDisconnect), client.websocket_connect(path, headers=headers):
        pass


def test_its_own_page_has(client):
    with client.websocket_connect(LIVE, headers={**HOST, "origin": "http://127.0.0.1"}) as ws:
        ws.send_json({"watch": True})
        assert told(ws, "port")["listening"] is False


@pytest.mark.parametrize(
    ("asked", "words"),
    [
        ({"use": {}}, "not a Whorl effect"),
        ({"use": {**used()["use"], "levers": [{"id": "x"}]}}, "levers/x/name"),
        ({"record": {"tolerance": 0}}, "record/tolerance"),
        ({"record": {"tolerance": "1"}}, "record/tolerance"),
        ({"sing": True}, "sing"),
        ([], ""),
    ],
)
def test_what_is_wrong_is_told_and_the_line_goes_on(client, asked, words):
    with client.websocket_connect(LIVE, headers=HOST) as ws:
        ws.send_json(asked)
        assert words in told(ws, "wrong")
        ws.send_json({"watch": True})
        assert told(ws, "port")


JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda x: (
        st.lists(x, max_size=3)
        | st.dictionaries(
            st.sampled_from(["use", "follow", "watch", "record", "forget", "tolerance", "levers"]), x, max_size=4
        )
    ),
    max_leaves=10,
)


@given(st.text(max_size=60) | JSON.map(json.dumps))
@settings(max_examples=60, deadline=None, suppress_health_check=list(HealthCheck))
def test_whatever_a_page_says_the_line_goes_on(client, text):
    with client.websocket_connect(LIVE, headers=HOST) as ws:
        ws.send_text(text)
        ws.send_json({"watch": True})
        assert told(ws, "port")


def test_the_night_turns_the_port_on(client, port):
    got = client.post("/api/signals/night", json={"playing": True, "seed": 5, "speed": 2.0}).json()
    assert got["listening"] and got["night"] == {"playing": True, "seed": 5, "speed": 2.0}
    got = client.post("/api/signals", json={"listening": False}).json()
    assert not got["listening"] and not got["night"]["playing"]
