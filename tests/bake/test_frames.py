"""Frames in depth: layers, light, motion blur, dither; read by OpenEXR, OpenImageIO and Pillow."""

import itertools

import av
import numpy as np
import OpenEXR
import OpenImageIO as oiio  # noqa: N813 - as its own documentation has it
import pytest
from PIL import Image
from typer.testing import CliRunner

from tests.documents import bead, data, effect, mist, strand
from whorl import demo
from whorl.bake.bake import Cancelled, bake
from whorl.bake.dither import blue_noise, dithered
from whorl.bake.frame import coarser, opened, scene_of
from whorl.bake.options import BakeOptions
from whorl.bake.sheet import SheetOptions
from whorl.bake.still import REC_709
from whorl.cli import app
from whorl.effect import camera as cameras
from whorl.effect import read
from whorl.effect.read import state_of
from whorl.images import srgb
from whorl.plan.build import build
from whorl.refused import Refused
from whorl.stage.frame import finished, lit_scene
from whorl.stage.layers import FAR, layers


def lit_ball(**more):
    return read(data(mist(), surface={"channels": {"emission": [{"strand": "mist"}]}}, stage={"shape": "ball"}, **more))


def options(**more):
    return BakeOptions(width=48, height=32, last=1, **more)


def channels(path):
    return OpenEXR.File(str(path), separate_channels=True).channels()


def test_layers_stand_in_one_file_by_their_names(tmp_path):
    names = ["emission", "backdrop", "depth", "normal", "uv", "motion", "mist/noise"]
    path = bake(lit_ball(), tmp_path, options(stills=["exr"], layers=names))[0]
    found = channels(path)
    wanted = {
        *("R", "G", "B", "A", "depth.Z", "uv.U", "uv.V", "motion.X", "motion.Y", "mist.noise.Y"),
        *(f"{layer}.{c}" for layer in ("emission", "backdrop") for c in "RGB"),
        *(f"normal.{c}" for c in "XYZ"),
    }
    assert set(found) == wanted
    # Another library reads the same.
    spec = oiio.ImageInput.open(str(path)).spec()
    assert set(spec.channelnames) == wanted
    assert spec.getattribute("chromaticities") == pytest.approx(REC_709)
    made = oiio.ImageBuf(str(path)).get_pixels(oiio.FLOAT)
    at = spec.channelnames.index("depth.Z")
    np.testing.assert_array_equal(made[..., at], found["depth.Z"].pixels)


def test_what_layers_hold_is_so():
    """A ball from before: depth, normals and UV by their closed forms at each pixel's middle."""
    made = lit_ball()
    side = 64
    got = layers(build(made), ["depth", "normal", "uv"], 0.0, side, side)
    stage = made.stage
    right, up, back = (np.asarray(a, float) for a in cameras.axes(stage.camera))
    lens, eye = cameras.lens(stage.camera), np.asarray(cameras.eye(stage.camera), float)
    x, y = np.meshgrid((np.arange(side) + 0.5) / side * 2 - 1, 1 - (np.arange(side) + 0.5) / side * 2)
    ray = x[..., None] / lens * right + y[..., None] / lens * up - back
    ray /= np.linalg.norm(ray, axis=2, keepdims=True)
    b = ray @ eye
    inside = b**2 - (eye @ eye - 1.0)
    hit = inside > 0.15
    distance = -b - np.sqrt(np.maximum(inside, 0))
    place = eye + ray * distance[..., None]
    assert np.abs(got["depth"][0] - distance)[hit].max() < 0.02
    assert np.abs(np.moveaxis(got["normal"], 0, -1) - place)[hit].max() < 0.04
    latitude = np.arcsin(np.clip(place[..., 1], -1, 1)) / np.pi + 0.5
    assert np.abs(got["uv"][1] - latitude)[hit].max() < 0.03
    assert (got["depth"][0][inside < -0.15] == FAR).all()


def test_motion_says_where_a_place_goes():
    """A plane that rises by a whole tenth of a unit between frames goes up on the picture by what perspective says."""
    rising = strand("rise", bead("constant", value={"motion": "drift", "cycles": 1.0}))
    made = read(
        data(
            rising,
            surface={"channels": {"displacement": [{"strand": "rise"}]}, "displacement": 1.0},
            stage={"shape": "level", "camera": {"yaw": 0, "pitch": 20, "distance": 4.0}},
            turn={"seconds": 1.0, "fps": 10, "plays": "once"},
        )
    )
    plan = build(made)
    width = height = 64
    got = layers(plan, ["motion", "depth"], 0.5, width, height)
    seen = got["depth"][0] < FAR
    if not seen.any():
        pytest.skip("the level is seen from its edge")
    step = 1.0 / made.turn.steps
    lens = cameras.lens(made.stage.camera)
    # Upwards by step · lens / distance of half the picture.
    expected = step * lens / got["depth"][0][seen] * height / 2
    assert got["motion"][1][seen] == pytest.approx(expected, rel=0.15)
    assert np.abs(layers(build(lit_ball()), ["motion"], 0.0, 16, 16)["motion"]).max() == 0


