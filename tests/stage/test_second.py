"""A second material on the same shape: each alone where the mask says so, and whole effects taken and exchanged."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from tests.documents import bead, data, strand
from tests.stage.test_places import scene as lit
from whorl import demo, starters
from whorl.effect import camera as cameras
from whorl.effect import read, read_text, write_text
from whorl.effect.places import references
from whorl.effect.second import exchanged, taken
from whorl.effect.value import Feed
from whorl.plan.build import build
from whorl.refused import Refused
from whorl.stage.frame import Sides, frame
from whorl.stage.moved import moved

PAIRS = [
    # One kind, so lit once: solid and lit both.
    ("verdigris-hull", "cold-store"),
    # Clear over see-through, glowing over solid, cut away over clear, a film over a clear body that is displaced.
    ("fog-gate", "soap-lantern"),
    ("moth-crate", "buoy-ward"),
    ("night-river", "moth-crate"),
    ("soap-lantern", "night-river"),
    ("breathing-sail", "amber-prow"),
]


def masked(first, second, mask):
    """One effect with another taken, where a plain strand says so."""
    over = read(data(strand("over", bead("constant", value=mask)))).strands[0]
    e = demo.demo(first)
    e = e.model_copy(update={"strands": (*e.strands, over)})
    return taken(e, demo.demo(second), Feed(strand="over"))[0]


def on_stage_of(first, second):
    """An effect alone on another's stage, with the sides that one shows; edges part where either parts them."""
    e, other = demo.demo(first), demo.demo(second)
    sides = {name: getattr(e.surface, name) for name in ("sides", "far")}
    sides["whole"] = e.surface.whole and other.surface.whole
    surface = other.surface.model_copy(update={**sides, "second": None})
    # Where a strand measures from the first beacon, that stays its own.
    return other.model_copy(update={"stage": e.stage, "turn": e.turn, "surface": surface, "hits": e.hits or other.hits})


def shot(effect, phase, size=72):
    # Without bloom, which would carry what differs on an outline into what lies beside it.
    stage = effect.stage.model_copy(update={"bloom": effect.stage.bloom.model_copy(update={"strength": 0.0})})
    return frame(build(effect.model_copy(update={"stage": stage})), phase, size, size)


def apart(one, other, effect):
    """How far two pictures differ, but on the outline of the shape: where a clear body is about, its far side is drawn
    by itself and laid on the scene, and that outline is softened once more."""
    return np.abs(one - other)[~outline(effect, one.shape[0])].max()


def outline(effect, size):
    sides = Sides(build(effect), effect.stage, cameras.numbers(effect.stage, size, size), 0.0, size, size)
    seen = np.zeros(size * size, bool)
    pixels = sides(True).pixels
    seen[pixels[pixels >= 0]] = True
    lying = seen.reshape(size, size)
    return ndimage.binary_dilation(lying, iterations=2) & ~ndimage.binary_erosion(lying, iterations=2)


@pytest.mark.parametrize(("first", "second"), PAIRS)
def test_each_is_alone_where_the_mask_is_0_or_1(first, second):
    for phase in (0.0, 0.37):
        one = shot(demo.demo(first), phase)
        assert apart(shot(masked(first, second, 0.0), phase), one, demo.demo(first)) < 2 / 255
        other = shot(on_stage_of(first, second), phase)
        assert apart(shot(masked(first, second, 1.0), phase), other, demo.demo(first)) < 2 / 255
        half = shot(masked(first, second, 0.5), phase)
        assert min(np.abs(half - one).max(), np.abs(half - other).max()) > 0.05
        assert np.isfinite(half).all()


@pytest.mark.parametrize(("first", "second"), PAIRS[1:3])
def test_exchanged_each_is_where_the_other_was(first, second):
    e = masked(first, second, 0.0)
    turned = exchanged(e)
    assert np.abs(shot(turned, 0.2) - shot(masked(first, second, 1.0), 0.2)).max() < 1 / 255
    assert exchanged(turned) == e


def test_what_each_covers_is_mixed_in_light():
    """A solid half gone into something that only glows hides half of what is behind, and has half of either's light."""

    def plain(name, colour):
        return strand(name, bead("constant", settings={"gives": "colour"}, colour=colour))

    strands = plain("red", [0.4, 0, 0]), plain("blue", [0, 0, 0.6]), strand("half", bead("constant", value=0.5))
    second = {"composite": "glowing", "strand": "half", "channels": {"emission": [{"strand": "blue"}]}}
    surface = {"composite": "solid", "channels": {"base": [{"strand": "red"}]}, "second": second}
    stage = {"shape": "plane", "backdrop": {"kind": "plain", "colour": [0, 0.8, 0]}, "camera": {"distance": 2}}
    seen = lit(build(read(data(*strands, surface=surface, stage=stage))))[:3, 32, 32]
    assert seen == pytest.approx([0.2, 0.4, 0.3], abs=2e-3)


