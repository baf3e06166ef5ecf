"""Code that is given away: independent compilers take it, and a graphics driver that runs it agrees with the core."""

import re
import subprocess
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.documents import bead, data, mist, strand
from tests.images.meshes import glb
from tests.plan.gpu import drawn, values
from tests.plan.test_random_documents import documents, surfaces
from tests.stage.test_parts import figure
from whorl import demo
from whorl.effect import BadEffect, camera, read
from whorl.effect.second import taken
from whorl.effect.value import Drift, Keys, Pulse, Sway
from whorl.fields import turning
from whorl.images import library
from whorl.motion.kind import Times
from whorl.motion.values import HOW
from whorl.plan.build import build
from whorl.plan.graph import OUTPUTS, FromNode, FromPoint, FromUniform, Literals
from whorl.plan.print.code import code, identifier, self_lit
from whorl.plan.print.languages import LANGUAGES
from whorl.plan.run.evaluate import evaluate
from whorl.shade.glsl import glsl_of
from whorl.stage.frame import Sides

SIDE = 64
METAL = Path(__file__).parent / "metal"
CPP = ["g++", "-std=c++17", "-fsingle-precision-constant"]


def ran(*command):
    done = subprocess.run([str(c) for c in command], capture_output=True, text=True, check=False)
    assert done.returncode == 0, f"{command[0]}: {done.stdout[-2000:]}{done.stderr[-2000:]}"


@cache
def read_once():
    """A folder with what stands in for Metal's library as the compiler has read it, which takes most of its time."""
    folder = TemporaryDirectory()
    ran(*CPP, "-w", "-x", "c++-header", METAL / "metal_stdlib", "-o", f"{folder.name}/metal_stdlib.gch")
    return folder


def accepted(language, text, folder):
    """Whether compilers that others wrote take a program."""
    path, spirv = folder / f"code{LANGUAGES[language].ending}", folder / "code.spv"
    path.write_text(text)
    if language == "glsl-es":
        ran("glslangValidator", path)
    elif language == "glsl":
        ran("glslangValidator", path)
        ran("glslangValidator", "-V", path, "-o", spirv)
    elif language == "hlsl":
        ran("glslangValidator", "-D", "-V", "-e", "main", "-S", "frag", path, "-o", spirv)
    elif language == "metal":
        # What C++ has no words for: attributes of entries, and swizzles, which are functions there.
        plain = re.sub(r"\[\[\w+(\(\w*\))?\]\]", "", text)
        plain = re.sub(r"\.([xyzw]{2,4})\b", r".\1()", plain)
        path.write_text(plain)
        ran(*CPP, "-fsyntax-only", "-I", read_once().name, "-I", METAL, "-x", "c++", path)
    if language in ("glsl", "hlsl"):
        ran("spirv-val", spirv)
        ran("spirv-cross", "--msl", spirv, "--output", folder / "again.metal")


@pytest.mark.parametrize("language", [name for name in LANGUAGES if name != "wgsl"])
@pytest.mark.parametrize("slug", demo.slugs())
def test_compilers_take_every_demo_effect(slug, language, tmp_path):
    accepted(language, code(build(demo.demo(slug)), LANGUAGES[language]).text, tmp_path)


def looked_at(plan, phase):
    """Points of the near side as its camera sees it, and that camera."""
    view = camera.numbers(plan.effect.stage, SIDE, SIDE)
    _, points = Sides(plan, plan.effect.stage, view, phase, SIDE, SIDE).points(True)
    return view, {name: [np.asarray(row, np.float32) for row in rows] for name, rows in points.items()}


def wanted(plan, name, points, phase, view, count):
    """A channel as the core has it."""
    arg = plan.outputs[name]
    if isinstance(arg, FromUniform):
        return np.broadcast_to(np.float32(arg.uniform.at(phase)), (count, arg.uniform.param.size))
    if isinstance(arg, Literals):
        return np.broadcast_to(np.float32(arg.values), (count, len(arg.values)))
    if isinstance(arg, FromPoint):
        return np.stack(points[arg.name], -1)
    assert isinstance(arg, FromNode)
    made = np.stack(evaluate(plan, arg.node, points, phase, 2, view), -1)
    if OUTPUTS[name].scaled:
        made = made * plan.amount.at(phase)[0]
    return made


