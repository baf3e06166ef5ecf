"""Findings: what cannot act, what shows nothing, and joins that only measuring finds."""

import numpy as np
import pytest

from tests.documents import bead, data, effect, mist, strand
from whorl import demo
from whorl.checks import check
from whorl.effect import BadEffect, read
from whorl.effect.places import changed
from whorl.plan.build import build
from whorl.stage import flat


def kinds(document) -> list[tuple[str, str]]:
    return [(f.kind, f.place) for f in check(read(document))]


def mended(document, index=0, which=0):
    """The findings that are left once a mend was applied."""
    made = read(document)
    for change in check(made)[index].mends[which].changes:
        made = changed(made, change.place, change.value)
    return [(f.kind, f.place) for f in check(made)]


def phased(factor, *after, param="churn"):
    """A noise that is changed by so many times the phase of the turn, through a tap."""
    return data(
        strand("ph", bead("phase"), bead("remap", settings={"clamped": False}, to_high=factor)),
        strand("tp", bead("tap", **{"from": {"strand": "ph"}}), *after),
        strand("n", bead("uv"), bead("noise", settings={"churns": True}, **{param: {"strand": "tp"}})),
        surface={"channels": {"emission": [{"strand": "n"}]}},
    )


@pytest.mark.parametrize(("factor", "is_open"), [(1.5, True), (1.0, False), (2.0, False), (0.25, True)])
def test_a_phase_that_is_fed_on_is_followed_to_what_it_moves(factor, is_open):
    found = check(read(phased(factor)))
    assert [(f.kind, f.place) for f in found] == ([("open loop", "strands/n/noise/churn")] if is_open else [])
    if is_open:
        assert f"from {factor:g} to 0" in found[0].words


def test_what_makes_a_phase_come_back_closes_the_loop():
    assert kinds(phased(1.0, bead("sine"), param="scale")) == []


def test_a_phase_straight_on_a_channel_is_an_open_loop_told_once():
    document = data(strand("ph", bead("phase"), bead("invert")), surface={"channels": {"emission": [{"strand": "ph"}]}})
    assert kinds(document) == [("open loop", "surface/emission/0")]


@pytest.mark.parametrize("slug", demo.slugs())
def test_nothing_but_bounds_is_found_in_the_demo_effects(slug):
    assert {f.kind for f in check(demo.demo(slug))} <= {"bounds"}


@pytest.mark.parametrize(
    ("surface", "place", "mends"),
    [
        ({"composite": "solid"}, "surface/opacity", ["make it cut away", "make it see-through", "make it glow"]),
        ({}, "surface/metallic", ["make it lit"]),
        ({"composite": "glowing"}, "surface/refraction", ["make it a clear body"]),
        ({}, "surface/roughness", ["make it lit", "make it a clear body"]),
        ({"lighting": "lit"}, "surface/film", ["give it a film"]),
    ],
)
def test_a_channel_that_cannot_act_is_told_and_every_mend_lets_it_act(surface, place, mends):
    channel = place.split("/")[1]
    for i, words in enumerate(mends):
        document = data(
            mist(), surface={**surface, "channels": {"emission": [{"strand": "mist"}], channel: [{"strand": "mist"}]}}
        )
        found = check(read(document))
        assert [(f.kind, f.place) for f in found] == [("channel cannot act", place)]
        assert [m.words for m in found[0].mends] == mends and words == mends[i]
        assert mended(document, which=i) == []


def test_roughness_acts_on_a_clear_body_that_is_self_lit():
    channels = {"emission": [{"strand": "mist"}], "roughness": [{"strand": "mist"}]}
    assert kinds(data(mist(), surface={"body": "filled", "opacity": 0.2, "channels": channels})) == []


def test_channels_of_a_second_surface_act_by_how_that_one_is():
    channels = {name: [{"strand": "mist"}] for name in ("film", "absorption", "base")}
    second = {"composite": "see-through", "strand": "mist", "channels": channels}
    given = {"lighting": "lit", "film": 300, "channels": {"emission": [{"strand": "mist"}]}, "second": second}
    document = data(mist(), surface=given)
    assert kinds(document) == [
        ("channel cannot act", "surface/second/absorption"),
        ("channel cannot act", "surface/second/film"),
    ]
    glass = data(mist(), surface={**given, "second": {**second, "body": "filled", "opacity": 0.2}})
    assert kinds(glass) == [("channel cannot act", "surface/second/film")]
    glass["surface"]["second"] |= {"lighting": "lit", "film": 300}
    assert kinds(glass) == []


