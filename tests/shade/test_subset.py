"""The shading language: what it refuses, and that all ways of running it agree."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from whorl.shade import (
    Fixed,
    Image,
    ShadeError,
    Table8,
    Vec2,
    Vec3,
    Vec4,
    absolute,
    atan2,
    cos,
    cross,
    dot,
    exp2,
    extent,
    f32,
    i32,
    log2,
    mod,
    power,
    record,
    shade,
    sin,
    texel,
    u32,
)
from whorl.shade.glsl import glsl_of
from whorl.shade.kernel import kernel


def on_cpu(function, fixed, *columns):
    """A shade function over arrays; each column is one argument's components."""
    n = len(columns[0][0])
    args = [[np.ascontiguousarray(c, np.float32) for c in column] for column in columns]
    out = [np.empty(n, np.float32) for _ in range(function.tree.returns.size)]
    kernel(function, fixed, (True,) * len(args))(n, args, out)
    return out


def refused(function) -> ShadeError:
    with pytest.raises(ShadeError) as caught:
        shade(function)
    error = caught.value
    assert error.file.endswith("test_subset.py") and error.line > 1
    return error


def test_a_power_operator_is_refused_with_the_call_to_use_instead():
    def squared(x: f32) -> f32:
        return x**2

    assert "power(x, y)" in refused(squared).reason


def test_the_line_of_a_refusal_is_the_line_of_the_fault():
    def half(x: f32) -> f32:
        y = x
        return y + i32(1)

    error = refused(half)
    with open(error.file, encoding="utf-8") as f:
        assert f.read().splitlines()[error.line - 1].strip() == "return y + i32(1)"
    assert "f32" in error.reason and "i32" in error.reason


@pytest.mark.parametrize(
    ("source", "said"),
    [
        ("def f(x: f32, n: i32) -> f32:\n    for i in range(n):\n        x2 = x\n    return x", "constant"),
        ("def f(x: f32) -> f32:\n    if x > 0.0:\n        y = x\n    return y", "before it is set"),
        ("def f(x: f32) -> f32:\n    if x > 0.0:\n        return x", "not every way"),
        ("def f(x: f32) -> f32:\n    y = x\n    y = Vec2(x, x)\n    return x", "'y' is a f32 above"),
        ("def f(x) -> f32:\n    return x", "needs a type"),
        ("def f(x: f32) -> f32:\n    return unknown(x)", "neither a built-in"),
        ("def f(x: f32) -> f32:\n    while x > 0.0:\n        x = x - 1.0\n    return x", "not in the shading language"),
        ("def f(x: Vec2) -> f32:\n    return x.z", "has no '.z'"),
        ("def f(x: f32) -> f32:\n    x = 2.0\n    return x", "keeps its value"),
        ("def f(x: f32) -> Vec3:\n    return Vec3(x, x)", "takes 3 components"),
        ("def f(x: f32) -> f32:\n    return [x][0]", "not in the shading language"),
        ("def f(x: f32 = 1.0) -> f32:\n    return x", "without defaults"),
        ("def f(x: Lens) -> f32:\n    return x.y", "has no '.y'; it has middle, strength"),
        ("def f(x: Lens) -> f32:\n    return x + 1.0", "do not go together"),
        ("def f(x: f32) -> Lens:\n    return Lens(x)", "has 2 fields, not 1"),
        ("def f(x: f32) -> Lens:\n    return Lens(x, x)", "'middle' of Lens"),
        ("def f(x: Image) -> f32:\n    y = x\n    return 1.0", "passed on as it is"),
        ("def f(x: Image) -> Image:\n    return x", "not returned"),
        ("def f(x: Image, y: Image) -> Vec2:\n    return extent(x if True else y)", "no choice between images"),
    ],
)
def test_what_is_outside_the_subset_is_refused(source, said, tmp_path):
    import importlib.util

    file = tmp_path / "outside.py"
    lens = "@record\nclass Lens:\n    middle: Vec3\n    strength: f32\n"
    file.write_text("from whorl.shade import *\n\n\n" + lens + source + "\n")
    spec = importlib.util.spec_from_file_location("outside", file)
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    with pytest.raises(ShadeError, match=r"outside\.py:") as caught:
        shade(module.f)
    assert said in caught.value.reason


