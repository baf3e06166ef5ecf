"""Splices: what is cut and put back draws the same, what is brought up to date keeps what was changed."""

import json
from functools import cache

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.documents import bead, data, strand
from tests.published import chosen
from whorl import demo
from whorl.beads.spec import Signal
from whorl.effect import BadEffect, Effect, read
from whorl.effect.ends import ends
from whorl.effect.places import references, way_to
from whorl.effect.splices import apart, cut, digest, fits, needed, put, read_splice, renewed, scaled, write_splice
from whorl.effect.stage import Stage
from whorl.plan.build import build
from whorl.plan.run.evaluate import Evaluation
from whorl.plan.run.samples import spread
from whorl.refused import Refused
from whorl.stage.frame import picture

LOOKS = {s: build(demo.demo(s)) for s in demo.slugs()}


def look(effect, phase=0.3, size=24):
    return picture(build(effect), phase, size, size)


def sheet(**more):
    """A pattern, a mask of it, and a colour by both."""
    return read(
        data(
            strand("mist", bead("uv"), bead("noise", scale=4.0)),
            strand("mask", bead("tap", id="tap", **{"from": {"strand": "mist"}}), bead("threshold", level=0.4)),
            strand(
                "light",
                bead("tap", id="tap", **{"from": {"strand": "mask"}}),
                bead("blend", id="by", settings={"mode": "multiply"}, top={"strand": "mist", "bead": "noise"}),
            ),
            surface={"channels": {"emission": [{"strand": "light", "gain": 2.0}], "opacity": [{"strand": "mask"}]}},
            **more,
        )
    )


# --- what runs along a strand ----------------------------------------------------------------


@pytest.mark.parametrize("slug", demo.slugs())
def test_what_strands_give_is_what_the_plan_says(slug):
    plan, found = LOOKS[slug], ends(demo.demo(slug))
    assert {f"{s}/{b}": signal for (s, b), signal in found.items() if b} == {k: n.gives for k, n in plan.beads.items()}


@pytest.mark.parametrize("slug", demo.slugs())
def test_each_reference_is_found_in_plain_data(slug):
    effect = demo.demo(slug)
    plain = effect.model_dump(mode="json")
    for r in references(effect):
        here = plain
        for key in way_to(effect, r.place):
            here = here[key]
        held = here if isinstance(here, str) else here.get(r.kind) or here.get("place", "").split("/")[1]
        assert held == r.id, r.place


# --- cut and put back ------------------------------------------------------------------------


def strands_of_demos():
    return [(slug, s.id) for slug in demo.slugs() for s in demo.demo(slug).strands]


@cache
def shown(slug):
    return look(demo.demo(slug))


@pytest.mark.parametrize(("slug", "chosen"), strands_of_demos())
def test_cut_and_put_back_is_the_same_picture(slug, chosen):
    effect = demo.demo(slug)
    splice = read_splice(write_splice(cut(effect, [chosen], "Back again")))
    row = next(i for i, s in enumerate(effect.strands) if s.id == chosen)
    joins = {i.strand: t for i, t in zip(splice.inlets, targets(effect, splice, chosen), strict=True)}
    made, own = put(effect, splice, joins, surface=False, row=row + 1)
    came = {s.id for s in made.strands if s.of == own}
    copy = next(i for i in came if i == next(x.ids[f"strands/{chosen}"] for x in made.splices))
    # All that went on from the one goes on from the other, which then goes.
    plain = made.model_dump(mode="json")
    for r in references(made):
        way = way_to(made, r.place)
        if r.kind == "strand" and r.id == chosen and r.place.split("/")[1] not in came:
            aim(plain, way, copy)
    plain["strands"] = [s for s in plain["strands"] if s["id"] != chosen]
    again = read(plain)
    assert all(x.id in {s.id for s in again.strands} for x in references(again) if x.kind == "strand")
    assert np.array_equal(shown(slug), look(again))


def targets(effect, splice, chosen):
    """Where each inlet led: the cut names them in the order of the strand's references."""
    seen, out = {}, []
    wanted = {s.id for s in splice.strands}
    for r in references(effect):
        way = r.place.split("/")
        if r.kind == "strand" and way[0] == "strands" and way[1] in wanted and r.id not in wanted:
            seen.setdefault((r.id, r.bead), None)
    for strand_id, bead_id in seen:
        out.append(f"{strand_id}/{bead_id}" if bead_id else strand_id)
    return out