def test_light_that_is_cast_on_nothing_is_told():
    surface = {"channels": {"emission": [{"strand": "mist"}], "cast": [{"strand": "mist"}]}}
    off = {"shape": "box", "lamps": {"key": {"on": False}}}
    found = check(effect(mist(), surface=surface, stage=off))
    assert [f.kind for f in found] == ["light on nothing"] * 3
    assert "plane, level, disc, ball" in found[0].words
    ready = {"shape": "plane", "neighbours": {"wall": {"on": True}}}
    assert check(effect(mist(), surface=surface, stage=ready)) == []
    assert mended({**data(mist(), surface=surface), "stage": {"shape": "plane"}}, which=1) == []


def test_a_body_that_hides_all_is_told():
    surface = {"body": "filled", "channels": {"emission": [{"strand": "mist"}]}}
    document = data(mist(), surface=surface)
    assert kinds(document) == [("opacity hides the body", "surface/opacity")]
    assert mended(document) == []


def test_the_bounds_are_those_of_the_quickest_motion_and_of_the_mesh_in_use():
    """A box that swells to 0.4 twice a turn, at phases that quarters miss."""
    sway = {"motion": "sway", "amount": 0.2, "base": 0.2, "cycles": 2, "start": 0.0}
    surface = {"composite": "solid", "displacement": 1.0}
    channels = {"base": [{"strand": "mist"}], "displacement": [{"strand": "h"}]}
    stage = {"shape": "box", "subdivision": 2}
    found = check(
        effect(
            mist(), strand("h", bead("constant", value=sway)), surface={**surface, "channels": channels}, stage=stage
        )
    )
    assert [f.kind for f in found] == ["bounds"] and "0.4 units" in found[0].words and "0.125" in found[0].words
    # Only the middle of each side swells, where the coarsest mesh has no vertex.
    spot = strand("h", bead("uv"), bead("radial", radius=0.2), bead("remap", to_high=0.4))
    (found,) = check(effect(mist(), spot, surface={**surface, "channels": channels}, stage=stage))
    assert found.kind == "bounds" and float(found.words.split(" units")[0].split()[-1]) > 0.35


@pytest.mark.parametrize("kind", ["contact", "depth-behind"])
def test_what_measures_neighbours_says_so_where_there_are_none(kind):
    lonely = effect(strand("s", bead(kind)), surface={"channels": {"emission": [{"strand": "s"}]}})
    found = [f for f in check(lonely) if f.kind == "no neighbour"]
    assert [f.place for f in found] == [f"strands/s/{kind}"]
    assert [m.words for m in found[0].mends] == ["put up a floor", "put up a wall", "put up a post", "put up a ball"]
    for mend in found[0].mends:
        made = lonely
        for change in mend.changes:
            made = changed(made, change.place, change.value)
        assert not [f for f in check(made) if f.kind == "no neighbour"]


def driven(far, near, rounds=1):
    """Two layers that one strand drives, each so many repeats a round."""

    def layer(id, ratio):
        moved = bead("scroll", offset=[ratio, 0, 0], driver={"strand": "speed"})
        return strand(id, bead("uv"), moved, bead("noise", scale=6, settings={"octaves": 1}))

    return data(
        strand("speed", bead("phase", rounds=rounds)),
        layer("far", far),
        layer("near", near),
        surface={"channels": {"emission": [{"strand": "far"}, {"strand": "near"}]}},
    )


def test_one_strand_drives_several_layers_at_ratios_of_their_own():
    """At every phase each is where a scroll of so many repeats a turn would have brought it."""
    plan = build(read(driven(1, 2, rounds=3)))
    drift = bead("scroll", offset={"motion": "drift", "cycles": [6, 0, 0], "base": [0, 0, 0]})
    alone = build(read(data(strand("near", bead("uv"), drift, bead("noise", scale=6, settings={"octaves": 1})))))
    for phase in (0.0, 0.3, 0.9):
        got = flat.field(plan, plan.beads["near/noise"], 24, phase)
        np.testing.assert_allclose(got, flat.field(alone, alone.beads["near/noise"], 24, phase), atol=2e-3)
    assert plan.beads["near/scroll"].period.at(0.0) == (1.0, 1.0, 2.0)


