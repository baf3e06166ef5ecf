"""What is found by looking: faults that were planted, closed forms, and nothing in what ships."""

import numpy as np
import pytest
from hypothesis import given, settings

from tests.checks.corpus import planted
from tests.documents import bead, data, strand
from tests.plan.test_random_documents import documents
from whorl import demo, splices, starters
from whorl.checks import KINDS, LOOKS, Over, check, flashes, idle, looked, order, reveal, sensitive
from whorl.checks.aside import with_aside
from whorl.checks.cost import cost
from whorl.checks.looks import Looks, spot_of
from whorl.checks.report import report
from whorl.effect import BadEffect, read
from whorl.effect.places import changed
from whorl.fields.blending import MODES, blend_value
from whorl.plan.build import build

CORPUS = list(planted())
#: Which file finds what.
FINDS = {
    "burnt out": "burnt",
    "crushed": "burnt",
    "flashes": "flashes",
    "operands the wrong way round": "order",
    "shell that cannot be read": "shell",
    "gloss given as roughness": "gloss",
    "finer than the picture": "finer",
    "glow that does not show": "glow",
    "wrong one of two levels": "glow",
    "uneven reveal": "reveal",
    "specks": "reveal",
    "join in the picture": "meeting",
    "bumps that part from their pattern": "parting",
    "banding": "banding",
    "does nothing": "idle",
    "too sensitive": "sensitive",
    "cost": "costly",
}
BY_NAME = {c.__name__.split(".")[-1]: c for c in LOOKS}
WORST = {kind: n for n, kind in enumerate(dict.fromkeys(k.bad for k in KINDS.values()))}


def seen(effect, kind):
    return seen_in(Looks(build(effect)), kind)


def seen_in(looks, kind):
    return [*BY_NAME[FINDS[kind]].look(looks)]


def mended(effect, mend):
    for c in mend.changes:
        effect = changed(effect, c.place, c.value)
    return effect


def test_there_are_three_of_each_kind_at_least():
    count = {kind: sum(p.kind == kind for p in CORPUS) for kind in FINDS}
    assert min(count.values()) >= 3 and {f for f in FINDS.values()} == set(BY_NAME)


@pytest.mark.parametrize("fault", CORPUS, ids=lambda p: p.name)
def test_a_planted_fault_is_found_at_its_place_and_its_mend_removes_it(fault):
    looks = Looks(build(fault.effect))
    found = seen_in(looks, fault.kind)
    here = [f for f in found if f.kind == fault.kind and (f"{f.place}/").startswith(f"{fault.place}/")]
    assert here, [(f.kind, f.place) for f in found]
    spare = fault.place == "levers/spare"
    assert bool(here[0].mends) != spare
    quick = [BY_NAME[n] for n in ("burnt", "order", "gloss", "shell")]
    worse = {f.kind for f in check(fault.effect)} | {f.kind for c in quick for f in c.look(looks)}
    for mend in here[0].mends[:1]:
        after = mended(fault.effect, mend)
        looks = Looks(build(after))
        assert not [f for f in seen_in(looks, fault.kind) if (f.kind, f.place) == (here[0].kind, here[0].place)]
        now = {f.kind for f in check(after)} | {f.kind for c in quick for f in c.look(looks)}
        # Nothing new that is worse than what was mended.
        assert not [k for k in now - worse if list(KINDS[k].bad.__class__).index(KINDS[k].bad) < _rank(fault.kind)]


def _rank(kind):
    bad = KINDS[kind].bad
    return list(type(bad)).index(bad)


SHIPPED = [
    *((n, starters.starter) for n in starters.slugs()),
    *((n, lambda n: splices.splice(n).effect) for n in splices.slugs()),
    *((n, demo.demo) for n in demo.slugs()),
]


