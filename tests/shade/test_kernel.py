"""Kernels: what they compute is what Python computes, and what is kept on disk is safe to use."""

import importlib.util
import itertools
import sys
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from whorl.shade import Fixed, Vec2, Vec3, f32, floor, i32, length, machine, maximum, minimum, shade, step
from whorl.shade.kernel import Kernel, Link, begun, chain, kernel
from whorl.shade.machine import Machine, assembly, cache_folder

NUMBERS = np.arange(-24, 24, dtype=np.float32)

# --- random whole-number programs: Python is the reference ---------------------------------

names = st.sampled_from(["a", "b", "c"])
tests = st.builds("{} {} {}".format, names, st.sampled_from(["<", "<=", ">", ">=", "==", "!="]), names)
conditions = st.one_of(
    tests, st.builds("({} {} {})".format, tests, st.sampled_from(["and", "or"]), tests), tests.map("(not {})".format)
)


def deeper(inner):
    return st.one_of(
        st.builds("({} {} {})".format, inner, st.sampled_from(["+", "-", "*"]), inner),
        # Divided by 1 to 8, as a shade function may not divide by nought.
        st.builds("({} {} (({} & 7) + 1))".format, inner, st.sampled_from(["//", "%"]), inner),
        st.builds("({} {} {})".format, inner, st.sampled_from(["&", "|", "^"]), inner),
        st.builds("({} {} ({} & 3))".format, inner, st.sampled_from(["<<", ">>"]), inner),
        st.builds("({} if {} else {})".format, inner, conditions, inner),
        st.builds("({}({}, {}))".format, st.sampled_from(["minimum", "maximum"]), inner, inner),
        inner.map("(-{})".format),
        inner.map("absolute({})".format),
    )


numbers = st.recursive(st.one_of(names, st.integers(0, 9).map(str)), deeper, max_leaves=5)
# Kept small after each step, since Python's integers do not wrap.
assigned = st.builds("{} = ({}) % 64 - 32".format, names, numbers)


def indented(lines: list[str]) -> list[str]:
    return [f"    {line}" for line in lines]


def blocks(inner):
    return st.one_of(
        st.builds(lambda c, then: [f"if {c}:", *indented(then)], conditions, inner),
        st.builds(
            lambda c, then, other: [f"if {c}:", *indented(then), "else:", *indented(other)], conditions, inner, inner
        ),
        # Up to 40 rounds: more than are laid out.
        st.builds(lambda n, body: [f"for COUNTER in range({n}):", *indented(body)], st.sampled_from([3, 40]), inner),
        st.builds(lambda c: [f"if {c}:", "    return f32(a + b)"], conditions),
        st.builds(lambda x, y: x + y, inner, inner),
    )


programs = st.recursive(assigned.map(lambda line: [line]), blocks, max_leaves=5)
modules = itertools.count()


def function_of(lines: list[str], folder):
    """A program as a shade function, in a module of its own; every loop counts in a name of its own."""
    counters = itertools.count()
    body = [x.replace("COUNTER", f"k{next(counters)}") if "COUNTER" in x else x for x in lines]
    source = [
        "from whorl.shade import absolute, f32, i32, maximum, minimum, shade",
        "",
        "@shade",
        "def program(x: f32, y: f32) -> f32:",
        *indented(["a = i32(x)", "b = i32(y)", "c = 5", *body, "return f32(a * 3 + b * 5 + c)"]),
    ]
    name = f"program{next(modules)}"
    path = folder / f"{name}.py"
    path.write_text("\n".join(source) + "\n")
    spec = importlib.util.spec_from_file_location(name, path)
    module = importlib.util.module_from_spec(spec)
    sys.modules[name] = module
    spec.loader.exec_module(module)
    return module.program