def vector(language):
    return "vec4<f32>" if language == "wgsl" else "vec4"


def agrees(plan, language, frame=7, turned=None, meant=None, images=None):
    """Every channel, and the picture where there is one, drawn by a driver and reckoned by the core."""
    effect = plan.effect
    phase = effect.turn.phase(frame)
    made = code(plan, LANGUAGES[language])
    view, points = looked_at(plan, phase)
    count = len(points["at_uv"][0])
    given = {f"camera_{name}": value for name, value in view.items()} | (turned or {})
    args = ", ".join(["at", "u_params", *(f"u_{n}" for n in made.pictures)])
    names = [n.rstrip("_") for n in made.outputs]
    shown = []
    for member, name in zip(made.outputs, names, strict=True):
        shown.append(f"{vector(language)}(channels.{member}{', 1.0' if OUTPUTS[name].size == 3 else ''})")
    kind = "let" if language == "wgsl" else made.entry.channels
    first, numbers = f"{kind} channels = {made.channels}({args});", values(made, phase, given, frame)
    got = drawn(language, made, first, shown, points, numbers, images)
    if made.picture:
        got += drawn(language, made, "", [f"{made.picture}({args})"], points, numbers, images)
    meant = meant or plan
    looks = [wanted(meant, n, points, phase, view, count) for n in names]
    if made.picture:
        looks.append(np.stack(evaluate(meant, meant.picture, points, phase, 2, view), -1))
        names = [*names, "picture"]
    for name, a, b in zip(names, got, looks, strict=True):
        a = a[:, : b.shape[1]]
        off = np.abs(np.clip(a, -4, 4) - np.clip(b, -4, 4))
        assert off.mean() < 1 / 255, name
        assert (off <= 4 / 255).all(axis=1).mean() >= 0.995, name
        np.testing.assert_allclose(a.mean(), b.mean(), rtol=2e-3, atol=2e-3, err_msg=name)
    return dict(zip(names, got, strict=True))


def two():
    """A clear body that turns into what is cut away and displaced."""
    return taken(demo.demo("soap-lantern"), demo.demo("moth-crate"))[0]


def figured():
    """A figure in the colours of its vertices, whose eyes do not wear the effect."""
    channels = {"emission": [{"strand": "own"}], "displacement": [{"strand": "own"}]}
    return figure(glb(), {"composite": "solid", "channels": channels}, (strand("own", bead("vertex-colour")),))


@pytest.mark.parametrize("language", [name for name in LANGUAGES if name != "wgsl"])
@pytest.mark.parametrize("effect", [two, figured])
def test_compilers_take_two_materials_and_parts_of_a_mesh(effect, language, tmp_path):
    plan = build(effect())
    # Plain parts are lit by the stage, which no code carries.
    assert not self_lit(plan)
    accepted(language, code(plan, LANGUAGES[language]).text, tmp_path)


def test_a_driver_agrees_on_two_materials():
    assert agrees(build(two()), "wgsl")["base"].std() > 0.01


@pytest.mark.parametrize("language", ["wgsl", "glsl"])
@pytest.mark.parametrize("slug", demo.slugs())
def test_a_driver_that_runs_the_code_agrees_with_the_core(slug, language):
    plan = build(demo.demo(slug))
    made = agrees(plan, language)
    # It is not that both show nothing.
    assert max(float(np.ptp(a)) for a in made.values()) > 0.05


def test_a_lever_turned_in_the_code_is_a_lever_turned_in_the_document():
    plan = build(demo.demo("fog-gate"))
    lever = next(x for x in plan.effect.levers if x.name == "Inner mist")
    levers = tuple(x.model_copy(update={"value": 0.1}) if x is lever else x for x in plan.effect.levers)
    turned = build(plan.effect.model_copy(update={"levers": levers}))
    agrees(plan, "wgsl", turned={"inner_mist": (0.1,)}, meant=turned)
    with pytest.raises(AssertionError):
        agrees(plan, "wgsl", meant=turned)


