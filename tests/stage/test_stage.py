"""The rasteriser, the full-screen passes and whole frames."""

import numpy as np
import pytest
from scipy import ndimage

from tests.documents import bead, effect, strand
from whorl import demo
from whorl.checks.bounds import growth
from whorl.effect import BadEffect, read
from whorl.effect import camera as cameras
from whorl.effect.camera import eye, view_projection
from whorl.effect.stage import Bloom, Camera, Stage
from whorl.plan.build import build
from whorl.shapes import SHAPES, shape
from whorl.stage import filters
from whorl.stage.frame import frame, lit_scene, picture
from whorl.stage.moved import moved
from whorl.stage.raster import Seen
from whorl.stage.ready import READY


def seen(name, camera, size=128, front=True):
    return Seen.through(shape(name), view_projection(camera, size, size), eye(camera)).fragments(size, size, front)


def test_a_ball_covers_the_disc_that_geometry_says():
    camera = Camera(distance=4, view=40)
    f = seen("ball", camera, 256)
    # A sphere of radius 1 at distance 4 is seen under half an angle of asin(1/4).
    radius = np.tan(np.arcsin(0.25)) / np.tan(np.radians(20)) * 128
    assert f.coverage.sum() == pytest.approx(np.pi * radius**2, rel=0.005)


def test_surface_points_lie_on_the_ball_and_face_the_viewer():
    camera = Camera(yaw=30, pitch=20)
    f = seen("ball", camera)
    inside = f.coverage == 1
    p = np.stack(f.points["at_object"])[:, inside]
    n = np.stack(f.points["at_normal"])[:, inside]
    v = np.stack(f.points["at_view"])[:, inside]
    assert np.abs(np.linalg.norm(p, axis=0) - 1).max() < 2e-3
    assert np.abs(p / np.linalg.norm(p, axis=0) - n).max() < 2e-3
    assert (n * v).sum(axis=0).min() > -0.06
    expected = eye(camera)[:, None] - p
    assert np.abs(v - expected / np.linalg.norm(expected, axis=0)).max() < 1e-3


@pytest.mark.parametrize("name", [n for n in SHAPES if n not in ("tube", "mesh")])
def test_both_sides_of_a_closed_shape_cover_the_same_pixels_and_a_plane_has_one(name):
    camera = Camera(yaw=25, pitch=15)
    front, back = (seen(name, camera, front=side) for side in (True, False))
    if name in ("plane", "cloth", "level", "disc"):
        assert len(back.pixels) == 0
    elif name == "dome":
        # Open below, so from above part of its inside is not there.
        assert 0 < back.coverage.sum() < 0.6 * front.coverage.sum()
    else:
        assert front.coverage.sum() == pytest.approx(back.coverage.sum(), rel=0.01)


def test_interpolation_is_correct_in_perspective():
    camera = Camera(yaw=60, distance=3)
    f = seen("plane", camera)
    inside = f.coverage == 1
    # On the plane UV and position are tied by x = 2u − 1.
    u, x = f.points["at_uv"][0][inside], f.points["at_object"][0][inside]
    assert np.abs(2 * u - 1 - x).max() < 1e-5
    # And each point lies on the ray through its pixel.
    m = view_projection(camera, 128, 128)
    p = np.stack([*f.points["at_object"], np.ones_like(f.coverage)])[:, inside]
    clip = m @ p
    px = (clip[0] / clip[3] * 0.5 + 0.5) * 128
    assert np.abs(px - (f.pixels[inside] % 128 + 0.5)).max() < 1e-2


def test_a_camera_inside_the_shape_still_gives_finite_points():
    f = seen("ball", Camera(distance=0.5), front=False)
    assert len(f.pixels) > 0
    for arrays in f.points.values():
        assert all(np.isfinite(a).all() for a in arrays)


def test_a_blur_pass_is_scipys_convolution_with_edges_repeated():
    scene = np.random.default_rng(1).random((4, 274, 282)).astype(np.float32) * 4
    stage, pictures = Stage(), {"scene": scene}
    filters.apply(filters.finish(stage), pictures, filters.numbers(stage, False), 282, 274)
    kernel = np.array([1, 4, 6, 4, 1]) / 16
    for level in (2, 3):
        expected = ndimage.convolve1d(pictures[f"raw{level}"], kernel, axis=2, mode="nearest")
        expected = ndimage.convolve1d(expected, kernel, axis=1, mode="nearest")
        assert np.abs(pictures[f"blur{level}"] - expected).max() < 1e-5


