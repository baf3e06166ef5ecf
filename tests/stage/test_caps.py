"""The cap of a cut-away body, against planes and waves in closed form."""

import numpy as np
import pytest

from tests.documents import bead, data, strand
from whorl.effect import camera as cameras
from whorl.effect import read
from whorl.plan.build import build
from whorl.plan.run.evaluate import Evaluation
from whorl.shapes import SHAPES
from whorl.stage.frame import frame
from whorl.stage.raster import Seen

SIZE = 96
PLACE = "Vec3(x.x * 0.25 + 0.5, x.y * 0.25 + 0.5, x.z * 0.25 + 0.5)"


def formula(text, gives="value"):
    return bead("formula", settings={"formula": text, "gives": gives})


def cut(level, shape="ball", size=1.0, pitch=30, **surface):
    """A body cut away over a level, its cap in the colours of its places, ."""
    where = strand("where", bead("object"), formula(PLACE, "colour"))
    channels = {"opacity": [{"strand": "level"}]}
    surface = {"composite": "cut away", "capped": True, "cap": {"strand": "where"}, "channels": channels, **surface}
    stage = {"shape": shape, "size": size, "camera": {"yaw": 20, "pitch": pitch}, "bloom": {"strength": 0}}
    stage["backdrop"] = {"kind": "plain", "colour": [0, 0, 0]}
    return read(data(strand("level", bead("object"), formula(level)), where, surface=surface, stage=stage))


def shown(effect):
    """At the fragments of the near side: what is drawn of it (4, n), where the eye looks, the cap's normals, and where
    the cap alone is seen."""
    plan, view = build(effect), cameras.numbers(effect.stage, SIZE, SIZE)
    mesh = effect.stage.mesh_of()
    seen = Seen.through(
        mesh.grown(effect.stage.size),
        cameras.view_projection(effect.stage.camera, SIZE, SIZE),
        np.array(view["eye"]),
        rest=mesh,
    )
    found, behind = seen.fragments(SIZE, SIZE, True), seen.behind(SIZE, SIZE)
    points = found.points | {"at_back": [np.where(found.pixels < 0, 0, row[found.pixels]) for row in behind]}
    by_name = {n.function.tree.name: n for n in plan.nodes if n.function and n.place == "surface/cap"}

    def of(node):
        return np.stack(Evaluation(plan, node)(points, 0.0, camera=view | {"side": (1.0,)}))

    whole, body = of(by_name["capped"]), of(by_name["capped"].args[0].node)
    only = (body[3] < 1e-3) & (whole[3] > 0.999)
    eye, world = np.array(view["eye"]), np.stack(points["at_world"], axis=1)
    return whole[:3, only].T, eye, (world - eye)[only], of(by_name["cap_normal"]).T[only]


def scene(effect):
    return frame(build(effect), 0.0, SIZE, SIZE)[..., :3]


def bare(effect):
    """The same without its cap."""
    return effect.model_copy(update={"surface": effect.surface.model_copy(update={"capped": False})})


@pytest.mark.parametrize("size", [1.0, 0.8])
def test_the_cap_of_a_plane_lies_where_the_eye_meets_it_within_the_ball(size):
    height = 0.15
    colours, eye, ways, normals = shown(cut(f"0.5 + ({height} - x.y) * 0.4", size=size))
    assert len(colours) > 500
    met = (eye + ways * ((height * size - eye[1]) / ways[:, 1])[:, None]) / size
    # All of it lies in the disc that the plane cuts out of the ball, to its rim but for a pixel.
    radius = np.linalg.norm(met[:, [0, 2]], axis=1)
    assert np.sqrt(1 - height**2) - 0.06 < radius.max() < np.sqrt(1 - height**2) + 0.06
    assert np.abs((colours - 0.5) * 4 - met).max() < 4e-3
    assert normals == pytest.approx(np.tile([0.0, 1.0, 0.0], (len(normals), 1)), abs=1e-3)


def test_the_cap_of_waves_lies_on_them_and_faces_their_way():
    a, k, j = 0.04, 5.0, 4.0
    effect = cut(f"0.5 + ({a} * sin(x.x * {k}) * cos(x.z * {j}) - x.y) * 0.4", pitch=40)
    colours, _, _, normals = shown(effect)
    x, y, z = ((colours - 0.5) * 4).T
    assert len(x) > 800
    assert np.abs(y - a * np.sin(k * x) * np.cos(j * z)).max() < 4e-3
    slope = np.stack(
        [-a * k * np.cos(k * x) * np.cos(j * z), np.ones_like(x), a * j * np.sin(k * x) * np.sin(j * z)], 1
    )
    slope /= np.linalg.norm(slope, axis=1, keepdims=True)
    off = np.degrees(np.arccos(np.clip((slope * normals).sum(axis=1), -1, 1)))
    assert off.max() < 2.0


@pytest.mark.parametrize("shape", ["ball", "cylinder"])
def test_from_below_a_body_looks_as_it_did(shape):
    effect = cut("0.5 - x.y * 0.4", shape=shape, pitch=-35)
    # But for the edge, where a pixel is half gone.
    assert (np.abs(scene(effect) - scene(bare(effect))).max(axis=-1) > 0.01).mean() < 0.02


@pytest.mark.parametrize("shape", ["dome", "plane"])
def test_what_has_no_inside_has_no_cap(shape):
    assert not SHAPES[shape].closed
    effect = cut("0.5 - x.y * 0.4", shape=shape)
    assert np.array_equal(scene(effect), scene(bare(effect)))


def test_an_opacity_that_is_the_same_all_the_way_through_has_no_cap():
    given = cut("0.5").model_dump(mode="json")
    given["strands"][0]["beads"] = [bead("uv"), bead("linear", direction=[0, 1, 0])]
    effect = read(given)
    assert np.array_equal(scene(effect), scene(bare(effect)))


def test_a_lit_cap_is_lit_and_glows():
    dark, red = (
        scene(cut("0.5 - x.y * 0.4", lighting="lit", cap=[0.5, 0.5, 0.5], pitch=45, cap_glow=glow))
        for glow in ([0, 0, 0], [0.2, 0, 0])
    )
    middle = (slice(44, 52), slice(40, 56))
    assert dark[middle].min() > 0.1
    # Tone mapping takes from the others what it adds to one.
    assert (red - dark)[middle][..., 0].min() > 0.02 and (red - dark)[middle][..., 1:].max() < 0.0