def aim(plain, way, to):
    here = plain
    for key in way:
        here = here[key]
    if "motion" in here:
        parts = here["place"].split("/")
        here["place"] = "/".join([parts[0], to, *parts[2:]])
    else:
        here["strand"] = to


def test_a_splice_is_an_effect_by_itself_that_shows_it():
    splice = cut(sheet(), ["light"], "Light", "what it is")
    assert [(i.gives, s.name) for i, s in zip(splice.inlets, splice.effect.strands, strict=False)] == [
        (Signal.VALUE, "Mask"),
        (Signal.VALUE, "Mist, noise"),
    ]
    assert [s.id for s in splice.strands] == ["light"]
    # It goes where it went; what went elsewhere is not taken along.
    assert [e.gain for e in splice.effect.surface.channels.emission] == [2.0]
    assert splice.effect.surface.channels.opacity == ()
    assert look(splice.effect).std() > 0.01


def test_what_it_depends_on_is_offered():
    assert needed(sheet(), ["light"]) == ["mist", "mask"]
    assert needed(sheet(), ["light", "mist"]) == ["mask"]
    assert cut(sheet(), ["light", "mist", "mask"], "All").inlets == ()


def test_inlets_are_joined_by_name_and_kind_or_bring_a_stand_in():
    effect = sheet()
    splice = cut(effect, ["light"], "Light")
    found = {f.name: f for f in fits(effect, splice)}
    assert found["Mask"].best == "mask" and "mist/uv" not in found["Mask"].options
    assert found["Mist, noise"].best is None and "mist/noise" in found["Mist, noise"].options
    made, own = put(effect, splice, {"mask": "mask"})
    came = [s for s in made.strands if s.of == own]
    assert [s.id for s in came] == ["mist-2", "light-2"]
    assert came[1].beads[0].params["from"].strand == "mask"
    assert [e.strand for e in made.surface.channels.emission] == ["light", "light-2"]
    assert made.strands[: len(effect.strands)] == effect.strands
    with pytest.raises(Refused, match="Mask takes a value; 'mist/uv' gives a coords"):
        put(effect, splice, {"mask": "mist/uv"})
    with pytest.raises(Refused, match="is not there"):
        put(effect, splice, {"mask": "nowhere"})


def test_levers_pictures_and_beacons_come_along_once():
    effect = demo.demo("verdigris-hull")
    splice = cut(effect, [s.id for s in effect.strands], "Hull")
    assert splice.effect.beacons and splice.effect.levers
    host = sheet()
    once, _ = put(host, splice, {})
    twice, _ = put(once, splice, {})
    assert len(once.levers) == len(twice.levers) == len(splice.effect.levers)
    assert len(twice.beacons) == len(splice.effect.beacons) and len(twice.splices) == 2
    build(twice)


def test_a_choice_comes_along_and_sets_what_it_set_under_its_new_names():
    splice = cut(chosen(), ["near"], "Nearness")
    look = next(x for x in splice.effect.levers if x.kind == "choice")
    # What it set of a strand that stays behind is left there.
    kept = [g.place for g in look.options[0].puts]
    assert kept == ["strands/near/beacon-distance/beacon", "strands/near/beacon-distance/end", "beacons/buoy/position"]
    other = chosen().model_copy(update={"beacons": (), "levers": ()})
    made, _ = put(other, splice, {})
    moved = next(x for x in made.levers if x.kind == "choice")
    near = next(s for s in made.strands if s.of)
    assert near.id != "near" and f"strands/{near.id}/beacon-distance/end" in [g.place for g in moved.options[0].puts]
    assert near.beads[1].params["stops"][1].lever in [x.id for x in made.levers if x.kind == "colour"]


def test_a_number_that_follows_another_brings_it():
    follows = {"motion": "follow", "place": "strands/mist/noise/scale"}
    effect = read(
        data(strand("mist", bead("uv"), bead("noise")), strand("on", bead("uv"), bead("noise", scale=follows)))
    )
    splice = cut(effect, ["on"], "On")
    assert [s.id for s in splice.strands] == ["mist", "on"]
    made, _ = put(effect, splice, {})
    assert made.strands[-1].beads[1].params["scale"].place == "strands/mist-2/noise/scale"
    build(made)


