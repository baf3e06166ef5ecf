"""Sheets read by other libraries: each cell is its frame, edges are the frame's own, and the JSON says where."""

import json

import numpy as np
import OpenEXR
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from scipy import ndimage
from typer.testing import CliRunner

from tests.documents import bead, data, strand
from whorl import demo
from whorl.bake.bake import bake
from whorl.bake.options import BakeOptions
from whorl.bake.sheet import MOST_SIDE, SheetOptions, grid, motion_of
from whorl.cli import app
from whorl.effect import read, write_text
from whorl.plan.build import build
from whorl.refused import Refused
from whorl.stage.frame import frame

SWAY = {"motion": "sway", "amount": 0.4, "base": 0.5}


@pytest.fixture(scope="module")
def effect():
    beads = [bead("uv"), bead("noise", scale=5.0), bead("threshold", level=SWAY, softness=0.3)]
    surface = {"channels": {"emission": [{"strand": "s"}], "opacity": [{"strand": "s"}]}}
    return read(data(strand("s", *beads), surface=surface, turn={"seconds": 1.0, "fps": 12}))


def baked(effect, folder, **options):
    sheet = SheetOptions(**options)
    wanted = BakeOptions(width=40, height=24, stills=["png", "exr"], sheet=sheet, transparent=True)
    made = bake(effect, folder, wanted)
    sheets = [p for p in made if "sheet" in p.name]
    return made, sheets[0], json.loads(sheets[1].read_text())


@pytest.mark.parametrize("columns", [0, 1, 5, 99])
@pytest.mark.parametrize("padding", [0, 3])
def test_each_cell_is_its_frame_and_its_edge_goes_on(effect, tmp_path, columns, padding):
    _, path, told = baked(effect, tmp_path, columns=columns, padding=padding, every=1)
    sheet = np.asarray(Image.open(path))
    assert sheet.shape == (told["height"], told["width"], 4) and told["alpha"] == "straight"
    if columns == 0:
        assert told["width"] == told["height"] and told["width"] & (told["width"] - 1) == 0
    assert len(told["frames"]) == 12 and told["columns"] * told["rows"] >= 12
    for f in told["frames"]:
        frame = np.asarray(Image.open(tmp_path / f"harbour-glow-{f['frame']:04d}.png"))
        x, y, w, h = f["x"], f["y"], f["width"], f["height"]
        assert (w, h) == (40, 24)
        assert np.array_equal(sheet[y : y + h, x : x + w], frame)
        edged = np.pad(frame, ((padding, padding), (padding, padding), (0, 0)), mode="edge")
        assert np.array_equal(sheet[y - padding : y + h + padding, x - padding : x + w + padding], edged)
        # UV run from the lower left: looked up there, it is the same cell.
        u0, v0, u1, v1 = f["uv"]
        assert [u0 * told["width"], (1 - v1) * told["height"]] == pytest.approx([x, y])
        assert [u1 * told["width"], (1 - v0) * told["height"]] == pytest.approx([x + w, y + h])
    assert told["turn"] == {"seconds": 1.0, "frames": 12, "fps": 12.0, "loops": True}


def test_every_nth_and_the_light(effect, tmp_path):
    _, path, told = baked(effect, tmp_path, kind="exr", every=5, padding=1)
    assert [f["frame"] for f in told["frames"]] == [0, 5, 10]
    assert [f["phase"] for f in told["frames"]] == pytest.approx([0, 5 / 12, 10 / 12], abs=1e-6)
    assert told["alpha"] == "premultiplied" and told["turn"]["fps"] == pytest.approx(12 / 5)
    sheet = OpenEXR.File(str(path)).channels()["RGBA"].pixels
    for f in told["frames"]:
        frame = OpenEXR.File(str(tmp_path / f"harbour-glow-{f['frame']:04d}.exr")).channels()["RGBA"].pixels
        assert np.array_equal(sheet[f["y"] : f["y"] + 24, f["x"] : f["x"] + 40], frame)


def test_premultiplied_is_in_linear_light(effect, tmp_path):
    _, path, told = baked(effect, tmp_path, premultiplied=True)
    assert told["alpha"] == "premultiplied"
    covers = {
        f["frame"]: np.asarray(Image.open(tmp_path / f"harbour-glow-{f['frame']:04d}.png"), float) / 255
        for f in told["frames"]
    }
    number, frame = min(covers.items(), key=lambda c: abs(c[1][..., 3].mean() - 0.5))
    cell = told["frames"][number]
    made = np.asarray(Image.open(path), float)[cell["y"] : cell["y"] + 24, cell["x"] : cell["x"] + 40] / 255

    def light(x):
        return np.where(x <= 0.04045, x / 12.92, ((x + 0.055) / 1.055) ** 2.4)

    assert 0.05 < frame[..., 3].mean() < 0.95
    np.testing.assert_allclose(light(made[..., :3]), light(frame[..., :3]) * frame[..., 3:], atol=0.01)


