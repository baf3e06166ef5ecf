"""Scenes, read by those that nobody here wrote: the glTF validator and trimesh, MaterialX, OpenUSD."""

import io
import json
import struct
import subprocess
from pathlib import Path

import MaterialX as mx  # noqa: N813 - as its own documentation has it
import numpy as np
import pytest
import trimesh
from hypothesis import HealthCheck, given, settings
from MaterialX.PyMaterialXGenGlsl import GlslShaderGenerator
from MaterialX.PyMaterialXGenOsl import OslShaderGenerator
from PIL import Image
from pxr import Sdr, Usd, UsdGeom, UsdUtils, UsdValidation
from typer.testing import CliRunner

from tests.bake.scene_gl import drawn, generated, library
from tests.documents import bead, data, effect, mist, strand
from tests.plan.test_random_documents import documents, surfaces
from whorl import demo
from whorl.bake.scene import FORMATS, SceneOptions
from whorl.bake.scene.baked import Baked
from whorl.bake.scene.mtlx import Material, material_of
from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import COLOUR, COORDS, VALUE
from whorl.cli import app
from whorl.effect import BadEffect, read
from whorl.images import srgb
from whorl.plan.graph import FromNode, Literals
from whorl.plan.run.evaluate import Evaluation
from whorl.plan.run.samples import spread
from whorl.refused import Refused
from whorl.shapes import SHAPES
from whorl.shapes.mesh import overlapping, side_by_side

SMALL = SceneOptions(size=32, frames=4)
VALIDATOR = """
const validator = require("gltf-validator");
const fs = require("fs");
(async () => {
  const out = {};
  for (const file of process.argv.slice(1)) {
    const told = await validator.validateBytes(new Uint8Array(fs.readFileSync(file)));
    out[file] = told.issues;
  }
  console.log(JSON.stringify(out));
})();
"""


def validated(*paths):
    """What the Khronos validator finds in each file."""
    web = Path(__file__).parents[2] / "web"
    done = subprocess.run(
        ["node", "-e", VALIDATOR, *map(str, paths)], cwd=web, capture_output=True, text=True, check=True
    )
    return json.loads(done.stdout)


def opened(path):
    """The JSON of a GLB and a way to its bytes."""
    raw = path.read_bytes()
    size = struct.unpack_from("<I", raw, 12)[0]
    return json.loads(raw[20 : 20 + size]), raw[28 + size :]


def floats(gltf, binary, accessor):
    one = gltf["accessors"][accessor]
    view = gltf["bufferViews"][one["bufferView"]]
    width = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}[one["type"]]
    return np.frombuffer(binary, np.float32, one["count"] * width, view["byteOffset"]).reshape(-1, width)


def texture(gltf, binary, info):
    """The pixels of a texture."""
    image = gltf["images"][gltf["textures"][info["index"]]["source"]]
    view = gltf["bufferViews"][image["bufferView"]]
    start = view["byteOffset"]
    return np.array(Image.open(io.BytesIO(binary[start : start + view["byteLength"]])))


def glb(document, tmp_path, options=SMALL):
    path = FORMATS["glb"].write(document, tmp_path, options)[0]
    return path, *opened(path)


# --- glTF --------------------------------------------------------------------------------


def test_the_validator_finds_nothing_in_any_demo_effect(tmp_path):
    paths = [FORMATS["glb"].write(demo.demo(slug), tmp_path, SMALL)[0] for slug in demo.slugs()]
    found = validated(*paths)
    for path, issues in found.items():
        assert issues["numErrors"] == issues["numWarnings"] == 0, (path, issues["messages"][:4])


def test_the_validator_finds_what_is_wrong(tmp_path):
    """It is asked at all: a normal that is no unit vector is told."""
    path, gltf, _ = glb(demo.demo("fog-gate"), tmp_path)
    raw = bytearray(path.read_bytes())
    normals = gltf["meshes"][0]["primitives"][0]["attributes"]["NORMAL"]
    at = gltf["bufferViews"][gltf["accessors"][normals]["bufferView"]]["byteOffset"]
    start = 28 + struct.unpack_from("<I", raw, 12)[0] + at
    struct.pack_into("<f", raw, start, 7.0)
    path.write_bytes(raw)
    assert validated(path)[str(path)]["numErrors"] > 0