@settings(max_examples=120, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(programs)
def test_a_random_program_gives_what_python_gives(tmp_path, lines):
    program = function_of(lines, tmp_path)
    x, y = NUMBERS, NUMBERS[::-1] // 2
    out = np.empty(len(x), np.float32)
    kernel(program, (), (True, True))(len(x), [[x], [np.ascontiguousarray(y)]], [out])
    assert out.tolist() == [program(a, b) for a, b in zip(x.tolist(), y.tolist(), strict=True)]


@shade
def halved(x: f32) -> f32:
    return x * 0.5


@shade
def sought(x: f32, steps: Fixed[i32]) -> f32:
    """Left from within a loop and its branches, at another round for each sample."""
    if x > 20.0:
        return -1.0
    for i in range(steps):
        y = x - f32(i)
        if y < 0.5:
            if y < -0.5:
                return f32(i) + 100.0
            for j in range(40):
                if f32(j) * 0.1 > y + 0.5:
                    return f32(i * 100 + j)
        elif y > 12.0:
            return halved(y)
    return x


@pytest.mark.parametrize("steps", [2, 12])
def test_each_sample_leaves_a_function_where_it_does_by_itself(steps):
    x = np.linspace(-3, 24, 53, dtype=np.float32)
    out = np.empty_like(x)
    kernel(sought, (("steps", steps),), (True,))(len(x), [[x]], [out])
    assert out.tolist() == pytest.approx([sought(a, steps) for a in x.tolist()])


# --- several functions in one loop --------------------------------------------------------


@shade
def measured(p: Vec3, scale: f32) -> f32:
    return length(p) * scale


@shade
def both(p: Vec2) -> f32:
    return p.x + p.y


@shade
def placed(p: Vec2, count: Fixed[i32]) -> Vec2:
    across = floor(p.x)
    for i in range(count):
        across += f32(i)
    return Vec2(maximum(p.y, minimum(across, 3.0)), step(0.5, p.y))


def test_links_pass_their_results_on_and_one_component_stands_for_three():
    links = (Link(halved, limit=4.0), Link(measured, inputs=(0, None)))
    out = np.empty(len(NUMBERS), np.float32)
    chain(links, (True, False))(len(NUMBERS), [[NUMBERS], (2.0,)], [out])
    expected = 2 * np.sqrt(3) * np.minimum(np.abs(NUMBERS) / 2, 4)
    assert out == pytest.approx(expected, rel=1e-6)


def test_a_result_may_take_the_place_of_what_it_is_made_from():
    x, y = NUMBERS.copy(), NUMBERS[::-1].copy()
    before = list(zip(x.tolist(), y.tolist(), strict=True))
    kernel(placed, (("count", 2),), (True,))(len(x), [[x, y]], [x, y])
    assert list(zip(x.tolist(), y.tolist(), strict=True)) == [tuple(placed(Vec2(*p), 2)) for p in before]


def test_rows_with_gaps_or_too_few_samples_are_refused():
    double = np.empty(len(NUMBERS), np.float64)
    for bad in (NUMBERS[::2], NUMBERS[:5], double):
        with pytest.raises(ValueError, match="without gaps"):
            kernel(halved, (), (True,))(len(NUMBERS), [[bad]], [NUMBERS.copy()])


def test_rows_of_which_it_is_known_where_they_begin_are_taken_by_that_and_longer_ones_are_looked_at():
    rows, out = [NUMBERS.copy(), NUMBERS[::-1].copy()], NUMBERS.copy()
    for n in (8, len(NUMBERS), 4):
        out[:] = 0
        kernel(both, (), (True,)).run(n, [], begun(rows, n) + begun([out], n))
        assert out[:n] == pytest.approx(NUMBERS[:n] + NUMBERS[::-1][:n]) and not out[n:].any()
    twice = begun([NUMBERS], len(NUMBERS)) * 2
    kernel(both, (), (True,)).run(len(NUMBERS), [], twice + begun([out], len(out)))
    assert out == pytest.approx(2 * NUMBERS)
    with pytest.raises(ValueError, match="without gaps"):
        kernel(both, (), (True,))(len(NUMBERS) + 1, [rows], [np.empty(len(NUMBERS) + 1, np.float32)])


def test_a_kernel_calls_nothing_and_works_on_vectors():
    @shade
    def rolled(x: f32, y: f32) -> f32:
        from_x = x * y
        return floor(from_x) + halved(x)

    text = assembly(kernel(rolled, (), (True, True)).source())
    assert "call" not in text
    assert "vmulps" in text or "mulps" in text or "fmul" in text


# --- what is kept on disk -----------------------------------------------------------------


@shade
def tripled(x: f32) -> f32:
    return x * 3.0


@pytest.fixture
def folder(tmp_path, monkeypatch):
    monkeypatch.setenv("WHORL_CACHE", str(tmp_path))
    return cache_folder()


def run_afresh(compiler: Machine) -> list[float]:
    """The kernel of `tripled` as another process would compile or load it."""
    made = Kernel((Link(tripled),), (True,))
    made.address = compiler.address("tripled", made.source())
    out = np.empty(3, np.float32)
    made(3, [[np.float32([1, 2, 3])]], [out])
    return out.tolist()


def test_a_kernel_is_compiled_once_and_loaded_by_the_next_process(folder, monkeypatch):
    assert run_afresh(Machine()) == [3, 6, 9]
    (kept,) = folder.iterdir()
    assert kept.name.startswith("tripled_") and kept.suffix == ".o"
    later = Machine()
    monkeypatch.setattr(later, "optimised", None)  # would fail if it were called
    assert run_afresh(later) == [3, 6, 9]


def test_many_threads_that_need_a_kernel_at_once_get_the_same(folder):
    source = Kernel((Link(tripled),), (True,)).source()
    with ThreadPoolExecutor(8) as pool:
        addresses = set(pool.map(lambda _: machine.address("tripled", source), range(16)))
    assert len(addresses) == 1 and 0 not in addresses


@pytest.mark.parametrize("damage", [lambda b: b[:-40], lambda b: b"", lambda b: b[:200] + b"!" + b[201:]])
def test_a_damaged_file_is_compiled_anew(folder, damage):
    run_afresh(Machine())
    (kept,) = folder.iterdir()
    whole = kept.read_bytes()
    kept.write_bytes(damage(whole))
    assert run_afresh(Machine()) == [3, 6, 9]
    assert kept.read_bytes() == whole


@shade
def nought(x: f32) -> f32:
    """Nothing, whatever comes in."""
    return x * 0.0 if x != x else 0.0


@shade
def seven_more(x: f32) -> f32:
    """A constant that lies beside the code."""
    return x + 7.0


def test_rows_of_one_number_call_nothing_outside_and_later_kernels_keep_their_constants():
    """An object file with an outside name in it takes those that are loaded after it away from their constants."""
    rows = np.zeros(48, np.float32)
    for first in (nought, seven_more):
        made = kernel(first, (), (True,))
        assert "memset" not in assembly(made.source()) and "memcpy" not in assembly(made.source())
        made(48, [[NUMBERS]], [rows])
    np.testing.assert_array_equal(rows, NUMBERS + 7)
