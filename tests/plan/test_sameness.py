"""What pictures are made from: where that stays, so does the picture; and it stays wherever it can."""

import json

import numpy as np
import pytest

from tests.documents import bead, data, effect, mist, strand
from whorl import demo
from whorl.effect import BadEffect, read
from whorl.effect.read import write_text
from whorl.plan.build import build
from whorl.plan.print.sameness import Sameness
from whorl.stage import flat


def made(plan, phase=0.25):
    """By place, what each bead's picture is made from, with the numbers that are read for it."""
    same, told = Sameness(plan), [u for u in plan.uniforms if u.made is None]
    of = {place: same.bead(node) for place, node in plan.beads.items()}
    return {place: (o.name, [told[i].at(phase) for i in o.asks]) for place, o in of.items()}


def whole(plan, phase=0.25):
    of, told = Sameness(plan).picture(), [u for u in plan.uniforms if u.made is None]
    return of.name, [told[i].at(phase) for i in of.asks]


def pair(**noise):
    return (mist(**noise), strand("ramp", bead("uv"), bead("radial"), bead("invert"), bead("power", exponent=2)))


def kept(before, after):
    one, two = made(build(before)), made(build(after))
    return {place for place in one if one[place] == two.get(place)}


def test_a_number_changes_its_bead_and_what_comes_after_it_alone():
    before = effect(*pair())
    ramp = strand("ramp", bead("uv"), bead("radial"), bead("invert"), bead("power", exponent=3))
    assert kept(before, effect(mist(), ramp)) == set(made(build(before))) - {"ramp/power"}
    assert kept(before, effect(*pair(scale=3))) == {"mist/uv", *(p for p in made(build(before)) if "ramp" in p)}


def test_a_bead_put_in_leaves_what_comes_before_it_and_other_strands():
    before = effect(*pair())
    more = strand("ramp", bead("uv"), bead("radial"), bead("contrast"), bead("invert"), bead("power", exponent=2))
    assert kept(before, effect(mist(), more)) == {"mist/uv", "mist/noise", "ramp/uv", "ramp/radial"}
    # A strand that is put before them numbers all uniforms anew.
    first = strand("first", bead("uv"), bead("tile", count=[3, 3]), bead("radial"))
    assert kept(before, effect(first, *pair())) == set(made(build(before)))


def test_names_and_what_feeds_nothing_leave_the_picture():
    document = data(*pair(), surface={"channels": {"emission": [{"strand": "mist"}]}})
    before = whole(build(read(document)))
    document["strands"].append(strand("more", bead("uv"), bead("linear")))
    document["name"] = document["strands"][0]["name"] = "Another"
    assert whole(build(read(document))) == before
    document["strands"][0]["beads"][1]["params"]["scale"] = 7
    assert whole(build(read(document))) != before


def test_what_moves_the_shape_is_in_every_picture_of_it():
    channels = {"emission": [{"strand": "ramp"}], "displacement": [{"strand": "mist"}]}
    before = effect(*pair(), surface={"channels": channels})
    assert kept(before, effect(*pair(scale=3), surface={"channels": channels})) == set()


@pytest.mark.parametrize("slug", ["fog-gate", "buoy-ward", "signal-lamp"])
def test_wherever_it_stays_the_picture_is_the_same_and_it_moves_with_the_turn(slug):
    """Muting, taking away or turning one bead after another: pictures of the same name and numbers are the same."""
    before = build(demo.demo(slug))
    known = made(before)
    shown: dict[str, np.ndarray] = {}
    stayed = 0
    rng = np.random.default_rng(7)
    places = [p for p in before.beads if p.count("/") == 1]
    moved = {p for p, m in known.items() if m != made(before, 0.5)[p]}
    for place in rng.choice(places, 10, replace=False):
        document = json.loads(write_text(before.effect))
        strand_id, bead_id = place.split("/")
        for s in document["strands"]:
            for b in s["beads"]:
                if (s["id"], b["id"]) == (strand_id, bead_id):
                    b["muted"] = not b.get("muted", False)
        try:
            after = build(read(document))
        except BadEffect:
            # What comes after a source needs it.
            continue
        same = {p for p, m in made(after).items() if m == known.get(p)}
        stayed += len(same)
        for p in same & moved:
            if p not in shown:
                shown[p] = flat.field(before, before.beads[p], 8, 0.25)
            assert np.array_equal(shown[p], flat.field(after, after.beads[p], 8, 0.25)), p
    assert stayed > 50
    for p in set(places) - moved:
        at = [flat.field(before, before.beads[p], 8, phase) for phase in (0.25, 0.5)]
        assert np.array_equal(*at), p
