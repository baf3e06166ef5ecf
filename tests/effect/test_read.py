"""Documents: written and read again unchanged, and every fault located in plain words."""

import json
from importlib.resources import files
from pathlib import Path

import jsonschema_rs
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.documents import bead, data, effect, mist, strand
from whorl import demo
from whorl.effect import BadEffect, Effect, read, read_text, write_text
from whorl.plan.build import build


def problems(document) -> list[tuple[str, str]]:
    with pytest.raises(BadEffect) as caught:
        build(read(document))
    return [(p.place, p.words) for p in caught.value.problems]


@pytest.mark.parametrize("slug", demo.slugs())
def test_a_demo_effect_is_written_as_it_was_read(slug):
    text = (files("whorl.demo") / f"{slug}.whorl.json").read_text(encoding="utf-8")
    assert write_text(read_text(text)) == text


def test_the_documents_example_reads():
    e = effect(
        strand(
            "mist",
            bead("uv", "b1"),
            bead("polar", "b2", centre=[0.5, 0.5]),
            bead("tile", "b3", count=[3, 1]),
            bead("scroll", "b4", offset={"motion": "drift", "cycles": [1, -1]}),
            bead("noise", "b5", {"octaves": 4}, seed=7),
        )
    )
    assert build(e).beads["mist/b5"].gives == "value"


@pytest.mark.parametrize(
    ("document", "place", "said"),
    [
        (data(strand("a", bead("fog"))), "strands/a/fog", "no kind of bead called 'fog'"),
        (data(strand("a", bead("uv"), bead("noise", scale=1e9))), "strands/a/noise/scale", "goes from 0.01 to 512"),
        (data(strand("a", bead("noise"))), "strands/a/noise", "starts with a source"),
        (data(strand("a", bead("uv"), bead("uv", "u2"))), "strands/a/u2", "cannot stand behind"),
        (data(strand("a", bead("uv"), bead("threshold"))), "strands/a/threshold", "what comes in is coordinates"),
        (data(strand("a", bead("uv"), bead("noise", colour=1))), "strands/a/noise/colour", "has no param 'colour'"),
        (
            data(strand("a", bead("uv"), bead("noise", settings={"octaves": 99}))),
            "strands/a/noise/octaves",
            "goes from 1 to 10",
        ),
        (
            data(strand("a", bead("uv"), bead("noise", settings={"style": "foamy"}))),
            "strands/a/noise/style",
            "not one of plain",
        ),
        (data(strand("a", bead("uv"), bead("noise", scale=[1, 2]))), "strands/a/noise/scale", "takes 1 number, not 2"),
        (
            data(strand("a", bead("tap", **{"from": {"strand": "a"}}))),
            "strands/a/tap/from",
            "cannot use itself",
        ),
        (
            data(strand("a", bead("tap", **{"from": {"strand": "b"}})), strand("b", bead("uv"))),
            "strands/a/tap/from",
            "made further down",
        ),
        (data(strand("a", bead("tap", **{"from": {"strand": "z"}}))), "strands/a/tap/from", "no strand 'z'"),
        (data(strand("a", bead("tap"))), "strands/a/tap/from", "needs the strand"),
        (
            data(mist(), surface={"channels": {"emission": [{"strand": "gone"}]}}),
            "surface/emission/0",
            "no strand 'gone'",
        ),
        (
            data(strand("a", bead("uv")), surface={"channels": {"opacity": [{"strand": "a"}]}}),
            "surface/opacity/0",
            "gives coordinates",
        ),
        (data(strand("a", bead("uv")), strand("a", bead("uv"))), "strands/a", "two strands have the id 'a'"),
        (
            data(mist(scale={"motion": "drift", "cycles": 9000})),
            "strands/mist/noise/scale",
            "in motion scale reaches",
        ),
    ],
)
def test_a_fault_is_told_in_its_place(document, place, said):
    found = problems(document)
    assert any(p == place and said in words for p, words in found), found


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("{", "line 1, column 2"),
        ("[]", "not a Whorl effect"),
        ('{"format": "whorl-effect", "version": 9}', "version 9 is not known"),
        ('{"format": "whorl-effect", "version": 1}', "'name' is missing"),
        ('{"format": "whorl-effect", "version": 1, "name": "A", "glow": 1}', "'glow' is not known here"),
        ('{"format": "whorl-effect", "version": 1, "name": "A", "levers": [1]}', "valid dictionary"),
        ('{"format": "whorl-effect", "version": 1, "name": "A", "turn": {"seconds": NaN}}', "finite"),
        ("[" * 100000, "not JSON"),
        (b"\xff\xfe\x00", "UTF-8"),
    ],
)
def test_a_file_that_is_no_effect_gets_one_plain_line(text, said):
    with pytest.raises(BadEffect) as caught:
        read_text(text)
    assert said in caught.value.problems[0].words
    assert "\n" not in caught.value.problems[0].words


def test_a_wrong_number_is_located_by_the_ids_around_it():
    with pytest.raises(BadEffect) as caught:
        read(data(mist(scale={"motion": "sway", "amount": "much"})))
    assert caught.value.problems[0].place.startswith("strands/mist/noise/scale")


def test_the_published_schema_takes_every_demo_effect():
    published = json.loads((Path(__file__).parents[2] / "docs" / "effect.schema.json").read_text(encoding="utf-8"))
    assert published == Effect.model_json_schema(), "write docs/effect.schema.json anew"
    taken = jsonschema_rs.validator_for(published)
    for slug in demo.slugs():
        document = json.loads((files("whorl.demo") / f"{slug}.whorl.json").read_text(encoding="utf-8"))
        taken.validate(document)
        document["surface"]["composite"] = "sideways"
        assert [list(e.instance_path) for e in taken.iter_errors(document)] == [["surface", "composite"]]


JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(st.text(max_size=8), inner, max_size=4),
    max_leaves=12,
)


@given(part=JSON, where=st.sampled_from(["name", "turn", "strands", "surface", "stage", "levers", "notes"]))
def test_any_json_at_all_is_read_or_refused_but_never_a_trace(part, where):
    try:
        build(read({**data(mist()), where: part}))
    except BadEffect as e:
        assert e.problems and all(p.words for p in e.problems)


def test_a_size_and_edges_that_only_a_mesh_had_are_now_those_of_the_shape():
    old = {"name": "Crate", "hash": "0" * 64, "size": 0.5, "hard": True}
    made = effect(stage={"shape": "mesh", "mesh": old}).stage
    assert made.size == 0.5 and made.edges == "hard" and made.mesh.name == "Crate"
    assert effect(stage={"mesh": old, "size": 2.0}).stage.size == 2.0
    assert effect(stage={"mesh": {**old, "hard": False}}).stage.edges == "as made"


def test_patterns_that_change_in_place_are_read_by_their_older_names():
    old = {"kind": "noise", "id": "n", "settings": {"evolution": True}, "params": {"evolve": 0.5, "scale": 3}}
    read_one = read(data(strand("s", bead("uv"), old))).strands[0].beads[1]
    assert read_one.settings == {"churns": True} and read_one.params == {"churn": 0.5, "scale": 3.0}
