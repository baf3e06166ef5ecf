"""A fault never stops the rest: what has it is drawn as it was, all else follows the edits."""

import pytest

from tests.documents import bead, data, effect, mist, strand
from whorl.effect import read
from whorl.plan.build import standing
from whorl.stage.frame import frame


def feeding(*entries):
    return {"channels": {"emission": [{"strand": e} for e in entries]}}


GOOD = strand("spot", bead("uv"), bead("radial", radius=0.6))


def picture(plan):
    return frame(plan, 0.0, 32, 32)


def test_an_effect_without_faults_stands_as_it_is():
    found = standing(effect(GOOD, surface=feeding("spot")))
    assert found.plan is not None and found.problems == [] and found.stood == []


def test_a_strand_with_a_fault_is_drawn_as_it_was_and_others_follow():
    before = effect(GOOD, mist(scale=3), surface=feeding("spot", "mist"))
    wrong = strand("spot", bead("uv"), bead("radial", radius=0.6), bead("threshold", level=-99999))
    after = effect(wrong, mist(scale=9), surface=feeding("spot", "mist"))
    found = standing(after, before)
    assert found.stood == ["strands/spot"]
    assert [(p.place, p.cause) for p in found.problems] == [
        ("strands/spot/threshold/level", ""),
        ("surface/emission/0", "strands/spot"),
    ]
    wanted = standing(effect(GOOD, mist(scale=9), surface=feeding("spot", "mist"))).plan
    assert (picture(found.plan) == picture(wanted)).all()


def test_what_follows_from_a_fault_names_its_cause_and_goes_on_following_edits():
    wrong = strand("spot", bead("uv"), bead("radial", radius=1e9))
    user = strand("user", bead("tap", **{"from": {"strand": "spot", "bead": None}}), bead("invert"))
    found = standing(effect(wrong, user, surface=feeding("user")), effect(GOOD, surface=feeding("spot")))
    assert [(p.place, p.cause) for p in found.problems] == [
        ("strands/spot/radial/radius", ""),
        ("strands/user/tap/from", "strands/spot"),
        ("surface/emission/0", "strands/user"),
    ]
    # The user of it was not there before; it is drawn upon what its source was.
    assert found.stood == ["strands/spot"]
    wanted = standing(effect(GOOD, user, surface=feeding("user"))).plan
    assert (picture(found.plan) == picture(wanted)).all()


def test_a_new_strand_that_is_wrong_is_drawn_up_to_its_fault():
    wrong = strand("new", bead("uv"), bead("noise"), bead("tile"))
    found = standing(effect(GOOD, wrong, surface=feeding("spot", "new")))
    assert found.stood == ["strands/new"] and list(found.plan.beads) == [
        "spot/uv",
        "spot/radial",
        "new/uv",
        "new/noise",
    ]


@pytest.mark.parametrize(
    "wrong",
    [
        strand("empty"),
        strand("open", bead("noise")),
        strand("self", bead("uv"), bead("noise", scale={"strand": "self", "bead": None})),
        strand("none", bead("uv"), bead("nonsense")),
        strand("spot", bead("uv")),
    ],
)
def test_whatever_is_wrong_with_a_strand_that_feeds_nothing_the_stage_goes_on(wrong):
    found = standing(effect(GOOD, wrong, surface=feeding("spot")))
    assert found.plan is not None
    assert (picture(found.plan) == picture(standing(effect(GOOD, surface=feeding("spot"))).plan)).all()


def test_a_surface_that_points_at_nothing_shows_what_is_left():
    gone = feeding("spot", "never")
    found = standing(effect(GOOD, surface=gone))
    assert found.stood == ["surface"]
    assert (picture(found.plan) == picture(standing(effect(GOOD, surface=feeding("spot"))).plan)).all()


def test_a_compile_tells_what_is_drawn_as_it_was(tmp_path):
    from fastapi.testclient import TestClient

    from whorl.api.app import create_app

    last = data(GOOD, surface=feeding("spot"))
    wrong = data(strand("spot", bead("uv"), bead("radial", radius=1e9)), surface=feeding("spot"))
    with TestClient(create_app(tmp_path), "http://127.0.0.1") as c:
        got = c.post("/api/compile", json={"document": wrong, "last": last}).json()
        assert got["program"]["peeks"] and got["stood"] == ["strands/spot"] and got["problems"][0]["place"]
        assert read(last).strands[0].id == "spot"
        # A last state that cannot be read is no help, and no harm.
        assert c.post("/api/compile", json={"document": wrong, "last": {}}).json()["program"]


def test_what_rests_on_a_bead_that_is_gone_is_drawn_as_it_was_while_the_rest_follows():
    """A rim goes on from a bead that is taken away: the rim stays, and its old source goes on without it."""
    rim = strand("rim", bead("tap", **{"from": {"strand": "spot", "bead": "radial"}}), bead("invert"))
    before = effect(strand("spot", bead("uv"), bead("radial", radius=0.6)), rim, surface=feeding("spot", "rim"))
    other = strand("spot", bead("uv"), bead("noise"))
    loose = strand("rim", bead("tap"), bead("invert"))
    found = standing(effect(other, loose, surface=feeding("spot", "rim")), before)
    assert found.stood == ["strands/rim"]
    both = effect(
        other,
        {**GOOD, "id": "old"},
        strand("rim", bead("tap", **{"from": {"strand": "old", "bead": "radial"}}), bead("invert")),
        surface=feeding("spot", "rim"),
    )
    assert (picture(found.plan) == picture(standing(both).plan)).all()
