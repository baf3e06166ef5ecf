"""Plans: conversions, periods, taps, the order of the program, and what is found about the loop."""

import numpy as np
import pytest
from scipy import ndimage

from tests.documents import bead, effect, mist, strand
from whorl import demo
from whorl.effect import BadEffect
from whorl.fields.pictures import around
from whorl.plan.build import build
from whorl.plan.loop import findings
from whorl.plan.print.compiled import compiled
from whorl.plan.print.program import program
from whorl.plan.run.evaluate import TILE, evaluate, run
from whorl.shade import Image
from whorl.stage import flat


def field(e, where, phase=0.0, size=16):
    plan = build(e)
    return flat.field(plan, plan.beads[where], size, phase)


def constant(id, **params):
    gives = "colour" if "colour" in params else "value"
    return strand(id, bead("constant", settings={"gives": gives}, **params))


def test_a_value_is_grey_where_a_colour_is_wanted_and_a_colour_its_luminance():
    e = effect(
        constant("red", colour=[1.0, 0.0, 0.0]),
        constant("half", value=0.5),
        strand(
            "both",
            bead("tap", **{"from": {"strand": "half"}}),
            bead("blend", settings={"mode": "add"}, top={"strand": "red"}),
            bead("invert"),
        ),
    )
    assert field(e, "both/blend")[0, 0] == pytest.approx([1.5, 0.5, 0.5])
    luminance = 1.5 * 0.2126 + 0.5 * (0.7152 + 0.0722)
    assert field(e, "both/invert")[0, 0] == pytest.approx([1 - luminance], abs=1e-6)


def test_a_number_can_be_fed_by_a_strand():
    e = effect(
        strand("ramp", bead("uv"), bead("linear")),
        strand(
            "cut",
            bead("uv"),
            bead("radial"),
            bead("threshold", settings={"edges": "hard"}, level={"strand": "ramp"}, softness=0),
        ),
    )
    got = field(e, "cut/threshold", size=64)[..., 0]
    x, y = np.meshgrid((np.arange(64) + 0.5) / 64, 1 - (np.arange(64) + 0.5) / 64)
    radial = np.clip(1 - np.hypot(x - 0.5, y - 0.5) / 0.5, 0, 1)
    clear = np.abs(radial - x) > 1e-4
    assert np.array_equal(got[clear], (radial > x)[clear].astype(np.float32))


def test_a_tap_is_another_name_for_a_bead_of_a_strand_above():
    e = effect(
        strand("one", bead("uv"), bead("radial"), bead("invert")),
        strand("two", bead("tap", **{"from": {"strand": "one", "bead": "radial"}}), bead("power", exponent=2)),
    )
    assert np.allclose(field(e, "two/power"), field(e, "one/radial") ** 2, atol=1e-6)


def test_vectors_may_be_shorter_than_the_param_and_the_rest_is_its_default():
    e = effect(strand("one", bead("uv"), bead("tile", count=[4])))
    got = field(e, "one/tile")
    assert got[..., 0].max() > 3.5 and got[..., 1].max() > 1.9 and np.all(got[..., 2] == 0)


def test_channels_add_emission_lay_base_colours_over_and_multiply_opacity():
    from whorl.stage.frame import lit_scene

    e = effect(
        constant("a", colour=[0.2, 0.0, 0.0]),
        constant("b", value=0.5),
        surface={
            "composite": "see-through",
            "channels": {
                "emission": [{"strand": "a", "gain": 2}, {"strand": "b", "tint": [0, 1, 0]}],
                "base": [{"strand": "b"}, {"strand": "a", "gain": 0.5}],
                "opacity": [{"strand": "b"}, {"strand": "b"}],
            },
        },
        stage={"backdrop": {"kind": "plain", "colour": [0, 0, 1]}},
    )
    middle = lit_scene(build(e), 0.0, 16, 16, None, False, 1)[:, 8, 8]
    light = np.array([0.4 + 0.35, 0.5 + 0.25, 0.25])
    assert middle[:3] == pytest.approx(light * 0.25 + np.array([0, 0, 0.75]), abs=1e-6)


def test_the_program_computes_first_what_the_surface_needs():
    e = effect(
        strand("idle", bead("uv"), bead("hexagons")),
        mist(),
        surface={"channels": {"emission": [{"strand": "mist"}]}},
    )
    text = program(build(e)).fragment
    main = text[text.index("void drawn()") :]
    assert main.index("noise_") < main.index("peek < 0") < main.index("hexagons_")


def test_what_only_vertices_need_is_in_their_program_alone():
    """How far they are moved is worked out beside them too, for slopes: the picture takes normals as they come."""
    waves = strand("waves", bead("object"), bead("noise", scale=3))
    glow, lifted = {"emission": [{"strand": "waves"}]}, {"displacement": [{"strand": "waves"}]}
    still, moved = (program(build(effect(waves, surface={"channels": c}))) for c in (glow, glow | lifted))

    def calls(text):
        main = text[text.index("picture = vec4(0.0)") :]
        return main.count("(noise_")

    assert calls(still.fragment) == calls(moved.fragment) == 1
    assert calls(moved.raised[1]) == 3


