"""Splices that ship: each can be put into an empty effect and seen there, and nothing is found wrong with it."""

import numpy as np
import pytest

from whorl import splices
from whorl.checks import of_plan
from whorl.effect import Effect
from whorl.effect.splices import put, read_splice, write_splice
from whorl.plan.build import build
from whorl.stage.frame import picture


def test_all_of_them_ship():
    assert len(splices.slugs()) >= 14
    with pytest.raises(KeyError):
        splices.splice("../demo/fog-gate")


@pytest.mark.parametrize("slug", splices.slugs())
def test_a_splice_shows_itself_and_is_seen_where_it_is_put(slug):
    splice = splices.splice(slug)
    assert splice.words and write_splice(read_splice(write_splice(splice))) == write_splice(splice)
    plan = build(splice.effect)
    assert of_plan(plan) == []
    first, later = (picture(plan, phase, 48, 48)[:3] for phase in (0.1, 0.6))
    # All move but a waterline, which goes with what it stands in.
    assert first.max() > 0.3 and (np.abs(first - later).max() > 0.02 or slug == "waterline-contact")
    # Put on the stage it was made on, joined to nothing, it is what it shows by itself.
    host = Effect(name="Quay", stage=splice.effect.stage, turn=splice.effect.turn)
    made, own = put(host, splice, {}, slug)
    assert {s.of for s in made.strands} == {own} and made.splices[0].origin == slug
    assert np.abs(picture(build(made), 0.1, 48, 48)[:3] - first).max() < 1e-5
