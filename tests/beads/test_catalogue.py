"""Every entry of the catalogue: ports that exist, words, ranges that make sense, periods that hold."""

import numpy as np
import pytest

from tests.documents import bead, effect, mist, strand
from whorl.beads.catalogue import CATALOGUE, described, fits, put_before, refuses
from whorl.beads.spec import COORDS, LISTS
from whorl.checks import of_plan
from whorl.effect import BadEffect
from whorl.effect.sampler import sampler
from whorl.plan.build import build
from whorl.plan.loop import findings
from whorl.plan.print.program import program
from whorl.plan.run.evaluate import evaluate
from whorl.stage import flat

KINDS = sorted(CATALOGUE)


@pytest.mark.parametrize("kind", KINDS)
def test_every_port_of_a_kinds_functions_is_in_its_entry(kind):
    spec = CATALOGUE[kind]
    functions = list(spec.shade.values()) if isinstance(spec.shade, dict) else [spec.shade]
    for function in [*functions, *([spec.period] if spec.period else [])]:
        for p in function.tree.params:
            known = p.name in ("below", "p", "period", "footprint", "texel", "beside", "beyond") or p.name.startswith(
                "at_"
            )
            known |= p.name.endswith("_footprint") and spec.param(p.name.removesuffix("_footprint")) is not None
            assert known or spec.param(p.name) or spec.setting(p.name), f"{kind}: {p.name}"
    used = {p.name for f in [*functions, *([spec.period] if spec.period else [])] for p in f.tree.params}
    if any("footprint" in name for name in used):
        used.add("edges")  # which says whether there is a footprint
    if "at_beacon" in used:
        used.add("beacon")  # which says from which
    if "at_ranks" in used:
        used.add("over")  # which says of what
    if "texel" in used:
        used |= {"picture", "wrap", "seams", "blend", "filter", "encoding", "detail"}  # which say what it holds
    if "at_side_x" in used:
        used |= {"scale", "space"}  # which say where the three sides lie
    if kind not in (
        "tap",
        "parallax",
        "seen-below",
        "constant",
        "hexagons",
        "hexagon-ball",
        "image",
        "formula",
        "behind",
    ):  # whose signal their entry chooses
        assert {p.name for p in spec.inputs} <= used and {s.name for s in spec.settings} <= used


@pytest.mark.parametrize("kind", KINDS)
def test_every_number_says_what_it_does_and_starts_within_its_ranges(kind):
    spec = CATALOGUE[kind]
    assert spec.words.endswith(".") and len(spec.words) > 10
    for p in spec.inputs:
        assert p.words[-1] in ".…" and p.hard[0] <= p.soft[0] < p.soft[1] <= p.hard[1]
        if p.type not in LISTS:
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
    bead("noise", settings={"octaves": 2, "churns": True, "style": "ridged"}, scale=3, churn=0.3),
    bead("cells", scale=5),
    bead("hexagons", scale=6),
    bead("noise", "values", settings={"octaves": 2, "style": "values"}, scale=4),
    bead("noise", "line", settings={"octaves": 2, "dimensions": "1"}, scale=4),
    bead("cells", "smooth", settings={"result": "smooth", "metric": "diamond"}, scale=4),
    bead("bricks", settings={"result": "random"}, count=[4, 6]),
    bead("bricks", "joints", count=[4, 6]),
    bead("checker", scale=3),
    bead("grid", scale=5),
    bead("dots", scale=6, jitter=1, stagger=0.5),
    bead("bands", settings={"lines": 3}, count=[4, 12, 3], offset=[0.3, 0.1, 0]),
    bead("waves", settings={"shape": "saw"}, count=5),
    bead("random", scale=7),
]


@pytest.mark.parametrize("pattern", PATTERNS, ids=lambda b: b["id"])
@pytest.mark.parametrize(
    "change",
    [
        bead("tile", count=[2, 3, 1]),
        bead("offset", by=[0.3, 0.1, 0]),
        bead("scroll", offset=[0.25, 0.5, 0]),
        bead("warp", settings={"octaves": 1}, scale=4, amount=0.2),
        bead("rotate", angle=90),
        bead("scale", size=[0.5, 0.25, 1]),
        bead("twirl", radius=0.4),
        bead("wobble", count=[3, 2], amount=[0.05, 0.1]),
    ],
    ids=lambda b: b["kind"],
)
def test_a_pattern_over_changed_coordinates_meets_itself_at_the_edges_of_the_square(change, pattern):
    e = effect(strand("one", bead("uv"), change, pattern))
    plan = build(e)
    here = flat.points(32, 32)
    edges = []
    for shift in ((0, 0, 0), (1, 0, 0), (0, 1, 0)):
        moved = {**here, "at_uv": [here["at_uv"][i] + np.float32(shift[i]) for i in range(3)]}
        edges.append(evaluate(plan, plan.beads[f"one/{pattern['id']}"], moved, 0.0)[0])
    hard = pattern["kind"] in ("random", "bricks") or pattern.get("settings", {}).get("shape") == "saw"
    for other in edges[1:]:
        apart = np.abs(other - edges[0])
        # A step between two cells may fall to either side of a sample, where float32 has run out.
        assert np.quantile(apart, 0.99 if hard else 0.999) < 2e-4, apart.max()
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


