"""Bakes: files that open elsewhere, that are whole or not there, and that are taken up again."""

import io
import json
import weakref
from collections import Counter

import av
import numpy as np
import OpenEXR
import pytest
from PIL import Image

from tests.documents import bead, effect, strand
from whorl import demo
from whorl.bake.bake import Cancelled, bake
from whorl.bake.options import BakeOptions, named, upgraded
from whorl.bake.options import names as all_names
from whorl.bake.png import png
from whorl.bake.still import save_field
from whorl.bake.video import encode
from whorl.effect.document import Turn
from whorl.effect.problems import BadEffect
from whorl.effect.read import made_by
from whorl.plan.build import build
from whorl.stage.frame import frame, lit_scene, picture


def small():
    return effect(
        strand(
            "spot",
            bead("uv"),
            bead("radial", radius={"motion": "sway", "base": 0.5, "amount": 0.2, "start": 0.04}),
            bead("tint", colour=[1, 0.4, 0.1], gain=2),
        ),
        strand("mask", bead("tap", **{"from": {"strand": "spot", "bead": "radial"}})),
        surface={"channels": {"emission": [{"strand": "spot"}], "opacity": [{"strand": "mask"}]}},
        turn={"seconds": 0.5, "fps": 12},
    )


def options(**more):
    return BakeOptions(width=32, height=32, **more)


def names(folder):
    return sorted(p.name for p in folder.iterdir())


@pytest.mark.parametrize("channels", [3, 4])
def test_a_png_opens_elsewhere_with_the_bytes_that_were_meant(channels):
    picture = np.random.default_rng(1).uniform(-0.2, 1.2, (4, 13, 17)).astype(np.float32)
    image = Image.open(io.BytesIO(png(picture, channels)))
    assert image.mode == ("RGB" if channels == 3 else "RGBA") and "srgb" in image.info
    expected = np.floor(np.clip(np.moveaxis(picture, 0, -1), 0, 1)[..., :channels] * 255 + 0.5)
    assert np.array_equal(np.asarray(image), expected.astype(np.uint8))


def test_frames_are_those_of_the_stage(tmp_path):
    e = small()
    made = bake(e, tmp_path, options())
    assert [p.name for p in made] == [f"harbour-glow-{f:04d}.png" for f in range(6)]
    for f in (0, 4):
        expected = frame(build(e), f / 6, 32, 32)[..., :3]
        assert np.abs(np.asarray(Image.open(made[f])) / 255 - expected).max() <= 0.5 / 255 + 1e-6


def test_frames_have_two_sides_and_are_kept_as_light_too(tmp_path):
    e = small()
    made = bake(e, tmp_path, BakeOptions(width=48, height=20, last=2, stills=["png", "exr"], videos=["gif"]))
    assert [p.suffix for p in made] == [".png", ".png", ".exr", ".exr", ".gif"]
    expected = frame(build(e), 1 / 6, 48, 20)[..., :3]
    assert np.abs(np.asarray(Image.open(made[1])) / 255 - expected).max() <= 0.5 / 255 + 1e-6
    with OpenEXR.File(str(made[3])) as file:
        light = file.channels()["RGBA"].pixels
    assert np.array_equal(light, np.moveaxis(lit_scene(build(e), 1 / 6, 48, 20, None, False, 1), 0, -1))
    # Light alone, with a video from frames that do not stay; what is there is not made again.
    made = bake(e, tmp_path, BakeOptions(width=48, height=20, last=2, stills=["exr"], videos=["gif"]))
    assert [p.suffix for p in made] == [".exr", ".exr", ".gif"] and not list(tmp_path.glob("*.png"))


def test_options_from_before_frames_had_two_sides_are_read():
    old = {"size": 64, "frames": False, "videos": ["gif"]}
    assert BakeOptions.model_validate(upgraded(old)) == BakeOptions(width=64, height=64, stills=[], videos=["gif"])


