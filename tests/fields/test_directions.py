"""Bent normals: heights with a known slope, and the laws of laying one normal over another."""

import numpy as np
import pytest

from tests.documents import bead, effect, strand
from tests.images.pictures import encoded
from whorl.effect.camera import eye, view_projection
from whorl.effect.stage import Camera
from whorl.fields import directions
from whorl.images import library
from whorl.plan.build import build
from whorl.plan.run.evaluate import Evaluation, evaluate
from whorl.plan.run.samples import spread
from whorl.shade import Vec3
from whorl.shapes import shape
from whorl.stage import flat
from whorl.stage.raster import Seen

UP, ALONG = Vec3(0, 0, 1), Vec3(0.5, 0, 0)


def unit(*v):
    return tuple(np.array(v) / np.linalg.norm(v))


def test_a_slope_along_u_bends_the_normal_by_its_gradient():
    chain = [bead("uv"), bead("linear", direction=[1, 0, 0]), bead("bump", strength=0.5, distance=0.01)]
    plan = build(effect(strand("s", *chain)))
    made = flat.field(plan, plan.beads["s/bump"], 16, 0.0)
    # The square is 2 wide, so a rise of 1 across it, half as strong, is a slope of a quarter.
    assert made[8, 8] == pytest.approx(unit(-0.25, 0, 1), abs=2e-4)


def test_a_bump_is_the_gradient_of_its_height_however_that_is_made():
    height = [bead("uv"), bead("radial", radius=0.6, settings={"shape": "smooth"}), bead("sine", count=1.5)]
    plan = build(effect(strand("s", *height, bead("bump", strength=0.2, distance=0.004))))
    size = 256
    h = flat.field(plan, plan.beads["s/sine"], size, 0.0)[..., 0].astype(np.float64)
    rows, columns = np.gradient(h, 2 / size)
    slope = np.stack([-0.2 * columns, 0.2 * rows, np.ones_like(h)], -1)
    expected = slope / np.linalg.norm(slope, axis=-1, keepdims=True)
    made = flat.field(plan, plan.beads["s/bump"], size, 0.0)
    inside = np.s_[4:-4, 4:-4]
    assert np.abs(made - expected)[inside].mean() < 4e-3


def test_a_bump_moves_with_its_pattern():
    drift = {"motion": "drift", "cycles": [1, 0]}
    chain = [bead("uv"), bead("scroll", offset=drift), bead("noise", scale=4), bead("bump")]
    plan = build(effect(strand("s", *chain)))
    at = [flat.field(plan, plan.beads["s/bump"], 32, phase) for phase in (0.0, 0.25)]
    # A quarter of a turn is a quarter of the square: the same picture, eight pixels on.
    assert np.abs(np.roll(at[0], 8, axis=1) - at[1]).max() < 2e-3
    assert np.abs(at[0] - at[1]).max() > 0.05


@pytest.mark.parametrize("source", ["uv", "object", "box"])
def test_a_flat_height_leaves_the_normal_of_any_shape(source):
    camera = Camera(yaw=20, pitch=10)
    seen = Seen.through(shape("ball"), view_projection(camera, 32, 32), eye(camera)).fragments(32, 32, True)
    chain = [bead(source), bead("linear", start=5, span=1), bead("bump", strength=1)]
    plan = build(effect(strand("s", *chain)))
    made = evaluate(plan, plan.beads["s/bump"], seen.points, 0.0)
    assert max(np.abs(a - b).max() for a, b in zip(made, seen.points["at_normal"], strict=True)) < 1e-5


def test_on_a_ball_a_height_along_its_axis_tilts_the_normal_along_the_meridian():
    camera = Camera(yaw=0, pitch=0)
    seen = Seen.through(shape("ball"), view_projection(camera, 64, 64), eye(camera)).fragments(64, 64, True)
    chain = [bead("object"), bead("linear", direction=[0, 1, 0], start=-1, span=2), bead("bump", strength=0.4)]
    plan = build(effect(strand("s", *chain)))
    made = np.stack(evaluate(plan, plan.beads["s/bump"], seen.points, 0.0), -1)
    n = np.stack(seen.points["at_normal"], -1).astype(np.float64)
    # The surface gradient of y/2: what of the axis lies in the surface.
    slope = 0.5 * (np.array([0, 1, 0]) - n * n[:, 1:2])
    expected = n - 0.4 * slope
    expected /= np.linalg.norm(expected, axis=1, keepdims=True)
    assert np.quantile(np.abs(made - expected).max(axis=1), 0.98) < 4e-3


def test_laying_a_flat_normal_on_changes_nothing_and_on_a_flat_one_gives_the_other():
    bent = Vec3(*unit(0.3, -0.2, 1))
    assert tuple(directions.blended_normals(bent, UP, 1.0, UP, ALONG)) == pytest.approx(tuple(bent), abs=1e-6)
    assert tuple(directions.blended_normals(UP, bent, 1.0, UP, ALONG)) == pytest.approx(tuple(bent), abs=1e-6)
    assert tuple(directions.blended_normals(bent, Vec3(0.6, 0, 0.8), 0.0, UP, ALONG)) == pytest.approx(
        tuple(bent), abs=1e-6
    )