# --- bringing up to date ---------------------------------------------------------------------


def changed(effect, where, value):
    plain = effect.model_dump(mode="json")
    here = plain
    for key in where[:-1]:
        here = here[key]
    here[where[-1]] = value
    return read(plain)


def test_what_was_changed_here_stays_and_the_rest_is_as_the_origin_is():
    first = cut(sheet(), ["mist", "mask"], "Mask")
    host, own = put(sheet(), first, {}, "mask")
    at = {s.id: i for i, s in enumerate(host.strands)}
    host = changed(host, ["strands", at["mist-2"], "beads", 1, "params", "scale"], 9.0)
    # The origin has another level, another scale, a bead more, and a strand more.
    plain = json.loads(write_splice(first))
    beads = {s["id"]: s["beads"] for s in plain["effect"]["strands"]}
    beads["mask"][1]["params"]["level"] = 0.7
    beads["mist"][1]["params"]["scale"] = 5.0
    beads["mask"].append({"id": "invert", "kind": "invert"})
    plain["effect"]["strands"].append({"id": "more", "name": "more", "beads": [{"id": "uv", "kind": "uv"}]})
    second = read_splice(plain)
    assert digest(first) != digest(second)
    got = renewed(host, own, second)
    now = {s.id: s for s in got.effect.strands}
    assert now["mist-2"].beads[1].params["scale"] == 9.0
    assert now["mask-2"].beads[1].params["level"] == 0.7
    assert [b.id for b in now["mask-2"].beads] == ["tap", "threshold", "invert"]
    assert now["more"].of == own and got.kept == 1
    assert now["mask-2"].beads[0].params["from"].strand == "mist-2"
    # Nothing else was touched, and once more changes nothing.
    assert [s for s in got.effect.strands if s.of != own] == [s for s in host.strands if s.of != own]
    again = renewed(got.effect, own, second)
    assert again.effect.strands == got.effect.strands


@pytest.mark.parametrize("base", ["", "nonsense", "[1]", '[{"id": "x"}]', '{"a": NaN}', "[" * 5000])
def test_what_it_remembers_may_be_anything(base):
    first = cut(sheet(), ["mist", "mask"], "Mask")
    host, own = put(sheet(), first, {}, "mask")
    lost = host.model_copy(update={"splices": (host.splices[0].model_copy(update={"base": base}),)})
    assert build(renewed(lost, own, first).effect)


IDS = st.dictionaries(
    st.sampled_from(["strands/mist", "strands/mask", "inlets/mist", "levers/x", "nothing"]),
    st.sampled_from(["mist", "mask", "mist/noise", "mist/uv", "", "NOT AN ID", "gone"]) | st.text(max_size=8),
)


@given(IDS)
@settings(max_examples=60)
def test_whatever_is_called_how_it_is_renewed_or_told(ids):
    first = cut(sheet(), ["mask"], "Mask")
    host, own = put(sheet(), first, {}, "mask")
    host = host.model_copy(update={"splices": (host.splices[0].model_copy(update={"ids": ids}),)})
    try:
        assert renewed(host, own, first).effect
    except Refused:
        return


def test_beads_that_were_added_or_taken_away_here_stay_so():
    first = cut(sheet(), ["mist", "mask"], "Mask")
    host, own = put(sheet(), first, {}, "mask")
    at = {s.id: i for i, s in enumerate(host.strands)}
    beads = host.model_dump(mode="json")["strands"][at["mask-2"]]["beads"]
    host = changed(host, ["strands", at["mask-2"], "beads"], [beads[0], {"id": "mine", "kind": "invert"}, beads[1]])
    got = renewed(host, own, first)
    assert [b.id for b in next(s for s in got.effect.strands if s.id == "mask-2").beads] == ["tap", "mine", "threshold"]
    host = changed(host, ["strands", at["mask-2"], "beads"], beads[:1])
    got = renewed(host, own, first)
    assert [b.id for b in next(s for s in got.effect.strands if s.id == "mask-2").beads] == ["tap"]


def test_apart_it_is_strands_like_any_other():
    host, own = put(sheet(), cut(sheet(), ["mist"], "Mist"), {})
    loose = apart(host, own)
    assert loose.splices == () and all(s.of is None for s in loose.strands)
    assert np.array_equal(look(loose), look(host))
    with pytest.raises(Refused, match="no splice"):
        apart(loose, own)