@settings(max_examples=5, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(documents() | surfaces())
def test_any_document_gives_scenes_that_validate(tmp_path, document):
    try:
        made = read(document)
        path = FORMATS["glb"].write(made, tmp_path, SceneOptions(size=16, frames=2))[0]
    except (BadEffect, Refused):
        return
    issues = validated(path)[str(path)]
    assert issues["numErrors"] == issues["numWarnings"] == 0, issues["messages"][:4]
    doc = material_of(made, tmp_path, SceneOptions(size=16, frames=2)).doc
    doc.setDataLibrary(library())
    assert doc.validate() == (True, "")


@pytest.mark.parametrize("slug", ["soap-lantern", "amber-prow", "moth-crate"])
def test_the_shape_is_read_back_as_it_is(slug, tmp_path):
    made = demo.demo(slug)
    path, *_ = glb(made, tmp_path)
    scene = trimesh.load(path, process=False)
    got = next(iter(scene.geometry.values()))
    meant = Baked(made, SMALL)
    np.testing.assert_allclose(got.vertices, meant.mesh.positions, atol=1e-6)
    np.testing.assert_array_equal(got.faces, meant.mesh.triangles)
    np.testing.assert_allclose(got.visual.uv, meant.uvs, atol=1e-6)


def test_frames_lie_where_the_animation_says(tmp_path):
    """What the viewer shows at each time is the frame of that time."""
    made = demo.demo("fog-gate")
    _, gltf, binary = glb(made, tmp_path, SceneOptions(size=32, frames=5))
    info = gltf["materials"][0]["emissiveTexture"]
    strength = gltf["materials"][0]["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"]
    pixels = texture(gltf, binary, info)
    animation = gltf["animations"][0]
    pointers = [c["target"]["extensions"]["KHR_animation_pointer"]["pointer"] for c in animation["channels"]]
    at = pointers.index("/materials/0/emissiveTexture/extensions/KHR_texture_transform/offset")
    sampler = animation["samplers"][animation["channels"][at]["sampler"]]
    times, offsets = floats(gltf, binary, sampler["input"])[:, 0], floats(gltf, binary, sampler["output"])
    assert sampler["interpolation"] == "STEP" and times[-1] == pytest.approx(made.turn.seconds)
    scale = info["extensions"]["KHR_texture_transform"]["scale"]
    over = Baked(made, SceneOptions(size=32, frames=1)).over
    u = (np.arange(32) + 0.5) / 32
    for time, (x, y) in zip(times[:-1], offsets[:-1], strict=True):
        columns = ((u * scale[0] + x) * pixels.shape[1]).astype(int)
        rows = ((u * scale[1] + y) * pixels.shape[0]).astype(int)
        shown = srgb.decoded(pixels[np.ix_(rows, columns)] / 255) * strength
        meant = over.values("emission", float(time) / made.turn.seconds)
        # Half a pixel of each edge is out of view.
        assert np.abs(shown - meant)[2:-2, 2:-2].mean() < 0.05


def test_a_scroll_glides(tmp_path):
    moved = strand(
        "mist",
        bead("uv"),
        bead("tile", count=[4, 4, 1]),
        bead("scroll", offset={"motion": "drift", "cycles": [2.0, -1.0]}, span=4.0),
        bead("noise", settings={"octaves": 2}),
    )
    made = effect(moved, surface={"channels": {"emission": [{"strand": "mist"}]}})
    assert Baked(made, SMALL).scroll == pytest.approx((-2.0, 1.0), abs=2e-3)
    path, gltf, binary = glb(made, tmp_path)
    sampler = gltf["animations"][0]["samplers"][0]
    assert sampler["interpolation"] == "LINEAR"
    # The place that is looked up moves the other way from what is seen; v runs downwards there.
    assert floats(gltf, binary, sampler["output"])[1] == pytest.approx([-2.0, -1.0], abs=2e-3)
    assert texture(gltf, binary, gltf["materials"][0]["pbrMetallicRoughness"]["baseColorTexture"]).shape[:2] == (32, 32)
    assert validated(path)[str(path)]["numWarnings"] == 0
    churned = strand("mist", *moved["beads"][:3], bead("noise", settings={"octaves": 2, "churns": True}, churn=DRIFT))
    still = effect(churned, surface={"channels": {"emission": [{"strand": "mist"}]}})
    assert Baked(still, SMALL).scroll is None


DRIFT = {"motion": "drift", "cycles": 1.0}


def test_displacement_bends_the_shape_over_the_turn(tmp_path):
    made = demo.demo("breathing-sail")
    _, gltf, binary = glb(made, tmp_path)
    primitive = gltf["meshes"][0]["primitives"][0]
    base = floats(gltf, binary, primitive["attributes"]["POSITION"])
    meant = Baked(made, SMALL)
    for n, target in enumerate(primitive["targets"]):
        there = base + floats(gltf, binary, target["POSITION"])
        np.testing.assert_allclose(there, meant.mesh_at((n + 1) / 4).positions, atol=1e-5)
    weights = floats(gltf, binary, gltf["animations"][0]["samplers"][-1]["output"]).reshape(5, 3)
    np.testing.assert_array_equal(weights, [[0, 0, 0], [1, 0, 0], [0, 1, 0], [0, 0, 1], [0, 0, 0]])


def test_a_surface_gets_the_extensions_that_it_calls_for(tmp_path):
    def used(document):
        return set(glb(document, tmp_path)[1].get("extensionsUsed", []))

    flat = {"channels": {"base": [{"strand": "mist"}]}}
    assert "KHR_materials_unlit" in used(effect(mist(), surface=flat))
    assert "KHR_materials_emissive_strength" in used(demo.demo("fog-gate"))
    assert {"KHR_materials_transmission", "KHR_materials_volume", "KHR_materials_ior"} <= used(demo.demo("amber-prow"))
    assert "KHR_materials_iridescence" in used(demo.demo("soap-lantern"))
    material = glb(demo.demo("moth-crate"), tmp_path)[1]["materials"][0]
    assert material["alphaMode"] == "MASK"


def test_a_map_put_back_on_its_shape_has_its_tangents_the_right_way(tmp_path):
    """A dome whose normals lean along u is lit from the side to which u rises, as glTF's tangent frame says."""
    made = demo.demo("verdigris-hull")
    _, gltf, binary = glb(made, tmp_path)
    attributes = gltf["meshes"][0]["primitives"][0]["attributes"]
    normal, tangent, uv = (floats(gltf, binary, attributes[n]) for n in ("NORMAL", "TANGENT", "TEXCOORD_0"))
    corners = floats(gltf, binary, attributes["POSITION"])
    assert np.abs((normal * tangent[:, :3]).sum(1)).max() < 1e-4
    assert np.abs(np.linalg.norm(tangent[:, :3], axis=1) - 1).max() < 1e-4
    mesh = Baked(made, SMALL).mesh
    a, b, c = (corners[mesh.triangles[:, k]] for k in range(3))
    d1, d2 = uv[mesh.triangles[:, 1]] - uv[mesh.triangles[:, 0]], uv[mesh.triangles[:, 2]] - uv[mesh.triangles[:, 0]]
    area = d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]
    sure = np.abs(area) > 1e-6
    along = (d2[:, 1:] * (b - a) - d1[:, 1:] * (c - a))[sure] / area[sure, None]
    across = (d1[:, :1] * (c - a) - d2[:, :1] * (b - a))[sure] / area[sure, None]
    t = tangent[mesh.triangles[sure, 0]]
    assert ((t[:, :3] * along).sum(1) > 0).mean() > 0.98
    # Green of a glTF normal map leans towards smaller v of its own UV.
    bitangent = np.cross(normal[mesh.triangles[sure, 0]], t[:, :3]) * t[:, 3:]
    assert ((bitangent * -across).sum(1) > 0).mean() > 0.98


