"""The page: short, by itself, and nothing of an effect gets out of its place."""

import base64
import json
import re
import struct
import zlib

import numpy as np
import pytest
from typer.testing import CliRunner

from tests.documents import bead, data, strand
from whorl import demo
from whorl.bake.page import MOST_BYTES, page_of
from whorl.cli import app
from whorl.effect import read


def carried(text):
    """What a page carries: its JSON, and the bytes behind that."""
    packed = base64.b64decode(re.search(r'id="effect">([A-Za-z0-9+/=]+)<', text)[1])
    plain = zlib.decompress(packed)
    (long,) = struct.unpack("<I", plain[:4])
    return json.loads(plain[4 : 4 + long]), plain[4 + long :]


def column(numbers, count, told):
    low, high = told["ends"]
    at = told["from"]
    planes = np.frombuffer(numbers[at : at + 2 * count], np.uint8).astype(np.int64)
    whole = np.cumsum(planes[:count] + 256 * planes[count:]) % 65536
    return low + (high - low) * whole / told["steps"]


@pytest.mark.parametrize("slug", demo.slugs())
def test_every_demo_effect_is_a_short_page_that_asks_for_nothing(slug):
    made = page_of(demo.demo(slug))
    assert len(made.text.encode()) < MOST_BYTES
    assert not re.search(r"https?://|\bsrc=|<link|@import|import\(|fetch\(", made.text)
    told, numbers = carried(made.text)
    assert told["name"] == demo.demo(slug).name and told["levers"] and told["variants"]
    mesh = told["mesh"]
    position = next(a for a in mesh["attributes"] if a["name"] == "position")
    got = np.stack([column(numbers, mesh["vertices"], c) for c in position["columns"]], axis=1)
    stage = demo.demo(slug).stage
    if not made.coarser:
        np.testing.assert_allclose(got, stage.mesh_of().positions, atol=1e-3)
    at, n = mesh["index"], mesh["triangles"] * 3
    planes = np.frombuffer(numbers[at : at + 4 * n], np.uint8).astype(np.int64).reshape(4, 3, -1)
    corners = np.cumsum(sum(planes[k] << (8 * k) for k in range(4)), axis=1) % 2**32
    assert corners.max() == mesh["vertices"] - 1 and corners.min() == 0


def test_names_and_notes_are_text_and_nothing_else():
    wicked = "</script><script>alert(1)</script>$player ${data} &"
    effect = read({**data(strand("s", bead("uv"), bead("noise"))), "name": wicked[:120], "notes": wicked})
    text = page_of(effect).text
    assert "<script>alert" not in text and text.count("<script") == 2
    assert carried(text)[0]["name"] == wicked


def test_what_needs_another_program_is_left_out_and_said():
    levers = [
        {"id": "c", "name": "Way", "kind": "choice", "options": [{"name": "a"}, {"name": "b"}]},
        {"id": "m", "name": "Mist on", "kind": "switch"},
        {"id": "n", "name": "Scale", "value": 3.0, "most": 9.0},
        {"id": "p", "name": "Secret", "private": True},
    ]
    own = strand("s", bead("uv"), bead("noise", scale={"lever": "n", "low": 1.0, "high": 9.0}))
    effect = read(data({**own, "sounds_with": "m"}, levers=levers))
    made = page_of(effect)
    assert made.left == ["Way", "Mist on"] and "Way, Mist on" in made.text
    assert [x["name"] for x in carried(made.text)[0]["levers"]] == ["Scale"]


def test_from_the_command_line(tmp_path):
    out = tmp_path / "gate.html"
    done = CliRunner().invoke(app, ["page", "fog-gate", "-o", str(out), "--lever", "hue=0.3"])
    assert done.exit_code == 0, done.output
    told, _ = carried(out.read_text())
    assert next(x["value"] for x in told["levers"] if x["id"] == "hue") == 0.3
    assert CliRunner().invoke(app, ["page", "fog-gate", "-o", str(tmp_path / "gate.exe")]).exit_code == 2
