"""Sets of maps: what each is for, which way green points, and an effect that wears them."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.documents import bead, effect, strand
from tests.images.pictures import encoded, zipped
from whorl.effect.mapped import MapGiven, with_maps
from whorl.effect.places import changed
from whorl.images import decode, library, maps
from whorl.images.maps import green_down, looks_normal, proposed, unpacked
from whorl.plan.build import build
from whorl.refused import Refused
from whorl.stage import flat

Y, X = np.mgrid[0:96, 0:96] / 96 * 2 * np.pi
HEIGHT = 0.5 + 0.2 * np.sin(3 * X + np.cos(2 * Y)) + 0.2 * np.cos(4 * Y - X)


def normals(down=False, strength=0.35):
    """The normals of HEIGHT; rows run downwards, so green that points up counts against them."""
    du = (np.roll(HEIGHT, -1, 1) - np.roll(HEIGHT, 1, 1)) * 48 / np.pi
    dv = -(np.roll(HEIGHT, -1, 0) - np.roll(HEIGHT, 1, 0)) * 48 / np.pi
    n = np.stack([-du * strength, -dv * strength * (-1 if down else 1), np.ones_like(du)], axis=-1)
    n /= np.linalg.norm(n, axis=-1, keepdims=True)
    return np.round((n * 0.5 + 0.5) * 255).astype(np.uint8)


def grey(values=HEIGHT):
    return np.round(np.repeat(values[..., None], 3, axis=2) * 255).astype(np.uint8)


COLOUR = np.round(np.stack([HEIGHT, HEIGHT * 0.6, 1 - HEIGHT], axis=-1) * 255).astype(np.uint8)


@pytest.mark.parametrize(
    ("name", "pixels", "use"),
    [
        ("Planks_BaseColor.png", COLOUR, "base"),
        ("planks-albedo-2k.png", COLOUR, "base"),
        ("planks_rough.png", grey(), "roughness"),
        ("planks_Glossiness.png", grey(), "gloss"),
        ("rough_planks_AO.png", grey(), "occlusion"),
        ("metal_plate_height.png", grey(), "height"),
        ("metal_plate.png", COLOUR, "base"),
        ("plate-metalness.png", grey(), "metallic"),
        ("plate opacity.png", grey(), "opacity"),
        ("lamp_emissive.png", COLOUR, "emission"),
        ("plate_normal.png", normals(), "normal"),
        ("anything.png", normals(), "normal"),
        ("plate_normal.png", COLOUR, "base"),
        ("0417.png", grey(), "nothing"),
    ],
)
def test_a_picture_is_told_by_its_name_and_by_what_it_holds(name, pixels, use):
    told = proposed(name, decode(encoded(pixels)))
    assert told.use == use and told.why


@pytest.mark.parametrize("strength", [0.05, 0.35, 1.0])
def test_which_way_green_points_is_told_by_putting_the_slopes_together(strength):
    for down in (False, True):
        texels = decode(encoded(normals(down, strength))).pixels
        assert looks_normal(texels) and green_down(texels) == (down, True)
    assert proposed("plate_normal_dx.png", decode(encoded(normals()))).flip_green
    assert not proposed("plate_normal_gl.png", decode(encoded(normals(True)))).flip_green
    flat_ = np.full((32, 32, 3), (128, 128, 255), np.uint8)
    assert green_down(decode(encoded(flat_)).pixels)[1] is False


@given(st.text(max_size=60))
def test_any_name_is_told_of(name):
    assert proposed(name, decode(encoded(grey()[:8, :8]))).why


def mapped(*given, **more):
    chosen = []
    for name, pixels, use, *flip in given:
        digest, made = library.add(encoded(pixels))
        told = {"name": name, "hash": digest, "width": made.width, "height": made.height, "use": use}
        chosen.append(MapGiven(**told, flip_green=bool(flip and flip[0])))
    return with_maps(effect(**more), chosen)


def test_a_set_is_wired_and_shares_its_coordinates():
    made = mapped(
        *[("a.png", COLOUR, "base"), ("n.png", normals(True), "normal", True), ("g.png", grey(), "gloss")],
        *[("m.png", grey(), "metallic"), ("h.png", grey(), "height"), ("o.png", grey(), "occlusion")],
    )
    plan = build(made)
    channels = made.surface.channels
    assert made.surface.gloss and made.surface.lighting == "lit"
    for name in ("base", "normal", "roughness", "metallic", "displacement", "occlusion"):
        assert len(getattr(channels, name)) == 1, name
    assert {b.params["from"].strand for s in made.strands for b in s.beads if b.kind == "tap"} == {"maps"}
    # Green that points down, turned round, is the slope of the height.
    got = flat.field(plan, plan.beads["map-normal/map"], 96, 0.0).astype(float)
    wanted = decode(encoded(normals())).pixels[..., :3] * 2 - 1
    assert np.abs(got - wanted).mean() < 0.02
    # One bead moves all of them.
    twice = build(changed(made, "strands/maps/tile/count", [2.0, 2.0, 1.0]))
    for place in ("map-base/map", "map-occlusion/map"):
        once = flat.field(plan, plan.beads[place], 96, 0.0)
        assert np.abs(flat.field(twice, twice.beads[place], 96, 0.0)[:48, :48] - once[::2, ::2]).mean() < 0.05


def test_a_height_alone_bends_the_normal_and_names_stay_apart():
    first = mapped(("h.png", grey(), "height"))
    assert first.surface.channels.normal and not first.surface.channels.displacement
    build(first)
    digest, made = library.add(encoded(grey()))
    again = with_maps(first, [MapGiven(name="h.png", hash=digest, width=made.width, height=made.height, use="height")])
    assert len({s.id for s in again.strands}) == len(again.strands) == 4 and len(again.assets) == 1
    build(again)
    none = mapped(("x.png", grey(), "nothing"))
    assert len(none.assets) == 1 and not none.strands


def test_what_stood_there_stays():
    rim = strand("rim", bead("fresnel"))
    before = effect(rim, surface={"channels": {"base": [{"strand": "rim"}]}})
    digest, image = library.add(encoded(COLOUR))
    given_ = MapGiven(name="a.png", hash=digest, width=image.width, height=image.height, use="base")
    after = with_maps(before, [given_])
    assert [e.strand for e in after.surface.channels.base] == ["rim", "map-base"]
    assert after.strands[0] == before.strands[0]


def test_a_zip_is_its_files_and_a_bomb_is_refused(monkeypatch):
    files = [("set/a_albedo.png", encoded(COLOUR)), ("set/a_rough.png", encoded(grey())), ("__x/y.png", b"1")]
    assert [n for n, _ in unpacked("set.zip", zipped(files))] == ["a_albedo.png", "a_rough.png"]
    assert unpacked("one.png", b"1234") == [("one.png", b"1234")]
    with pytest.raises(Refused, match="up to 16"):
        unpacked("many.zip", zipped([(f"{k}.png", b"") for k in range(40)]))
    monkeypatch.setattr(maps, "MOST_UNPACKED", 2**20)
    with pytest.raises(Refused, match="1 MiB unpacked"):
        unpacked("bomb.zip", zipped([("a.png", b"\0" * (2**20 + 1))]))
    whole = zipped(files)
    with pytest.raises(Refused, match="damaged"):
        unpacked("cut.zip", whole[:-60])