@shade
def mixed(p: Vec3, q: Vec2, count: Fixed[i32]) -> Vec4:
    total = p * 2.0 - Vec3(q, 1.0)
    for i in range(count):
        total += Vec3(f32(i), p.y, 1.0) / 4.0
    if dot(total, total) > 9.0:
        total = total.zyx
    side = cross(total, Vec3(0.0, 0.0, 1.0))
    return Vec4(side.xy, mod(p.x, 3.0), total.z if p.x > 0.0 else -total.z)


def test_python_and_the_cpu_backend_agree_on_vectors_loops_and_branches():
    rng = np.random.default_rng(7)
    p, q = rng.uniform(-3, 3, (3, 200)), rng.uniform(-3, 3, (2, 200))
    out = on_cpu(mixed, (("count", 3),), list(p), list(q))
    for i in range(200):
        expected = tuple(mixed(Vec3(*p[:, i]), Vec2(*q[:, i]), 3))
        assert [o[i] for o in out] == pytest.approx(expected, abs=1e-4)


@shade
def bits(x: f32, y: f32) -> f32:
    a = u32(i32(x)) * 747796405
    b = (a >> 7) ^ (u32(i32(y)) << 3)
    return f32(i32((b | 5) & 65535))


def test_unsigned_integers_wrap_at_32_bits_in_python_as_on_the_cpu():
    x, y = np.arange(-50.0, 50.0), np.arange(100.0)
    out = on_cpu(bits, (), [x], [y])[0]
    wrapped = [(((int(a) & 0xFFFFFFFF) * 747796405) & 0xFFFFFFFF, int(b)) for a, b in zip(x, y, strict=True)]
    expected = [(((a >> 7) ^ ((b << 3) & 0xFFFFFFFF)) | 5) & 65535 for a, b in wrapped]
    assert out.tolist() == expected
    assert [bits(a, b) for a, b in zip(x, y, strict=True)] == expected


@shade
def sines(x: f32) -> Vec2:
    return Vec2(sin(x), cos(x))


@shade
def logs(x: f32) -> Vec2:
    return Vec2(log2(x), exp2(x))


@shade
def angle(y: f32, x: f32) -> f32:
    return atan2(y, x)


@shade
def raised(x: f32, y: f32) -> f32:
    return power(absolute(x), y)


def test_transcendental_built_ins_are_within_two_millionths_of_the_system_library():
    x = np.linspace(-40, 40, 4001)
    s, c = on_cpu(sines, (), [x])
    assert np.abs(s - np.sin(x.astype(np.float32))).max() < 6e-6
    assert np.abs(c - np.cos(x.astype(np.float32))).max() < 6e-6
    small = np.linspace(-math.pi, math.pi, 4001)
    assert np.abs(on_cpu(sines, (), [small])[0] - np.sin(small)).max() < 2e-6
    positive = np.geomspace(1e-6, 1e6, 4001)
    two_log = on_cpu(logs, (), [positive])[0]
    assert np.abs(two_log - np.log2(positive)).max() < 4e-6
    signed = np.linspace(-60, 60, 4001).astype(np.float32)
    two_exp = on_cpu(logs, (), [signed])[1]
    assert np.abs(two_exp / np.exp2(signed.astype(float)) - 1).max() < 1e-6
    around = np.linspace(-math.pi, math.pi, 1001)
    got = on_cpu(angle, (), [np.sin(around)], [np.cos(around)])[0]
    assert np.abs(got - np.arctan2(np.sin(around), np.cos(around))).max() < 2e-6
    base, exponent = np.meshgrid(np.linspace(0, 4, 50), np.linspace(0, 8, 50))
    got = on_cpu(raised, (), [base.ravel()], [exponent.ravel()])[0]
    expected = base.ravel() ** exponent.ravel()
    assert np.abs(got - expected).max() / expected.max() < 1e-5
    assert np.all(np.isfinite(got))


@shade
def looked_up(x: f32, rows: Table8) -> f32:
    total = 0.0
    for i in range(8):
        total += rows[i].w * x
    return total


def test_tables_reach_the_kernel_as_32_uniform_floats():
    table = Table8([Vec4(0, 0, 0, k) for k in (1, 2, 3)])
    flat = tuple(x for row in table for x in row)
    out = [np.empty(3, np.float32)]
    kernel(looked_up, (), (True, False))(3, [[np.float32([1, 2, 3])], flat], out)
    # The third row fills the table: 1 + 2 + 6 × 3.
    assert out[0].tolist() == [21, 42, 63]
    assert looked_up(2.0, table) == 42