def test_frames_that_were_only_for_the_sheet_do_not_stay(effect, tmp_path):
    wanted = BakeOptions(width=32, height=32, stills=[], sheet=SheetOptions())
    made = bake(effect, tmp_path, wanted)
    assert sorted(p.name for p in made) == ["harbour-glow-sheet.json", "harbour-glow-sheet.png"]
    assert sorted(p.name for p in tmp_path.iterdir()) == [
        "bake.json",
        "harbour-glow-sheet.json",
        "harbour-glow-sheet.png",
    ]


@given(st.integers(1, 300), st.integers(1, 300), st.integers(1, 300), st.integers(0, 8), st.integers(0, 40))
def test_cells_never_meet_and_none_hangs_out(count, width, height, padding, columns):
    try:
        made = grid(count, width, height, SheetOptions(columns=columns, padding=padding))
    except Refused:
        assert columns or (width + 2 * padding) * (height + 2 * padding) * count > (MOST_SIDE["png"] // 2) ** 2 / 4
        return
    taken = [made.at(n) for n in range(count)]
    w, h = width + 2 * padding, height + 2 * padding
    assert len({((x - padding) // w, (y - padding) // h) for x, y in taken}) == count
    assert all(x - padding >= 0 and x + width + padding <= made.width for x, _ in taken)
    assert all(y - padding >= 0 and y + height + padding <= made.height for _, y in taken)


def test_more_than_a_sheet_holds_is_told_before_anything_is_made(effect, tmp_path):
    long = effect.model_copy(update={"turn": effect.turn.model_copy(update={"seconds": 100.0})})
    with pytest.raises(Refused, match="Take every second"):
        bake(long, tmp_path, BakeOptions(width=1024, height=1024, stills=[], sheet=SheetOptions()))
    assert not list(tmp_path.glob("*.png"))


def test_from_the_command_line(effect, tmp_path):
    file, out = tmp_path / "glow.whorl.json", tmp_path / "book.png"
    file.write_text(write_text(effect))
    done = CliRunner().invoke(
        app, ["sheet", str(file), "-o", str(out), "--size", "32", "--every", "3", "--columns", "2"]
    )
    assert done.exit_code == 0, done.output
    told = json.loads((tmp_path / "book.json").read_text())
    assert told["image"] == "book.png" and told["columns"] == 2 and len(told["frames"]) == 4
    assert Image.open(out).size == (72, 72)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["book.json", "book.png", "glow.whorl.json"]
    for wrong, words in (
        (["--size", "4000"], "smaller"),
        (["--frames", "3:99"], "lie in the turn"),
        (["--every", "0"], ""),
    ):
        assert CliRunner().invoke(app, ["sheet", str(file), "-o", str(out), *wrong]).exit_code == 2, words


def test_a_scroll_has_motion_vectors_that_lead_from_frame_to_frame(tmp_path):
    """Drawn on by them, a frame is the next one; what moves otherwise has none, and that is said."""
    moved = strand(
        "s",
        bead("uv"),
        bead("scroll", offset={"motion": "drift", "cycles": [1.0, 2.0]}, span=1.0),
        bead("noise", scale=4.0, settings={"octaves": 1}),
    )
    surface = {"channels": {"emission": [{"strand": "s"}]}, "composite": "solid"}
    made = read(data(moved, surface=surface, stage={"shape": "plane", "camera": {"yaw": 0, "pitch": 0}}))
    side = 96
    vectors = motion_of(made, side, side)
    plan = build(made)
    here, there = (frame(plan, made.turn.phase(f), side, side)[..., 0] for f in (10, 11))
    inside = np.zeros((side, side), bool)
    inside[30:66, 30:66] = True
    y, x = np.nonzero(inside)
    back = ndimage.map_coordinates(here, [y + vectors[y, x, 1], x - vectors[y, x, 0]], order=1)
    assert np.abs(vectors[y, x, :2]).max() > 0.3
    before, after = np.abs(here[y, x] - there[y, x]).mean(), np.abs(back - there[y, x]).mean()
    assert after < before / 5
    out = tmp_path / "a.png"
    bake(made, tmp_path, BakeOptions(width=32, height=32, stills=["png"], sheet=SheetOptions()))
    told = json.loads(next(tmp_path.glob("*-sheet.json")).read_text())
    assert (tmp_path / told["motion vectors"]["image"]).exists() and not out.exists()
    assert motion_of(demo.demo("fog-gate"), 32, 32) is None
