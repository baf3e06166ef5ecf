"""Numbers and colours of surface and stage that strands feed or motions move, and what is behind as a colour."""

import numpy as np
import pytest

from tests.documents import bead, data, effect, strand
from whorl.beads.spec import COLOUR
from whorl.effect import BadEffect, read
from whorl.effect.described import fields
from whorl.effect.places import changed, param_at
from whorl.effect.surface import Second, Surface
from whorl.plan.build import build
from whorl.stage.frame import frame, lit_scene

RIM = strand("rim", bead("fresnel"))
HALF = strand("half", bead("uv"), bead("linear", start=0.0, span=0.5))
DEEP = strand("deep", bead("object"), bead("linear", direction=[0.0, 0.0, -1.0], start=-0.5, span=1.0))
OVER = strand("over", bead("constant", value=1.0))
GLASS = {
    "body": "filled",
    "opacity": 0.1,
    "roughness": 0.0,
    "refraction": 1.3,
    "absorbed": [0.4, 0.8, 0.7],
    "scattering": 0.5,
}
AT = [
    f"{at}/{n}"
    for at, model in (("surface", Surface), ("surface/second", Second))
    for n, said in fields(model).items()
    if said.param and said.param.feed and n != "direction"
]
#: What is told apart from a number's default, where that takes more care.
NUMBERS = {"surface/far": 0.3}


def scene(place, **given):
    """A ball on which the number at a place shows."""
    name = place.rsplit("/", 1)[-1]
    surface = {"channels": {"emission": [{"strand": "rim", "gain": 0.6}], "base": [{"strand": "half"}]}}
    if name.startswith("front"):
        surface["second"] = {"strand": "half", "front_gain": 2.0}
    elif name == "cut":
        surface |= {"composite": "cut away"}
        surface["channels"]["opacity"] = [{"strand": "half"}]
    elif name.startswith("cap"):
        surface |= {"composite": "cut away", "capped": True}
        surface["channels"]["opacity"] = [{"strand": "deep"}]
    elif name == "blur":
        surface |= {**GLASS, "scattering": 0.0, "absorbed": [1, 1, 1]}
    elif name in ("index", "film_index"):
        surface |= {"lighting": "lit", "film": 300}
    elif name == "far":
        surface["channels"]["opacity"] = [{"strand": "rim"}]
    else:
        surface |= GLASS
    if "second" in place and "second" not in surface:
        surface = {"composite": "solid", "second": {"composite": "see-through", **surface, "strand": "over"}}
    stage = {"shape": "ball", "bloom": {"strength": 0}, "backdrop": {"colour": [0.5, 0.5, 0.5]}}
    return data(RIM, HALF, DEEP, OVER, *given.pop("strands", ()), surface=surface, stage=stage, **given)


def shot(document, phase=0.0):
    return np.round(frame(build(document), phase, 48, 48) * 255)


@pytest.mark.parametrize("place", AT)
def test_a_strand_of_one_number_gives_what_the_number_gives(place):
    """And one that differs from place to place gives something between its ends."""
    param = param_at(place)
    colour = param.type == "colour"
    number = [0.2, 0.9, 0.5] if colour else NUMBERS.get(place, 0.9 if param.soft[1] <= 1 else 2.2)
    set_ = bead("constant", settings={"gives": "colour"}, colour=number) if colour else bead("constant", value=number)
    one = strand("one", set_)
    e = read(scene(place, strands=(one,)))
    by_number, fed = changed(e, place, number), changed(e, place, {"strand": "one", "bead": None})
    assert np.abs(shot(by_number) - shot(e)).max() > 6, "nothing shows of it"
    assert np.abs(shot(fed) - shot(by_number)).max() <= 1
    across = changed(e, place, {"strand": "half", "bead": None})
    assert np.abs(shot(across) - shot(fed)).max() > 3


def test_a_strand_of_the_wrong_kind_is_told_at_the_number():
    bent = strand("bent", bead("uv"), bead("noise"), bead("bump"))
    plain = read(scene("surface/milk", strands=(bent,)))
    e = changed(plain, "surface/milk", {"strand": "bent", "bead": None})
    with pytest.raises(BadEffect, match="milk takes a value or a colour; that strand gives a direction"):
        build(e)
    with pytest.raises(BadEffect, match="colour takes a number"):
        build(changed(plain, "stage/lamps/key/colour", {"strand": "rim", "bead": None}))


