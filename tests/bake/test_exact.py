"""Exact pixels: code made for different processors gives the same bytes."""

import os
import subprocess
import sys

import llvmlite.binding as llvm
import pytest

from whorl.shade import exact
from whorl.shade.llvm_values import freedom

WIDE = llvm.get_host_cpu_features().get("avx512f", False)
LEVELS = ["x86-64-v2", "x86-64-v3", *(["x86-64-v4"] if WIDE else [])]
X86 = exact.LEVEL.startswith("x86")


@pytest.fixture(scope="module")
def kernels(tmp_path_factory):
    """A folder of kernels that nobody has made yet, for all that is made exact: effects share many of them."""
    return tmp_path_factory.mktemp("kernels")


def rendered(slug, out, kernels, level, *more):
    """A frame, drawn by a process of its own; the bytes of its file."""
    env = {**os.environ, "WHORL_EXACT": level}
    # What is drawn as ever is compiled as ever, and may be there already.
    if level or more:
        env["WHORL_CACHE"] = str(kernels)
    command = [
        sys.executable,
        "-m",
        "whorl.start",
        "render",
        slug,
        "-o",
        str(out),
        "--size",
        "48",
        "--phase",
        "0.3",
        *more,
    ]
    done = subprocess.run(command, env=env, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    return out.read_bytes()


@pytest.mark.skipif(not X86, reason="levels of x86")
@pytest.mark.parametrize("slug", ["amber-prow", "rain-planks"])
def test_levels_of_features_give_the_same_floats(slug, tmp_path, kernels):
    made = {level: rendered(slug, tmp_path / f"{level}.exr", kernels, level) for level in LEVELS}
    assert len(set(made.values())) == 1
    # Not made exact, they differ: there is something that exactness is paid for.
    assert rendered(slug, tmp_path / "free.exr", kernels, "") not in made.values()


def test_the_option_is_that(tmp_path, kernels):
    asked = rendered("fog-gate", tmp_path / "a.png", kernels, "", "--exact")
    assert asked == rendered("fog-gate", tmp_path / "b.png", kernels, "1")


def test_floats_are_free_only_where_nobody_asks(monkeypatch):
    monkeypatch.delenv("WHORL_EXACT", raising=False)
    assert "contract" in freedom() and not exact.exact()
    monkeypatch.setenv("WHORL_EXACT", "1")
    assert freedom() == "" and exact.level() == exact.LEVEL