def test_a_level_is_widened_by_linear_interpolation_between_texel_middles():
    scene = np.random.default_rng(2).random((4, 512, 512)).astype(np.float32) * 4
    stage, pictures = Stage(bloom=Bloom(radius=2)), {"scene": scene}
    filters.apply(filters.finish(stage), pictures, filters.numbers(stage, False), 512, 512)
    wide = (pictures["wide1"] - pictures["blur1"] / 2)[0]
    at = np.clip((np.arange(256) + 0.5) / 2 - 0.5, 0, 127)
    grid = np.meshgrid(at, at, indexing="ij")
    expected = ndimage.map_coordinates(pictures["blur2"][0] / 2, grid, order=1)
    assert np.abs(wide - expected).max() < 1e-5


def test_bloom_adds_light_around_what_is_bright_and_nothing_below_its_threshold():
    def finished(strength, level):
        scene = np.zeros((4, 512, 512), np.float32)
        scene[:3, 240:272, 240:272] = level
        scene[3] = 1
        stage = Stage(bloom=Bloom(strength=strength, radius=6, threshold=1))
        pictures = {"scene": scene}
        filters.apply(filters.finish(stage), pictures, filters.numbers(stage, False), 512, 512)
        return pictures["picture"]

    assert np.array_equal(finished(0.8, 0.9), finished(0.0, 0.9))
    glowing, plain = finished(0.8, 9.0), finished(0.0, 9.0)
    assert (glowing - plain)[0, 192, 248] > 0.02 and (glowing - plain)[0, 0, 0] < (glowing - plain)[0, 192, 248]