def test_videos_have_every_frame_and_the_length_of_the_turn(tmp_path):
    bake(small(), tmp_path, options(videos=["webm", "mp4", "gif", "webp"], stills=[]))
    assert names(tmp_path) == ["bake.json", *(f"harbour-glow.{v}" for v in ("gif", "mp4", "webm", "webp"))]
    for kind in ("webm", "mp4"):
        with av.open(str(tmp_path / f"harbour-glow.{kind}")) as video:
            shown = [f.to_ndarray(format="rgb24") for f in video.decode(video=0)]
            assert len(shown) == 6 and float(video.streams.video[0].average_rate) == 12
        expected = frame(build(small()), 2 / 6, 32, 32)[..., :3] * 255
        assert np.abs(shown[2].astype(float) - expected).mean() < 12
    for kind in ("gif", "webp"):
        image = Image.open(tmp_path / f"harbour-glow.{kind}")
        lasting = []
        for f in range(image.n_frames):
            image.seek(f)
            image.load()
            lasting.append(image.info["duration"])
        assert image.n_frames == 6 and sum(lasting) == pytest.approx(500, abs=10) and image.info["loop"] == 0


def test_a_transparent_bake_keeps_alpha_where_the_format_can(tmp_path):
    made = bake(small(), tmp_path, options(transparent=True, videos=["webp", "gif"]))
    still = np.asarray(Image.open(made[0]))
    assert still.shape[2] == 4 and still[0, 0, 3] == 0 and still[16, 16, 3] > 200
    for kind in ("webp", "gif"):
        first = np.asarray(Image.open(tmp_path / f"harbour-glow.{kind}").convert("RGBA"))
        assert first[0, 0, 3] == 0 and first[16, 16, 3] > 200


def test_a_stopped_bake_leaves_whole_frames_and_goes_on_from_them(tmp_path):
    done = []

    def stop():
        return any(d.done >= 3 for d in done)

    with pytest.raises(Cancelled):
        bake(small(), tmp_path, options(videos=["gif"]), done.append, stop, threads=1)
    left = [n for n in names(tmp_path) if n.endswith(".png")]
    assert 3 <= len(left) < 6 and not any("part" in n for n in names(tmp_path))
    for n in left:
        Image.open(tmp_path / n).load()
    stamps = {n: (tmp_path / n).stat().st_mtime_ns for n in left}
    steps = []
    bake(small(), tmp_path, options(videos=["gif"]), steps.append)
    assert all((tmp_path / n).stat().st_mtime_ns == t for n, t in stamps.items())
    assert steps[-1].done == steps[-1].total == 12
    assert steps[len(left) - 1].words == f"{len(left)} of 6 frames, then 6 of GIF"


def test_frames_of_another_state_of_the_effect_are_not_taken_for_these(tmp_path):
    bake(small(), tmp_path, options())
    before = (tmp_path / "harbour-glow-0000.png").read_bytes()
    changed = small().model_copy(update={"stage": small().stage.model_copy(update={"exposure": 2.0})})
    bake(changed, tmp_path, options())
    assert (tmp_path / "harbour-glow-0000.png").read_bytes() != before


def test_a_range_of_frames_and_a_name_pattern(tmp_path):
    made = bake(small(), tmp_path, options(first=2, last=4, pattern="{name}.{frame:02d} at {phase}"))
    assert [p.name for p in made] == ["harbour-glow.02 at 0.3333.png", "harbour-glow.03 at 0.5000.png"]
    with pytest.raises(BadEffect, match="frames 0:7 do not lie in the turn; frames lie from 0 to 6"):
        bake(small(), tmp_path, options(last=7))


@pytest.mark.parametrize(
    ("pattern", "said"),
    [
        ("still", "two frames the same name"),
        ("../{frame}", "no plain file name"),
        ("{frame}{colour}", "not {colour}"),
        ("{frame:q}", "not {frame:q}"),
        ("{frame", "not {frame"),
        ("####}", "not }"),
        ("{name.__class__}{frame}", "not {name.__class__}"),
        ("{frame:{name.__class__}}", "not {frame:{name.__class__}"),
        ("{frame:0100000000d}", "not {frame:0100000000d}"),
        ("{frame:013d}", "up to 12"),
        ("#" * 13, "up to 12"),
        ("{phase:.1f}####", "not {phase:.1f}"),
        (".###", "no plain file name"),
    ],
)
def test_a_name_pattern_that_cannot_be_is_refused(pattern, said):
    with pytest.raises(ValueError) as caught:
        options(pattern=pattern)
    assert said in str(caught.value)


@pytest.mark.parametrize("count", [1, 3])
def test_raw_fields_keep_their_floats(tmp_path, count):
    values = np.random.default_rng(4).normal(0, 9, (8, 6, count)).astype(np.float32)
    save_field(values, tmp_path / "f.npy")
    assert np.array_equal(np.load(tmp_path / "f.npy"), values)
    save_field(values, tmp_path / "f.exr")
    channels = OpenEXR.File(str(tmp_path / "f.exr")).channels()
    read = channels["Y" if count == 1 else "RGB"].pixels.reshape(8, 6, count)
    assert np.array_equal(read, values)