def test_each_bead_and_channel_is_looked_at_once_and_made_what_the_screen_shows_in_one_place():
    plan = build(demo.demo("buoy-ward"))
    text = program(plan).fragment
    looked = {n.index for n in (*plan.beads.values(), *plan.channels.values())}
    asked = [int(a.split(")")[0]) for a in text.split("if (peek == ")[1:]]
    assert sorted(asked) == sorted(looked - {plan.picture.index}) and len(asked) < len(plan.own)
    assert [text.count(f"{name}(") for name in ("show_colour", "show_value", "show_coords")] == [2, 2, 2]


def test_moving_a_number_leaves_the_program_as_it_is():
    keys = {program(build(effect(mist(scale=s)))).key for s in (2, 3.5, 7)}
    assert len(keys) == 1
    assert program(build(effect(mist(scale={"motion": "sway", "amount": 1, "base": 4})))).key in keys


def test_the_motion_table_has_a_row_for_each_frame():
    e = effect(
        strand("s", bead("uv"), bead("scroll", offset={"motion": "drift", "cycles": [1]})),
        turn={"seconds": 2, "fps": 12},
    )
    made = compiled(build(e))
    rows = next(u["rows"] for u in made["uniforms"] if u["place"] == "strands/s/scroll/offset")
    assert len(rows) == made["frames"] == 24
    assert [r[0] for r in rows] == pytest.approx([f / 24 for f in range(24)])


def test_tiles_and_threads_do_not_change_what_is_computed():
    plan = build(demo.demo("fog-gate"))
    points = flat.points(512, 300)
    assert len(points["at_uv"][0]) > TILE
    one, *more = (evaluate(plan, plan.picture, points, 0.3, threads=t) for t in (1, 2, 3, 40))
    assert all(np.array_equal(a, b) for made in more for a, b in zip(one, made, strict=True))
    part = {k: [np.ascontiguousarray(a[TILE - 64 : TILE + 64]) for a in v] for k, v in points.items()}
    across = evaluate(plan, plan.picture, part, 0.3)
    assert np.allclose(across[0], one[0][TILE - 64 : TILE + 64], atol=1e-6)


def test_scrolling_before_a_turn_that_ends_the_repeat_is_found():
    moving = bead("scroll", offset={"motion": "drift", "cycles": [1, 0]})
    good = effect(strand("s", bead("uv"), moving, bead("noise")))
    assert findings(build(good)) == []
    bad = effect(strand("s", bead("uv"), moving, bead("rotate", angle=30), bead("noise")))
    found = findings(build(bad))
    assert [f.place for f in found] == ["strands/s/rotate"] and "rotate ends the repeat" in found[0].words


def test_a_scale_that_does_not_fit_is_found_with_the_two_that_do():
    e = effect(strand("s", bead("uv"), bead("polar"), bead("tile", count=[3, 1]), bead("noise", scale=2.5)))
    found = findings(build(e))
    assert found[0].kind == "seam" and "2.333 or 2.667" in found[0].words
    assert found[0].mend in (pytest.approx(7 / 3), pytest.approx(8 / 3))
    # Where nothing meets itself and nothing scrolls, nobody would see it.
    assert findings(build(effect(mist(scale=2.5)))) == []


@pytest.mark.parametrize("slug", demo.slugs())
def test_a_demo_effect_has_nothing_to_mend(slug):
    assert findings(build(demo.demo(slug))) == []


def test_a_muted_bead_passes_on_what_comes_in():
    def chain(muted):
        return effect(strand("s", bead("uv"), bead("linear"), {**bead("invert"), "muted": muted}, bead("power")))

    whole, without = field(chain(False), "s/power"), field(chain(True), "s/power")
    assert np.abs(whole - without).max() > 0.5
    x = (np.arange(16) + 0.5) / 16
    assert without[0, :, 0] == pytest.approx(x**2, abs=1e-5)
    plan = build(chain(True))
    assert np.array_equal(field(chain(True), "s/invert"), field(chain(True), "s/linear"))
    assert "n" in program(plan).fragment


def test_muting_what_starts_a_strand_or_leaves_the_wrong_signal_is_refused_in_its_place():
    with pytest.raises(BadEffect) as first:
        build(effect(strand("s", {**bead("uv"), "muted": True}, bead("noise"))))
    assert first.value.problems[0].place == "strands/s/uv" and "mute the strand" in first.value.problems[0].words
    with pytest.raises(BadEffect) as wrong:
        build(effect(strand("s", bead("uv"), {**bead("noise"), "muted": True}, bead("invert"))))
    assert wrong.value.problems[0].place == "strands/s/invert"


def lit(*strands, **channels):
    e = effect(*strands, surface={"channels": channels})
    plan = build(e)
    return [float(a[0]) for a in evaluate(plan, plan.picture, flat.points(2, 2), 0.0)][:3]


