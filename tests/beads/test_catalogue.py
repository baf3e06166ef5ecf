"""Every entry of the catalogue: ports that exist, words, ranges that make sense, periods that hold."""

import numpy as np
import pytest

from tests.documents import bead, effect, strand
from whorl.beads.catalogue import CATALOGUE, described
from whorl.effect.sampler import sampler
from whorl.plan.build import build
from whorl.plan.loop import findings
from whorl.stage import flat

KINDS = sorted(CATALOGUE)


@pytest.mark.parametrize("kind", KINDS)
def test_every_port_of_a_kinds_functions_is_in_its_entry(kind):
    spec = CATALOGUE[kind]
    functions = list(spec.shade.values()) if isinstance(spec.shade, dict) else [spec.shade]
    for function in [*functions, *([spec.period] if spec.period else [])]:
        for p in function.tree.params:
            known = p.name in ("below", "p", "period") or p.name.startswith("at_")
            assert known or spec.param(p.name) or spec.setting(p.name), f"{kind}: {p.name}"
    used = {p.name for f in [*functions, *([spec.period] if spec.period else [])] for p in f.tree.params}
    if kind not in ("tap", "constant"):  # whose signal their entry chooses
        assert {p.name for p in spec.inputs} <= used and {s.name for s in spec.settings} <= used


@pytest.mark.parametrize("kind", KINDS)
def test_every_number_says_what_it_does_and_starts_within_its_ranges(kind):
    spec = CATALOGUE[kind]
    assert spec.words.endswith(".") and len(spec.words) > 10
    for p in spec.inputs:
        assert p.words[-1] in ".…" and p.hard[0] <= p.soft[0] < p.soft[1] <= p.hard[1]
        if p.type != "stops":
            assert all(p.soft[0] <= x <= p.soft[1] for x in p.default), f"{kind} {p.name}"
    for s in spec.settings:
        assert s.words.endswith(".")
        assert s.number(s.default) >= 0


def test_the_sampler_shows_every_kind_in_one_program():
    plan = build(sampler())
    assert {f"kind-{k}/shown" for k in CATALOGUE} <= set(plan.beads)


def test_the_described_catalogue_is_plain_data():
    import json

    assert json.loads(json.dumps(described()))[0]["kind"] == "uv"


PATTERNS = [
    bead("noise", settings={"octaves": 2}, scale=4),
    bead("noise", settings={"octaves": 2, "evolution": True, "style": "ridged"}, scale=3, evolve=0.3),
    bead("cells", scale=5),
    bead("hexagons", scale=6),
]


@pytest.mark.parametrize("pattern", PATTERNS, ids=lambda b: b["kind"])
@pytest.mark.parametrize(
    "change",
    [
        bead("tile", count=[2, 3, 1]),
        bead("offset", by=[0.3, 0.1, 0]),
        bead("scroll", offset=[0.25, 0.5, 0]),
        bead("warp", settings={"octaves": 1}, scale=4, amount=0.2),
        bead("rotate", angle=90),
    ],
    ids=lambda b: b["kind"],
)
def test_a_pattern_over_changed_coordinates_meets_itself_at_the_edges_of_the_square(change, pattern):
    e = effect(strand("one", bead("uv"), change, pattern))
    plan = build(e)
    here = flat.points(32, 32)
    edges = []
    for shift in ((0, 0), (1, 0), (0, 1)):
        moved = {**here, "at_uv": [here["at_uv"][i] + np.float32(shift[i]) for i in range(2)]}
        from whorl.plan.evaluate import evaluate

        edges.append(evaluate(plan, plan.beads[f"one/{pattern['id']}"], moved, 0.0)[0])
    for other in edges[1:]:
        apart = np.abs(other - edges[0])
        assert np.quantile(apart, 0.999) < 2e-4, apart.max()
    assert edges[0].std() > 0.02


def test_a_polar_swirl_has_no_line_where_the_angle_wraps():
    e = effect(
        strand(
            "swirl",
            bead("uv"),
            bead("polar"),
            bead("tile", count=[3, 2, 1]),
            bead("noise", settings={"octaves": 3}, scale=2),
        )
    )
    plan = build(e)
    assert findings(plan) == []
    picture = flat.field(plan, plan.beads["swirl/noise"], 256, 0.0)[..., 0]
    # The angle wraps to the left of the middle, between the two middle rows.
    across = np.abs(picture[127, 8:120] - picture[128, 8:120])
    elsewhere = np.abs(picture[127, 136:248] - picture[128, 136:248])
    assert across.max() < 3 * elsewhere.max() and across.mean() < 2 * elsewhere.mean()