def test_half_floats_are_the_floats_rounded_and_floats_are_exact(tmp_path):
    plan = build(lit_ball())
    scene = np.moveaxis(lit_scene(plan, 0.0, 48, 32, None, False, 1), 0, -1)
    for kind, dtype in (("32 bits", np.float32), ("16 bits", np.float16)):
        path = bake(plan.effect, tmp_path / kind, options(stills=["exr"], floats=kind))[0]
        got = np.stack([channels(path)[c].pixels for c in "RGBA"], -1)
        assert got.dtype == dtype
        np.testing.assert_array_equal(got, scene.astype(dtype))


def test_light_can_be_as_it_is_seen_and_alpha_straight(tmp_path):
    plan = build(demo.demo("fog-gate"))
    seen = finished(plan, lit_scene(plan, 0.0, 48, 32, None, True, 1), 0.0)
    path = bake(plan.effect, tmp_path, options(stills=["exr"], light="after", alpha="straight", transparent=True))[0]
    got = np.stack([channels(path)[c].pixels for c in "RGBA"])
    opaque = seen[3] > 0.2
    np.testing.assert_allclose(got[:3, opaque], srgb.decoded(np.clip(seen[:3, opaque], 0, 1)), atol=1e-3)
    header = OpenEXR.File(str(path)).header()
    assert header["alpha"] == "straight" and header["light"] == "as it is seen" and header["software"] == "Whorl"


def test_a_shutter_gathers_the_pictures_of_its_time():
    moved = strand("s", bead("uv"), bead("scroll", offset={"motion": "drift", "cycles": 1.0}), bead("waves"))
    plan = build(effect(moved, surface={"channels": {"emission": [{"strand": "s"}]}}))
    blurred = options(shutter=0.5, exposures=4)
    step = 1 / plan.effect.turn.steps
    assert opened(plan, 3, blurred) == pytest.approx([3 * step + 0.5 * step * (i + 0.5) / 4 for i in range(4)])
    mean = np.mean([lit_scene(plan, p, 48, 32, None, False, 1) for p in opened(plan, 3, blurred)], axis=0)
    np.testing.assert_allclose(scene_of(plan, 3, blurred), mean, atol=1e-6)
    assert opened(plan, 3, options(shutter=0.0, exposures=4)) == [3 * step]


def test_finer_frames_are_means_of_larger_ones():
    plan = build(lit_ball())
    large = lit_scene(plan, 0.0, 96, 64, None, False, 1)
    np.testing.assert_allclose(scene_of(plan, 0, options(finer=2)), coarser(large, 2), atol=1e-6)
    assert coarser(np.arange(16.0, dtype=np.float32).reshape(1, 4, 4), 2).tolist() == [[[2.5, 4.5], [10.5, 12.5]]]
    with pytest.raises(ValueError, match="8192 pixels a side"):
        BakeOptions(width=4096, height=16, finer=4)


def test_dither_keeps_means_that_eight_bits_would_lose(tmp_path):
    """A slope less than a step high is flat in eight bits; dithered, every piece of it has its mean."""
    slope = np.broadcast_to(np.linspace(0.5, 0.5 + 1 / 255, 256, dtype=np.float32), (4, 64, 256))
    plain, spread = (np.floor(p * 255 + 0.5) / 255 for p in (slope, dithered(slope, 0)))
    wanted = slope[0].reshape(64, 8, 32).mean(axis=(0, 2))
    assert np.abs(plain[0].reshape(64, 8, 32).mean(axis=(0, 2)) - wanted).max() > 0.4 / 255
    assert np.abs(spread[0].reshape(64, 8, 32).mean(axis=(0, 2)) - wanted).max() < 0.03 / 255
    ends = np.stack([np.zeros((8, 8)), np.ones((8, 8)), np.zeros((8, 8)), np.ones((8, 8))]).astype(np.float32)
    np.testing.assert_array_equal(dithered(ends, 5), ends)
    assert not np.array_equal(dithered(slope, 0), dithered(slope, 1))
    path = bake(lit_ball(), tmp_path, options(dither=True))[0]
    other = bake(lit_ball(), tmp_path / "plain", options())[0]
    off = np.abs(np.asarray(Image.open(path), int) - np.asarray(Image.open(other), int))
    assert off.max() == 1 and 0.05 < (off > 0).mean() < 0.6


def test_blue_noise_is_blue():
    """Every rank once; low frequencies carry next to nothing, as white noise would not have it."""
    noise = blue_noise()
    assert len(np.unique(noise)) == noise.size and noise.mean() == pytest.approx(0, abs=1e-4)
    power = np.abs(np.fft.fft2(noise)) ** 2
    away = np.minimum(np.arange(64), 64 - np.arange(64))
    radius = np.hypot(away[:, None], away[None, :])
    low, high = power[(radius > 0) & (radius < 8)].mean(), power[radius > 20].mean()
    assert low < high / 100


