"""Panoramas: light from where it should come, mirrored and falling as the integrals have it; HDR files as written."""

from functools import cache

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.documents import bead, effect, strand
from whorl.fields import panorama
from whorl.images import BadImage, decode, library
from whorl.images.around import MATTE, ROUGHEST, around_of, evenly, ways
from whorl.images.decode import Decoded
from whorl.panoramas import PANORAMAS
from whorl.panoramas.paint import PAINTED, painted
from whorl.plan.build import build
from whorl.plan.run.evaluate import run
from whorl.shade import Vec3
from whorl.stage.frame import lit_scene

WHITE = np.ones((64, 128, 3))


def panorama_of(light) -> Decoded:
    raw = np.concatenate([light, np.ones((*light.shape[:2], 1))], axis=-1).astype(np.float16)
    return Decoded(raw, "colour", False)


#: Asked for again and again, of the same sizes.
each_way = cache(ways)


@cache
def smooth(high=256, wide=512) -> np.ndarray:
    """Light that changes slowly: a polynomial of the direction."""
    x, y, z = np.moveaxis(ways(high, wide), -1, 0)
    return np.stack([1 + 0.8 * x - 0.4 * z, 0.5 + 0.4 * y * y + 0.3 * x * y, np.exp(1.5 * y - 1)], axis=-1)


@cache
def smooth_sheet(high=256, wide=512):
    return around_of(panorama_of(smooth(high, wide)))


def looked(sheet, directions, level, turn=0.0, strength=1.0):
    d = [np.ascontiguousarray(c, np.float32) for c in np.asarray(directions).T]
    given = [sheet.image, sheet.numbers, d, (turn,), (level,), (strength,)]
    return np.array(run(panorama.from_around, (), given, len(d[0]))).T


def some(count=40) -> np.ndarray:
    d = np.random.default_rng(7).normal(size=(count, 3))
    d[np.abs(d[:, 1]) > 2.2] = [1, 0, 0]
    return d / np.linalg.norm(d, axis=1, keepdims=True)


def test_a_white_one_is_white_from_everywhere_at_every_roughness_and_on_matte():
    sheet = around_of(panorama_of(WHITE))
    for level in np.linspace(0, MATTE, 13):
        assert looked(sheet, some(), float(level)) == pytest.approx(1.0, abs=2e-3)
    assert np.array(evenly(panorama_of(WHITE))) == pytest.approx(1.0, abs=1e-3)


@pytest.mark.parametrize(("row", "column", "turn"), [(150, 700, 0.0), (256, 512, 90.0), (400, 3, -35.0)])
def test_a_sun_of_one_texel_is_where_it_should_be(row, column, turn):
    """From straight ahead rightwards by its column, upwards by its row; turned with the panorama."""
    light = np.zeros((512, 1024, 3))
    light[row, column] = 1000
    sheet = around_of(panorama_of(light))
    yaw = ((column + 0.5) / 1024 - 0.5) * 2 * np.pi + np.radians(turn)
    pitch = (0.5 - (row + 0.5) / 512) * np.pi
    to = [np.sin(yaw) * np.cos(pitch), np.sin(pitch), -np.cos(yaw) * np.cos(pitch)]
    assert looked(sheet, [to], 0.0, turn)[0] == pytest.approx(1000, rel=0.05)
    assert looked(sheet, [np.negative(to)], 0.0, turn)[0] == pytest.approx(0, abs=1e-3)
    # Blurred, it is brightest there too.
    grid = ways(64, 128).reshape(-1, 3)
    for level in (1.0, 2.0, 3.0, 4.0):
        best = grid[looked(sheet, grid, level, turn)[:, 0].argmax()]
        assert np.degrees(np.arccos(np.clip(best @ to, -1, 1))) < 4 + 2 * level


def integral(light, normal, weigh):
    """Over all of the sphere, by texels."""
    d = each_way(*light.shape[:2])
    solid = np.cos((0.5 - (np.arange(light.shape[0]) + 0.5) / light.shape[0]) * np.pi)[:, None]
    weights = weigh(d @ normal) * solid
    return (light * weights[..., None]).sum(axis=(0, 1)) / weights.sum()


def facets(roughness):
    """What facets weigh light by, of its cosine to where they mirror: GGX with n = v."""
    a2 = roughness**4

    def weigh(nl):
        nh = np.sqrt(0.5 + 0.5 * np.clip(nl, 0, 1))
        return np.where(nl > 0, nl * a2 / (nh * nh * (a2 - 1) + 1) ** 2, 0)

    return weigh


