"""Picture sequences: put in order, refused in words, and played over the turn on every path."""

import io
import zipfile

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from tests.documents import bead, data, strand
from tests.images.pictures import encoded, zipped
from whorl.bake.code import write_code
from whorl.bake.page import page_of
from whorl.bundle import read_file, write_bundle
from whorl.checks import check
from whorl.effect import BadEffect, read
from whorl.images import BadImage, Library, library
from whorl.images.sequence import MOST_FRAMES, frame_of, gathered, taken
from whorl.plan.build import build
from whorl.plan.run.evaluate import evaluate
from whorl.stage import flat

GREYS = (10, 90, 170, 250)


def grey(value, size=8):
    return encoded(np.full((size, size, 3), value, np.uint8))


def files(values=GREYS, name="mist_{:03d}.png", first=1):
    return [(name.format(first + k), grey(v)) for k, v in enumerate(values)]


def levels(sequence):
    """The grey of each frame of a sequence."""
    with zipfile.ZipFile(io.BytesIO(sequence)) as z:
        count = len(z.infolist())
        return [int(np.array(Image.open(io.BytesIO(frame_of(z, k))).convert("L")).mean()) for k in range(count)]


@given(st.permutations(range(12)))
@settings(max_examples=30, deadline=None)
def test_numbered_pictures_come_in_the_order_of_their_numbers(order):
    # Also where numbers are not padded, and wherever the count begins.
    given_files = files([k * 20 for k in range(12)], "f{}.png", 7)
    made = gathered([given_files[k] for k in order])
    assert levels(made) == [k * 20 for k in range(12)]
    assert made == gathered(given_files)


def test_a_zip_a_video_and_an_animation_become_the_same_kind_of_file(tmp_path):
    import av

    assert levels(
        taken(zipped([("shots/", b""), *reversed(files(name="shots/mist.{:04d}.png")), ("__MACOSX/x", b"y")]))
    )
    frames = [Image.fromarray(np.full((32, 32, 3), v, np.uint8)) for v in GREYS]
    for kind in ("GIF", "WEBP", "PNG"):
        out = io.BytesIO()
        more = {"lossless": True} if kind == "WEBP" else {}
        frames[0].save(out, kind, save_all=True, append_images=frames[1:], duration=40, **more)
        assert levels(taken(out.getvalue())) == list(GREYS), kind
    path = tmp_path / "mist.mp4"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=24, options={"crf": "1"})
        stream.width = stream.height = 32
        for image in frames:
            container.mux(stream.encode(av.VideoFrame.from_image(image)))
        container.mux(stream.encode())
    assert np.abs(np.subtract(levels(taken(path.read_bytes())), GREYS)).max() <= 3
    still = io.BytesIO()
    frames[0].save(still, "WEBP")
    assert taken(still.getvalue()) is None and taken(grey(3)) is None


@pytest.mark.parametrize(
    ("given_files", "words"),
    [
        (files()[:1], "two frames at least"),
        ([*files(), ("cover.png", grey(0))], "cover.png has no number"),
        ([*files(), ("smoke_001.png", grey(0))], "two sequences"),
        ([*files(), ("mist_1.png", grey(0))], "the same number"),
        ([f for k, f in enumerate(files(range(6))) if k != 3], "frame 4 is missing"),
        ([*files(), ("mist_005.png", grey(0, 9))], "0005.png is 9 × 9"),
        ([*files(), ("mist_005.png", b"no picture")], "0005.png: this is not a picture"),
        (files([0] * (MOST_FRAMES + 1)), f"{MOST_FRAMES}"),
    ],
)
def test_what_is_no_sequence_is_refused_in_words(given_files, words):
    with pytest.raises(BadImage, match=words):
        Library().add_played(zipped(given_files))


def test_a_video_beyond_bounds_is_refused_before_all_of_it_is_unpacked(tmp_path, monkeypatch):
    import av

    path = tmp_path / "wide.mp4"
    with av.open(str(path), "w") as container:
        stream = container.add_stream("libx264", rate=24)
        stream.width, stream.height = 64, 32
        for _ in range(6):
            container.mux(stream.encode(av.VideoFrame.from_ndarray(np.zeros((32, 64, 3), np.uint8), format="rgb24")))
        container.mux(stream.encode())
    monkeypatch.setattr("whorl.images.sequence.MOST_VIDEO", 48)
    with pytest.raises(BadImage, match="64 × 32; up to 48"):
        taken(path.read_bytes())
    monkeypatch.undo()
    monkeypatch.setattr("whorl.images.sequence.MOST_PIXELS", 64 * 32 * 3)
    with pytest.raises(BadImage, match="4 frames of 64 × 32"):
        taken(path.read_bytes())


