"""Meshes of several parts, some of which wear the effect; and the colours that files give their vertices."""

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.documents import bead, data, strand
from tests.images.meshes import COLOURS, glb, obj, pieces, second_uv
from whorl.effect import camera as cameras
from whorl.effect import read
from whorl.images import library
from whorl.images.solid import MOST_PARTS, BadSolid, read_solid
from whorl.plan.build import build
from whorl.plan.run.evaluate import Evaluation
from whorl.plan.run.samples import spread
from whorl.shapes.brought import fitted
from whorl.stage.frame import frame
from whorl.stage.moved import moved

FACES = {name: len(mesh.faces) for name, mesh in pieces().items()}
SIZE = 96


def area(mesh):
    c = mesh.positions.astype(float)[mesh.triangles]
    return np.linalg.norm(np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0]), axis=1) / 2


@pytest.mark.parametrize("file", [obj("usemtl"), obj("g"), obj("o"), glb()], ids=["material", "group", "object", "glb"])
def test_parts_are_known_by_material_group_or_object(file):
    solid = read_solid(file)
    assert solid.parts == ("cloak", "eyes")
    counts = {name: int((solid.part == k).sum()) for k, name in enumerate(solid.parts)}
    assert counts == FACES
    # The eyes lie before the cloak.
    ahead = solid.positions[solid.triangles[solid.part == solid.parts.index("eyes")]][..., 2]
    assert ahead.min() > 0.8