def test_a_picture_is_read_from_its_sheet():
    square = (np.indices((32, 32)).sum(0) // 8 % 2 * 255).astype(np.uint8)
    digest, _ = library.add(picture_of(square))
    asset = {"id": "p", "name": "planks.png", "hash": digest, "width": 32, "height": 32}
    planks = strand("planks", bead("uv"), bead("image", settings={"picture": "p"}))
    plan = build(read(data(planks, assets=[asset], surface={"channels": {"base": [{"strand": "planks"}]}})))
    for language in ("wgsl", "glsl"):
        made = code(plan, LANGUAGES[language])
        images = {n: library.sheet(p.hash, p.read).image.pixels for n, p in made.pictures.items()}
        got = agrees(plan, language, images=images)["base"]
        assert got[:, :3].max() > 0.9 and got[:, :3].min() < 0.1
    for language in LANGUAGES:
        assert code(plan, LANGUAGES[language]).pictures.keys() == {"picture_1"}


def picture_of(grey):
    import io

    from PIL import Image

    out = io.BytesIO()
    Image.fromarray(grey).convert("RGB").save(out, "PNG")
    return out.getvalue()


@pytest.mark.parametrize(
    "motion",
    [
        Drift(motion="drift", cycles=(2.0, -1.0), base=(0.25, 0.5)),
        Sway(motion="sway", amount=(0.5, 0.1, -2.0), base=0.5, cycles=3.0, start=0.2),
        Pulse(motion="pulse", low=0.1, high=(0.9, 2.0), cycles=2.0, start=0.3, rise=0.2, hold=0.3, fall=0.25),
        Pulse(motion="pulse", low=1.0, high=0.0, rise=0.0, hold=0.5, fall=0.0, rising="linear", falling="linear"),
    ],
)
def test_closed_forms_are_the_motions(motion):
    param = next(u.param for u in build(demo.demo("fog-gate")).uniforms if u.place == "strands/mist/scroll/offset")
    form = HOW[type(motion)].closed_form(motion, param)
    phases = np.linspace(0, 1, 97)[:-1] + 1e-4
    rows = HOW[type(motion)].rows(motion, param, Times.of(phases))
    for phase, row in zip(phases, rows, strict=True):
        way = form.way(phase, *form.args, **dict(form.fixed)) if form.way else phase
        np.testing.assert_allclose(np.add(form.base, np.multiply(form.amount, way)), row, atol=1e-5)


def test_a_motion_of_keys_is_a_table_that_hits_every_frame():
    keys = Keys.model_validate(
        {"motion": "keys", "keys": [{"phase": 0.0, "value": 0.1}, {"phase": 0.3, "value": 0.9, "ease": "held"}]}
    )
    plan = build(read(data(mist(gain=keys.model_dump(by_alias=True)), surface=EMITS)))
    made = code(plan, LANGUAGES["glsl-es"])
    assert made.tables == ("mist_noise_gain_over",)
    for frame in (0, 5, 30):
        agrees(plan, "wgsl", frame=frame)


EMITS = {"channels": {"emission": [{"strand": "mist"}]}}


def test_components_that_move_apart_are_put_together():
    offset = {
        "motion": "apart",
        "axes": [{"motion": "drift", "cycles": 1.0}, 0.25, {"motion": "sway", "amount": 0.5}],
    }
    moved = strand("mist", bead("uv"), bead("scroll", offset=offset), bead("noise", settings={"octaves": 2}))
    agrees(build(read(data(moved, surface=EMITS))), "wgsl", frame=11)


@settings(max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(documents() | surfaces(), st.sampled_from(["glsl-es", "glsl", "hlsl", "metal"]))
def test_any_document_gives_code_that_compiles(tmp_path, document, language):
    try:
        plan = build(read(document))
    except BadEffect:
        return
    accepted(language, code(plan, LANGUAGES[language]).text, tmp_path)


NAMES = ["void main() {", "half", "Half", "a\\", "潮の満ち引き", "camera side", "x */ discard; /*", "phase"]


@pytest.mark.parametrize("language", LANGUAGES)
def test_no_name_or_note_breaks_out_of_a_comment_or_takes_the_name_of_something(language, tmp_path):
    levers = [
        {"id": f"l{i}", "name": name, "kind": "number", "value": 0.5, "note": "one\n}} two \u2028 three \\"}
        for i, name in enumerate(NAMES)
    ]
    strands = [
        {**mist(gain={"lever": f"l{i}", "low": 0.0, "high": 1.0}), "id": f"s{i}", "name": name}
        for i, name in enumerate(NAMES)
    ]
    surface = {"channels": {"emission": [{"strand": s["id"]} for s in strands]}}
    effect = read(data(*strands, surface=surface, levers=levers, notes="ends with \\\nint x;") | {"name": "float \\"})
    made = code(build(effect), LANGUAGES[language])
    names = [p.name for p in made.parameters]
    assert len(set(names)) == len(names) == len(levers) + 2
    if language == "wgsl":
        agrees(build(effect), "wgsl")
    else:
        accepted(language, made.text, tmp_path)


def test_what_is_not_used_is_left_out():
    """No number, function or parameter stands in the code that nothing reads."""
    spare = strand("spare", bead("uv"), bead("cells"))
    made = code(build(read(data(mist(), spare, surface=EMITS))), LANGUAGES["glsl-es"])
    assert "spare:" not in made.text and "spare_" not in made.text
    for name in re.findall(r"^\w+ (\w+)\(", made.functions, re.M):
        if name not in (made.channels, made.picture, made.height):
            assert len(re.findall(rf"\b{name}\(", made.functions)) > 1, name
    for name in re.findall(r"^  (?:const )?\w+ (\w+) = ", made.functions, re.M):
        assert len(re.findall(rf"\b{name}\b", made.functions)) > 1, name


def test_only_what_shines_by_itself_has_a_picture():
    for slug in demo.slugs():
        plan = build(demo.demo(slug))
        assert bool(code(plan, LANGUAGES["wgsl"]).picture) == self_lit(plan)
    assert self_lit(build(demo.demo("fog-gate"))) and not self_lit(build(demo.demo("rain-planks")))


def test_what_the_program_shows_can_be_one_channel():
    made = code(build(demo.demo("fog-gate")), LANGUAGES["glsl-es"], "opacity")
    assert "channels.opacity, channels.opacity, channels.opacity, 1.0" in made.text


def test_brackets_stand_only_where_they_are_needed():
    assert "t * t * t * (t * (t * 6.0 - 15.0) + 10.0)" in glsl_of(fade())
    assert "sin(6.283185307179586 * fract(cycles * phase + start))" in glsl_of(turning.swayed)


def fade():
    from whorl.fields.noise import fade as function

    return function


def test_identifiers():
    assert identifier("Rim  light!") == "rim_light"
    assert not re.search("__", identifier("a__b--c"))


def test_a_beacon_is_where_the_receiver_says():
    """Its place is a parameter: given another, the code shows what the document with that place would."""
    near = strand("near", bead("beacon-distance", start=0.0, end=2.0))
    document = data(
        near,
        surface={"channels": {"emission": [{"strand": "near"}]}},
        beacons=[{"id": "b", "name": "Buoy", "position": [0.0, 0.0, 1.0]}],
    )
    plan = build(read(document))
    names = [p.name for p in code(plan, LANGUAGES["wgsl"]).parameters if p.kind == "beacon"]
    assert "beacon_buoy_position" in names
    document["beacons"][0]["position"] = [0.8, -0.3, 0.2]
    agrees(plan, "wgsl", turned={"beacon_buoy_position": (0.8, -0.3, 0.2)}, meant=build(read(document)))