def test_pieces_of_a_shape_that_share_uv_lie_beside_one_another():
    shared = [name for name in SHAPES if name != "mesh" and overlapping(read(stage_of(name)).stage.mesh_of())]
    assert "box" in shared and "ball" not in shared
    for name in shared:
        mesh = read(stage_of(name)).stage.mesh_of()
        uvs = side_by_side(mesh, 0.04)
        assert uvs.min() >= 0 and uvs.max() <= 1
        corners = uvs.astype(float)[mesh.triangles]
        a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
        assert np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum() / 2 <= 1.0


def stage_of(shape):
    return data(mist(), stage={"shape": shape}, surface={"channels": {"emission": [{"strand": "mist"}]}})


# --- MaterialX ---------------------------------------------------------------------------


@pytest.mark.parametrize("slug", demo.slugs())
def test_materialx_takes_every_demo_effect_and_makes_code_of_it(slug, tmp_path):
    paths = FORMATS["mtlx"].write(demo.demo(slug), tmp_path, SMALL)
    doc = mx.createDocument()
    mx.readFromXmlFile(doc, str(paths[0]))
    doc.setDataLibrary(library())
    assert doc.validate() == (True, "")
    for node in (n for graph in doc.getNodeGraphs() for n in graph.getNodes("image")):
        path = node.getInputValue("file")
        assert not path or (tmp_path / path).exists()
    material = doc.getMaterialNodes()[0]
    for generator in (GlslShaderGenerator, OslShaderGenerator):
        assert "pixel" in str(generated(doc, material, generator.create()).getStage("pixel").getName())