# Of any size and proportion; it is worked with at powers of two.
@pytest.mark.parametrize("size", [(256, 512), (250, 500), (700, 600), (1400, 3000)])
@pytest.mark.parametrize("roughness", [0.2, 0.4, 0.6, 0.8, 1.0])
def test_what_is_mirrored_is_the_integral_over_facets(roughness, size):
    light, sheet = smooth(), smooth_sheet(*size)
    for to in some(12):
        got = looked(sheet, [to], roughness * ROUGHEST)[0]
        assert got == pytest.approx(integral(light, to, facets(roughness)), rel=0.015, abs=0.01)


@pytest.mark.parametrize("roughness", [0.2, 0.4, 0.6])
def test_a_lamp_is_mirrored_as_a_glow_without_streaks(roughness):
    lamp = np.array([0.5, 0.6, -0.6245])
    lit = ways(256, 512) @ lamp > np.cos(np.radians(3))
    light = np.repeat(lit[..., None] * 100.0, 3, axis=-1)
    sheet = around_of(panorama_of(light))
    side = np.cross(lamp, [0, 1, 0])
    side /= np.linalg.norm(side)
    over = np.cross(side, lamp)
    most = integral(light, lamp, facets(roughness))[0]
    for away in np.radians([2, 6, 12, 25]):
        for turn in np.radians(np.arange(0, 360, 30)):
            to = np.cos(away) * lamp + np.sin(away) * (np.cos(turn) * side + np.sin(turn) * over)
            wanted = integral(light, to, facets(roughness))[0]
            assert looked(sheet, [to], roughness * ROUGHEST)[0, 0] == pytest.approx(wanted, abs=0.03 * most)


def test_what_falls_on_matte_is_the_integral_over_the_cosine_and_the_sky_of_three_colours_is_near_it():
    light, sheet = smooth(), smooth_sheet()
    for to in some(12):
        wanted = integral(light, to, lambda nl: np.maximum(nl, 0))
        assert looked(sheet, [to], MATTE)[0] == pytest.approx(wanted, rel=0.05, abs=0.03)
    # But for the side that light comes from, which it has not.
    even = np.array(evenly(panorama_of(np.repeat(light.mean(axis=1, keepdims=True), 512, axis=1))))
    up, down = (integral(light, np.array([0.0, y, 0.0]), lambda nl: np.maximum(nl, 0)) for y in (1.0, -1.0))
    assert 0.75 * even[0] + 0.25 * even[1] == pytest.approx(up, rel=0.1)
    assert even[2] == pytest.approx(down, rel=0.25)


def ball(digest, **sky):
    surface = {"composite": "solid", "lighting": "lit", "metallic": 0.5, "roughness": 0.4}
    surface["channels"] = {"base": [{"strand": "grey"}]}
    grey = strand("grey", bead("constant", settings={"gives": "colour"}, colour=[0.7, 0.5, 0.4]))
    around = {"floor": {"on": True}, "ball": {"on": True}}
    stage = {"shape": "ball", "neighbours": around, "sky": sky, "bloom": {"strength": 0}}
    assets = [{"id": "p", "name": "p.exr", "hash": digest, "width": 128, "height": 64}] if digest else []
    return lit_scene(build(effect(grey, surface=surface, stage=stage, assets=assets)), 0.0, 64, 64, None, False, 1)


def exr(light) -> bytes:
    import tempfile
    from pathlib import Path

    import OpenEXR

    planes = {n: np.ascontiguousarray(light[..., k], np.float32) for k, n in enumerate("RGB")}
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "p.exr"
        with OpenEXR.File({"type": OpenEXR.scanlineimage}, planes) as file:
            file.write(str(path))
        return path.read_bytes()


def test_under_a_white_panorama_all_is_lit_as_under_a_white_sky():
    white = [1.0, 1.0, 1.0]
    by_colours = ball("", zenith=white, horizon=white, ground=white, strength=0.7)
    by_picture = ball(library.add(exr(WHITE))[0], picture="p", strength=0.7)
    assert np.abs(by_picture - by_colours).max() < 4e-3
    assert by_colours.max() > 0.3


