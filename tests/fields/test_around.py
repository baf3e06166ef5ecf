"""Patterns laid round a shape from three sides."""

import numpy as np
import pytest

from tests.documents import bead, effect, strand
from whorl.fields import around
from whorl.plan.build import build
from whorl.plan.run.evaluate import Evaluation
from whorl.plan.run.samples import on_mesh, spread
from whorl.shade import Vec3
from whorl.stage import flat

PATTERN = [bead("uv"), bead("tile", count=[3, 2, 1]), bead("waves", count=2.0)]


def laid(*more, shape="ball", pattern=PATTERN, **params):
    return effect(strand("s", *pattern, bead("around", **params), *more), stage={"shape": shape})


def test_shares_are_whole_and_one_counts_alone_where_nothing_is_blended():
    rng = np.random.default_rng(1)
    for n in rng.normal(size=(200, 3)):
        n /= np.linalg.norm(n)
        for blend in (0.0, 0.3, 1.0):
            made = np.array([*around.shares(Vec3(*map(float, n)), blend)])
            assert made.sum() == pytest.approx(1.0, abs=1e-5) and made.min() >= 0
            assert made.argmax() == np.abs(n).argmax()
    assert tuple(around.shares(Vec3(0.1, 0.2, 0.97), 0.1)) == pytest.approx((0, 0, 1))


def test_what_faces_an_axis_has_the_pattern_as_it_is():
    """A plane faces z: there it is the pattern with its UV at x and y times the scale."""
    made = laid(shape="plane", scale=0.5)
    got = flat.field(build(made), build(made).beads["s/around"], 64, 0.0)
    # The plane goes from −1 to 1: half of that is UV from −½ to ½.
    moved = strand("s", PATTERN[0], bead("offset", by=[0.5, 0.5, 0]), *PATTERN[1:])
    plan = build(effect(moved, stage={"shape": "plane"}))
    np.testing.assert_allclose(got, flat.field(plan, plan.beads["s/waves"], 64, 0.0), atol=2e-3)


def test_there_is_no_step_anywhere_on_a_ball():
    """Along great circles over the poles and over the seam of UV, the pattern never jumps."""
    made = laid(scale=0.5, blend=0.5)
    plan = build(made)
    points, normals = spread(made.stage, 40_000)
    values = Evaluation(plan, plan.beads["s/around"])(points, 0.0, 2, apart=True)[0]
    # Each point against those around it.
    rng = np.random.default_rng(2)
    worst = 0.0
    for i in rng.integers(0, len(values), 400):
        off = np.linalg.norm(normals - normals[i], axis=1)
        near = (off > 0) & (off < 0.03)
        worst = max(worst, float((np.abs(values[near] - values[i]) / off[near]).max()))
    # A wave of six a unit rises by 6 π at most; a jump would be a hundred times as steep.
    assert worst < 40


def test_a_pattern_does_not_pinch_where_uv_do():
    """Near a pole of the ball UV turn as quick as one likes; what is laid round it does not."""
    plain = effect(strand("s", *PATTERN), stage={"shape": "ball"})
    for made, bead_, steep in ((plain, "s/waves", True), (laid(scale=0.5), "s/around", False)):
        plan = build(made)
        points, normals = spread(made.stage, 60_000)
        pole = normals[:, 1] > 0.995
        values = Evaluation(plan, plan.beads[bead_])(points, 0.0, 2, apart=True)[0][pole]
        here = normals[pole]
        slope = 0.0
        for i in range(0, len(here), 7):
            off = np.linalg.norm(here - here[i], axis=1)
            near = (off > 0) & (off < 0.02)
            if near.any():
                slope = max(slope, float((np.abs(values[near] - values[i]) / off[near]).max()))
        assert (slope > 60) == steep, (bead_, slope)


def test_a_bump_of_it_is_the_gradient_of_its_height():
    """Normals bent by what is laid round a ball are those of the height's differences over the surface."""
    made = laid(bead("bump", strength=0.1, distance=0.01), scale=0.5, blend=0.5)
    plan = build(made)
    mesh = made.stage.mesh_of()
    rng = np.random.default_rng(5)
    triangle = rng.integers(0, len(mesh.triangles), 400)
    points = on_mesh(mesh, triangle, np.full((400, 3), 1 / 3), 1.0)
    got = np.stack(Evaluation(plan, plan.beads["s/bump"])(points, 0.0, 2, apart=True), 1)
    height = Evaluation(plan, plan.beads["s/around"])
    normal = np.stack(points["at_normal"], 1).astype(float)
    place = np.stack(points["at_object"], 1).astype(float)
    first = np.cross(normal, np.where(np.abs(normal[:, :1]) < 0.9, [1.0, 0, 0], [0, 1.0, 0]))
    first /= np.linalg.norm(first, axis=1, keepdims=True)
    second = np.cross(normal, first)
    here = height(points, 0.0, 2, apart=True)[0]
    meant = normal.copy()
    for way in (first, second):
        moved = dict(points)
        moved["at_object"] = [np.ascontiguousarray(c, np.float32) for c in (place + way * 0.01).T]
        meant -= way * (0.1 * (height(moved, 0.0, 2, apart=True)[0] - here) / 0.01)[:, None]
    meant /= np.linalg.norm(meant, axis=1, keepdims=True)
    # Differences are taken along other ways there, of the same length.
    assert np.median(np.linalg.norm(got - meant, axis=1)) < 0.06
    assert (np.linalg.norm(got - normal, axis=1) > 0.02).mean() > 0.5