def points_of(made, eye):
    points, _ = spread(made.stage, 4096)
    way = np.asarray(eye) - np.stack(points["at_world"], 1)
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    return {**points, "at_view": [np.ascontiguousarray(way[:, i], np.float32) for i in range(3)]}


EYE, PHASE = (0.4, 0.7, 5.0), 0.25


def agreement(material: Material, output, node, points, folder=None):
    """The share of points where a graph and the core differ by less than 4 in 255, and the mean difference."""
    time = (PHASE + 1e-5) * material.effect.turn.seconds
    wanted = np.stack(Evaluation(material.plan, node)(points, PHASE, 2, apart=True), 1)
    got = drawn(material.doc, output, points, time, EYE, folder)[:, : wanted.shape[1]]
    off = np.abs(np.clip(got, -4, 4) - np.clip(wanted, -4, 4))
    return (off <= 4 / 255).all(axis=1).mean(), off.mean(), np.ptp(wanted)


#: What beads that take a signal are put behind.
BEFORE = {
    COORDS: [bead("uv", "c"), bead("tile", "ct", count=[3, 2, 1])],
    VALUE: [bead("uv", "c"), bead("tile", "ct", count=[3, 2, 1]), bead("waves", "v")],
    COLOUR: [bead("uv", "c"), bead("waves", "v"), bead("ramp", "r")],
}
#: Beads whose functions reckon with bits, or that are about what only Whorl knows of a point: they become maps.
MAPPED = {
    *("noise", "noise-three", "cells", "dots", "random", "warp"),
    *("screen", "parallax", "seen-below", "camera-distance", "hits", "thickness"),
    *("contact", "depth-behind", "behind", "light", "vertex-colour", "second-uv"),
}


def chain(kind):
    """A strand that ends in a bead, with what it takes before it; None where it takes a direction."""
    spec = CATALOGUE[kind]
    if spec.is_source:
        return [bead(kind, "x")]
    for signal, before in BEFORE.items():
        if signal in spec.takes:
            return [*before, bead(kind, "x")]
    return None


KINDS = [kind for kind in CATALOGUE if chain(kind)]


@pytest.mark.parametrize("kind", KINDS)
def test_a_bead_that_is_carried_gives_the_same_there(kind):
    beads = chain(kind)
    top = strand("top", bead("uv"), bead("radial"))
    params = {p.name: {"strand": "top"} for p in CATALOGUE[kind].inputs if p.name in ("top", "from")}
    beads[-1] = bead(kind, "x", **params)
    if CATALOGUE[kind].result({s.name: s.default for s in CATALOGUE[kind].settings}, [VALUE]) is COORDS:
        beads.append(bead("radial", "end", centre=[1.2, 0.8, 0.0], radius=1.5))
    try:
        made = read(data(top, strand("s", *beads), stage={"shape": "ball"}, surface=OF_S))
        material = material_of(made, None, SceneOptions(size=16, frames=1))
    except BadEffect:
        pytest.skip("it needs more than it has here")
    given = material.plan.outputs["emission"]
    if not isinstance(given, FromNode) or material.mapped:
        assert kind in MAPPED, material.mapped
        return
    assert kind not in MAPPED
    points = points_of(made, EYE)
    output = material.graph.graph.getOutput("emission_color")
    share, mean, _ = agreement(material, output, given.node, points)
    assert share >= 0.995 and mean < 1 / 255, (share, mean)