def test_a_panorama_that_turns_lights_another_side():
    light = np.zeros((64, 128, 3))
    light[16:40, 84:108] = 6.0
    digest = library.add(exr(light))[0]
    right, left = (np.asarray(ball(digest, picture="p", turn=t)) for t in (0.0, 180.0))
    middle = slice(16, 48)
    assert right[0, middle, 40:56].mean() > 1.5 * right[0, middle, 8:24].mean()
    assert np.abs(right - left).max() > 0.1


def test_from_everywhere_it_is_a_place_of_the_panorama():
    for to in (*some(20), [0, 1, 0], [0, -1, 0], [0, 0, 1]):
        at = panorama.on_panorama(Vec3(*map(float, to)), 0.0)
        assert 0 <= at.x <= 1 and 0 <= at.y <= 1
        yaw, pitch = (at.x - 0.5) * 2 * np.pi, (0.5 - at.y) * np.pi
        back = [np.sin(yaw) * np.cos(pitch), np.sin(pitch), -np.cos(yaw) * np.cos(pitch)]
        assert back == pytest.approx(list(to), abs=1e-5)


@pytest.mark.parametrize("slug", PAINTED)
def test_what_ships_is_what_is_painted(slug):
    made = decode(PANORAMAS[slug].data)
    light = painted(slug)
    assert made.raw.shape == (*light.shape[:2], 4) and np.isfinite(light).all()
    np.testing.assert_allclose(made.raw[..., :3].astype(float), light.astype(float), rtol=0.01, atol=1e-3)
    assert list(PAINTED) == list(PANORAMAS)


# --- files of high range ----------------------------------------------------------------------


def hdr(light, coded=True) -> bytes:
    """A picture as RGBE, by Ward's own recipe; runs of equal bytes, or plain."""
    most = light.max(axis=-1)
    mantissa, exponent = np.frexp(most)
    scale = np.where(most > 1e-32, mantissa * 256 / np.where(most > 1e-32, most, 1), 0)
    rows = np.dstack([light * scale[..., None], np.where(most > 1e-32, exponent + 128, 0)]).astype(np.uint8)
    high, wide = most.shape
    out = b"#?RADIANCE\nSOFTWARE=none\nFORMAT=32-bit_rle_rgbe\n\n" + f"-Y {high} +X {wide}\n".encode()
    if not coded:
        return out + rows.tobytes()
    for row in rows:
        out += bytes([2, 2, wide >> 8, wide & 255])
        for component in row.T:
            x = 0
            while x < wide:
                run = 1
                while x + run < wide and run < 127 and component[x + run] == component[x]:
                    run += 1
                out += bytes([128 + run, component[x]]) if run > 1 else bytes([1, component[x]])
                x += run
    return out


@pytest.mark.parametrize("coded", [True, False])
def test_hdr_files_are_read_as_they_were_written(coded):
    light = smooth()[::16, ::16] * np.linspace(0.01, 300, 32)[None, :, None]
    light[3, 4] = 0
    made = decode(hdr(light, coded))
    assert made.raw.dtype == np.float16 and not made.encoded
    got = made.raw[..., :3].astype(float)
    # One of 256 parts of the greatest of three, cut off on writing, and half a part added on reading.
    assert (np.abs(got - light).max(axis=-1) <= light.max(axis=-1) / 128 + 1e-3).all()
    assert (got[3, 4] == 0).all()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda d: d[:-40], "ends too early"),
        (lambda d: d.replace(b"-Y", b"+Y"), "top left"),
        (lambda d: d.replace(b"rgbe", b"xyze"), "not in RGBE"),
        (lambda d: d.replace(b"-Y 16 +X 32", b"-Y 99999 +X 32"), "up to 8192"),
        (lambda d: d.replace(b"\n\n", b"\n"), "head is malformed"),
        (lambda d: d[:80] + b"\0" * 200, "malformed"),
    ],
)
def test_a_malformed_hdr_file_is_refused_in_words(change, words):
    with pytest.raises(BadImage, match=words):
        decode(change(hdr(smooth()[::16, ::16])))


@given(st.binary(max_size=400), st.integers(0, 300))
@settings(max_examples=150)
def test_whatever_follows_the_head_is_read_or_refused(data, at):
    whole = hdr(smooth()[::16, ::16])
    broken = whole[: 60 + at] + data
    try:
        made = decode(broken)
    except BadImage:
        return
    assert np.isfinite(made.raw.astype(float)).all()