def test_a_mesh_of_one_part_has_no_more_to_choose():
    for data_ in (trimesh.creation.box().export(file_type="stl"), b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"):
        solid = read_solid(data_)
        assert solid.parts == ("whole",) and not solid.part.any() and solid.colours is None


def test_colours_are_linear_in_gltf_and_decoded_in_ply():
    solid = read_solid(glb())
    for k, name in enumerate(solid.parts):
        own = solid.colours[solid.triangles[solid.part == k]].reshape(-1, 3)
        assert own == pytest.approx(np.tile(np.array(COLOURS[name]) / 255, (len(own), 1)), abs=1e-6)
    ball = trimesh.creation.icosphere(1)
    ball.visual.vertex_colors = [188, 64, 255, 255]
    plain = read_solid(ball.export(file_type="ply")).colours
    # IEC 61966-2-1: 188 of 255 is half the light.
    assert plain[0] == pytest.approx([0.5029, 0.0513, 1.0], abs=2e-4)


@pytest.mark.parametrize("whole", [False, True], ids=["floats", "16 bits"])
def test_a_second_set_of_uv_is_read_and_goes_where_its_vertices_go(whole):
    solid = read_solid(glb(second=True, whole=whole))
    own = solid.part == solid.parts.index("cloak")
    cloak, eyes = (np.unique(solid.triangles[side]) for side in (own, ~own))
    assert solid.second_uvs[cloak] == pytest.approx(second_uv(solid.positions[cloak]), abs=1e-4)
    # What has no second one lends the first, of which this file has none.
    assert not solid.second_uvs[eyes].any()
    assert read_solid(glb()).second_uvs is None
    # Through corners that stand by themselves, in another order, faceted: always those of its place.
    made = fitted(solid, "y", ("eyes",))
    for mesh in (made, made.gathered(), made.faceted(), made.smooth()):
        by = np.ptp(solid.positions, axis=0).max() / 2
        middle = (solid.positions.max(axis=0) + solid.positions.min(axis=0)) / 2
        worn = mesh.painted[:, 3] > 0.5
        assert mesh.second_uvs[worn] == pytest.approx(second_uv(mesh.positions * by + middle)[worn], abs=2e-4)
        assert mesh.told["second_uv"].shape == (len(mesh.positions), 3)


@pytest.mark.parametrize("file", [glb(second=True)[:200], glb(second=True).replace(b"TEXCOORD_1", b"TEXCOORD_\xff")])
def test_a_broken_second_set_is_refused_in_words(file):
    with pytest.raises(BadSolid, match="not a mesh that is read"):
        read_solid(file)


@pytest.mark.parametrize("after", [(), (bead("bump", strength=0.4),)], ids=["value", "bump"])
def test_a_pattern_on_the_second_uv_lies_and_bends_as_on_the_place_it_tells(after):
    """On a square whose second UV is its place, a spiral over the one is that over the other."""
    square = trimesh.Trimesh(*grid_of(24), process=False)
    square.vertex_attributes["_EXCOORD_1"] = (square.vertices[:, :2] * [1, -1] + [0, 1]).astype(np.float32)
    file = square.export(file_type="glb").replace(b'"_EXCOORD_1"', b'"TEXCOORD_1"')
    digest, _ = library.add_solid(file)
    stage = {"shape": "mesh", "mesh": {"name": "square.glb", "hash": digest}, "bloom": {"strength": 0}}
    over = [strand(name, bead(name), bead("spiral"), *after) for name in ("second-uv", "object")]
    plan = build(read(data(*over, stage=stage)))
    points = spread(plan.effect.stage, 1024)[0]
    last = after[0]["kind"] if after else "spiral"
    second, place = (
        np.stack(Evaluation(plan, plan.beads[f"{name}/{last}"])(points, 0.0)) for name in ("second-uv", "object")
    )
    assert second == pytest.approx(place, abs=2e-3) and np.ptp(place[0]) > 0.2


def grid_of(count):
    """Vertices and triangles of a square from -1 to 1."""
    x, y = np.meshgrid(*[np.linspace(-1, 1, count + 1)] * 2)
    i, j = np.meshgrid(np.arange(count), np.arange(count))
    a = (j * (count + 1) + i).ravel()
    faces = np.concatenate([np.stack([a, a + 1, a + count + 2], 1), np.stack([a, a + count + 2, a + count + 1], 1)])
    return np.stack([x.ravel(), y.ravel(), np.zeros(x.size)], axis=1), faces


def test_what_is_hidden_is_left_out_and_the_rest_stays_where_it_was():
    solid = read_solid(obj())
    whole, bare = fitted(solid, "y"), fitted(solid, "y", (), ("eyes",))
    cloak = area(whole)[: len(bare.triangles)].sum()
    assert area(bare).sum() == pytest.approx(cloak, rel=1e-6) and len(bare.triangles) == FACES["cloak"]
    rows = {tuple(r) for r in np.round(whole.positions, 5).tolist()}
    assert all(tuple(r) in rows for r in np.round(bare.positions, 5).tolist())
    # Nothing of a mesh cannot be shown.
    assert len(fitted(solid, "y", (), ("cloak", "eyes")).triangles) == len(whole.triangles)


def figure(file=None, surface=None, strands=(), eyes="plain", **stage):
    digest, _ = library.add_solid(file or obj())
    mesh = {"name": "figure.obj", "hash": digest, "parts": [{"name": "cloak"}, {"name": "eyes", "wears": eyes}]}
    stage = {"shape": "mesh", "mesh": mesh, "bloom": {"strength": 0}, **stage}
    return read(data(*strands, surface=surface or {"composite": "solid"}, stage=stage))


def plain(colour):
    return strand("plain", bead("constant", settings={"gives": "colour"}, colour=colour))


GLOWS = {"composite": "solid", "channels": {"emission": [{"strand": "plain"}]}}


def test_plain_parts_keep_their_look_whatever_the_effect_is():
    red, green = (
        frame(build(figure(surface=GLOWS, strands=(plain(c),))), 0.0, SIZE, SIZE) for c in ([1, 0, 0], [0, 1, 0])
    )
    off = np.abs(red - green)[..., :3].max(axis=2)
    eye, cloak = (slice(32, 37), slice(30, 34)), (slice(70, 80), slice(40, 56))
    assert off[eye].max() == 0 and off[cloak].min() > 0.5
    # They are lit: another colour for them shows, and nowhere else.
    blue = frame(build(figure(surface=GLOWS, strands=(plain([1, 0, 0]),), plain=[0, 0, 1])), 0.0, SIZE, SIZE)
    assert np.abs(blue - red)[eye].max() > 0.2 and np.abs(blue - red)[cloak].max() == 0
    worn = frame(build(figure(surface=GLOWS, strands=(plain([1, 0, 0]),), eyes="the effect")), 0.0, SIZE, SIZE)
    assert worn[eye].reshape(-1, 4) == pytest.approx(np.tile(worn[74, 48], (20, 1)), abs=1e-5)


@pytest.mark.parametrize("displaced", ["along the normal", "as colours say"])
def test_plain_parts_stay_where_the_effect_moves_the_rest(displaced):
    channels = {"displacement": [{"strand": "plain"}]}
    surface = {"composite": "solid", "displacement": 0.3, "displaced": displaced, "channels": channels}
    e = figure(surface=surface, strands=(plain([1, 1, 1]),))
    plan, rest = build(e), e.stage.mesh_of()
    gone = np.linalg.norm(moved(plan, rest, cameras.numbers(e.stage, 64, 64), 0.0).positions - rest.positions, axis=1)
    worn = rest.painted[:, 3] > 0.5
    assert gone[~worn].max() < 1e-6 and gone[worn].min() > 0.2


def test_an_even_share_counts_what_wears_the_effect_alone():
    ranked = strand("ranked", bead("object"), bead("noise", scale=2.0), bead("even"))
    e = figure(strands=(ranked,), surface={"channels": {"emission": [{"strand": "ranked"}]}}, eyes="plain")
    plan = build(e)
    points, _ = spread(e.stage, 4096)
    # Nothing of the eyes is among the samples.
    assert min(points["at_colour"][3]) == 1.0
    values = Evaluation(plan, plan.beads["ranked/even"])(points, 0.0)[0]
    assert np.mean(values < 0.25) == pytest.approx(0.25, abs=0.02)


def test_vertex_colours_are_a_strand_between_vertices():
    file = b"ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
    file += b"property uchar red\nproperty uchar green\nproperty uchar blue\nelement face 1\n"
    file += b"property list uchar int vertex_indices\nend_header\n"
    file += b"-1 -1 0 255 0 0\n1 -1 0 0 255 0\n0 1 0 0 0 255\n3 0 1 2\n"
    surface = {"composite": "solid", "channels": {"base": [{"strand": "own"}]}}
    digest, _ = library.add_solid(file)
    own = strand("own", bead("vertex-colour"))
    stage = {"shape": "mesh", "mesh": {"name": "three.ply", "hash": digest}, "bloom": {"strength": 0}}
    e = read(data(own, surface=surface, stage=stage))
    plan, points = build(e), spread(e.stage, 1024)[0]
    got = np.stack(Evaluation(plan, plan.beads["own/vertex-colour"])(points, 0.0), axis=1)
    x, y = points["at_object"][0], points["at_object"][1]
    # By barycentric coordinates of the triangle.
    blue = (y + 1) / 2
    green = (x + 1 - blue) / 2
    assert got == pytest.approx(np.stack([1 - green - blue, green, blue], axis=1), abs=2e-5)
    # White on a shape that has none.
    bare = read(data(own, surface=surface, stage={"shape": "ball", "bloom": {"strength": 0}}))
    whole = build(bare)
    assert min(map(np.min, Evaluation(whole, whole.beads["own/vertex-colour"])(spread(bare.stage, 64)[0], 0.0))) == 1


@given(st.lists(st.tuples(st.sampled_from(["o", "g", "usemtl"]), st.text(max_size=12)), max_size=90))
@settings(max_examples=40, deadline=None)
def test_any_names_of_parts_are_read(words):
    lines = [f"v {k % 7} {k % 5} {k % 3}" for k in range(12)]
    for k, (word, name) in enumerate(words):
        lines += [f"{word} {' '.join(name.split())}", f"f {1 + k % 10} {2 + k % 10} {3 + k % 10}"]
    lines += ["f 1 2 3"]
    solid = read_solid("\n".join(lines).encode())
    assert len(solid.parts) <= MOST_PARTS and len(solid.part) == len(solid.triangles)
    assert solid.part.max(initial=0) < len(solid.parts) and all(p.strip() for p in solid.parts)