def test_a_lever_moves_how_much_of_the_far_side_shows():
    far = {"lever": "through", "low": 0.0, "high": 1.0}
    levers = [{"id": "through", "name": "Through", "value": 0.25, "least": 0.0, "most": 1.0}]
    e = changed(read(scene("surface/far", levers=levers)), "surface/far", far)
    assert np.abs(shot(e) - shot(changed(e, "surface/far", 0.25))).max() <= 1


@pytest.mark.parametrize(
    "place",
    ["stage/lamps/key/colour", "stage/sky/horizon", "stage/backdrop/colour", "stage/neighbours/floor/colour"],
)
def test_a_colour_in_motion_is_at_each_phase_the_colour_that_it_is_there(place):
    e = read(scene("surface/index"))
    e = changed(e, "stage/neighbours/floor/on", True)
    motion = {"motion": "sway", "base": [0.5, 0.5, 0.5], "amount": [0.4, 0.0, -0.2], "cycles": 1.0}
    moved = changed(e, place, motion)
    for phase, colour in ((0.0, [0.5, 0.5, 0.5]), (0.25, [0.9, 0.5, 0.3])):
        still = shot(changed(e, place, colour), phase)
        assert np.abs(shot(moved, phase) - still).max() <= 1


# --- what is behind ---------------------------------------------------------------------------


def checkered(surface=None, *strands, **stage):
    """A plane that fills most of the picture, before a checker that nothing else hides."""
    look = {
        "backdrop": {"kind": "checker", "colour": [0.5, 0.5, 0.5]},
        "camera": {"distance": 4},
        "bloom": {"strength": 0},
    }
    return effect(*strands, surface=surface or {}, stage={"shape": "plane", **look, **stage})


def middle(e, phase=0.0):
    """The light of the middle of the picture, rows by columns by colours."""
    made = lit_scene(build(e), phase, 96, 96, None, False, 1)
    return np.moveaxis(np.asarray(made[:3], float), 0, -1)[24:72, 24:72]


BARE = {"composite": "see-through", "opacity": 0.0}
CLEAR = {"composite": "see-through", "body": "hollow", "opacity": 0.0, "refraction": 1.0, "roughness": 0.0}


def contrast(light):
    return float(light[..., 1].std() / light[..., 1].mean())


def test_blur_takes_the_contrast_off_what_is_behind_whatever_bends_it():
    clear = middle(checkered(CLEAR))
    np.testing.assert_allclose(clear, middle(checkered(BARE)), atol=2e-3)
    blurred = middle(checkered({**CLEAR, "blur": 1.0}))
    assert contrast(clear) > 0.2 and contrast(blurred) < 0.01
    # The mean stays what it is.
    assert blurred.mean() == pytest.approx(clear.mean(), rel=0.01)
    half = contrast(middle(checkered({**CLEAR, "blur": 0.2})))
    assert contrast(blurred) < half < contrast(clear)


def test_a_rough_face_blurs_the_backdrop_as_it_blurs_what_stands_there():
    rough = contrast(middle(checkered({**CLEAR, "refraction": 1.5, "roughness": 0.8})))
    assert rough < 0.05 < contrast(middle(checkered({**CLEAR, "refraction": 1.5})))


def test_what_is_behind_is_multiplied_by_a_colour():
    """Turquoise × 2 over what is there gives exactly that."""
    gain = [0.5, 1.6, 1.4]
    np.testing.assert_allclose(
        middle(checkered({**CLEAR, "background": gain})), middle(checkered(CLEAR)) * gain, rtol=1e-3
    )
    by = {**CLEAR, "channels": {"background": [{"strand": "one", "tint": [0.25, 0.8, 0.7], "gain": 2.0}]}}
    one = strand("one", bead("constant", value=1.0))
    np.testing.assert_allclose(middle(checkered(by, one)), middle(checkered(CLEAR)) * gain, rtol=1e-3)


@pytest.mark.parametrize(
    ("given", "wanted"),
    [
        (1.5, (1.5, 1.5, 1.5)),
        ({"motion": "sway", "amount": 0.2, "base": 1.0, "cycles": 2.0}, None),
        ({"motion": "keys", "keys": [{"phase": 0.25, "value": 2.0}]}, None),
        ({"motion": "drift", "cycles": 1.0, "base": 0.5}, None),
    ],
)
def test_a_document_whose_background_gain_is_a_number_is_read_as_it_was_meant(given, wanted):
    e = read(data(surface={"background": given}))
    assert wanted is None or e.surface.background == wanted
    (uniform,) = [u for u in build(e).uniforms if u.place == "surface/background"]
    for phase in (0.0, 0.25):
        assert len(set(uniform.at(phase))) == 1, "all three go alike"
    if isinstance(given, dict) and given["motion"] == "keys":
        assert uniform.at(0.25) == (2.0, 2.0, 2.0)
    assert read(e.model_dump(mode="json")) == e