@pytest.mark.parametrize(("name", "of"), SHIPPED, ids=[n for n, _ in SHIPPED])
def test_nothing_is_found_in_what_ships_that_is_not_set_aside_with_a_reason(name, of):
    effect = of(name)
    looks = Looks(build(effect))
    # Every frame of them, and every slider, takes long; the bench looks at all of them in every way.
    found = [f for c in LOOKS if c not in (flashes, sensitive) for f in with_aside(effect, c.look(looks))]
    assert [(f.kind, f.place) for f in found if not f.aside] == []
    assert {(a.kind, a.place) for a in effect.aside} <= {(f.kind, f.place) for f in found}


# --- flashes ------------------------------------------------------------------------------

FIELD = round(256 * flashes.SIDE / 768) * round(341 * flashes.SIDE / 768)


def blinking(part, hz, low=0.1, high=0.9, colour=(1.0, 1.0, 1.0), seconds=2, fps=24):
    """A disc of so many parts of a field, that goes from dark to bright and back so often a second."""
    radius = np.sqrt(part * FIELD / np.pi)
    y, x = np.mgrid[: flashes.SIDE, : flashes.SIDE] - (flashes.SIDE - 1) / 2
    disc = np.hypot(x, y) < radius
    out = np.zeros((int(seconds * fps), 3, flashes.SIDE, flashes.SIDE), np.float32)
    for f in range(len(out)):
        now = high if np.sin(2 * np.pi * (f + 0.5) / fps * hz) > 0 else low
        for c in range(3):
            out[f, c][disc] = now * colour[c]
    return flashes.worst(out, fps)


@pytest.mark.parametrize("part", [0.15, 0.2, 0.3, 0.6, 1.5])
@pytest.mark.parametrize("hz", [1, 2, 3, 4, 6])
def test_discs_flash_from_a_quarter_of_a_field_and_three_a_second_on(part, hz):
    found = blinking(part, hz)
    assert (found is not None) == (part > 0.25 and hz > 3)
    if found:
        assert found.flashes == hz and found.part == pytest.approx(min(part, 1.0), rel=0.1) and not found.red


def test_a_flash_is_a_tenth_of_luminance_under_a_dark_limit_or_of_red():
    level = lambda light: ((light ** (1 / 2.4)) * 1.055 - 0.055) if light > 0.0031308 else light * 12.92  # noqa: E731
    assert blinking(1, 4, level(0.3), level(0.41)) and not blinking(1, 4, level(0.3), level(0.39))
    # Where the darker state is bright, a change is none.
    assert blinking(1, 4, level(0.78), level(0.9)) and not blinking(1, 4, level(0.82), level(0.95))
    # Saturated red counts by itself: its luminance changes by less than a tenth.
    red = blinking(1, 4, 0.0, level(0.3), (1.0, 0.0, 0.0))
    assert red and red.red
    assert not blinking(1, 4, 0.0, level(0.3), (0.0, 0.0, 1.0))


def test_a_turn_is_looked_at_as_it_goes_into_itself():
    # Two flashes at the end and two at the beginning: only over the join are there four in a second.
    frames = np.zeros((96, 3, flashes.SIDE, flashes.SIDE), np.float32)
    for f in (0, 1, 2, 6, 7, 8, 84, 85, 86, 90, 91, 92):
        frames[f] = 0.8
    assert flashes.worst(frames, 24) is not None
    assert flashes.worst(frames, 24, looping=False) is None


@pytest.mark.parametrize("swing", [0.049, 0.051, 0.19])
def test_a_change_is_told_at_the_frame_that_completes_it(swing):
    frames, often, pixels = 96, 4, 3
    wave = swing * np.cos(2 * np.pi * often * np.arange(frames) / frames)
    # From where cosine is 1, so far down again until it is `least` less; up again half a wave later.
    least, half = 0.1, frames // often // 2
    down = np.arccos(1 - least / swing) / np.pi * half if 2 * swing >= least else None
    rows = np.stack([np.roll(0.3 + wave, 5 * p) for p in range(pixels)], axis=1).astype(np.float32)
    for counts in (True, False):
        turned = flashes.changes(rows, least, 0.8, np.full(rows.shape, counts))
        for p in range(pixels):
            want = [] if down is None or not counts else np.ceil(down) + half * np.arange(2 * often) + 5 * p
            assert np.flatnonzero(turned[:, p]).tolist() == sorted(np.asarray(want) % frames)
    assert not flashes.changes(rows + 1, least, 0.8, np.ones(rows.shape, bool)).any()


