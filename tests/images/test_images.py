"""Pictures: read as they were written, refused in words, and filtered as the textbook has it."""

import io
import zipfile

import numpy as np
import pytest
from scipy import ndimage

from tests.documents import bead, data, effect, strand
from tests.images.pictures import deep, encoded, lanterns
from whorl.bundle import read_file, write_bundle
from whorl.checks import check
from whorl.effect import BadEffect, read
from whorl.effect.places import changed
from whorl.fields.pictures import look_up
from whorl.images import BadImage, Library, decode, library, sheet_of
from whorl.plan.build import build
from whorl.plan.run.evaluate import run
from whorl.stage import flat
from whorl.stage.frame import lit_scene


def looked_up(sheet, u, v, wide=0.0, detail=0.0, wrap=0, blocky=False):
    u, v = (np.asarray(a, np.float32) for a in (u, v))
    fixed = (("wrap", wrap), ("blocky", int(blocky)))
    given = [sheet.image, sheet.numbers, [u, v, u * 0], (wide, wide, 0.0), (detail,)]
    return np.array(run(look_up, fixed, given, len(u)))


@pytest.mark.parametrize("format", ["PNG", "WEBP", "JPEG"])
def test_colours_are_read_as_they_were_written(format):
    pixels = lanterns()
    more = {"lossless": True} if format == "WEBP" else {"quality": 98, "subsampling": 0} if format == "JPEG" else {}
    made = decode(encoded(pixels, format, **more))
    assert (made.width, made.height, made.channels, made.encoded) == (37, 23, "colour", True)
    within = 0.03 if format == "JPEG" else 1e-6
    assert np.abs(made.pixels[..., :3] - pixels / 255).max() < within
    assert (made.pixels[..., 3] == 1).all()


def test_a_16_bit_grey_keeps_its_depth():
    grey = np.arange(64 * 64, dtype=np.uint16).reshape(64, 64) * 16
    made = decode(encoded(grey))
    assert made.channels == "grey" and np.abs(made.pixels[..., 0] - grey / 65535).max() < 1e-7


@pytest.mark.parametrize("channels", [2, 3, 4])
def test_16_bit_colours_keep_their_depth(channels):
    pixels = np.random.default_rng(channels).integers(0, 65536, (21, 33, channels)).astype(np.uint16)
    made = decode(deep(pixels))
    assert (made.width, made.height, made.channels) == (33, 21, "grey" if channels == 2 else "colour")
    want = pixels / 65535
    rgb = want[..., :1] if channels == 2 else want[..., :3]
    assert np.abs(made.pixels[..., :3] - rgb).max() < 1e-7
    alpha = 1 if channels == 3 else want[..., -1]
    assert np.abs(made.pixels[..., 3] - alpha).max() < 1e-7


def test_openexr_is_linear_and_may_exceed_one(tmp_path):
    import OpenEXR

    light = np.random.default_rng(1).uniform(0, 40, (9, 13, 3)).astype(np.float32)
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    OpenEXR.File(header, {"RGB": light}).write(str(tmp_path / "light.exr"))
    made = decode((tmp_path / "light.exr").read_bytes())
    assert not made.encoded and np.array_equal(made.raw[..., :3], light.astype(np.float16))
    # Linear light is not decoded again, whatever is asked for.
    assert np.abs(sheet_of(made, True).level(0)[..., :3].astype(float) - light).max() < 0.02


@pytest.mark.parametrize(
    ("file", "words"),
    [
        (b"not a picture", "not a picture"),
        (encoded(lanterns())[:60], "not a picture"),
        (b"\x76\x2f\x31\x01" + b"torn", "OpenEXR"),
        (encoded(np.zeros((2, 8200), np.uint8)), "8192"),
        (deep(np.zeros((2, 8200, 3), np.uint16)), "8192"),
        (deep(np.zeros((64, 64, 3), np.uint16))[:70], "not a picture"),
    ],
)
def test_what_is_malformed_or_too_large_is_refused_and_nothing_is_kept(file, words, tmp_path):
    kept = Library(tmp_path / "assets")
    with pytest.raises(BadImage, match=words):
        kept.add(file)
    assert not (tmp_path / "assets").exists()


def test_a_picture_is_kept_once_under_the_hash_of_its_file(tmp_path):
    kept, file = Library(tmp_path), encoded(lanterns())
    first, second = kept.add(file)[0], kept.add(file)[0]
    assert first == second and [p.name for p in tmp_path.iterdir()] == [first]
    assert kept.data(first) == file and kept.data("../" + first) is None and not kept.has("0" * 64)


