"""Blends against the W3C formulas written out anew, and against Pillow where it has them."""

import numpy as np
import pytest
from PIL import Image, ImageChops

from tests.shade.test_subset import on_cpu
from whorl.fields.blending import MODES, blended

GRID = np.linspace(0, 1, 41)
B, S = (g.ravel() for g in np.meshgrid(GRID, GRID, indexing="ij"))


def ours(mode: str, b=B, s=S) -> np.ndarray:
    return on_cpu(blended, (("mode", MODES.index(mode)),), [b], [s])[0]


def soft(b, s):
    d = np.where(b <= 0.25, ((16 * b - 12) * b + 4) * b, np.sqrt(b))
    return np.where(s <= 0.5, b - (1 - 2 * s) * b * (1 - b), b + (2 * s - 1) * (d - b))


def hard(b, s):
    return np.where(s <= 0.5, 2 * b * s, b + (2 * s - 1) - b * (2 * s - 1))


def dodge(b, s):
    with np.errstate(all="ignore"):
        return np.where(b == 0, 0, np.where(s == 1, 1, np.minimum(1, b / (1 - s))))


def burn(b, s):
    with np.errstate(all="ignore"):
        return np.where(b == 1, 1, np.where(s == 0, 0, 1 - np.minimum(1, (1 - b) / s)))


W3C = {
    "mix": lambda b, s: s,
    "multiply": lambda b, s: b * s,
    "screen": lambda b, s: b + s - b * s,
    "overlay": lambda b, s: hard(s, b),
    "darken": np.minimum,
    "lighten": np.maximum,
    "dodge": dodge,
    "burn": burn,
    "hard light": hard,
    "soft light": soft,
    "difference": lambda b, s: np.abs(b - s),
    "exclusion": lambda b, s: b + s - 2 * b * s,
    "add": lambda b, s: b + s,
    "subtract": lambda b, s: b - s,
    "linear light": lambda b, s: b + 2 * s - 1,
    "average": lambda b, s: (b + s) / 2,
    "divide": lambda b, s: b / np.maximum(s, 1e-4),
}


@pytest.mark.parametrize("mode", MODES)
def test_within_nought_and_one_a_mode_is_its_formula(mode):
    expected = W3C[mode](B, S)
    assert np.abs(ours(mode) - expected).max() <= 1e-5 * max(1, np.abs(expected).max())


PILLOW = {
    "multiply": ImageChops.multiply,
    "screen": ImageChops.screen,
    "lighten": ImageChops.lighter,
    "darken": ImageChops.darker,
    "difference": ImageChops.difference,
    "hard light": ImageChops.hard_light,
    "overlay": ImageChops.overlay,
    "add": ImageChops.add,
}


@pytest.mark.parametrize("mode", PILLOW)
def test_in_bytes_a_mode_is_pillows(mode):
    levels = np.arange(0, 256, 5, dtype=np.uint8)
    b, s = np.meshgrid(levels, levels, indexing="ij")
    theirs = np.asarray(PILLOW[mode](Image.fromarray(b), Image.fromarray(s))).astype(float)
    mine = np.clip(ours(mode, b.ravel() / 255, s.ravel() / 255), 0, 1).reshape(b.shape) * 255
    # Pillow rounds down in integers, and splits hard light at 127 or 128.
    assert np.abs(mine - theirs).max() <= 2.0


RISING = [m for m in MODES if m not in ("subtract", "divide", "difference", "exclusion", "burn")]


@pytest.mark.parametrize("mode", MODES)
def test_beyond_nought_and_one_results_stay_finite(mode):
    wide = np.array([-65504, -3, -1e-6, 0, 1e-6, 0.5, 1, 1.0001, 2, 60, 65504], np.float32)
    b, s = (g.ravel() for g in np.meshgrid(wide, wide))
    assert np.all(np.isfinite(ours(mode, b, s)))


@pytest.mark.parametrize("mode", RISING)
def test_brighter_operands_never_give_a_darker_result(mode):
    bright = np.linspace(0, 3, 61)
    b, s = np.meshgrid(bright, bright, indexing="ij")
    got = ours(mode, b.ravel(), s.ravel()).reshape(b.shape)
    assert np.diff(got, axis=0).min() > -2e-4
    assert np.diff(got, axis=1).min() > -2e-4