def _glow(width: int, height: int, radius: int) -> np.ndarray:
    """What bloom adds along the middle row of a picture with a lit disc, a sixteenth of its lesser side in radius."""
    least = min(width, height)
    y, x = np.mgrid[:height, :width] + 0.5
    away = np.hypot(x - width / 2, y - height / 2) / least
    scene = np.zeros((4, height, width), np.float32)
    # The disc's rim over two pixels, so that it is as large at all sizes.
    scene[:3] = 8 * np.clip((1 / 16 - away) * least / 2 + 0.5, 0, 1)
    stage, pictures = Stage(bloom=Bloom(strength=1, radius=radius, threshold=0)), {"scene": scene}
    filters.apply(filters.finish(stage), pictures, filters.numbers(stage, False), width, height)
    wide = pictures["wide1"][0]
    middle = wide[wide.shape[0] // 2]
    # At sixty-fourths of the lesser side from the middle on.
    at = (width / 2 + np.arange(0, 31) / 64 * least) / 2 - 0.5
    return np.interp(at, np.arange(len(middle)), middle)


@pytest.mark.parametrize("radius", [3, 6])
def test_bloom_is_as_wide_in_a_picture_of_any_size(radius):
    # A large bake has the glow that was seen on the stage.
    on_stage = _glow(512, 512, radius)
    # Half as large, the narrowest level has too few texels to be quite the same.
    for width, height, apart in ((1024, 1024, 0.015), (2048, 2048, 0.015), (1448, 1024, 0.015), (256, 256, 0.03)):
        off = np.abs(_glow(width, height, radius) - on_stage).max()
        assert off < apart * on_stage.max(), (width, height, off / on_stage.max())
    assert on_stage[6] > 0.002 * on_stage.max()


def test_odd_sizes_are_drawn_whole():
    plan = build(demo.demo("buoy-ward"))
    odd = frame(plan, 0.1, 65, 47)
    assert odd.shape == (47, 65, 4) and np.isfinite(odd).all() and odd[23, 32, :3].max() > 0.05


def test_the_far_side_of_a_shell_shows_through_by_its_strength():
    def middle(far, sides="both"):
        e = effect(
            strand("glow", bead("constant", settings={"gives": "colour"}, colour=[0.1, 0.2, 0.3])),
            strand("veil", bead("constant", value=0.5)),
            surface={
                "far": far,
                "sides": sides,
                "channels": {"emission": [{"strand": "glow"}], "opacity": [{"strand": "veil"}]},
            },
            stage={"shape": "ball", "backdrop": {"kind": "plain", "colour": [0, 0, 0]}},
        )
        return lit_scene(build(e), 0.0, 32, 32, None, False, 1)[2, 16, 16]

    one = 0.3 * 0.5
    assert middle(0.0) == pytest.approx(one, abs=1e-5) == middle(1.0, "front")
    assert middle(1.0) == pytest.approx(one + one * 0.5, abs=1e-5)
    assert middle(0.5) == pytest.approx(one + one * 0.5 * 0.5, abs=1e-5)


def test_a_cut_away_edge_is_smooth_over_one_pixel():
    e = effect(
        strand("level", bead("uv"), bead("linear", direction=[1, 0.3, 0])),
        strand("white", bead("constant", value=1)),
        surface={
            "composite": "cut away",
            "channels": {"emission": [{"strand": "white"}], "opacity": [{"strand": "level"}]},
        },
    )
    scene = lit_scene(build(e), 0.0, 128, 128, None, True, 1)
    alpha = scene[3, 40:88, 20:108]
    between = ((alpha > 0.02) & (alpha < 0.98)).sum(axis=1)
    assert set(np.unique(alpha[alpha > 0.999])) <= {np.float32(1)}
    assert between.max() <= 2 and between.mean() > 0.5


@pytest.mark.parametrize("slug", [s for s in demo.slugs() if demo.demo(s).turn.looping])
def test_the_last_frame_of_a_demo_effect_runs_into_the_first(slug):
    plan = build(demo.demo(slug))
    frames = plan.effect.turn.frames

    def at(f):
        return frame(plan, (f % frames) / frames, 96, 96)[..., :3]

    join = np.abs(at(frames - 1) - at(0)).mean()
    neighbours = [np.abs(at(f) - at(f + 1)).mean() for f in range(0, frames - 1, max(1, frames // 12))]
    # A sway is quickest at one place, which may be the join.
    assert join <= 1.2 * max(neighbours)
    assert np.mean(neighbours) > 1e-4


@pytest.mark.parametrize("ready", READY, ids=lambda r: r.name)
def test_a_ready_stage_lights_grey_as_it_says(ready):
    grey = strand("grey", bead("constant", value=0.5))
    surface = {"composite": "solid", "lighting": "lit", "channels": {"base": [{"strand": "grey"}]}}
    given = ready.model_dump(exclude={"name", "words"}, exclude_none=True)
    stage = {"shape": "ball", "bloom": {"strength": 0}, **given}
    seen = frame(build(effect(grey, surface=surface, stage=stage)), 0.0, 64, 64)[..., :3]
    middle = seen[24:40, 24:40]
    if ready.name == "black":
        assert seen.max() == 0
    else:
        # Neither lost nor burnt out.
        assert 0.1 < middle.mean() < 0.9


def test_a_larger_shape_covers_more_and_its_pattern_grows_with_it():
    mist = strand("mist", bead("object"), bead("noise", settings={"octaves": 2}))
    surface = {"composite": "solid", "channels": {"emission": [{"strand": "mist"}]}}
    black = {"kind": "plain", "colour": [0, 0, 0]}
    one, near = (
        picture(
            build(effect(mist, surface=surface, stage={"size": size, "camera": {"distance": far}, "backdrop": black})),
            *(0.0, 32, 32),
        )
        for size, far in ((1.0, 4.0), (2.0, 8.0))
    )
    # Twice as large and twice as far off is the same picture.
    assert np.abs(one - near).max() < 1e-3
    assert one[:3].std() > 0.02


def test_what_a_displaced_shape_is_moved_by_grows_with_it():
    raised = {"channels": {"displacement": [{"strand": "one"}]}, "displacement": 0.2}
    for size in (0.5, 3.0):
        plan = build(effect(strand("one", bead("constant", value=1.0)), surface=raised, stage=ball(size)))
        made = moved(plan, plan.effect.stage.mesh_of(), cameras.numbers(plan.effect.stage, 8, 8), 0.0)
        assert np.linalg.norm(made.positions, axis=1) == pytest.approx(1.2 * size, rel=1e-4)
        assert growth(plan)[0] == pytest.approx(0.2 * size, rel=1e-3)


def ball(size):
    return {"shape": "ball", "size": size}


def test_exposure_and_bloom_move_with_the_turn_and_with_a_lever():
    lever = {"id": "glow", "name": "Glow", "kind": "number", "value": 0.25, "least": 0, "most": 1}
    moving = {"motion": "sway", "amount": 1.0, "base": 0.5}
    levered = {"lever": "glow", "low": 0.2, "high": 1.0}
    whole = demo.demo("fog-gate").model_dump(mode="json")
    whole["levers"] = [*whole["levers"], lever]

    def made(exposure, strength):
        stage = whole["stage"] | {"exposure": exposure, "bloom": {"strength": strength, "threshold": 0.3, "radius": 3}}
        return build(read(whole | {"stage": stage}))

    for phase, exposure in ((0.0, 0.5), (0.25, 1.5), (0.75, -0.5)):
        wanted = picture(made(exposure, 0.4), phase, 48, 48)
        assert np.abs(picture(made(moving, levered), phase, 48, 48) - wanted).max() < 1e-6
    # A strand cannot feed what acts on the picture as a whole.
    with pytest.raises(BadEffect, match="exposure"):
        made({"strand": "veil"}, 0.4)