def test_every_nth_frame_and_several_turns(tmp_path):
    made = lit_ball(turn={"seconds": 0.5, "fps": 12})
    paths = bake(made, tmp_path, BakeOptions(width=16, height=16, every=2, loops=2, videos=["webp"]))
    names = [p.name for p in paths]
    assert names == [*(f"harbour-glow-{f:04d}.png" for f in (0, 2, 4, 6, 8, 10)), "harbour-glow.webp"]
    assert (tmp_path / names[0]).read_bytes() == (tmp_path / names[3]).read_bytes()
    film = Image.open(tmp_path / "harbour-glow.webp")
    assert film.n_frames == 6 or film.n_frames == 1
    again = bake(made, tmp_path, BakeOptions(width=16, height=16, every=2, loops=2, videos=["webp"]))
    assert again == paths


def test_layers_that_are_not_there_are_told(tmp_path):
    with pytest.raises(Refused, match="no layer 'fog'"):
        bake(lit_ball(), tmp_path, options(stills=["exr"], layers=["fog"]))
    with pytest.raises(ValueError, match="layers go into EXR"):
        options(layers=["depth"])
    done = CliRunner().invoke(app, ["bake", "fog-gate", "-o", str(tmp_path), "--still", "exr", "--layer", "fog/x"])
    assert done.exit_code == 2 and "no layer 'fog/x'" in done.output


def test_the_command_makes_them(tmp_path):
    args = ["bake", "fog-gate", "-o", str(tmp_path), "--size", "32", "--frames", "0:1", "--still", "exr", "--half"]
    done = CliRunner().invoke(app, [*args, "--layer", "depth", "--layer", "gate/cut", "--finer", "2", "--after"])
    assert done.exit_code == 0, done.output
    found = channels(tmp_path / "fog-gate-0000.exr")
    assert {"depth.Z", "gate.cut.Y"} <= set(found) and found["R"].pixels.dtype == np.float16
    assert found["depth.Z"].pixels.dtype == np.float32


def test_a_better_video_is_nearer_to_its_frames_and_larger(tmp_path):
    made = demo.demo("fog-gate")
    sizes, off = [], []
    for quality in ("small", "good", "best"):
        wanted = BakeOptions(width=96, height=96, last=6, videos=["mp4"], quality=quality)
        frame, *_, film = bake(made, tmp_path / quality, wanted)
        sizes.append(film.stat().st_size)
        with av.open(str(film)) as opened_film:
            first = next(opened_film.decode(video=0)).to_ndarray(format="rgb24").astype(float)
        off.append(np.abs(first - np.asarray(Image.open(frame).convert("RGB"), float)).mean())
    assert sizes == sorted(sizes) and off == sorted(off, reverse=True) and off[0] > off[2]


def test_every_file_says_what_made_it(tmp_path):
    made = lit_ball(turn={"seconds": 0.5, "fps": 8})
    wanted = BakeOptions(
        width=32, height=32, stills=["png", "exr"], videos=["webm", "mp4", "gif", "webp"], sheet=SheetOptions()
    )
    state = state_of(made)
    for path in bake(made, tmp_path, wanted):
        kind = path.suffix
        if kind == ".png":
            said = Image.open(path).text
            assert (said["Software"], said["Title"], said["Source"]) == ("Whorl", made.name, state)
        elif kind == ".exr":
            assert OpenEXR.File(str(path)).header()["state"] == state
        elif kind in (".webm", ".mp4"):
            with av.open(str(path)) as film:
                told = {k.lower(): v for k, v in film.metadata.items()}
            assert told["title"] == made.name and state in told["comment"]
        elif kind == ".json":
            assert state in path.read_text()
        else:
            assert state.encode() in path.read_bytes()


def test_other_forms_are_made_in_the_same_bake_for_each_variant_and_shape(tmp_path):
    made = demo.demo("fog-gate")
    told = []
    wanted = BakeOptions(
        width=16, height=16, last=1, variants=["Ember"], shapes=["ball", "plane"], forms=["glb", "code"], map_size=16
    )
    paths = bake(made, tmp_path, wanted, told.append)
    names = {p.relative_to(tmp_path).as_posix() for p in paths}
    for shape in ("ball", "plane"):
        assert f"fog-gate-ember-{shape}-glb/fog-gate.glb" in names
        assert f"fog-gate-ember-{shape}-code/fog-gate.wgsl" in names
    assert all(a.done <= b.done for a, b in itertools.pairwise(told))
    assert told[-1].total == 2 + 4 and any("glTF: emission, 3 of 16" in p.words for p in told)

    def stopped():
        return bool(told) and "glTF" in told[-1].words

    told.clear()
    with pytest.raises(Cancelled):
        bake(made, tmp_path / "again", wanted, told.append, stopped)
    with pytest.raises(Refused, match="no form 'pictures' to be made"):
        bake(made, tmp_path, wanted.model_copy(update={"forms": ["pictures"]}))


def test_takes_never_write_over_one_another(tmp_path):
    made = demo.demo("fog-gate")
    wanted = BakeOptions(width=16, height=16, last=1, variants=["Ember", "Storm"], pattern="gate-####")
    with pytest.raises(Refused, match="two takes the same name"):
        bake(made, tmp_path, wanted)
    assert not list(tmp_path.iterdir())
    with pytest.raises(ValueError, match="make maps of 16384"):
        BakeOptions(forms=["glb"], map_size=2048, map_frames=64)
