"""Numbers that follow others, in a whole effect: values, faults, and what becomes of them."""

import pytest

from tests.documents import bead, effect, strand
from whorl.checks import check
from whorl.effect import BadEffect
from whorl.effect.places import references
from whorl.motion.followed import followable
from whorl.plan.build import build


def chain(*links, turn=None):
    """Thresholds whose levels are as given, the first a sway."""
    first = {"motion": "sway", "amount": 0.2, "base": 0.5}
    beads = [bead("threshold", f"t{i}", level=value) for i, value in enumerate([first, *links])]
    return effect(strand("s", bead("uv"), bead("noise"), *beads), turn=turn or {})


def follow(i, **more):
    return {"motion": "follow", "place": f"strands/s/t{i}/level", "delay": 0.1, "gain": 0.5, "about": 0.25, **more}


def level(plan, i, phase):
    return next(u for u in plan.uniforms if u.place == f"strands/s/t{i}/level").at(phase)[0]


def test_a_follow_of_a_follow_is_later_and_weaker_twice():
    plan = build(chain(follow(0), follow(1)))
    for phase in (0.0, 0.3, 0.9):
        assert level(plan, 1, phase) == pytest.approx(0.25 + 0.5 * level(plan, 0, (phase - 0.1) % 1))
        assert level(plan, 2, phase) == pytest.approx(0.25 + 0.5 * level(plan, 1, (phase - 0.1) % 1))
    assert "open loop" not in [f.kind for f in check(plan.effect)]


@pytest.mark.parametrize(
    ("links", "said"),
    [
        ((follow(2), follow(1)), "follows what follows it"),
        ((follow(1),), "follows what follows it"),
        ((follow(7),), "no number at"),
        (({**follow(0), "place": ""},), "choose the number"),
        (({**follow(0), "place": "stage/shape"},), "no number at"),
        (({**follow(0), "place": "strands/s/uv/level"},), "no number at"),
        (({**follow(0), "gain": 1e5},), "in motion level reaches"),
    ],
)
def test_what_cannot_be_followed_is_said_at_its_place(links, said):
    with pytest.raises(BadEffect) as caught:
        build(chain(*links))
    assert any(said in p.words and p.place.startswith("strands/s/t") for p in caught.value.problems)


def test_a_still_number_and_one_of_the_stage_are_followed_too():
    plan = build(chain({**follow(0), "place": "stage/lamps/key/strength", "gain": 0.1, "about": 0.0}))
    assert level(plan, 1, 0.4) == pytest.approx(0.16)


def test_what_follows_refers_to_what_it_follows():
    made = chain(follow(0))
    assert [(r.place, r.id, r.bead) for r in references(made)] == [("strands/s/t1/level", "s", "t0")]
    assert followable(made) == ["strands/s/t0/level", "strands/s/t1/level"]
    apart = {"motion": "apart", "axes": [follow(0), 0.0, 0.0]}
    many = effect(*made.model_dump(mode="json")["strands"], strand("p", bead("uv"), bead("offset", by=apart)))
    assert ("strands/p/offset/by/axes/0", "s") in [(r.place, r.id) for r in references(many)]
    assert build(many).uniforms


def test_a_turn_that_plays_once_is_asked_for_no_loop():
    drifting = {"motion": "drift", "cycles": 0.4, "base": 0.1}
    looping, once = (
        effect(
            strand("s", bead("uv"), bead("noise"), bead("threshold", level=drifting)),
            turn={"plays": plays, "seconds": 1.0},
        )
        for plays in ("looping", "once")
    )
    assert "open loop" in [f.kind for f in check(looping)]
    assert "open loop" not in [f.kind for f in check(once)]
    plan = build(once)
    uniform = next(u for u in plan.uniforms if u.place.endswith("level"))
    rows = uniform.track.rows(once.turn.phases)[:, 0]
    assert rows[0] == pytest.approx(0.1) and rows[-1] == pytest.approx(0.5) and len(rows) == 24
