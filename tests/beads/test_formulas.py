"""Formulas: what they come to, that they stay finite, what is said of those that cannot be read, and that none runs."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.documents import bead, data, effect, strand
from whorl.beads.formulas import function_of
from whorl.beads.spec import COLOUR, COORDS, DIRECTION, VALUE
from whorl.effect import BadEffect, read
from whorl.plan.build import build
from whorl.plan.build.standing import standing
from whorl.shade.kernel import kernel
from whorl.shade.written import DEEPEST, LONGEST, FormulaError
from whorl.stage import flat

X = np.linspace(-3, 3, 61).astype(np.float32)
A = np.cos(X * 2).astype(np.float32)


def run(text, below=X, gives=VALUE, k=1.5):
    """A formula over rows of what comes in, one or three of them, with a as above."""
    rows = np.atleast_2d(below).astype(np.float32)
    known = {"below": rows, "a": A[None, : rows.shape[1]], "k": np.full((1, rows.shape[1]), k, np.float32)}
    function = function_of(text, VALUE if len(rows) == 1 else COLOUR, {"a": VALUE}, gives)
    columns = [[np.ascontiguousarray(row) for row in known[p.name]] for p in function.tree.params]
    out = [np.empty(rows.shape[1], np.float32) for _ in range(function.tree.returns.size)]
    kernel(function, (), (True,) * len(columns))(rows.shape[1], columns, out)
    return np.array(out) if len(out) > 1 else out[0]


@pytest.mark.parametrize(
    ("text", "meant"),
    [
        ("x * 2 + 1/3", 2 * X + 1 / 3),
        ("-x ** 2", -(X**2)),
        ("x ** 3", X**3),
        ("abs(x) ** 0.5", np.abs(X) ** 0.5),
        ("(x - 9.03) % 0.7", np.mod(X - 9.03, 0.7)),
        ("1 if 0.5 < abs(x) <= 2 else a", np.where((np.abs(X) > 0.5) & (np.abs(X) <= 2), 1, A)),
        ("(x > 0) * 2 - (not x > 1)", (X > 0) * 2.0 - ~(X > 1)),
        ("h = sin(x * k)\ns = h * h  # squared\nmin(s, a)", np.minimum(np.sin(X * 1.5) ** 2, A)),
        ("x / 0 + x % 0", 0 * X),
        ("sqrt(x)", np.sqrt(np.maximum(X, 0))),
        ("exp2(log2(abs(x) + 1))", np.abs(X) + 1),
        ("Vec3(x, a, 1).zyx.y + x.g", A + X),
        ("length(Vec2(3, 4)) * atan2(x, 1)", 5 * np.arctan(X)),
        ("dot(Vec3(x), Vec3(1, 2, 3)) - cross(Vec3(1, 0, 0), Vec3(0, x, 0)).z", 5 * X),
        ("smooth(0, 2, x)", (lambda t: t * t * (3 - 2 * t))(np.clip(X / 2, 0, 1))),
        ("cos(angle(Vec3(cos(x), sin(x), 0)) * 6.2831853)", np.cos(X)),
        ("distance(turned(Vec3(1, 0, 0), 0.25), Vec3(0, x, 0))", np.abs(1 - X)),
        ("wave(x) + sign(x)", np.sin(2 * np.pi * X) / 2 + 0.5 + np.sign(X)),
    ],
)
def test_a_formula_comes_to_what_it_says(text, meant):
    assert np.abs(run(text) - meant).max() < 3e-4


def test_three_numbers_go_component_by_component_and_one_stands_for_three():
    colour = np.array([X, A, X * A])
    np.testing.assert_allclose(run("mix(x, a, 0.5) / 2", colour, COLOUR), (colour + A) / 4, atol=1e-5)
    got = run("x / Vec3(1, 0, x.r)", colour, COLOUR)
    np.testing.assert_allclose(got[:2], [X, 0 * X], atol=1e-6)
    np.testing.assert_allclose(run("Vec2(x.b, a)", colour, COORDS), [X * A, A, 0 * X], atol=1e-6)
    np.testing.assert_allclose(run("a", colour, COLOUR), [A, A, A])
    unit = run("x + Vec3(0, 0, 1)", colour, DIRECTION)
    np.testing.assert_allclose(np.linalg.norm(unit, axis=0), 1, atol=1e-5)


# What the words of random formulas mean, in doubles; guards come in where a formula has no value.
_WORDS = {
    "abs": np.abs,
    "floor": np.floor,
    "fract": lambda v: v - np.floor(v),
    "min": np.minimum,
    "max": np.maximum,
    "mix": lambda a, b, t: a + (b - a) * t,
    "clamp": lambda v, low, high: np.minimum(np.maximum(v, low), high),
    "sqrt": lambda v: np.sqrt(np.maximum(v, 0)),
    "sin": np.sin,
    "cos": np.cos,
}
_leaf = st.sampled_from(["x", "a", "k", "0.5", "2", "1e9", "0", "1e-9"])


def _more(inner):
    two = st.builds("({} {} {})".format, inner, st.sampled_from(["+", "-", "*", "/", "%", "**"]), inner)
    one = st.builds("{}({})".format, st.sampled_from(["abs", "floor", "fract", "sqrt", "sin", "exp2", "log2"]), inner)
    pair = st.builds("{}({}, {})".format, st.sampled_from(["min", "max", "atan2", "pow", "mod"]), inner, inner)
    pick = st.builds("({} if {} < {} else {})".format, inner, inner, inner, inner)
    field = st.builds(
        "{}(Vec3({}, {}, 1))".format, st.sampled_from(["noise", "cells", "angle", "length"]), inner, inner
    )
    return two | one | pair | pick | field


@given(st.recursive(_leaf, _more, max_leaves=9), st.sampled_from([VALUE, COLOUR]))
@settings(max_examples=60, deadline=None)
def test_whatever_comes_in_what_comes_out_is_finite(text, gives):
    worst = np.array([0, -0.0, 1, -1, 0.5, 65504, -65504, 1e-30, -1e-30, 1e-5], np.float32)
    try:
        got = run(text, np.resize(worst, 61), gives, 1000.0)
    except FormulaError as e:
        # Only what is too much is refused.
        assert "too much" in e.reason or "characters" in e.reason or "deeply" in e.reason
        return
    assert np.isfinite(got).all()


_plain_leaf = st.sampled_from(["x", "a", "0.5", "2", "0.25"])


def _plain(inner):
    two = st.builds("({} {} {})".format, inner, st.sampled_from(["+", "-", "*"]), inner)
    one = st.builds("{}({})".format, st.sampled_from(["abs", "sin", "cos", "sqrt"]), inner)
    more = st.builds("{}({}, {}, {})".format, st.sampled_from(["mix", "clamp"]), inner, inner, inner)
    return two | one | more | st.builds("min({}, {})".format, inner, inner)


@given(st.recursive(_plain_leaf, _plain, max_leaves=8))
@settings(max_examples=60, deadline=None)
def test_formulas_agree_with_numpy(text):
    # The text is made above, so here it may be run.
    meant = eval(text, {"__builtins__": {}}, {**_WORDS, "x": X.astype(float), "a": A.astype(float)}) + 0 * X
    assert np.abs(run(text) - meant).max() < 1e-3 * (1 + np.abs(meant).max())


@pytest.mark.parametrize(
    ("text", "spot", "words"),
    [
        ("", (0, 0), "say what it comes to"),
        ("x + (2 * a", (4, 4), "never closed"),
        ("x +", (3, 3), "cannot be read"),
        ("x + y", (4, 5), "'y' is not known here; there are x, a"),
        ("2 * nois(x)", (4, 8), "no function 'nois'; is noise meant?"),
        ("noise", (0, 5), "noise is a function"),
        ("noise(x, 2)", (0, 11), "noise takes 1 number (place), not 2"),
        ("h = x\nh = 2\nh", (6, 7), "has its value already"),
        ("x = 2\nx", (0, 1), "'x' means something already"),
        ("a__b = 2\nx", (0, 4), "a name has up to 30 letters"),
        ("h = 2", (0, 5), "the last line says what the formula comes to"),
        ("x + 1e99", (4, 8), "numbers go up to 1e+09"),
        ("x.q", (0, 3), "no '.q'"),
        ("Vec3(x, 1)", (0, 10), "Vec3 takes 3 components, not 2"),
        ("Vec3(x) + Vec2(x)", (0, 17), "three numbers and two numbers do not go together"),
        ("1 if Vec3(x) else 2", (5, 12), "compare one of them"),
        ("Vec3(x)", (0, 7), "it comes to three numbers, and a number is wanted; take one of them"),
        ("x if x > 1", (0, 10), "'else …'"),
        ("(lambda q: q)(x)", (9, 10), "':' is not in the language"),
        ("x.__class__", (0, 11), "no '.__class__'"),
        ("__import__(x)", (0, 10), "no function '__import__'"),
        ("eval(x)", (0, 4), "no function 'eval'"),
        ("x + 'a'", (4, 5), "''' is not in the language"),
        ("[x]", (0, 1), "'[' is not in the language"),
        ("x\0", (1, 2), "cannot be shown"),
        ("\ud800", (0, 1), "cannot be shown"),
        ("True", (0, 4), "write 1 for yes"),
        ("x // 2", (0, 6), "adds, subtracts"),
        ("max(*x)", (0, 7), "a call names one function"),
        ("max(x, y=2)", (0, 11), "a call names one function"),
        ("import x", (0, 8), "'import x' is not in the language"),
    ],
)
def test_what_cannot_be_read_is_told_with_its_place(text, spot, words):
    with pytest.raises(FormulaError) as told:
        function_of(text, VALUE, {}, VALUE)
    assert words in told.value.reason
    assert told.value.start == spot[0] and told.value.end in (
        spot[1],
        told.value.end if words == "cannot be read" else 0,
    )


@pytest.mark.parametrize(
    "text",
    [
        "-" * 900 + "x",
        "(" * 300 + "x" + ")" * 300,
        "+".join("x" * (DEEPEST + 9)),
        "x" * (LONGEST + 1),
        "+".join(["layers(x)"] * 30),
        "abs(" * 200 + "x",
        "x if " * 150 + "x",
        "9" * 900,
    ],
)
def test_what_is_too_much_is_refused_at_once(text):
    with pytest.raises(FormulaError):
        function_of(text, VALUE, {}, VALUE)


_anything = st.text(st.sampled_from("xabk019.+-*/%()<>=!,# \n_ifelsnotrd"), max_size=60) | st.text(max_size=30)


@given(_anything)
@settings(max_examples=400, deadline=None)
def test_any_text_is_a_formula_or_refused_with_a_place_in_it(text):
    try:
        function = function_of(text, COLOUR, {"a": COLOUR}, COLOUR)
    except FormulaError as e:
        assert 0 <= e.start <= e.end <= len(text) and e.reason
    else:
        assert set(function.tree.params) <= set(
            function_of("x + a*(b + c + d + k + l + m + n)", COLOUR, {"a": COLOUR}, COLOUR).tree.params
        )


def test_a_formula_never_runs_as_python():
    with pytest.raises(TypeError, match="never run"):
        function_of("x", VALUE, {}, VALUE)(1.0)


def test_blanks_and_comments_make_no_other_function():
    one, other = (function_of(t, VALUE, {}, VALUE) for t in ("x*k+1", "(x * k) + 1  # more"))
    assert one is other
    assert one is not function_of("x*k+2", VALUE, {}, VALUE)


def _with(text, *before, gives="what comes in", **params):
    made = bead("formula", settings={"formula": text, "gives": gives}, **params)
    return effect(strand("other", bead("uv"), bead("linear")), strand("f", *(before or [bead("uv")]), made))


def test_on_a_strand_it_takes_strands_numbers_and_what_comes_in():
    plan = build(_with("a * k + x.y", gives="value", a={"strand": "other"}, k=3.0))
    got = flat.field(plan, plan.beads["f/formula"], 32, 0.0)
    u = flat.field(plan, plan.beads["other/linear"], 32, 0.0)
    v = flat.field(plan, plan.beads["f/uv"], 32, 0.0)[..., 1:2]
    np.testing.assert_allclose(got, 3 * u + v, atol=1e-5)


def test_coordinates_from_a_formula_bend_what_comes_after_and_repeat_no_more():
    bent = [bead("uv"), bead("formula", settings={"formula": "x + Vec3(0.25, 0, 0)"})]
    plan = build(effect(strand("f", *bent, bead("linear", "shown")), strand("g", bead("uv"), bead("linear", "shown"))))
    assert plan.beads["f/formula"].gives is COORDS
    assert plan.beads["f/formula"].period.at(0.0) == (0.0, 0.0, 0.0)
    moved, still = (flat.field(plan, plan.beads[f"{s}/shown"], 32, 0.0) for s in "fg")
    np.testing.assert_allclose(moved[:, :24], still[:, 8:], atol=1e-5)


def test_alone_it_begins_with_the_surface_s_own_coordinates():
    plan = build(effect(strand("f", bead("formula", settings={"formula": "x.x * x.y", "gives": "value"}))))
    got = flat.field(plan, plan.beads["f/formula"], 16, 0.0)[..., 0]
    middle = (np.arange(16) + 0.5) / 16
    assert np.abs(np.sort(got, axis=None) - np.sort(np.outer(middle, middle), axis=None)).max() < 1e-5


def test_a_fault_is_told_at_its_place_with_a_mend_and_the_last_good_one_stands():
    good = data(strand("f", bead("uv"), bead("formula", settings={"formula": "noise(x * 4)", "gives": "value"})))
    bad = data(strand("f", bead("uv"), bead("formula", settings={"formula": "noise(x * 4"})))
    got = standing(read(bad), read(good))
    assert got.plan is not None and got.stood == ["strands/f"]
    (problem,) = got.problems
    assert problem.place == "strands/f/formula/formula" and (problem.spot.start, problem.spot.end) == (5, 5)
    with pytest.raises(BadEffect) as told:
        build(read(data(strand("f", bead("uv"), bead("formula", settings={"formula": "noise(x)"})))))
    (mend,) = told.value.problems[0].mends
    assert mend.words == "let it give a value" and mend.changes[0].value == "value"
    with pytest.raises(BadEffect, match="a formula is a text"):
        build(read(data(strand("f", bead("uv"), bead("formula", settings={"formula": 3})))))