def test_levels_halve_down_to_one_and_each_keeps_the_mean():
    made = decode(encoded(lanterns(64, 32)))
    p = sheet_of(made, False)
    levels = [p.level(k).astype(float) for k in range(7)]
    assert [a.shape[1::-1] for a in levels] == [(64, 32), (32, 16), (16, 8), (8, 4), (4, 2), (2, 1), (1, 1)]
    for level in levels:
        assert level.mean(axis=(0, 1)) == pytest.approx(made.pixels.mean(axis=(0, 1)), abs=2e-3)
    # Of a size that is no power of two, the parts of texels count.
    odd = decode(encoded(lanterns(37, 23)))
    last = sheet_of(odd, False).level(5)[0, 0].astype(float)
    assert last == pytest.approx(odd.pixels.mean(axis=(0, 1)), abs=3e-3)


def test_srgb_colours_become_linear_light_by_the_standard():
    steps = np.arange(256, dtype=np.uint8).reshape(16, 16)
    p = sheet_of(decode(encoded(np.stack([steps] * 3, -1))), True)
    c = np.arange(256) / 255
    expected = np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4)
    assert np.abs(p.level(0)[..., 0].ravel() - expected).max() < 5e-4


@pytest.mark.parametrize(("wrap", "mode"), [(0, "grid-wrap"), (1, "reflect"), (2, "nearest")])
def test_a_lookup_is_scipys_linear_interpolation_with_the_edges_asked_for(wrap, mode):
    p = sheet_of(decode(encoded(lanterns())), False)
    level = p.level(0)[..., 0].astype(float)
    h, w = level.shape
    rng = np.random.default_rng(3)
    u, v = rng.uniform(-0.9, 1.9, (2, 500))
    expected = ndimage.map_coordinates(level, [(1 - v) * h - 0.5, u * w - 0.5], order=1, mode=mode)
    assert np.abs(looked_up(p, u, v, wrap=wrap)[0] - expected).max() < 1e-4


def test_where_texels_are_smaller_than_pixels_coarser_levels_are_taken():
    fine = np.zeros((64, 64, 3), np.uint8)
    fine[::2, ::2] = fine[1::2, 1::2] = 255
    p = sheet_of(decode(encoded(fine)), False)
    u, v = np.random.default_rng(5).uniform(0, 1, (2, 400))
    near, far = looked_up(p, u, v, wide=1 / 64)[0], looked_up(p, u, v, wide=2 / 64)[0]
    assert near.std() > 0.15 and far == pytest.approx(np.full(400, 0.5), abs=0.01)
    assert looked_up(p, u, v, wide=2 / 64, detail=-1.0)[0] == pytest.approx(near, abs=1e-4)


def pictured(settings, kind="image", chain=(), **more):
    digest, made = library.add(encoded(lanterns()))
    asset = {"id": "lanterns", "name": "lanterns.png", "hash": digest, "width": made.width, "height": made.height}
    image = bead(kind, settings={"picture": "lanterns", **settings})
    return read(data(strand("s", bead("uv"), *chain, image), assets=[asset], **more))


def test_a_colour_is_decoded_and_a_channel_is_not_unless_it_is_asked_for():
    def middle(**settings):
        e = pictured({"filter": "blocks", **settings})
        plan = build(e)
        return flat.field(plan, plan.beads["s/image"], 64, 0.0)[32, 16]

    as_colour, as_data = middle(), middle(take="red")
    assert as_data[0] == pytest.approx(middle(encoding="data")[0], abs=1e-3)
    assert as_colour[0] == pytest.approx(((as_data[0] + 0.055) / 1.055) ** 2.4, abs=2e-3)
    assert middle(take="red", encoding="sRGB")[0] == pytest.approx(as_colour[0], abs=1e-6)


def test_rows_run_downwards_from_v_1_and_tiling_repeats_the_picture():
    plan = build(pictured({"take": "red", "filter": "blocks"}))
    field = flat.field(plan, plan.beads["s/image"], 46, 0.0)[..., 0]
    expected = np.repeat(lanterns()[..., 0], 2, axis=0) / 255
    columns = (np.arange(46) + 0.5) / 46 * 37
    assert np.abs(field - expected[:, columns.astype(int)]).max() < 2e-3
    tiled = build(pictured({"take": "red"}, chain=[bead("tile", count=[2, 2, 1])]))
    twice = flat.field(tiled, tiled.beads["s/image"], 64, 0.0)[..., 0]
    assert np.abs(twice[:32, :32] - twice[32:, 32:]).max() < 1e-4


