"""The command line: what it writes, and one plain line for bad input."""

import json

import numpy as np
import pytest
from PIL import Image
from typer.testing import CliRunner

from tests.documents import bead, data, mist, strand
from whorl.cli import app
from whorl.effect import read_text

runner = CliRunner()


@pytest.fixture
def file(tmp_path):
    path = tmp_path / "harbour.whorl.json"
    document = data(mist(), surface={"channels": {"emission": [{"strand": "mist"}]}}, turn={"seconds": 0.5, "fps": 8})
    path.write_text(json.dumps(document))
    return path


def run(*args):
    return runner.invoke(app, [str(a) for a in args])


def test_render_draws_a_frame_or_a_peek(file, tmp_path):
    for more in ([], ["--peek", "mist/noise"]):
        out = tmp_path / "still.png"
        assert run("render", file, "-o", out, "--size", 40, *more).exit_code == 0
        assert np.asarray(Image.open(out)).shape == (40, 40, 3)


def test_field_writes_raw_floats_with_the_top_row_first(tmp_path):
    path = tmp_path / "ramp.whorl.json"
    path.write_text(json.dumps(data(strand("ramp", bead("uv"), bead("linear", direction=[0, 1, 0])))))
    assert run("field", path, "--strand", "ramp", "-o", tmp_path / "f.npy", "--size", 8).exit_code == 0
    values = np.load(tmp_path / "f.npy")
    assert values.shape == (8, 8, 1) and values.dtype == np.float32
    assert values[:, 3, 0] == pytest.approx(1 - (np.arange(8) + 0.5) / 8)
    assert run("field", path, "--strand", "ramp/uv", "-o", tmp_path / "f.exr").exit_code == 0


def test_bake_makes_a_range_of_frames_and_a_video(file, tmp_path):
    got = run("bake", file, "-o", tmp_path / "out", "--size", "24x16", "--frames", "1:3", "--video", "gif")
    assert got.exit_code == 0 and "3 files" in got.stdout
    assert sorted(p.name for p in (tmp_path / "out").glob("*.png")) == [
        "harbour-glow-0001.png",
        "harbour-glow-0002.png",
    ]


@pytest.fixture
def steered(tmp_path):
    """A slope whose end is a lever, with two variants."""
    lever = {"id": "glow", "name": "Glow", "group": "light", "value": 0.5, "floor": 0, "ceiling": 1}
    switch = {"id": "lit", "name": "Lit", "kind": "switch"}
    value = {"lever": "glow", "low": 0.0, "high": 1.0}
    cut = bead("constant", value=value)
    variants = [
        {"id": "low", "name": "Low", "holds": [{"lever": "glow", "value": 0.1}]},
        {"id": "high", "name": "High", "holds": [{"lever": "glow", "value": 0.9}]},
    ]
    path = tmp_path / "steered.whorl.json"
    document = data(strand("s", cut), levers=[lever, switch], variants=variants, turn={"seconds": 0.5, "fps": 4})
    path.write_text(json.dumps(document))
    return path


def test_levers_are_listed_turned_and_baked_by_variant(steered, tmp_path):
    listed = run("levers", steered)
    assert "Glow: 0.5 of 0 … 1" in listed.stdout and "variants: Low, High" in listed.stdout
    assert json.loads(run("levers", steered, "--json").stdout)["levers"][0]["standing"] == 0.5

    def value(*more):
        out = tmp_path / "v.npy"
        assert run("field", steered, "--strand", "s", "-o", out, "--size", 4, *more).exit_code == 0
        return float(np.load(out)[0, 0, 0])

    assert value() == 0.5 and value("--lever", "Glow=0.25") == 0.25
    assert value("--variant", "high") == pytest.approx(0.9)
    # What is turned by hand counts over the variant.
    assert value("--variant", "high", "--lever", "glow=0.2") == pytest.approx(0.2)
    got = run("bake", steered, "-o", tmp_path / "out", "--size", 16, "--all-variants")
    assert got.exit_code == 0
    assert sorted(p.name for p in (tmp_path / "out").glob("*.png")) == [
        f"harbour-glow-{v}-000{f}.png" for v in ("high", "low") for f in (0, 1)
    ]
    for wrong, said in (("--variant=none", "there is no variant"), ("--lever=Glow=2", "goes from 0 to 1")):
        told = run("render", steered, "-o", tmp_path / "a.png", wrong)
        assert told.exit_code == 2 and said in told.stderr


def test_check_exits_by_what_it_finds(file, tmp_path):
    assert run("check", file).exit_code == 0
    open_loop = tmp_path / "open.whorl.json"
    moving = bead("scroll", offset={"motion": "drift", "cycles": [1.5, 0]})
    open_loop.write_text(json.dumps(data(strand("s", bead("uv"), moving, bead("noise")))))
    got = run("check", open_loop, "--json")
    found = json.loads(got.stdout)
    # An emission that nothing feeds breaks the hand-over, which is worse than what looks wrong.
    assert got.exit_code == 4 and {f["kind"] for f in found} == {"open loop", "nothing shows"}
    assert found[0]["place"] == "strands/s/scroll/offset" and found[0]["bad"] == "looks wrong" and found[0]["why"]
    assert run("check", open_loop, "--only", "open loop").exit_code == 3
    mended = tmp_path / "mended.whorl.json"
    got = run("check", open_loop, "--mend", "open loop", "-o", mended)
    assert "open loop" not in got.stdout and "open loop" not in run("check", mended).stdout
    assert json.loads(mended.read_text())["strands"][0]["beads"][1]["params"]["offset"]["cycles"] != [1.5, 0]
    for wrong, said in (
        (("--mend", "coarse", "-o", mended), "nothing of the kind 'coarse' was found"),
        (("--mend", "open loop"), "needs both"),
        (("--only", "ugly"), "no kind of finding called 'ugly'"),
    ):
        told = run("check", open_loop, *wrong)
        assert told.exit_code == 2 and said in told.stderr
    faulty = tmp_path / "faulty.whorl.json"
    faulty.write_text(json.dumps(data(strand("s", bead("fog")))))
    assert run("check", faulty).exit_code == 4