OF_S = {"channels": {"emission": [{"strand": "s"}]}}


@pytest.mark.parametrize("slug", ["soap-lantern", "tide-gauge", "bilge-sheen", "signal-lamp", "breathing-sail"])
def test_graphs_with_maps_give_what_the_core_gives(slug, tmp_path):
    made = demo.demo(slug)
    material = material_of(made, tmp_path, SceneOptions(size=512, frames=4))
    points = points_of(made, EYE)
    names = {"emission_color": "emission", "displacement": "displacement", "geometry_opacity": "opacity"}
    seen = 0
    for output in material.graph.graph.getOutputs():
        name = names.get(output.getName())
        given = material.plan.outputs[name] if name else None
        if not isinstance(given, FromNode) or (name == "emission" and isinstance(made, Literals)):
            continue
        if name == "displacement":
            continue
        share, mean, reach = agreement(material, output, given.node, points, tmp_path)
        assert share >= 0.98 and mean < 1 / 255, (name, share, mean)
        assert reach > 0
        seen += 1
    film = material.graph.graph.getOutput("thin_film_thickness")
    if film is not None:
        got = drawn(material.doc, film, points, (PHASE + 1e-5) * made.turn.seconds, EYE, tmp_path)[:, 0] * 1000
        node = material.plan.outputs["film"].node
        wanted = Evaluation(material.plan, node)(points, PHASE, 2, apart=True)[0]
        assert np.abs(got - wanted).mean() < 2.0 and np.ptp(wanted) > 50
        seen += 1
    assert seen or slug == "breathing-sail"


def test_levers_are_inputs_of_the_graph_and_act():
    ring = strand("ring", bead("uv"), bead("radial", radius={"lever": "reach", "low": 0.2, "high": 0.8}))
    lever = {"id": "reach", "name": "Reach", "kind": "number", "value": 0.25, "note": "how far"}
    made = effect(ring, levers=[lever], surface={"channels": {"emission": [{"strand": "ring"}]}})
    material = material_of(made, None, SMALL)
    given = material.graph.graph.getInput("reach")
    assert given.getValue() == 0.25 and given.getAttribute("uiname") == "Reach"
    turned = made.model_copy(update={"levers": (made.levers[0].model_copy(update={"value": 0.9}),)})
    given.setValue(0.9, "float")
    points = points_of(made, EYE)
    other = material_of(turned, None, SMALL)
    output = material.graph.graph.getOutput("emission_color")
    # The document of the one is drawn against the core of the other.
    got = drawn(material.doc, output, points, 0.0, EYE)[:, 0]
    wanted = Evaluation(other.plan, other.plan.outputs["emission"].node)(points, 0.0, 2, apart=True)[0]
    np.testing.assert_allclose(got, wanted, atol=2e-3)


def test_a_motion_of_keys_is_carried_as_straight_pieces():
    keys = {"motion": "keys", "keys": [{"phase": 0.0, "value": 0.2}, {"phase": 0.4, "value": 0.9, "ease": "eased"}]}
    ring = strand("ring", bead("uv"), bead("radial", radius=keys))
    made = effect(ring, surface={"channels": {"emission": [{"strand": "ring"}]}})
    material = material_of(made, None, SMALL)
    assert not material.mapped
    points = points_of(made, EYE)
    output, node = material.graph.graph.getOutput("emission_color"), material.plan.outputs["emission"].node
    for phase in (0.1, 0.3, 0.55, 0.9):
        got = drawn(material.doc, output, points, phase * made.turn.seconds, EYE)[:, 0]
        wanted = Evaluation(material.plan, node)(points, phase, 2, apart=True)[0]
        assert np.abs(got - wanted).max() < 0.02


