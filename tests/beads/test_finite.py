"""Every kind gives finite values for every finite input: hard limits, both zeros, the smallest and greatest floats."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.documents import bead, effect, strand
from tests.plan.test_random_documents import number
from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import COLOUR, COORDS, DIRECTION, VALUE
from whorl.plan.build import build
from whorl.plan.run.evaluate import evaluate
from whorl.stage import flat

TINY, GREATEST = np.finfo(np.float32).tiny, np.finfo(np.float32).max
ODD = np.array(
    [0.0, -0.0, TINY, -TINY, 1e-45, GREATEST, -GREATEST, 0.5, -0.5, 1.0, 1e9, -1e9, 65536.0, 1e-7, 3.0, -7.25]
)
BENT = strand("bent", bead("uv"), bead("noise", settings={"octaves": 1}), bead("bump"))


def odd_points(seed):
    """Surface points whose coordinates are odd floats, every pair of them somewhere."""
    points = flat.points(32, 32)
    rng = np.random.default_rng(seed)
    for name in ("at_uv", "at_object", "at_world", "at_box", "at_screen"):
        points[name] = [rng.choice(ODD, 1024).astype(np.float32) for _ in range(3)]
    for name in ("at_normal", "at_view", "at_along_u", "at_along_v"):
        points[name] = [rng.choice([0.0, 1.0, -1.0, TINY], 1024).astype(np.float32) for _ in range(3)]
    points["at_distance"] = [rng.choice(np.abs(ODD), 1024).astype(np.float32)]
    return points


def before(spec):
    """What stands before a kind: values far beyond 0..1, odd coordinates, a bent normal."""
    if COORDS in spec.takes:
        return [bead("uv")]
    if DIRECTION in spec.takes:
        return [bead("tap", **{"from": {"strand": "bent"}})]
    wide = [bead("uv"), bead("linear"), bead("remap", settings={"clamped": False}, to_low=-1000, to_high=1000)]
    if COLOUR in spec.takes and VALUE not in spec.takes:
        return [*wide, bead("tint", colour=[64.0, 0.0, 1.0], gain=1000.0)]
    return wide if spec.takes else []


@pytest.mark.parametrize("kind", sorted(CATALOGUE))
def test_a_kind_is_finite_whatever_comes_in(kind):
    spec = CATALOGUE[kind]
    drawn = {p.name: number(p) for p in spec.params if not p.only_fed}

    @settings(max_examples=12, deadline=None)
    @given(st.fixed_dictionaries(drawn), st.integers(0, 99))
    def finite(params, seed):
        if spec.brings:
            params = {**params, spec.brings.name: {"strand": "bent" if spec.brings.feed is DIRECTION else "odd"}}
        params |= {p.name: {"strand": "odd"} for p in spec.params if p.by_strand}
        odd = strand("odd", bead("uv"), bead("linear", direction=[1, -1, 0.5], span=0.001))
        plan = build(effect(BENT, odd, strand("s", *before(spec), bead(kind, "shown", **params))))
        made = evaluate(plan, plan.beads["s/shown"], odd_points(seed), 0.3)
        assert all(np.isfinite(a).all() for a in made)
        if plan.beads["s/shown"].gives is DIRECTION:
            assert np.abs(np.linalg.norm(np.stack(made), axis=0) - 1).max() < 1e-3

    finite()
