"""What is found by looking, over the line; what it costs, and the report."""

import json
import threading
import time

import pytest
from fastapi.testclient import TestClient

from tests.checks.corpus import planted
from tests.documents import effect
from whorl import demo, starters
from whorl.api import checking
from whorl.api.app import create_app
from whorl.api.checking import MOST
from whorl.checks import looked
from whorl.effect import read
from whorl.effect.places import changed
from whorl.images.library import library

FAULT = next(p for p in planted() if p.kind == "burnt out" and "signal-lamp" in p.name)


@pytest.fixture
def client(tmp_path):
    with TestClient(create_app(tmp_path), base_url="http://127.0.0.1") as c:
        yield c


def told(client, effect, **more):
    answer = client.post("/api/checks/look", json={"document": effect.model_dump(mode="json"), **more})
    assert answer.status_code == 200, answer.text
    return [json.loads(line) for line in answer.text.splitlines()]


def test_what_is_found_comes_line_by_line_as_the_core_finds_it(client):
    found = told(client, FAULT.effect, everywhere=False)
    wanted = [f.model_dump(mode="json") for f in looked(FAULT.effect, everywhere=False)]
    # Of what is timed the part differs from run to run.
    assert [(f["kind"], f["place"], f["mends"]) for f in found] == [(f["kind"], f["place"], f["mends"]) for f in wanted]
    assert found[0]["evidence"]["spot"] and found[0]["why"] and found[0]["bad"] == "looks wrong"


def test_with_faults_there_is_nothing_to_look_at_and_bad_input_is_told(client):
    broken = starters.starter("beam").model_dump(mode="json")
    broken["strands"][0]["beads"][0]["kind"] = "nothing of the kind"
    assert client.post("/api/checks/look", json={"document": broken}).text == ""
    for path in ("look", "cost", "report.md"):
        answer = client.post(f"/api/checks/{path}", json={"document": {"format": "other"}})
        assert answer.status_code == 422 and "not a Whorl effect" in answer.json()["words"]
    assert client.post("/api/checks/cost", json={"document": broken}).status_code == 422


def test_what_was_looked_at_once_is_known_whatever_it_is_called_and_whatever_was_set_aside(client, monkeypatch):
    begun = []

    def looking(effect, *how):
        begun.append(effect.name)
        # Of the others it matters that they are begun.
        return looked(effect, *how) if len(begun) == 1 else iter(())

    monkeypatch.setattr(checking, "looked", looking)
    monkeypatch.setattr(checking, "WORTH_KEEPING", 0.0)
    first = told(client, FAULT.effect, everywhere=False)
    assert told(client, FAULT.effect, everywhere=False) == first and len(begun) == 1
    one = next(f for f in first if f["kind"] == "burnt out")
    aside = {"kind": one["kind"], "place": one["place"], "measure": one["measure"], "reason": "It is meant."}
    renamed = read(FAULT.effect.model_dump(mode="json") | {"name": "another", "aside": [aside]})
    again = told(client, renamed, everywhere=False)
    assert len(begun) == 1 and [f | {"aside": ""} for f in again] == first
    assert next(f for f in again if f["place"] == one["place"] and f["kind"] == "burnt out")["aside"] == "It is meant."
    told(client, changed(FAULT.effect, "turn/seconds", 7.0), everywhere=False)
    assert len(begun) == 2
    told(client, FAULT.effect, everywhere=True)
    assert len(begun) == 3


def test_what_was_found_while_a_file_was_missing_or_in_no_time_is_looked_for_again(client, monkeypatch):
    begun = []
    monkeypatch.setattr(checking, "looked", lambda effect, *how: begun.append(effect.name) or iter(()))
    monkeypatch.setattr(checking, "WORTH_KEEPING", 0.0)
    gone = effect(assets=[{"id": "a", "name": "a.png", "hash": "0" * 64, "width": 8, "height": 8}])
    for here in (False, True, True):
        monkeypatch.setattr(library, "has", lambda digest, here=here: here)
        assert told(client, gone) == []
    assert len(begun) == 2
    monkeypatch.setattr(checking, "WORTH_KEEPING", 3600.0)
    for _ in range(2):
        assert told(client, starters.starter("beam")) == []
    assert len(begun) == 4


@pytest.fixture
def endless(monkeypatch):
    """Has the look at a named effect go on until it is told to end."""

    def looking(effect, rest, everywhere):
        while effect.name == ENDLESS["name"]:
            rest()
            time.sleep(0.001)
        yield from looked(effect, rest, everywhere)

    monkeypatch.setattr(checking, "looked", looking)


ENDLESS = demo.demo("amber-prow").model_dump(mode="json") | {"name": "without end"}


def test_a_look_that_nobody_waits_for_ends_and_the_next_one_begins(client, endless):
    checker = client.app.state.checker
    waiting = threading.Thread(target=client.post, args=("/api/checks/look",), kwargs={"json": {"document": ENDLESS}})
    waiting.daemon = True
    waiting.start()
    until(lambda: checker._now is not None)
    # The test client waits for the whole answer, so what is abandoned is so by the checker's own hand.
    checker._now.over.set()
    assert told(client, starters.starter("beam"), everywhere=False) == []
    waiting.join(60)
    assert not waiting.is_alive()


def test_more_than_it_keeps_waiting_are_let_go_and_stopping_ends_all(client, endless):
    checker = client.app.state.checker
    ended = []

    def one():
        client.post("/api/checks/look", json={"document": ENDLESS})
        ended.append(time.monotonic())

    threads = [threading.Thread(target=one, daemon=True) for _ in range(MOST + 4)]
    for t in threads:
        t.start()
    until(lambda: len(ended) == 3)
    assert len(checker._waiting) == MOST
    checker.stop()
    for t in threads:
        t.join(60)
    assert len(ended) == len(threads)


def test_cost_and_report(client):
    fog = {"document": demo.demo("fog-gate").model_dump(mode="json")}
    cost = client.post("/api/checks/cost", json=fog).json()
    assert (
        cost["beads"][0]["place"] == "strands/mist/noise" and cost["milliseconds"] > cost["surface"]["milliseconds"] > 0
    )
    answer = client.post("/api/checks/report.md", json={"document": starters.starter("beam").model_dump(mode="json")})
    assert answer.headers["content-type"].startswith("text/markdown") and "**It passes**" in answer.text
    assert "attachment" in answer.headers["content-disposition"]


def until(met, seconds=120.0):
    end = time.monotonic() + seconds
    while not met():
        assert time.monotonic() < end
        time.sleep(0.01)