def test_a_normal_map_bends_the_normal_the_way_it_says():
    level = np.full((8, 8, 3), (128 + 64, 128, 238), np.uint8)
    digest, _ = library.add(encoded(level))
    asset = {"id": "n", "name": "n.png", "hash": digest, "width": 8, "height": 8}
    image = bead("image-normal", settings={"picture": "n"})
    plan = build(read(data(strand("s", bead("uv"), image), assets=[asset])))
    made = flat.field(plan, plan.beads["s/image-normal"], 8, 0.0)[4, 4]
    expected = np.array([192, 128, 238]) / 255 * 2 - 1
    assert made == pytest.approx(expected / np.linalg.norm(expected), abs=2e-3)


def test_a_picture_that_is_not_there_is_told_in_its_place():
    with pytest.raises(BadEffect) as unknown:
        build(read(data(strand("s", bead("uv"), bead("image", settings={"picture": "gone"})))))
    assert unknown.value.problems[0].place == "strands/s/image/picture"
    asset = {"id": "lost", "name": "lost.png", "hash": "0" * 64, "width": 8, "height": 8}
    with pytest.raises(BadEffect, match=r"lost\.png"):
        build(read(data(strand("s", bead("uv"), bead("image", settings={"picture": "lost"})), assets=[asset])))
    # Before one is chosen, an image is a flat middle and no fault.
    plan = build(read(data(strand("s", bead("uv"), bead("image", settings={"take": "red"})))))
    assert (flat.field(plan, plan.beads["s/image"], 8, 0.0) == 0.5).all()


def test_a_picture_as_backdrop_covers_the_lesser_side_the_right_way_up():
    # Left red, right green; the lower half half as bright; twice as wide as high.
    rows = np.zeros((16, 32, 3), np.uint8)
    rows[:, :16, 0], rows[:, 16:, 1] = 255, 255
    rows[8:] = 188 * (rows[8:] > 0)
    digest, made = library.add(encoded(rows))
    asset = {"id": "bay", "name": "bay.png", "hash": digest, "width": made.width, "height": made.height}
    bay = {"kind": "picture", "picture": "bay"}
    # A clear plane that bends nothing before it changes nothing.
    for surface in ({"composite": "glowing"}, {"composite": "see-through", "body": "hollow", "opacity": 0.0}):
        plan = build(read(data(assets=[asset], surface=surface, stage={"backdrop": bay})))
        seen = lit_scene(plan, 0.0, 64, 32, None, False, 1)[:3]
        for x, y, light in ((8, 4, (1, 0, 0)), (56, 4, (0, 1, 0)), (8, 28, (0.5, 0, 0)), (56, 28, (0, 0.5, 0))):
            assert seen[:, y, x] == pytest.approx(light, abs=0.01)
        # The bound between the two lies at the picture's middle.
        assert seen[0, 4, 30] > 0.9 and seen[1, 4, 33] > 0.9
    with pytest.raises(BadEffect) as gone:
        build(read(data(stage={"backdrop": bay})))
    assert gone.value.problems[0].place == "stage/backdrop/picture"
    # Before one is chosen it is its colour.
    plain = {"kind": "picture", "colour": [0.2, 0.3, 0.4]}
    seen = lit_scene(build(read(data(stage={"backdrop": plain}))), 0.0, 8, 8, None, False, 1)
    assert seen[:3, 0, 0] == pytest.approx([0.2, 0.3, 0.4])


def test_a_bundle_brings_effect_and_pictures_to_another_library():
    e = pictured({})
    packed = write_bundle(e, library)
    assert packed == write_bundle(e, library)
    other = Library()
    assert read_file(packed, other) == e and other.has(e.assets[0].hash)