def test_the_record_beside_the_frames_names_the_effect(tmp_path):
    bake(small(), tmp_path, options(last=1))
    assert json.loads((tmp_path / "bake.json").read_text())["effect"] == "Harbour Glow"


def test_a_bake_says_how_far_it_is_and_what_comes_after(tmp_path):
    said = []
    bake(small(), tmp_path, options(videos=["webm", "gif"]), lambda p: said.append((p.done, p.total, p.words)))
    assert said[-18:][0] == (1, 18, "1 of 6 frames, then 6 of WebM, then 6 of GIF")
    assert (6, 18, "6 of 6 frames, then 6 of WebM, then 6 of GIF") in said
    assert (7, 18, "1 of 6 of WebM, then 6 of GIF") in said and said[-1] == (18, 18, "6 of 6 of GIF")


def test_frames_have_as_many_digits_as_a_pattern_has_signs():
    assert named("boat-####", "harbour", 7, Turn()) == "boat-0007"
    assert named("{name}_{frame:03d}.{phase}", "harbour", 24, Turn()) == "harbour_024.0.2500"
    assert named("#", "harbour", 107, Turn(seconds=5.0)) == "107"
    assert all_names("{name} ##", "harbour", Turn(seconds=3.0, fps=1)) == ["harbour 00", "harbour 01", "harbour 02"]


@pytest.mark.parametrize("kind", ["webm", "mp4", "gif", "webp"])
def test_the_same_frames_give_the_same_film_byte_for_byte(kind, tmp_path):
    frames = bake(small(), tmp_path, options())
    made = []
    for k in range(3):
        out = tmp_path / f"{k}.{kind}"
        encode(kind, frames, Turn(), False, out, lambda: None)
        made.append(out.read_bytes())
    film, alike = Counter(made).most_common(1)[0]
    # The H.264 encoder itself decides otherwise about once in ten thousand films so small, on one thread too.
    assert alike >= (2 if kind == "mp4" else 3) and len(film) > 500


def test_an_animated_webp_holds_one_frame_at_a_time(tmp_path, monkeypatch):
    frames = bake(small(), tmp_path, options())
    opened_yet, most = [], [0]
    opened = Image.open

    def counted(*args, **kwargs):
        image = opened(*args, **kwargs)
        opened_yet.append(weakref.ref(image))
        most[0] = max(most[0], sum(r() is not None for r in opened_yet))
        return image

    monkeypatch.setattr(Image, "open", counted)
    encode("webp", frames, Turn(), True, tmp_path / "a.webp", lambda: None)
    with opened(tmp_path / "a.webp") as made:
        assert made.n_frames == len(frames) and most[0] <= 2


def test_the_last_frame_of_a_turn_that_plays_once_is_phase_1_byte_for_byte(tmp_path):
    once = small().model_copy(update={"turn": Turn(seconds=0.5, fps=12, plays="once")})
    made = bake(once, tmp_path, options(videos=["gif", "webp"]))
    end = picture(build(once), 1.0, 32, 32)
    assert made[5].read_bytes() == png(end, 3, said=made_by(once))
    # Neither picture says that it begins again.
    with Image.open(tmp_path / "harbour-glow.gif") as gif, Image.open(tmp_path / "harbour-glow.webp") as webp:
        assert "loop" not in gif.info and webp.info["loop"] == 1
    looping = bake(small(), tmp_path / "again", options(videos=["gif"]))
    with Image.open(looping[-1]) as gif:
        assert gif.info["loop"] == 0


def test_frames_of_sixteen_bits_hold_what_the_picture_does(tmp_path):
    """Read by another library, each channel is as near as 16 bits can be."""
    gate = demo.demo("fog-gate")
    options = BakeOptions(width=48, height=32, last=1, depth="16 bits")
    (path,) = bake(gate, tmp_path, options)
    with av.open(str(path)) as file:
        frame = next(file.decode(video=0))
    assert "48" in frame.format.name
    read = frame.to_ndarray(format="rgb48le").astype(float) / 65535
    made = np.clip(np.moveaxis(picture(build(gate), 0.0, 48, 32)[:3], 0, -1), 0, 1)
    assert read.shape == made.shape and np.abs(read - made).max() < 1.01 / 65535 * 2
    # More than eight bits tell apart.
    assert len(np.unique((read * 65535).round())) > 400