def test_glsl_keeps_loops_and_drops_branches_that_fixed_parameters_settle():
    @shade
    def chosen(x: f32, mode: Fixed[i32], count: Fixed[i32]) -> f32:
        y = x
        if mode == 1:
            y = x * 7.0
        for i in range(count):
            y += f32(i)
        return y

    plain, other = (glsl_of(chosen, (("mode", m), ("count", 3))) for m in (0, 1))
    assert "for (int i = 0; i < 3; i++)" in plain
    assert "7.0" not in plain and "7.0" in other


def test_names_that_glsl_keeps_for_itself_are_printed_with_a_mark():
    @shade
    def kept_words(long: f32, union: f32) -> f32:
        """Names that are free in Python only."""
        double = long * 2.0
        return double + union

    text = glsl_of(kept_words)
    assert "float long_, float union_" in text and "double_ = " in text


@record
class Lens:
    """Where it stands and how strong it is."""

    middle: Vec3
    strength: f32
    tilt: Vec2


@shade
def through_lens(lens: Lens, p: Vec3) -> Vec3:
    away = p - lens.middle
    return lens.middle + away * lens.strength + Vec3(lens.tilt, 0.0)


@shade
def two_lenses(near: Lens, far: Lens, p: Vec3) -> Vec3:
    moved = Lens(far.middle.zyx, far.strength * 2.0, near.tilt.yx)
    return through_lens(moved, through_lens(near, p))


def test_records_are_passed_on_whole_and_a_kernel_takes_their_fields_one_by_one():
    rng = np.random.default_rng(11)
    p, strengths = rng.uniform(-2, 2, (3, 64)).astype(np.float32), rng.uniform(0, 2, 64).astype(np.float32)
    out = [np.empty(64, np.float32) for _ in range(3)]
    near, far = ((1.0, 2.0, 3.0), (0.5,), (0.1, 0.2)), ((3.0, 1.0, 0.0), [strengths], (0.0, 0.0))
    varying = (False, False, False, False, True, False, True)
    kernel(two_lenses, (), varying)(64, [*near, *far, list(p)], out)
    first = Lens(Vec3(1, 2, 3), 0.5, Vec2(0.1, 0.2))
    for i in range(64):
        second = Lens(Vec3(3, 1, 0), float(strengths[i]), Vec2(0, 0))
        assert [o[i] for o in out] == pytest.approx(tuple(two_lenses(first, second, Vec3(*p[:, i]))), abs=1e-4)
    text = glsl_of(two_lenses)
    assert text.startswith("struct Lens { vec3 middle; float strength; vec2 tilt; };\n")
    assert "vec3 two_lenses(Lens near, Lens far, vec3 p)" in text and text.count("struct") == 1


def test_a_record_of_anything_but_floats_and_vectors_is_refused():
    with pytest.raises(TypeError, match=r"Odd\.count: a record holds floats and vectors"):

        @record
        class Odd:
            count: i32


@shade
def read_at(image: Image, x: f32, y: f32) -> Vec4:
    size = extent(image)
    return texel(image, i32(x * size.x), i32(y * size.y))


@given(st.lists(st.floats(-65504, 65504, width=16), min_size=24, max_size=24))
@settings(max_examples=40, deadline=None)
def test_a_texel_is_the_four_half_floats_that_stand_there(numbers):
    image = Image(np.array(numbers, np.float16).reshape(2, 3, 4))
    x, y = (a.ravel() for a in np.meshgrid((np.arange(3) + 0.5) / 3, (np.arange(2) + 0.5) / 2))
    out = [np.empty(6, np.float32) for _ in range(4)]
    given = [x.astype(np.float32)], [y.astype(np.float32)]
    kernel(read_at, (), (False, True, True))(6, [image, *given], out)
    assert np.array_equal(np.transpose(out), image.pixels.reshape(6, 4).astype(np.float32))
    assert tuple(read_at(image, 0.5, 0.75)) == tuple(map(float, image.pixels[1, 1]))
    # Nothing beside the picture is ever read.
    far = [np.full(6, 40.0, np.float32)], [np.full(6, -40.0, np.float32)]
    kernel(read_at, (), (False, True, True))(6, [image, *far], out)
    assert np.array_equal(np.transpose(out)[0], image.pixels[0, 2].astype(np.float32))