def test_two_slopes_the_same_way_add_their_angles():
    """Reorienting is a rotation: what leans by a and is laid on what leans by b leans by a + b."""
    a, b = 0.3, 0.25
    lean = [Vec3(float(np.sin(x)), 0, float(np.cos(x))) for x in (a, b, a + b)]
    assert tuple(directions.blended_normals(lean[0], lean[1], 1.0, UP, ALONG)) == pytest.approx(
        tuple(lean[2]), abs=1e-6
    )


def test_flatten_goes_from_the_bare_surface_to_the_bent_one():
    bent = Vec3(*unit(0.5, 0, 1))
    assert tuple(directions.flattened(bent, 0.0, UP)) == tuple(UP)
    assert tuple(directions.flattened(bent, 1.0, UP)) == pytest.approx(tuple(bent))


def test_fresnel_goes_by_a_bent_normal_where_one_is_given():
    bent = strand("bent", bead("uv"), bead("linear"), bead("bump", strength=2.0))
    glow = strand("glow", bead("fresnel", normal={"strand": "bent"}, exponent=1.0))
    bare = strand("bare", bead("fresnel", exponent=1.0))
    plan = build(effect(bent, glow, bare))
    value = [flat.field(plan, plan.beads[f"{s}/fresnel"], 8, 0.0)[4, 4, 0] for s in ("glow", "bare")]
    assert value[1] == pytest.approx(0, abs=1e-6)
    assert value[0] == pytest.approx(1 - unit(-1, 0, 1)[2], abs=1e-3)


def dome_map() -> bytes:
    """A normal map of a round dome, its green pointing up."""
    y, x = np.mgrid[1:-1:64j, -1:1:64j]
    inside = np.clip(1 - x**2 - y**2, 0, 1)
    n = np.stack([x * (inside > 0), y * (inside > 0), np.sqrt(np.where(inside > 0, inside, 1))], -1)
    n /= np.linalg.norm(n, axis=-1, keepdims=True)
    return encoded(np.round((n * 0.5 + 0.5) * 255).astype(np.uint8))


@pytest.mark.parametrize(
    "turned",
    [
        (),
        (bead("rotate", angle=180),),
        (bead("rotate", angle=67),),
        (bead("mirror"),),
        (bead("tile", count=[-1, 1, 1]),),
        (bead("tile", count=[1, -2, 1]),),
        (bead("twirl", turn=0.4),),
        (bead("tile", count=[3, 3, 1]), bead("rotate", angle=-30)),
    ],
    ids=lambda t: "+".join(b["kind"] for b in t) or "as it is",
)
def test_a_normal_map_of_a_dome_is_a_dome_however_its_coordinates_are_turned(turned):
    """On every dome the normal leans away from its top, which is where the map's middle lies."""
    data = dome_map()
    digest, _ = library.add(data)
    asset = {"id": "dome", "name": "dome", "hash": digest, "width": 64, "height": 64}
    image = bead("image-normal", "n", {"picture": "dome"})
    turned = tuple({**b, "id": f"t{i}"} for i, b in enumerate(turned))
    plan = build(effect(strand("s", bead("uv"), *turned, image), assets=[asset]))
    size = 192
    coordinates = flat.field(plan, plan.beads[f"s/{turned[-1]['id'] if turned else 'uv'}"], size, 0.0)[..., :2]
    made = flat.field(plan, plan.beads["s/n"], size, 0.0).astype(float)
    # How far each point is from the middle of its dome; it rises the way out.
    off = np.linalg.norm(coordinates % 1.0 - 0.5, axis=-1).astype(float)
    rows, columns = np.gradient(off)
    out = np.stack([columns, -rows], -1)
    out /= np.maximum(np.linalg.norm(out, axis=-1, keepdims=True), 1e-9)
    on = (off > 0.12) & (off < 0.42)
    lean = made[..., :2] / np.maximum(np.linalg.norm(made[..., :2], axis=-1, keepdims=True), 1e-9)
    assert np.quantile((lean * out).sum(-1)[on], 0.05) > 0.9


def test_a_colour_bends_the_normal_round_its_middle():
    """On a plane seen from before u runs along x and v along y, so a constant colour leans it by closed form."""
    for strength, colour in ((1.0, (1.0, 0.5, 0.5)), (0.5, (0.5, 0.0, 0.5)), (2.0, (0.5, 0.5, 0.5))):
        grey = bead("linear", start=-2.0, span=1.0)
        leaned = strand("n", bead("uv"), grey, bead("tint", colour=list(colour)), bead("lean", strength=strength))
        plan = build(effect(leaned))
        got = flat.field(plan, plan.beads["n/lean"], 8, 0.0)[4, 4]
        meant = np.array([0, 0, 1.0]) + (np.array(colour) - 0.5) * strength
        np.testing.assert_allclose(got, meant / np.linalg.norm(meant), atol=2e-3)


def test_a_leaned_dome_is_lit_from_the_side_that_it_leans_to():
    """Along the axes of the shape a colour of more red leans every normal towards x, whichever way the surface runs."""
    grey = bead("linear", start=-2.0, span=1.0)
    leaned = strand(
        "n", bead("uv"), grey, bead("tint", colour=[1.0, 0.5, 0.5]), bead("lean", settings={"space": "object"})
    )
    made = effect(leaned, stage={"shape": "ball"})
    plan = build(made)
    points, normals = spread(made.stage, 512)
    got = np.stack(Evaluation(plan, plan.beads["n/lean"])(points, 0.0), 1)
    assert (got[:, 0] > normals[:, 0] - 1e-4).all() and (got[:, 0] - normals[:, 0]).mean() > 0.1
