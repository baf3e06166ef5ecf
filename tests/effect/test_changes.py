"""What differs between documents, in words: nothing is missed, and nothing is told twice."""

import copy
import itertools
import json

import pytest

from whorl import demo
from whorl.effect import read, write_text
from whorl.effect.changes import changes


def plain(slug):
    return json.loads(write_text(demo.demo(slug)))


def told(before, after):
    return [(c.kind, c.place, c.words, c.before, c.after) for c in changes(read(before), read(after))]


@pytest.fixture
def gate():
    return plain("fog-gate")


def test_a_document_does_not_differ_from_itself():
    for slug in demo.slugs():
        assert changes(demo.demo(slug), demo.demo(slug)) == []


def test_documents_that_are_told_to_be_the_same_are(gate):
    for a, b in itertools.pairwise(demo.slugs()):
        assert changes(demo.demo(a), demo.demo(b))


def changed(gate, change):
    after = copy.deepcopy(gate)
    change(after)
    return told(gate, after)


def test_a_number_is_told_by_its_bead_and_the_name_of_its_strand(gate):
    def change(d):
        d["strands"][1]["beads"][5]["params"]["scale"] = 9

    (found,) = changed(gate, change)
    assert found[:3] == ("changed", "strands/mist/noise/scale", "scale of noise in Mist, outer") and found[4] == "9"


def test_a_motion_is_one_value_and_not_many(gate):
    sway = {"motion": "sway", "amount": 0.25, "base": 0.5}

    def change(d):
        d["strands"][1]["beads"][5]["params"]["scale"] = sway
        d["surface"]["far"] = sway

    found = changed(gate, change)
    assert [f[1] for f in found] == ["strands/mist/noise/scale", "surface/far"]
    assert found[0][4] == found[1][4] == "sway ±0.25"


def test_parts_that_come_and_go_are_each_one_difference(gate):
    def change(d):
        d["strands"].append({"id": "foam", "name": "Foam", "beads": [{"id": "uv", "kind": "uv"}]})
        d["strands"][0]["beads"].append({"id": "inv", "kind": "invert"})
        d["beacons"] = [{"id": "buoy", "name": "Buoy"}]

    found = changed(gate, change)
    assert [(f[0], f[2]) for f in found] == [
        ("added", "invert in Swirl"),
        ("added", "Foam"),
        ("added", "Buoy"),
    ]
    after = copy.deepcopy(gate)
    change(after)
    assert [f[0] for f in told(after, gate)] == ["removed"] * 3


def test_another_order_is_told_and_nothing_else(gate):
    def turned(d):
        d["strands"][0], d["strands"][1] = d["strands"][1], d["strands"][0]

    # Only the order differs, whether or not the document could be drawn.
    assert [f[:3] for f in changed(gate, turned)] == [("moved", "strands", "the order of the strands")]


def test_switches_words_and_feeds_are_shown_as_people_know_them(gate):
    def change(d):
        d["strands"][1]["muted"] = True
        d["name"] = "Fog Arch"
        d["surface"]["channels"]["emission"][0]["gain"] = 3
        d["strands"][5]["beads"][0]["params"]["from"] = {"strand": "mist", "bead": "noise"}

    found = {f[1]: f[2:] for f in changed(gate, change)}
    assert found["strands/mist/muted"] == ("muted of Mist, outer", "off", "on")
    assert found["name"] == ("name", "Fog Gate", "Fog Arch")
    assert found["strands/halo/tap/from"][2] == "Mist, outer · noise"
    assert found["surface/emission/0/gain"][0].startswith("gain of ") and found["surface/emission/0/gain"][2] == "3"


def test_what_changes_of_a_second_surface_says_so(gate):
    gate["surface"]["second"] = {"composite": "solid", "strand": "mist", "roughness": 0.3}

    def change(d):
        d["surface"]["second"] |= {"roughness": 0.9, "channels": {"base": [{"strand": "mist"}]}}

    found = {f[1]: f[2] for f in changed(gate, change)}
    assert found["surface/second/roughness"] == "roughness of second surface"
    assert any("on second base" in words for place, words in found.items() if place.startswith("surface/second/base"))