def test_every_second_frame_is_a_sequence_too():
    assert levels(gathered(files(name="{:02d}.png")[::2])) == list(GREYS[::2])


@given(st.binary(max_size=400), st.sampled_from([b"PK\x03\x04", b"GIF89a", b"\x1aE\xdf\xa3", b"\0\0\0\x18ftypmp42"]))
@settings(max_examples=60, deadline=None)
def test_damaged_files_are_refused_and_nothing_is_kept(rest, head):
    shelf = Library()
    whole = gathered(files())
    for wrong in (head + rest, whole[: len(rest) + 30], whole[:40] + rest + whole[40 + len(rest) :]):
        try:
            shelf.add_played(wrong)
        except BadImage as e:
            assert "Traceback" not in str(e)
            assert shelf.files == {}
        else:
            shelf.files.clear()


def test_a_frame_is_read_from_disk_by_itself_and_damage_is_found(tmp_path):
    shelf = Library(tmp_path)
    digest, made = shelf.add_played(zipped(files()))
    assert (made.width, made.height, made.frames) == (8, 8, 4)
    got = [float(shelf.sheet(digest, "data", k).level(0)[0, 0, 0]) for k in range(5)]
    # Beyond the last they begin again.
    assert got == pytest.approx([v / 255 for v in (*GREYS, GREYS[0])], abs=1e-3)
    path = tmp_path / digest
    path.write_bytes(path.read_bytes()[:-40])
    assert shelf.picture(digest, 2) is None


def played(frames=GREYS, turn=None, **asset):
    digest, made = library.add_played(gathered(files(frames)))
    asset = {"id": "mist", "name": "mist.zip", "hash": digest, "width": 8, "height": 8, "frames": made.frames, **asset}
    image = bead("image", settings={"picture": "mist", "take": "luminance", "encoding": "data"})
    surface = {"composite": "solid", "channels": {"emission": [{"strand": "s"}]}}
    return data(strand("s", bead("uv"), image), assets=[asset], surface=surface, turn=turn or {})


def shown(document, phase):
    plan = build(read(document))
    return float(evaluate(plan, plan.beads["s/image"], flat.points(4, 4), phase)[0].mean() * 255)


def test_it_plays_whole_rounds_and_passes_from_its_last_into_its_first():
    for loops in (1, 3):
        document = played(loops=loops)
        for k, phase in enumerate(np.arange(0, 1, 1 / (8 * loops))):
            at = (k / 2) % 4
            want = np.interp(at, range(5), [*GREYS, GREYS[0]])
            assert shown(document, float(phase)) == pytest.approx(want, abs=0.3)
        assert shown(document, 1.0) == pytest.approx(shown(document, 0.0), abs=1e-3)


def test_held_frames_stay_and_a_turn_that_plays_once_ends_on_the_last():
    held = played(between="held", turn={"seconds": 2, "fps": 24})
    turn = read(held).turn
    got = [shown(held, turn.phase(f)) for f in range(0, turn.frames, 3)]
    assert got == pytest.approx([GREYS[f * 4 // turn.frames] for f in range(0, turn.frames, 3)], abs=0.3)
    once = played(turn={"plays": "once"})
    assert [shown(once, p) for p in (0.0, 1.0)] == pytest.approx([GREYS[0], GREYS[-1]], abs=0.3)


def test_it_closes_and_travels_with_the_effect(tmp_path):
    document = played()
    assert [f for f in check(read(document)) if "loop" in f.kind] == []
    effect, elsewhere = read(document), Library(tmp_path)
    assert read_file(write_bundle(effect, library), elsewhere) == effect
    assert elsewhere.sheet(effect.assets[0].hash, "data", 3).level(0)[0, 0, 0] == pytest.approx(250 / 255, abs=1e-3)
    write_code(effect, tmp_path / "code", ["wgsl"])
    assert len(list((tmp_path / "code").glob("*.exr"))) == len(GREYS)
    assert "of a sequence of 4" in (tmp_path / "code" / "README.md").read_text()


def test_a_page_has_its_frames_smaller_where_they_are_many_and_says_so():
    digest, made = library.add_played(gathered([(f"{k}.png", grey(k, 512)) for k in range(40)]))
    document = played()
    document["assets"][0] |= {"hash": digest, "frames": made.frames, "width": 512, "height": 512}
    assert "frames of mist.zip are smaller than their 512 × 512" in page_of(read(document)).coarser
    assert page_of(read(played())).coarser == ""


def test_light_does_not_come_from_a_sequence():
    document = played()
    document["stage"] = {"sky": {"picture": "mist"}}
    document["surface"]["lighting"] = "lit"
    with pytest.raises(BadEffect, match="is a sequence"):
        build(read(document))