def test_glsl_and_catalogue_are_for_other_programs(tmp_path):
    assert run("glsl", "fog-gate", "-o", tmp_path).exit_code == 0
    assert (tmp_path / "fog-gate.frag").read_text().startswith("#version 300 es")
    assert json.loads((tmp_path / "fog-gate.json").read_text())["frames"] == 96
    assert len(json.loads(run("catalogue", "--json").stdout)) >= 24


@pytest.mark.parametrize(
    ("args", "said"),
    [
        (["render", "no-such-effect", "-o", "x.png"], "no such file"),
        (["render", "fog-gate", "-o", "x.bmp"], "use .png, .exr"),
        (["render", "fog-gate", "-o", "/no/such/x.png"], "no folder"),
        (["render", "fog-gate", "-o", "x.png", "--peek", "rim/none"], "no bead 'none'; it has tap"),
        (["field", "fog-gate", "-o", "x.npy", "--strand", "none"], "there are swirl, mist"),
        (["bake", "fog-gate", "-o", "out", "--frames", "x:y"], "A:B"),
        (
            ["bake", "fog-gate", "-o", "out", "--frames", "90:200"],
            "frames 90:200 do not lie in the turn; frames lie from 0 to 96",
        ),
        (["bake", "fog-gate", "-o", "out", "--size", "9"], "width"),
        (["bake", "fog-gate", "-o", "out", "--size", "9by9"], "1280x720"),
        (["render", "fog-gate", "-o", "out.png", "--size", "1"], "from 2 to 8192"),
        (["bake", "fog-gate", "-o", "out", "--video", "tape"], "videos"),
    ],
)
def test_bad_input_ends_in_one_line_on_standard_error_and_exit_code_2(args, said, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    got = run(*args)
    assert got.exit_code == 2
    assert said in got.stderr and got.stderr.count("\n") == 1 and "Traceback" not in got.stderr
    assert not list(tmp_path.glob("x.*"))


def test_a_fault_in_a_file_names_the_file_and_the_place(tmp_path):
    path = tmp_path / "torn.whorl.json"
    path.write_text('{"format": "whorl-effect",\n "version": 1, "name": }')
    got = run("check", path)
    assert got.exit_code == 2 and "line 2" in got.stderr and "torn.whorl.json" in got.stderr


def test_tidy_tells_what_nothing_refers_to_and_frees_it(tmp_path):
    import os
    import time

    from whorl.store.database import open_database

    assert run("tidy", "--data", tmp_path / "none").exit_code == 2
    open_database(tmp_path / "whorl.db").dispose()
    (tmp_path / "assets").mkdir()
    left = tmp_path / "assets" / ("0" * 64)
    left.write_bytes(b"x" * 2**20)
    got = run("tidy", "--data", tmp_path)
    assert got.exit_code == 0 and "1 files, 1.0 MiB, that nothing refers to" in got.stdout and left.exists()
    # What is younger than an hour may belong to something that is not saved yet.
    assert "0 files" in run("tidy", "--free", "--data", tmp_path).stdout
    day_ago = time.time() - 86400
    os.utime(left, (day_ago, day_ago))
    assert "1 files, 1.0 MiB, are gone" in run("tidy", "--free", "--data", tmp_path).stdout and not left.exists()


def test_what_is_no_effect_says_what_it_is(tmp_path):
    from tests.images.pictures import encoded, lanterns

    picture = tmp_path / "lanterns.whorl.json"
    picture.write_bytes(encoded(lanterns()))
    got = run("check", picture)
    assert got.exit_code == 2 and "this is a picture and no effect" in got.output


def test_a_whole_effect_becomes_the_second_surface_and_both_are_exchanged(tmp_path):
    both = tmp_path / "both.whorl.json"
    got = run("second", "soap-lantern", "--take", "verdigris-hull", "-o", both)
    assert got.exit_code == 0, got.output
    made = read_text(both.read_text())
    assert made.surface.second.composite == "solid" and made.surface.body == "hollow"
    got = run("second", both, "--exchange", "-o", tmp_path / "other.whorl.json")
    turned = read_text((tmp_path / "other.whorl.json").read_text())
    assert got.exit_code == 0 and turned.surface.second.body == "hollow" and turned.surface.composite == "solid"
    for args, said in (
        ((), "say what to do"),
        (("--exchange",), "no second surface"),
        (("--take", "verdigris-hull", "--mask", "nobody"), "the mask is to be a strand"),
    ):
        got = run("second", "soap-lantern", *args, "-o", tmp_path / "no.json")
        assert got.exit_code == 2 and said in got.stderr and not (tmp_path / "no.json").exists()