# --- USD ---------------------------------------------------------------------------------

#: The package comes without its own definitions of shaders, so these rules know none: inputs are looked at below.
UNKNOWN = ("invalid shader node", "not found in sdrRegistry")
#: Inputs that have types of their own (UsdPreviewSurface Specification 2.6).
INPUTS = {
    "UsdPreviewSurface": {
        **dict.fromkeys(("diffuseColor", "emissiveColor", "specularColor"), "color3f"),
        **dict.fromkeys(("roughness", "metallic", "opacity", "opacityThreshold", "occlusion", "ior"), "float"),
        "useSpecularWorkflow": "int",
        "normal": "normal3f",
    },
    "UsdUVTexture": {
        "file": "asset",
        **dict.fromkeys(("wrapS", "wrapT", "sourceColorSpace"), "token"),
        **dict.fromkeys(("scale", "bias"), "float4"),
        "st": "float2",
    },
    "UsdTransform2d": {"in": "float2", "scale": "float2", "translation": "float2"},
    "UsdPrimvarReader_float2": {"varname": "string"},
}


@pytest.fixture(scope="module", autouse=True)
def registry():
    """What the registry says of definitions that are missing, it says once."""
    try:
        Sdr.Registry().GetShaderNodeByIdentifier("any")
    except Exception as e:
        assert "shaderDefs" in str(e)


@pytest.mark.parametrize("slug", demo.slugs())
def test_usd_finds_nothing_in_any_demo_effect(slug, tmp_path):
    path = FORMATS["usd"].write(demo.demo(slug), tmp_path, SMALL)[0]
    checker = UsdUtils.ComplianceChecker(
        arkit=False, skipARKitRootLayerCheck=False, rootPackageOnly=False, skipVariants=False, verbose=False
    )
    checker.CheckCompliance(str(path))
    found = [*checker.GetErrors(), *checker.GetFailedChecks(), *checker.GetWarnings()]
    stage = Usd.Stage.Open(str(path))
    context = UsdValidation.ValidationContext(UsdValidation.ValidationRegistry().GetOrLoadAllValidators())
    found += [e.GetMessage() for e in context.Validate(stage)]
    assert [f for f in found if not any(u in f for u in UNKNOWN)] == []
    for prim in stage.Traverse():
        if prim.GetTypeName() == "Shader":
            known = INPUTS[prim.GetAttribute("info:id").Get()]
            for a in prim.GetAttributes():
                if a.GetName().startswith("inputs:"):
                    assert str(a.GetTypeName()) == known[a.GetName()[7:]]
                if str(a.GetTypeName()) == "asset":
                    assert (tmp_path / a.Get().path).exists()


def test_a_shape_in_usd_is_the_shape_and_moves_as_it_does(tmp_path):
    made = demo.demo("breathing-sail")
    path = FORMATS["usd"].write(made, tmp_path, SMALL)[0]
    stage = Usd.Stage.Open(str(path))
    mesh = UsdGeom.Mesh(next(p for p in stage.Traverse() if p.GetTypeName() == "Mesh"))
    meant = Baked(made, SMALL)
    for phase in (0.0, 0.25, 0.75):
        points = np.asarray(mesh.GetPointsAttr().Get(phase * made.turn.steps))
        np.testing.assert_allclose(points, meant.mesh_at(phase).positions, atol=1e-5)
    assert stage.GetTimeCodesPerSecond() == made.turn.fps and UsdGeom.GetStageUpAxis(stage) == "Y"


# --- the command -------------------------------------------------------------------------


def test_the_command_says_what_is_wrong(tmp_path):
    run = CliRunner().invoke
    done = run(app, ["scene", "fog-gate", "--format", "obj", "-o", str(tmp_path)])
    assert done.exit_code == 2 and "glb, mtlx, usd" in done.output
    done = run(app, ["scene", "fog-gate", "--format", "glb", "--size", "64", "--frames", "2", "-o", str(tmp_path)])
    assert done.exit_code == 0, done.output
    assert (tmp_path / "fog-gate.glb").exists()
    told = (tmp_path / "fog-gate-glb.md").read_text()
    assert "| levers | lost | they stand as they do |" in told
