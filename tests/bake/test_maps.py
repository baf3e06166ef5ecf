"""Maps against closed forms and by putting them back on the shape; tiles have no seam where the pattern has none."""

import io
import json

import numpy as np
import OpenEXR
import pytest
from PIL import Image
from typer.testing import CliRunner

from tests.documents import bead, data, strand
from whorl import demo
from whorl.bake.maps import CHANNELS, MapsOptions, maps, seam_of, write_maps
from whorl.cli import app
from whorl.effect import read, write_text
from whorl.images import library
from whorl.plan.build import build
from whorl.refused import Refused
from whorl.stage.frame import picture

SIZE = 64


def on(channels, *strands, shape="plane", **surface):
    surface = {**surface, "channels": {c: [{"strand": s}] for c, s in channels.items()}}
    return read(data(*strands, surface=surface, stage={"shape": shape}))


def made(effect, **options):
    return {m.name: m for m in maps(effect, MapsOptions(size=SIZE, **options))}


def uv():
    at = (np.arange(SIZE) + 0.5) / SIZE
    return np.meshgrid(at, 1 - at)


LINEAR = [bead("uv"), bead("linear", start=0.0, span=1.0)]


def test_over_a_plane_a_gradient_is_where_its_coordinates_say():
    u, _ = uv()
    for over in ("shape", "tile"):
        got = made(on({"emission": "s"}, strand("s", *LINEAR)), over=over)["emission"].values
        np.testing.assert_allclose(got, np.repeat(u[..., None], 3, axis=2), atol=2e-3)