def repacked(packed, change):
    """A bundle with its entries changed."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(packed)) as old, zipfile.ZipFile(out, "w") as new:
        for name, content in change({i: old.read(i) for i in old.namelist()}).items():
            new.writestr(name, content)
    return out.getvalue()


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda f: {k: v for k, v in f.items() if k.endswith("json")}, "is not in the bundle"),
        (lambda f: {k: v for k, v in f.items() if not k.endswith("json")}, "does not"),
        (lambda f: {k: v if k.endswith("json") else v + b"!" for k, v in f.items()}, "not the one"),
        (lambda f: {k: b"{" if k.endswith("json") else v for k, v in f.items()}, "JSON"),
    ],
)
def test_a_damaged_bundle_is_refused_and_nothing_is_kept(change, words):
    other = Library()
    with pytest.raises(BadEffect, match=words):
        read_file(repacked(write_bundle(pictured({}), library), change), other)
    assert not other.files
    with pytest.raises(BadEffect, match="damaged"):
        read_file(write_bundle(pictured({}), library)[:400], other)


@pytest.mark.parametrize("shape", [(23, 37), (64, 64), (1, 300), (300, 1), (5, 512), (1, 1), (65, 64)])
def test_no_two_levels_of_a_sheet_lie_over_one_another(shape):
    """Each texel of each level is found where a lookup goes for it, and is in no other level."""
    numbers = np.random.default_rng(2).uniform(0, 1, (*shape, 3))
    made = sheet_of(decode(encoded(np.round(numbers * 255).astype(np.uint8))), False)
    taken = np.zeros(made.image.pixels.shape[:2], int)
    for level in range(made.size[2] + 1):
        x, y, w, h = made.place(level)
        assert (w, h) == (max(shape[1] >> level, 1), max(shape[0] >> level, 1))
        taken[y : y + h, x : x + w] += 1
        u, v = np.meshgrid((np.arange(w) + 0.5) / w, 1 - (np.arange(h) + 0.5) / h)
        there = looked_up(made, u.ravel(), v.ravel(), wide=2.0**level / max(shape), wrap=2)
        expected = made.level(level).astype(float).reshape(-1, 4)
        assert np.abs(there.T - expected).max() < 1e-3
    assert taken.max() == 1 and (w, h) == (1, 1)


def slope() -> str:
    """A picture that grows brighter to the right and has a wave down it, so that it meets itself one way alone."""
    y, x = np.mgrid[0:64, 0:64] / 64
    grey = 0.2 + 0.6 * x + 0.1 * np.sin(2 * np.pi * y)
    return library.add(encoded(np.round(grey * 255).astype(np.uint8)))[0]


def sloped(settings, *after, count=(1, 1, 1), **params):
    asset = {"id": "slope", "name": "slope.png", "hash": slope(), "width": 64, "height": 64}
    image = bead("image", "shown", {"picture": "slope", "take": "red", **settings}, **params)
    return effect(strand("s", bead("uv"), bead("tile", count=list(count)), image, *after), assets=[asset])


def test_sides_that_are_blended_meet_and_the_middle_is_the_picture():
    plain, blended = (sloped({"seams": s}, blend=0.25) for s in ("left", "blended"))
    left, made = (
        flat.field(p, p.beads["s/shown"], 64, 0.0)[..., 0].astype(float) for p in map(build, (plain, blended))
    )
    step = np.abs(np.diff(made, axis=1)).max()
    assert np.abs(left[:, 0] - left[:, -1]).min() > 0.5
    assert np.abs(made[:, 0] - made[:, -1]).max() < step * 1.5
    # Beyond the share that is blended it is the picture itself, less that share.
    u = (np.arange(64) + 0.5) / 64 * 0.75
    beyond = u > 0.26
    wanted = 0.2 + 0.6 * (u - 0.5 / 64)
    assert np.abs(made[20:44].mean(axis=0) - made[20:44].mean() - (wanted - wanted.mean()))[beyond].std() < 0.02
    assert np.abs(np.diff(made.mean(axis=0))[beyond[1:]] - 0.6 * 0.75 / 64).max() < 2e-3


@pytest.mark.parametrize(
    ("settings", "count", "told"),
    [
        ({}, (3, 1, 1), ["left and right"]),
        ({}, (1, 3, 1), []),
        ({}, (1, 1, 1), []),
        ({"wrap": "mirror"}, (3, 1, 1), []),
        ({"wrap": "edge"}, (3, 1, 1), []),
        ({"seams": "blended"}, (3, 1, 1), []),
    ],
)
def test_a_picture_that_repeats_without_meeting_itself_is_told_with_what_mends_it(settings, count, told):
    made = sloped(settings, count=count)
    found = [f for f in check(made) if f.kind == "seam in a picture"]
    assert [f.words for f in found if told[0] in f.words] == [f.words for f in found] if told else not found
    assert len(found) == len(told)
    for f in found:
        assert f.place == "strands/s/shown"
        for mend in f.mends:
            mended = made
            for change in mend.changes:
                mended = changed(mended, change.place, change.value)
            assert not [g for g in check(mended) if g.kind == f.kind]


def test_a_picture_that_scrolls_over_its_seam_is_told_too():
    asset = {"id": "slope", "name": "slope.png", "hash": slope(), "width": 64, "height": 64}
    drift = bead("scroll", offset={"motion": "drift", "cycles": [1, 0, 0], "base": [0, 0, 0]})
    image = bead("image", "shown", {"picture": "slope", "take": "red"})
    found = [f.kind for f in check(effect(strand("s", bead("uv"), drift, image), assets=[asset]))]
    assert "seam in a picture" in found