@pytest.mark.parametrize(
    ("kind", "number"),
    [
        ("noise", "churn"),
        ("cells", "churn"),
        ("waves", "phase"),
        ("spiral", "turn"),
        ("angular", "turn"),
        ("wobble", "phase"),
        ("warp", "churn"),
    ],
)
def test_a_whole_turn_of_what_wraps_comes_back(kind, number):
    settings = {"churns": True} if kind in ("noise", "warp") else {}

    def at(x):
        shown = [] if CATALOGUE[kind].gives is not COORDS else [bead("noise", "shown")]
        e = effect(strand("s", bead("uv"), bead(kind, settings=settings, **{number: x}), *shown))
        return flat.field(build(e), build(e).beads[f"s/{shown[0]['id'] if shown else kind}"], 32, 0.0)

    assert np.abs(at(1.0) - at(0.0)).max() < 1e-5
    assert np.abs(at(0.4) - at(0.0)).mean() > 1e-3


@pytest.mark.parametrize(
    ("change", "period"),
    [
        (bead("mirror"), (0, 1)),
        (bead("mirror", settings={"axis": "y"}), (1, 0)),
        (bead("snap", count=[4, 2.5, 0]), (1, 0)),
        (bead("scale", size=[2, 0.5, 1]), (0.5, 2)),
        (bead("twirl", radius=0.6), (0, 0)),
        (bead("twirl", radius=0.5), (1, 1)),
        (bead("wobble", count=[2.5, 1], amount=[0.1, 0]), (1, 0)),
        (bead("wobble", count=[3, 1], amount=[0.1, 0]), (1, 1)),
        (bead("push", by=0.3), (1, 1)),
        (bead("polar"), (1, 0)),
        (bead("hexagons", settings={"result": "centre"}), (1, 1)),
    ],
)
def test_each_change_of_coordinates_carries_or_ends_the_period_as_its_rule_says(change, period):
    plan = build(effect(strand("s", bead("uv"), change)))
    assert plan.beads[f"s/{change['id']}"].period.at(0.0)[:2] == pytest.approx(period)


def test_noise_over_the_middles_of_hexagons_is_one_value_a_cell():
    chain = [bead("uv"), bead("hexagons", settings={"result": "centre"}, scale=4), bead("noise", scale=8)]
    plan = build(effect(strand("s", *chain)))
    picture = flat.field(plan, plan.beads["s/noise"], 64, 0.0)[..., 0]
    # Four columns, and rows of which two whole ones and parts of others fit: few values, each of many pixels.
    values, counts = np.unique(np.round(picture, 4), return_counts=True)
    assert 10 < len(values[counts > 20]) < 60


SOURCES = [k for k, b in CATALOGUE.items() if b.is_source and b.gives is COORDS]
TAKERS = [k for k, b in CATALOGUE.items() if COORDS in b.takes]


@pytest.mark.parametrize("source", SOURCES)
def test_every_source_of_coordinates_goes_into_every_bead_that_takes_them(source):
    """Checked, printed and drawn, from a beacon or without one."""
    for kind in TAKERS:
        for beacons in ([], [{"id": "b", "name": "B"}]):
            made = effect(
                mist(), strand("s", bead(source, "from"), bead(kind, "to")), beacons=beacons, stage={"shape": "ball"}
            )
            plan = build(made)
            of_plan(plan)
            assert "void main" in program(plan).fragment
        assert np.isfinite(flat.field(plan, plan.beads["s/to"], 8, 0.3)).all(), (source, kind)


def _faults(*kinds: str) -> list[str]:
    try:
        build(effect(strand("s", *[bead(k, f"b{i}") for i, k in enumerate(kinds)])))
    except BadEffect as e:
        return [p.words for p in e.problems]
    return []


@pytest.mark.parametrize("kind", CATALOGUE)
def test_a_bead_fits_where_it_is_said_to_and_is_refused_elsewhere(kind):
    """Behind nothing and behind every signal, as the builder judges it."""
    begun = {"": [], "coords": ["uv"], "value": ["uv", "noise"], "colour": ["uv", "noise", "ramp"]}
    begun["direction"] = ["uv", "noise", "bump"]
    for comes, fit in fits(CATALOGUE[kind]).items():
        kinds = [*begun[comes], *fit["brings"], kind]
        # A picture, or the strand that a bead brings in, is chosen afterwards.
        faults = [w for w in _faults(*kinds) if "takes a strand" not in w and "needs" not in w]
        assert bool(faults) == (fit["misfit"] is not None), (comes, faults)
    for comes, chain in begun.items():
        for after in ("contrast", "uv", "tile"):
            words = [w for w in _faults(*chain, after) if "starts a strand" in w or w.startswith(after)]
            assert not comes or bool(words) == (comes in refuses(CATALOGUE[after])), (comes, after, words)


@pytest.mark.parametrize("kind", [b.kind for b in CATALOGUE.values() if not b.is_source])
def test_what_is_put_before_a_bead_makes_a_strand_that_can_be_drawn(kind):
    """From nothing and from coordinates, as the finder puts them: no fault but those of what it has to be told."""
    for comes_in, chain in put_before(CATALOGUE[kind]).items():
        kinds = [*(["uv"] if comes_in else []), *chain, kind]
        try:
            build(effect(strand("s", *[bead(k, f"b{i}") for i, k in enumerate(kinds)])))
        except BadEffect as e:
            # A picture, or the strand that a bead brings in, is chosen afterwards.
            assert all("takes a strand" in p.words or "needs" in p.words for p in e.problems), e.problems


@pytest.mark.parametrize("kind", KINDS)
def test_no_two_numbers_or_settings_of_a_kind_share_a_name(kind):
    spec = CATALOGUE[kind]
    names = [p.name for p in spec.inputs] + [s.name for s in spec.settings]
    assert len(set(names)) == len(names)