def test_a_muted_strand_feeds_no_channel_and_is_blended_into_none():
    red, blue = (constant(n, colour=c) for n, c in (("red", [1.0, 0, 0]), ("blue", [0, 0, 1.0])))
    both = strand("both", *red["beads"], bead("blend", settings={"mode": "add"}, top={"strand": "blue"}))
    glow = {"emission": [{"strand": "red"}, {"strand": "blue"}]}
    assert lit(red, blue, **glow) == [1, 0, 1]
    assert lit(red, {**blue, "muted": True}, **glow) == [1, 0, 0]
    assert lit(blue, both, emission=[{"strand": "both"}]) == [1, 0, 1]
    assert lit({**blue, "muted": True}, both, emission=[{"strand": "both"}]) == [1, 0, 0]


def test_while_a_strand_is_solo_it_alone_gives_light_and_opacity_stays():
    red, blue = (constant(n, colour=c) for n, c in (("red", [1.0, 0, 0]), ("blue", [0, 0, 1.0])))
    half = constant("half", value=0.5)
    glow = {"emission": [{"strand": "red", "gain": 2.0}], "opacity": [{"strand": "half"}]}
    assert lit(half, {**red, "solo": True}, blue, **glow) == [1, 0, 0]
    assert lit(half, red, {**blue, "solo": True}, **glow) == [0, 0, 0.5]


def test_a_long_sheet_has_few_ways_out_of_its_program():
    """Drivers keep a level of nesting for every return, and some have eighty of them."""
    chain = [bead("invert", f"b{i}") for i in range(50)]
    many = [strand(f"s{k}", bead("uv"), bead("linear", start=k / 10), *chain) for k in range(6)]
    text = program(build(effect(*many, surface={"channels": {"emission": [{"strand": "s5"}]}}))).fragment
    assert text.count("{ peeked = ") > 300
    assert 1 < text[text.index("void drawn()") :].count("return;") < 10


@pytest.mark.parametrize(
    ("wrong", "param", "nearest"),
    [
        (bead("noise", scale=3.3), "scale", 3.0),
        (bead("bricks", count=[2.5, 6]), "count", [2.0, 6.0]),
        (bead("bands", settings={"axis": "x", "lines": 2}, count=[4, 7.8, 1]), "count", [4.0, 8.0, 1.0]),
        (bead("waves", count=-2.6), "count", -3.0),
        (bead("snap", count=[4.4, 3, 0]), "count", [4.0, 3.0, 0.0]),
        (bead("wobble", amount=[0, 0.1], count=[2.5, 1.2]), "count", [2.5, 1.0]),
    ],
    ids=lambda b: b["kind"] if isinstance(b, dict) else None,
)
def test_what_does_not_fit_a_period_is_told_at_its_number_with_those_that_do(wrong, param, nearest):
    e = effect(strand("s", bead("uv"), wrong), stage={"shape": "ball"})
    (found,) = findings(build(e))
    assert (found.kind, found.place, found.mend) == ("seam", f"strands/s/{wrong['id']}/{param}", nearest)
    mended = effect(strand("s", bead("uv"), {**wrong, "params": {**wrong["params"], param: nearest}}))
    assert findings(build(mended)) == []


def test_bands_along_an_axis_that_does_not_come_round_leave_no_seam():
    lines = bead("bands", settings={"axis": "y"}, count=[4.5, 1, 1])
    assert findings(build(effect(strand("s", bead("uv"), lines), stage={"shape": "ball"}))) == []


def test_the_far_side_is_looked_up_between_pixels_and_over_a_round():
    rng = np.random.default_rng(8)
    high, wide, n = 20, 30, 400
    far = rng.uniform(0, 1, (4, high, wide)).astype(np.float32)
    x, y = (rng.uniform(-0.2, 1.2, n).astype(np.float32) for _ in range(2))
    # Places count along the lesser side from the picture's middle, y up; edges are drawn out.
    at = np.stack([high / 2 - (y - 0.5) * high - 0.5, wide / 2 + (x - 0.5) * high - 0.5])

    def looked_up(picture, p):
        return np.array(run(around, (), [Image(np.moveaxis(picture[:, ::-1], 0, -1).astype(np.float16, "C")), p], n))

    out = looked_up(far, [x, y, x * 0])
    for row, plane in zip(out, far, strict=True):
        expected = ndimage.map_coordinates(plane.astype(float), at, order=1, mode="nearest")
        assert row == pytest.approx(expected, abs=1e-3)
    # Over a round a slope keeps its value, and what differs from pixel to pixel is evened out.
    slope = np.broadcast_to(np.linspace(0, 1, wide, dtype=np.float32), far.shape).copy()
    middle = np.full(n, 0.5, np.float32)
    for picture, spread in ((slope, 0.01), (far, 0.06)):
        out = looked_up(picture, [middle, middle, middle / 2])
        near = picture[:, high // 2 - 5 : high // 2 + 5, wide // 2 - 5 : wide // 2 + 5].mean(axis=(1, 2))
        assert out[:, 0] == pytest.approx(near, abs=spread * 2)