@pytest.mark.parametrize(
    ("far", "near", "rounds", "open_at"), [(1, 2, 3, []), (1, 1.5, 1, ["near"]), (0.5, 1.5, 2, [])]
)
def test_what_is_driven_closes_where_its_ratio_comes_to_whole_repeats(far, near, rounds, open_at):
    found = [f for f in check(read(driven(far, near, rounds))) if f.kind == "open loop"]
    assert [f.place for f in found] == [f"strands/{s}/scroll/driver" for s in open_at]


def test_what_drives_is_a_strand_and_no_number():
    with pytest.raises(BadEffect, match="driven by takes a strand, not a number"):
        build(read(data(strand("s", bead("uv"), bead("offset", by=[1, 0, 0], driver=2.0)))))


# --- matter, edges and levels ---------------------------------------------------------------

GLASS = {"composite": "see-through", "body": "filled", "opacity": 0.0}


def found(document, kind):
    """The findings of a kind, each with what is left of its kind when each mend is taken."""
    made = read(document)
    out = [f for f in check(made) if f.kind == kind]
    for f in out:
        assert f.why and f.bad
        for mend in f.mends:
            mended = made
            for change in mend.changes:
                mended = changed(mended, change.place, change.value)
            assert not [g for g in check(mended) if g.kind == kind and g.place == f.place], mend.words
    return out


@pytest.mark.parametrize(
    ("film", "told"),
    [
        (350.0, 0),
        (60.0, 1),
        (1800.0, 1),
        (0.0, 0),
        ({"motion": "sway", "base": 300, "amount": 280}, 0),
        ({"motion": "sway", "base": 2000, "amount": 300}, 1),
    ],
)
def test_a_film_that_never_shows_colour_is_told(film, told):
    document = data(mist(), surface={"lighting": "lit", "film": film, "channels": {"base": [{"strand": "mist"}]}})
    assert len(found(document, "thin film out of range")) == told
    # Without light there is no film to speak of.
    document["surface"]["lighting"] = "self-lit"
    assert not found(document, "thin film out of range")


@pytest.mark.parametrize(
    ("absorbed", "told"), [([0.5, 0.9, 0.8], 0), ([0.0, 0.6, 0.5], 1), ([0.9, 0.001, 0.01], 1), ([0.0, 0.0, 0.0], 0)]
)
def test_a_colour_that_turns_to_mud_in_depth_is_told(absorbed, told):
    """By Beer and Lambert: what is left at twice the depth is the square."""
    got = found(data(surface={**GLASS, "absorbed": absorbed}), "muddy absorption")
    assert len(got) == told
    if told:
        assert min(absorbed) ** 2 < 4e-4
        (change,) = got[0].mends[0].changes
        assert min(change.value) ** 2 > 3e-3 and max(change.value) == max(absorbed)


@pytest.mark.parametrize(("shape", "whole", "told"), [("box", False, 1), ("box", True, 0), ("ball", False, 0)])
def test_edges_that_part_are_told_on_shapes_that_have_some(shape, whole, told):
    surface = {"composite": "solid", "whole": whole, "displacement": 0.3}
    surface["channels"] = {"displacement": [{"strand": "mist"}], "base": [{"strand": "mist"}]}
    assert len(found(data(mist(), surface=surface, stage={"shape": shape}), "torn edges")) == told


@pytest.mark.parametrize(("width", "told"), [(0.1, 0), (0.0, 1)])
def test_a_line_that_is_no_line_is_told(width, told):
    line = strand("line", bead("uv"), bead("noise"), bead("rim", level=0.5, width=width))
    got = found(data(line, surface={"channels": {"emission": [{"strand": "line"}]}}), "wrong one of two levels")
    assert len(got) == told


def test_every_kind_that_is_found_is_one_that_is_told_of():
    """Whatever a check gives stands in the list, and the worst comes first."""
    from whorl.checks import KINDS, Bad

    assert [b.code for b in Bad] == sorted((b.code for b in Bad), reverse=True)
    assert all(k.why.endswith(".") for k in KINDS.values())