def test_each_is_moved_by_its_own_amount():
    """Half of one height and half of the other, each in its own units; one along the normal, one in a direction."""
    one = strand("one", bead("constant", value=1.0))
    half = strand("half", bead("constant", value=0.5))

    def raised(**second):
        channels = {"displacement": [{"strand": "one"}]}
        given = {"composite": "solid", "strand": "half", "displacement": 0.3, "channels": channels, **second}
        surface = {"composite": "solid", "displacement": 0.1, "channels": channels, "second": given}
        plan = build(read(data(one, half, surface=surface, stage={"shape": "plane"})))

        mesh = plan.effect.stage.mesh_of()
        return moved(plan, mesh, cameras.numbers(plan.effect.stage, 64, 64), 0.0).positions - mesh.positions

    assert np.allclose(raised(), [0, 0, 0.2], atol=1e-5)
    up = raised(displaced="in a direction", direction=[0, 2, 0])
    assert np.allclose(up, [0, 0.15, 0.05], atol=1e-5)


def test_what_comes_brings_all_that_it_refers_to_and_no_more():
    e, other = demo.demo("fog-gate"), demo.demo("night-river")
    made, own = taken(e, other)
    assert {s.of for s in made.strands} >= {own} and len(made.levers) > len(e.levers)
    ids = {"strand": {s.id for s in made.strands}, "lever": {x.id for x in made.levers}}
    ids |= {"beacon": {b.id for b in made.beacons}, "picture": {a.id for a in made.assets}}
    assert all(r.id in ids[r.kind] for r in references(made) if r.id)
    assert made.stage == e.stage and read_text(write_text(made)) == made
    # What only the second surface of the other needed stays behind.
    again, _ = taken(demo.demo("cold-store"), made)
    assert not any(s.name == "Where Night River shows" for s in again.strands)
    with pytest.raises(Refused, match="goes to its surface"):
        taken(e, read(data(strand("idle", bead("uv")))))
    with pytest.raises(Refused, match="mask"):
        taken(e, other, Feed(strand="nobody"))
    with pytest.raises(Refused, match="no second surface"):
        exchanged(e)


def test_the_front_that_comes_along_passes_from_one_to_the_other_and_back():
    made, _ = taken(starters.starter("film"), starters.starter("ice"))
    first, second = starters.starter("film"), exchanged(made)
    assert np.abs(shot(made, 0.0) - shot(first, 0.0)).max() < 1 / 255
    assert np.abs(shot(made, 0.5) - shot(second, 0.0)).mean() < 0.2
    assert np.abs(shot(made, 0.25) - shot(made, 0.0)).max() > 0.1


OLD = {"strand": "mask", "roughness": 0.9, "channels": {"base": [{"strand": "mist"}]}}


def test_a_second_surface_of_an_older_document_has_the_rest_from_the_first():
    first = {
        "composite": "cut away",
        "lighting": "lit",
        "index": 1.7,
        "film": 400,
        "opacity": 0.8,
        "channels": {
            "base": [{"strand": "mask"}],
            "opacity": [{"strand": "mist"}],
            "film": [{"strand": "mist"}],
            "normal": [],
        },
    }
    strands = strand("mist", bead("uv"), bead("noise")), strand("mask", bead("uv"), bead("linear"))
    e = read(data(*strands, surface={**first, "second": OLD}))
    two = e.surface.second
    assert (two.composite, two.lighting, two.index, two.film, two.roughness) == ("cut away", "lit", 1.7, 400, 0.9)
    assert [x.strand for x in two.channels.film] == [x.strand for x in two.channels.opacity] == ["mist"]
    assert two.channels.base[0].strand == "mist" and two.opacity == 0.8
    assert read_text(write_text(e)) == e
    own = {**OLD, "channels": {**OLD["channels"], "opacity": [{"strand": "mask"}]}}
    two = read(data(*strands, surface={**first, "second": own})).surface.second
    assert two.opacity == 1.0 and [x.strand for x in two.channels.opacity] == ["mask"]


@given(st.lists(st.sampled_from(demo.slugs()), min_size=2, max_size=3, unique=True), st.floats(0, 1))
@settings(max_examples=15, deadline=None)
def test_any_effect_takes_any_other_and_stays_finite(slugs, phase):
    """And a third in the place of the second."""
    e = demo.demo(slugs[0])
    for slug in slugs[1:]:
        try:
            e, _ = taken(e, demo.demo(slug))
        except Refused as refused:
            assert "an effect" in str(refused)
            return
    assert read_text(write_text(e)) == e
    assert np.isfinite(shot(e, phase, 24)).all()


def test_a_strand_that_is_heard_alone_is_so_in_both_materials():
    """One that feeds the second is heard there; one that feeds neither glows all over."""

    def lit_by(*alone):
        def plain(name, colour):
            made = strand(name, bead("constant", settings={"gives": "colour"}, colour=colour))
            return made | {"solo": name in alone}

        strands = plain("red", [1, 0, 0]), plain("blue", [0, 0, 1]), plain("green", [0, 1, 0])
        half = strand("half", bead("constant", value=0.5))
        second = {"composite": "solid", "strand": "half", "channels": {"emission": [{"strand": "blue"}]}}
        surface = {"composite": "solid", "channels": {"emission": [{"strand": "red"}]}, "second": second}
        stage = {"shape": "plane", "camera": {"distance": 2}}
        return lit(build(read(data(*strands, half, surface=surface, stage=stage))))[:3, 32, 32]

    assert lit_by() == pytest.approx([0.5, 0, 0.5], abs=1e-3)
    assert lit_by("blue") == pytest.approx([0, 0, 0.5], abs=1e-3)
    assert lit_by("red") == pytest.approx([0.5, 0, 0], abs=1e-3)
    assert lit_by("green") == pytest.approx([0, 1, 0], abs=1e-3)