def behind(*after, before=(), **params):
    return strand("b", *before, bead("behind", **params), *after)


SHOWN = {"composite": "solid", "channels": {"base": [{"strand": "b"}]}}


def test_what_is_behind_as_a_colour_shows_what_would_be_seen_without_the_surface():
    e = checkered(SHOWN, behind())
    assert build(e).beads["b/behind"].gives is COLOUR
    np.testing.assert_allclose(middle(e), middle(checkered(BARE)), atol=2e-3)


@pytest.mark.parametrize("camera", [{"yaw": 30, "pitch": 20}, {"yaw": -70, "distance": 2.5, "target": [0.3, 0.2, 0]}])
@pytest.mark.parametrize("backdrop", ["checker", "gradient"])
def test_neighbours_behind_are_seen_from_any_side(camera, backdrop):
    around = {"wall": {"on": True, "finish": "tiles"}, "ball": {"on": True, "centre": [0, 0, -1.2]}}
    stage = {"camera": camera, "neighbours": around, "backdrop": {"kind": backdrop, "second": [0.9, 0.2, 0.1]}}
    made = middle(checkered(SHOWN, behind(), **stage))
    wrong = np.abs(made - middle(checkered(BARE, **stage)))
    # But for outlines, which are a pixel wide.
    assert np.quantile(wrong, 0.97) < 0.01


def test_it_is_scrolled_bent_and_blurred_like_any_pattern():
    straight = middle(checkered(SHOWN, behind()))
    # A ninth of the lesser side is one pair of squares.
    on = [bead("screen"), bead("offset", by=[1 / 9, 0, 0])]
    np.testing.assert_allclose(middle(checkered(SHOWN, behind(before=on))), straight, atol=0.02)
    on = [bead("screen"), bead("offset", by=[1 / 18, 0, 0])]
    other = middle(checkered(SHOWN, behind(before=on)))
    assert np.corrcoef(other.ravel(), straight.ravel())[0, 1] < -0.8
    assert contrast(middle(checkered(SHOWN, behind(blur=1.0)))) < 0.01
    # Glass that is bent as its normal says shows what a clear body of that index shows.
    tilted = {"camera": {"yaw": 35}}
    bent = middle(checkered(SHOWN, behind(index=1.4), **tilted))
    wrong = np.abs(bent - middle(checkered({**CLEAR, "refraction": 1.4}, **tilted)))
    assert np.quantile(wrong, 0.85) < 0.02 and np.abs(bent - middle(checkered(BARE, **tilted))).mean() > 0.05


# --- light that falls through ------------------------------------------------------------------


def under(cast, **ball):
    """A ball seen level with a sheet over it, by the key lamp alone, straight from above."""
    one = strand("one", bead("constant", value=cast))
    surface = {"composite": "see-through", "opacity": 0.0, "channels": {"cast": [{"strand": "one"}]}}
    dark = {"strength": 0.0}
    stage = {
        **{"shape": "level", "camera": {"distance": 6, "target": [0, -0.5, 0]}, "sky": dark, "bloom": {"strength": 0}},
        **{"lamps": {"key": {"yaw": 0, "pitch": 90}, "fill": {"on": False}, "rim": {"on": False}}},
        **{
            "neighbours": {"ball": {"on": True, "radius": 0.4, "colour": [1, 1, 1], **ball}},
            "backdrop": {"kind": "plain", "colour": [0, 0, 0]},
        },
    }
    made = lit_scene(build(effect(one, surface=surface, stage=stage)), 0.0, 96, 96, None, False, 1)
    return np.asarray(made[1], float)


def test_light_that_is_cast_falls_on_a_ball_below_and_not_on_one_above():
    sunken, above = {"centre": [0, -0.8, 0]}, {"centre": [0, 0.8, 0]}
    full = under(1.0, **sunken)
    assert full.max() > 0.5
    np.testing.assert_allclose(under(0.25, **sunken), full * 0.25, atol=2e-3)
    np.testing.assert_allclose(under(0.25, **above), under(1.0, **above), atol=1e-4)
    assert under(0.25, **above).max() > 0.5