# --- others against closed forms ----------------------------------------------------------


def test_the_modes_that_depend_on_order_are_those_that_do():
    pairs = np.random.default_rng(3).random((60, 2))
    for i, mode in enumerate(MODES):
        one = [blend_value(float(a), float(b), 1.0, mode=i, swap=0) for a, b in pairs]
        other = [blend_value(float(a), float(b), 1.0, mode=i, swap=1) for a, b in pairs]
        depends = np.abs(np.array(one) - other).max() > 1e-3
        # To mix is to have the one that is on top.
        assert depends == (mode in order.ORDERED or mode == "mix"), mode


def test_specks_are_counted_in_what_was_drawn():
    mask = np.zeros((40, 40), bool)
    for k in range(7):
        mask[3 + 5 * k, 10] = True
    mask[30:36, 20:30] = True
    count, where = reveal.small(mask)
    assert count == 7 and where.sum() == 7
    assert spot_of(where) == [0.25, 0.075, 0.275, 0.85]


def test_a_dot_that_few_pixels_miss_does_something():
    """It is smaller than a pixel of the pictures that are asked first, and lies between those."""
    dot = [bead("radial", centre=[0.55, 0.55, 0.0], radius=0.012), bead("threshold", level=0.1)]
    lit = [{"strand": "glow"}, {"strand": "dot", "gain": 4.0}]
    surface = {"composite": "solid", "channels": {"emission": lit}}
    effect = read(data(strand("glow", bead("uv"), bead("linear")), strand("dot", bead("uv"), *dot), surface=surface))
    looks = Looks(build(effect))
    without = looks.with_(("surface/channels/emission", [lit[0]]))
    assert looks.smaller.apart(without.smaller, 0.0).max() < idle.LEAST < looks.apart(without, 0.0).max()
    assert not seen_in(looks, "does nothing")


@pytest.mark.parametrize("value", [0.0, 0.2, 0.37, 0.5, 1.0])
def test_a_lever_does_something_or_nothing_wherever_it_stands(value):
    """One turns a pattern once round, so its ends are one; one leads from a number to itself; one moves nothing."""
    levers = [{"id": id, "name": id, "kind": "number", "value": value} for id in ("turn", "same", "spare")]
    turned = bead("rotate", angle={"lever": "turn", "low": 0.0, "high": 360.0})
    waves = bead("waves", count={"lever": "same", "low": 4.0, "high": 4.0})
    surface = {"channels": {"emission": [{"strand": "lines"}]}}
    effect = read(data(strand("lines", bead("uv"), turned, waves), levers=levers, surface=surface))
    told = {f.place for f in idle.look(Looks(build(effect))) if f.place.startswith("levers/")}
    assert told == {"levers/same", "levers/spare"}


@pytest.mark.parametrize(("steps", "told"), [(24, True), (36, True), (160, False)])
def test_a_slope_of_known_steepness_bands(steps, told):
    """So many steps of eight bits over 512 pixels: less than one in twelve pixels is 42."""
    # Over the dark end of the curve of a display an even slope in sRGB needs its inverse.
    stops = [{"at": i / 7, "colour": [(0.1 + steps / 255 * i / 7) ** 2.2] * 3} for i in range(8)]
    slope = strand("slope", bead("uv"), bead("linear", start=0.0, span=1.0), bead("ramp", stops=stops))
    surface = {"composite": "solid", "channels": {"emission": [{"strand": "slope"}]}}
    found = seen(read(data(slope, surface=surface)), "banding")
    assert bool(found) == told


