"""Loop functions: compiled they do what Python does with the same text; what is outside is refused where it stands."""

import os
import subprocess
import sys

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from whorl.shade.errors import ShadeError
from whorl.shade.loops import F32_1, F32_2, F64_1, I32_1, I32_2, I64_1, U8_1, Loops, address, loops, plane

LEVEL = 0.25
whole = st.integers(-(2**40), 2**40)
some = st.floats(-1e6, 1e6, allow_subnormal=False)


@loops
def _divided(a: int, b: int, out: I64_1) -> int:
    out[0], out[1] = a // b, a % b
    out[2], out[3] = a // 4, a % 4
    out[4], out[5] = a >> 3, (a & 255) ^ (a | 7)
    return min(a, b, 3) + abs(a) - max(b, -2)


@loops
def _pair(x: float, by: tuple[float, float]) -> tuple[float, tuple[float, float]]:
    return x * by[0] + by[1], (max(x, by[0]), -x)


@loops
def _counted(values: F64_1, least: float) -> int:
    found = n = 0
    while n < len(values) and values[n] != 0.0:
        n += 1
        if values[n - 1] < least:
            continue
        if found == 5:
            break
        found += 1
    return 100 * n + found


@loops
def _mixed(rows: F32_2, order: I32_1, bits: U8_1, out: F32_2) -> float:
    total = 0.0
    for j in range(len(rows) - 1, -1, -2):
        row, part = rows[j], out[j, 1:]
        for i in range(len(part)):
            part[i] = row[order[i + 1]] * 0.5 + np.float32(LEVEL)
            far, (most, back) = _pair(part[i], (2.0, LEVEL))
            total += far - most / (3.0 if i % 2 == 0 or back > 1 else 4)
            bits[i] |= 1 << i % 8
        out[j, 0] = np.floor(row[0]) + np.ceil(row[0]) if not row[0] < 0 <= 1 else np.sqrt(-row[0])
    return total


@given(whole, whole.filter(bool))
def test_integers_are_divided_and_shifted_as_python_does(a, b):
    out, plain = np.zeros(6, np.int64), np.zeros(6, np.int64)
    assert _divided(a, b, out) == _divided.plain(a, b, plain)
    assert out.tolist() == plain.tolist() == [a // b, a % b, a // 4, a % 4, a >> 3, (a & 255) ^ (a | 7)]


@given(arrays(np.float64, st.integers(0, 20), elements=st.sampled_from([0.0, 1.0, 2.0, 3.0])), st.floats(0, 4))
def test_what_is_settled_is_not_asked_on_and_loops_are_left(values, least):
    assert _counted(values, least) == _counted.plain(values, least)


@given(
    arrays(np.float32, (5, 7), elements=st.floats(-1e3, 1e3, width=32, allow_subnormal=False)),
    st.permutations(range(7)),
)
def test_views_tuples_and_conditions_are_those_of_python(rows, order):
    order = np.array(order, np.int32)
    made = []
    for call in (_mixed, _mixed.plain):
        bits, wide = np.zeros(7, np.uint8), np.zeros((5, 14), np.float32)
        # A part of a larger array, whose rows lie apart.
        out = wide[:, 3:10]
        made.append((call(rows, order, bits, out), bits, wide))
    (total, bits, wide), (total_, bits_, wide_) = made
    assert total == pytest.approx(total_, rel=1e-6, abs=1e-3)
    assert bits.tolist() == bits_.tolist()
    np.testing.assert_allclose(wide, wide_, rtol=1e-6, atol=1e-6)
    assert (wide[:, :3] == 0).all() and (wide[:, 10:] == 0).all()


@loops
def _bytes(values: F32_1, out: U8_1, wide: I64_1) -> None:
    for i in range(len(values)):
        out[i] = np.uint8(values[i])
        wide[i] = np.uint16(values[i] * 200) + np.int64(np.int32(-values[i]))


@given(arrays(np.float32, 9, elements=st.floats(0, 255, width=32)))
def test_floats_become_the_integers_below_them(values):
    out, wide = np.zeros(9, np.uint8), np.zeros(9, np.int64)
    _bytes(values, out, wide)
    assert out.tolist() == [int(v) for v in values]
    assert wide.tolist() == [int(v * np.float32(200)) + int(-v) for v in values]


@loops
def _through(at: int, high: int, wide: int, to: I64_1) -> float:
    view = plane(at, high, wide)
    to[0] = address(view[high - 1])
    return float(view[1, 2])


def test_addresses_lead_to_pictures():
    picture, to = np.arange(12, dtype=np.float32).reshape(3, 4), np.zeros(1, np.int64)
    for call in (_through, _through.plain):
        assert call(address(picture), 3, 4, to) == 6.0
        assert to[0] == address(picture[2]) == picture[2].ctypes.data


def test_arrays_of_another_kind_are_refused_before_anything_runs():
    out = np.zeros(6, np.int32)
    with pytest.raises(TypeError, match="out is int64 along 1 axes"):
        _divided(1, 2, out)
    with pytest.raises(TypeError, match="without gaps"):
        _counted(np.zeros(8)[::2], 0.0)


def _calls_outside(a: int) -> int:
    return sorted(a)


def _narrows(a: F32_1, x: float) -> None:
    y = a[0]
    y = x
    a[0] = y


def _goes_over_an_array(a: F32_1) -> None:
    for x in a:
        a[0] = x


def _puts_a_row(a: I32_2) -> None:
    a[0] = 1


def _is_unknown() -> int:
    return nowhere  # noqa: F821


@pytest.mark.parametrize(
    ("function", "line", "words"),
    [
        (_calls_outside, 1, "no 'sorted'"),
        (_narrows, 2, "double does not become float by itself"),
        (_goes_over_an_array, 1, "goes over a range"),
        (_puts_a_row, 1, "not a part"),
        (_is_unknown, 1, "no 'nowhere' before here"),
    ],
)
def test_what_is_outside_the_subset_is_refused_with_its_line(function, line, words):
    with pytest.raises(ShadeError, match=words) as told:
        Loops(function)._code  # noqa: B018
    assert told.value.file == __file__
    assert told.value.line == function.__code__.co_firstlineno + line


def test_a_second_start_compiles_nothing_and_loads_no_compiler(tmp_path):
    script = """
import sys, numpy as np
from whorl.motion.keys import solved
assert abs(solved(0.0, 1.0, np.array([0.5]))[0] - 0.5) < 1e-9
print("whorl.shade.loops_llvm" in sys.modules)
"""
    run = [sys.executable, "-c", script]
    env = os.environ | {"WHORL_CACHE": str(tmp_path)}
    said = [subprocess.run(run, env=env, capture_output=True, text=True, check=True).stdout.strip() for _ in range(2)]
    assert said == ["True", "False"]