# --- scaled as one ---------------------------------------------------------------------------


SWAY = {"motion": "sway", "amount": 0.05, "base": 0.3}


@pytest.mark.parametrize("times", [0.5, 2.0, 3.0])
def test_scaled_as_one_it_is_at_so_many_times_the_place_what_it_was(times):
    effect = read(
        data(
            strand("relief", bead("object"), bead("noise", scale=3.0)),
            strand("light", bead("world", id="o"), bead("cells", id="c", scale=4.0)),
            strand("near", bead("beacon-distance", id="d", settings={"beacon": "lamp"}, start=0.1, end=SWAY)),
            strand("struck", bead("hits", id="h", speed=0.5, width=0.2, reach=1.5)),
            beacons=[{"id": "lamp", "name": "Lamp", "position": [0.4, 0.5, 0.6]}],
        )
    )
    splice = cut(effect, ["relief", "light", "near", "struck"], "All")
    host, id = put(read(data()), splice, {})
    larger = scaled(host, id, times)
    points, _ = spread(Stage(shape="ball"), 256)
    grown = {k: [x * times for x in v] if k in ("at_object", "at_world") else v for k, v in points.items()}
    for name in ("relief", "light", "near"):
        last = {s.id: s.beads[-1].id for s in host.strands}[name]
        before, after = (
            Evaluation(p, p.beads[f"{name}/{last}"])(where, 0.2, apart=True)[0]
            for p, where in ((build(host), points), (build(larger), grown))
        )
        assert np.ptp(before) > 0.05, name
        np.testing.assert_allclose(after, before, atol=2e-4, err_msg=name)
    struck = next(s for s in larger.strands if s.id == "struck").beads[0].params
    assert struck == pytest.approx({"speed": 0.5 * times, "width": 0.2 * times, "reach": 1.5 * times})
    # And back again it is what it was.
    back = scaled(larger, id, 1 / times)
    assert back.beacons == host.beacons and back.strands[2] == host.strands[2]
    with pytest.raises(Refused, match="scaled by"):
        scaled(host, id, 0.0)


# --- what comes from outside -----------------------------------------------------------------


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"format": "whorl-effect"}, "not a splice"),
        ({"inlets": [{"strand": "nowhere", "gives": "value"}]}, "stands in"),
        ({"inlets": [{"strand": "mist", "gives": "sound"}]}, "gives"),
        ({"more": 1}, "more"),
        ({"effect": {"format": "whorl-effect", "version": 1, "name": "x"}}, "no strand"),
    ],
)
def test_what_is_no_splice_is_told(change, words):
    good = json.loads(write_splice(cut(sheet(), ["mist"], "Mist")))
    with pytest.raises(BadEffect) as told:
        read_splice({**good, **change})
    first = told.value.problems[0]
    assert words in f"{first.place} {first.words}"


@given(
    st.binary(max_size=60)
    | st.recursive(
        st.none() | st.integers() | st.text(max_size=5),
        lambda x: (
            st.lists(x, max_size=3)
            | st.dictionaries(st.sampled_from(["format", "inlets", "effect", "name", "strand"]), x, max_size=4)
        ),
        max_leaves=8,
    ).map(lambda x: json.dumps({"format": "whorl-splice", "version": 1, "effect": x}))
)
@settings(max_examples=150)
def test_whatever_is_read_is_a_splice_or_told(given_):
    with pytest.raises(BadEffect):
        read_splice(given_)


@given(st.lists(st.sampled_from(["mist", "mask", "light"]), min_size=1, unique=True), st.data())
@settings(max_examples=60)
def test_any_choice_joined_anyhow_is_an_effect(chosen, drawn):
    effect = sheet()
    splice = cut(effect, chosen, "Some")
    joins = {}
    for f in fits(effect, splice):
        if option := drawn.draw(st.none() | st.sampled_from(f.options)):
            joins[f.strand] = option
    made, own = put(effect, splice, joins, row=drawn.draw(st.none() | st.integers(0, 5)))
    assert isinstance(made, Effect) and build(made)
    again = renewed(made, own, splice).effect.strands
    assert sorted(again, key=lambda s: s.id) == sorted(made.strands, key=lambda s: s.id)