@pytest.mark.parametrize(("scale", "octaves", "told"), [(128.0, 1, False), (64.0, 4, True), (900.0, 1, True)])
def test_waves_of_known_length_are_finer_than_the_picture(scale, octaves, told):
    """The plane fills about two thirds of a picture of 512: a cell of scale s is some 340 / s pixels wide."""
    noise = bead("noise", settings={"octaves": octaves}, scale=min(scale, 512.0))
    tiles = [bead("tile", count=[2.0, 2.0])] if scale > 512 else []
    document = data(strand("n", bead("uv"), *tiles, noise), surface={"channels": {"emission": [{"strand": "n"}]}})
    found = seen(read(document), "finer than the picture")
    assert bool(found) == told
    if told:
        size = float(found[0].words.split(" pixels")[0].split()[-1])
        there = 2 * 341.0 / (min(scale, 512.0) * len(tiles) * 2 or scale) / 2 ** (octaves - 1)
        assert size == pytest.approx(there, rel=0.35)


def test_what_a_bead_costs_adds_up_and_noise_is_the_dearest():
    made = cost(build(demo.demo("fog-gate")))
    assert made.beads[0].place == "strands/mist/noise" and made.beads[0].octaves == 5
    assert sum(b.milliseconds for b in made.beads) + made.surface.milliseconds == pytest.approx(
        made.milliseconds, rel=1e-3
    )
    assert sum(b.part for b in made.beads) <= 1.0 and sum(b.weight for b in made.beads) <= 1.0


# --- set aside, told, attacked ------------------------------------------------------------


def test_what_was_set_aside_is_told_again_when_it_goes_further():
    fault = next(p for p in CORPUS if p.kind == "burnt out")
    (found,) = (f for f in seen(fault.effect, "burnt out"))
    aside = {"kind": found.kind, "place": found.place, "reason": "It is a flash.", "measure": found.measure}
    kept = changed(fault.effect, "aside", [aside])
    assert [f.aside for f in with_aside(kept, seen(kept, "burnt out"))] == ["It is a flash."]
    less = changed(kept, "aside", [{**aside, "measure": found.measure / 2}])
    assert [f.aside for f in with_aside(less, seen(less, "burnt out"))] == [""]


def test_a_variant_that_is_burnt_out_is_told_with_its_name():
    effect = starters.starter("swirl")
    lever = next(x for x in effect.levers if x.id == "strength")
    lever = lever.model_copy(update={"most": 400.0, "ceiling": 1000.0})
    low = changed(
        effect, "levers", [x.model_dump() for x in effect.levers if x.id != "strength"] + [lever.model_dump()]
    )
    low = changed(low, "surface/emission/0/gain", {"lever": "strength", "low": 0.0, "high": 400.0})
    found = [f for f in looked(low) if f.kind == "burnt out"]
    assert {f.when for f in found} == {f"with {lever.name} at its high end"}


def test_a_look_ends_when_nobody_waits():
    calls = 0

    def rest():
        nonlocal calls
        calls += 1
        if calls > 3:
            raise Over

    with pytest.raises(Over):
        list(looked(demo.demo("fog-gate"), rest))
    assert calls == 4


def test_a_report_says_whether_it_passes():
    fault = next(p for p in CORPUS if p.name == "flashes: red")
    assert "**It does not pass**: 5 red flashes" in report(fault.effect, seen(fault.effect, "flashes"))
    calm = report(starters.starter("beam"), [])
    assert "**It passes**" in calm and "Nothing else was found." in calm


@settings(max_examples=12)
@given(documents())
def test_no_check_stumbles_and_no_mend_makes_a_document_unreadable(document):
    try:
        effect = read(document)
        build(effect)
    except BadEffect:
        return
    looks = Looks(build(effect), 32)
    for c in LOOKS:
        if c in (flashes, sensitive):
            continue
        for f in c.look(looks):
            assert f.kind in KINDS and f.measure == f.measure
            for mend in f.mends:
                build(mended(effect, mend))