def test_over_a_ball_a_map_lies_by_its_uv():
    """Latitude runs with v: the height of a ball is the sine of it, whatever is between the seams."""
    turned = bead("rotate", settings={"axis": "z"}, angle=90.0, centre=[0.0, 0.0, 0.0])
    up = strand("s", bead("object"), turned, bead("linear", id="l", start=-1.0, span=2.0))
    got = made(on({"opacity": "s"}, up, shape="ball"), padding=0)["opacity"].values[..., 0]
    _, v = uv()
    heights = np.sort(np.abs(2 * got[:, SIZE // 2] - 1))
    np.testing.assert_allclose(heights, np.sort(np.abs(np.sin(np.pi * (v[:, 0] - 0.5)))), atol=0.02)


@pytest.mark.parametrize("shape", ["ball", "capsule", "dome"])
def test_put_back_on_the_shape_maps_make_the_same_picture(shape, tmp_path, monkeypatch):
    monkeypatch.setattr(library, "folder", tmp_path)
    glow = strand(
        "s", bead("object"), bead("noise", scale=3.0), bead("ramp", stops=[
            {"at": 0.2, "colour": [0.02, 0.05, 0.3]}, {"at": 0.8, "colour": [0.9, 0.6, 0.2]}])
    )  # fmt: skip
    before = on({"emission": "s"}, glow, shape=shape, composite="solid")
    (got,) = maps(before, MapsOptions(size=512, padding=16, packed={}))
    path = next(
        p for p in write_maps(before, tmp_path / "out", MapsOptions(size=512, padding=16)) if p.suffix == ".png"
    )
    assert got.fed and Image.open(path).size == (512, 512)
    kept = library.keep(path.read_bytes())
    image = bead("image", settings={"picture": "map", "encoding": "sRGB"})
    after = data(
        strand("s", bead("uv"), image),
        surface={"composite": "solid", "channels": {"emission": [{"strand": "s"}]}},
        stage={"shape": shape},
        assets=[{"id": "map", "name": "map.png", "hash": kept, "width": 512, "height": 512}],
    )
    a, b = picture(build(before), 0.0, 128, 128), picture(build(read(after)), 0.0, 128, 128)
    assert np.abs(a - b)[:3].mean() < 2 / 255


def bumped(over="tile", **options):
    """A round hill in the middle, as a bump."""
    hill = strand("s", bead("uv"), bead("radial", radius=0.4), bead("bump", strength=0.3))
    return made(on({"normal": "s"}, hill, lighting="lit"), over=over, **options)["normal"].values


def test_a_hill_leans_outwards_everywhere_and_green_is_as_stated(tmp_path):
    for over in ("tile", "shape"):
        n = bumped(over)
        assert np.abs(np.linalg.norm(n, axis=-1) - 1).max() < 1e-5
        u, v = uv()
        away = np.stack([u - 0.5, v - 0.5], axis=-1)
        slope = np.linalg.norm(n[..., :2], axis=-1) > 0.05
        assert slope.mean() > 0.2
        assert ((n[..., :2] * away).sum(-1)[slope] > 0).all()
    hill = strand("s", bead("uv"), bead("radial", radius=0.4), bead("bump", strength=0.3))
    effect = on({"normal": "s"}, hill, lighting="lit")
    greens = {}
    for green in ("up", "down"):
        folder = tmp_path / green
        (path, told) = write_maps(effect, folder, MapsOptions(size=SIZE, over="tile", green=green))
        assert f"green {green}" in json.loads(told.read_text())["files"][path.name]["encoding"]
        greens[green] = np.asarray(Image.open(path), int)[..., 1]
    # Above the hill's middle it leans up: more than half where green is up.
    assert greens["up"][SIZE // 4, SIZE // 2] > 140 and greens["down"][SIZE // 4, SIZE // 2] < 116
    assert np.abs(greens["up"] + greens["down"] - 255).max() <= 1


def test_a_tile_that_closes_has_no_seam_and_one_that_does_not_is_told():
    closing = strand("s", bead("uv"), bead("tile", id="t", count=[4.0, 4.0]), bead("noise", scale=1.0))
    turned = strand("s", bead("uv"), bead("rotate", id="r", angle=31.0), bead("noise", scale=5.3))
    whole = made(on({"emission": "s"}, closing), over="tile")["emission"]
    torn = made(on({"emission": "s"}, turned), over="tile")["emission"]
    assert whole.seam <= 1.2 < 2.0 < torn.seam
    assert made(on({"emission": "s"}, closing), over="shape")["emission"].seam is None
    # By itself: a wave that comes round, and one that does not.
    at = np.linspace(0, 1, 64, endpoint=False)
    assert seam_of(np.tile(np.sin(2 * np.pi * at), (64, 1))[..., None]) <= 1.01
    assert seam_of(np.tile(at, (64, 1))[..., None]) > 50


def test_packed_channels_and_constants(tmp_path):
    rough = strand("r", bead("uv"), bead("linear", start=0.0, span=1.0))
    effect = on({"roughness": "r", "emission": "r"}, rough, lighting="lit", metallic=0.8)
    paths = write_maps(effect, tmp_path, MapsOptions(size=SIZE, over="tile"))
    assert [p.name for p in paths] == ["harbour-glow-emission.png", "harbour-glow-orm.png", "harbour-glow-maps.json"]
    orm = np.asarray(Image.open(paths[1]), float) / 255
    u, _ = uv()
    np.testing.assert_allclose(orm[..., 0], 1.0, atol=1 / 255)
    np.testing.assert_allclose(orm[..., 1], u, atol=0.02)
    np.testing.assert_allclose(orm[..., 2], 0.8, atol=1 / 255)
    told = json.loads(paths[2].read_text())
    assert told["files"]["harbour-glow-orm.png"]["components"] == {"r": "occlusion", "g": "roughness", "b": "metallic"}
    # Unpacked and as EXR each stands alone, with its very values.
    alone = write_maps(effect, tmp_path / "e", MapsOptions(size=SIZE, over="tile", kind="exr", packed={}))
    values = OpenEXR.File(str(next(p for p in alone if "roughness" in p.name))).channels()["Y"].pixels
    np.testing.assert_allclose(values, u, atol=2e-3)


def test_a_number_of_the_surface_multiplies_its_mask():
    half = on({"opacity": "s"}, strand("s", *LINEAR), opacity=0.5)
    u, _ = uv()
    np.testing.assert_allclose(made(half, over="tile")["opacity"].values[..., 0], 0.5 * u, atol=2e-3)


def test_edges_go_on_beyond_the_uv():
    effect = on({"emission": "s"}, strand("s", bead("constant")), shape="box")
    tight, wide = (made(effect, padding=p)["emission"].values[..., 0] for p in (0, 12))
    assert (wide > 0).sum() >= (tight > 0).sum()
    assert np.array_equal(wide[tight > 0], tight[tight > 0])


@pytest.mark.parametrize("slug", demo.slugs())
def test_every_demo_effect_gives_finite_maps(slug, tmp_path):
    effect = demo.demo(slug)
    for one in maps(effect, MapsOptions(size=32), 0.3):
        assert np.isfinite(one.values).all(), one.name
        assert one.values.shape == (32, 32, CHANNELS[one.name].size)


@pytest.mark.parametrize(
    ("packed", "words"),
    [
        ({"x": ["sound", "film"]}, "no channel"),
        ({"x": ["base", "film"]}, "one component"),
        ({"x": ["film"]}, "two to four"),
        ({"../x": ["film", "opacity"]}, "plain name"),
    ],
)
def test_what_cannot_be_packed_is_told(packed, words):
    with pytest.raises(Refused, match=words):
        maps(on({"emission": "s"}, strand("s", *LINEAR)), MapsOptions(size=16, packed=packed))


def test_from_the_command_line(tmp_path):
    file = tmp_path / "glow.whorl.json"
    file.write_text(write_text(on({"emission": "s", "opacity": "s"}, strand("s", *LINEAR))))
    args = ["maps", str(file), "-o", str(tmp_path / "out"), "--size", "32", "--pack", "ro=roughness,opacity"]
    done = CliRunner().invoke(app, args)
    assert done.exit_code == 0, done.output
    assert sorted(p.name for p in (tmp_path / "out").iterdir()) == [
        "harbour-glow-emission.png",
        "harbour-glow-maps.json",
        "harbour-glow-ro.png",
    ]
    assert Image.open(io.BytesIO((tmp_path / "out" / "harbour-glow-ro.png").read_bytes())).mode == "RGB"
    for wrong in (["--over", "sea"], ["--pack", "ro=roughness"], ["--green", "sideways"]):
        assert CliRunner().invoke(app, [*args[:-2], *wrong]).exit_code == 2


def test_a_second_surface_is_in_the_maps():
    """Where the mask lets it through, the maps are the second's; before, they held the first alone."""
    half = strand("half", bead("uv"), bead("linear", start=0.5, span=1e-4))
    red = strand("red", bead("uv"), bead("linear", start=-2.0, span=1.0), bead("tint", id="t", colour=[1.0, 0.0, 0.0]))
    blue = strand("blue", bead("uv"), bead("linear", start=-2.0, span=1.0), bead("tint", id="t", colour=[0, 0, 1.0]))
    second = {"strand": "half", "channels": {"base": [{"strand": "blue"}]}, "roughness": 0.9}
    effect = read(
        data(half, red, blue, surface={"channels": {"base": [{"strand": "red"}]}, "roughness": 0.1, "second": second})
    )
    got = made(effect)
    left, right = SIZE // 4, 3 * SIZE // 4
    np.testing.assert_allclose(got["base"].values[8, left], [1, 0, 0], atol=1e-3)
    np.testing.assert_allclose(got["base"].values[8, right], [0, 0, 1], atol=1e-3)
    np.testing.assert_allclose(got["roughness"].values[8, [left, right], 0], [0.1, 0.9], atol=1e-3)


def test_frames_of_the_turn_lie_on_one_map(tmp_path):
    moved = strand("s", bead("uv"), bead("scroll", offset={"motion": "drift", "cycles": 1.0}), bead("linear", span=1.0))
    effect = on({"emission": "s"}, moved)
    sheet = {m.name: m for m in maps(effect, MapsOptions(size=SIZE, frames=5))}["emission"].values
    assert sheet.shape == (2 * SIZE, 3 * SIZE, 3)
    for n in range(5):
        row, column = divmod(n, 3)
        cell = sheet[row * SIZE : (row + 1) * SIZE, column * SIZE : (column + 1) * SIZE]
        alone = {m.name: m for m in maps(effect, MapsOptions(size=SIZE), phase=n / 5)}["emission"].values
        np.testing.assert_array_equal(cell, alone)
    write_maps(effect, tmp_path, MapsOptions(size=SIZE, frames=5))
    told = json.loads((tmp_path / "harbour-glow-maps.json").read_text())["sheet"]
    assert [round(f["phase"], 3) for f in told["frames"]] == [0, 0.2, 0.4, 0.6, 0.8]
    assert told["frames"][4]["uv"] == pytest.approx([1 / 3, 0, 2 / 3, 0.5])
    with pytest.raises(Refused, match="up to 8192 pixels"):
        maps(effect, MapsOptions(size=4096, frames=9))
