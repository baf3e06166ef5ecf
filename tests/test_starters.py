"""Starters: small, readable, looping, steerable, and nothing is found wrong with them."""

import numpy as np
import pytest

from whorl import starters
from whorl.checks import of_plan
from whorl.plan.build import build
from whorl.stage.frame import picture


def test_there_are_enough_of_them():
    assert len(starters.slugs()) >= 10
    with pytest.raises(KeyError):
        starters.starter("../demo/fog-gate")


@pytest.mark.parametrize("slug", starters.slugs())
def test_a_starter_is_small_steerable_and_without_findings(slug):
    made = starters.starter(slug)
    plan = build(made)
    assert of_plan(plan) == []
    assert made.turn.looping and made.notes
    assert 4 <= len(made.levers) <= 8 and all(x.group for x in made.levers)
    assert sum(len(s.beads) for s in made.strands) <= 24
    # It shows something, and it moves.
    first, later = (picture(plan, phase, 48, 48) for phase in (0.1, 0.6))
    assert first[:3].max() > 0.3 and np.abs(first - later).max() > 0.05
