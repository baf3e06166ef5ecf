"""Beads and surfaces on whole stages: depth, thickness, contact, beacons, displacement, parallax."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.documents import bead, effect, strand
from tests.shade.test_subset import on_cpu
from whorl.checks import lonely
from whorl.effect import BadEffect, read
from whorl.effect import camera as cameras
from whorl.fields import displacement
from whorl.fields.lighting import fresnel_exact
from whorl.plan.build import build
from whorl.plan.run.evaluate import evaluate
from whorl.stage import sight
from whorl.stage.frame import Sides, frame, lit_scene
from whorl.stage.moved import moved

SIZE = 64


def seen(e, place, size=SIZE, phase=0.0):
    """A bead over the near side, and the surface points it was made at."""
    plan = build(e)
    stage = plan.effect.stage
    view = cameras.numbers(stage, size, size)
    side = Sides(plan, plan.effect.stage, view, phase, size, size)
    near = side(True)
    points = sight.with_back(near, side.far())
    made = evaluate(plan, plan.beads[place], points, phase, camera=view)
    inside = near.coverage == 1
    return [m[inside].astype(float) for m in made], {k: [a[inside] for a in v] for k, v in points.items()}


def test_the_thickness_of_a_ball_is_the_chord_of_the_line_of_sight():
    e = effect(strand("t", bead("thickness", reach=4)), stage={"shape": "ball", "subdivision": 1})
    (got,), points = seen(e, "t/thickness", 128)
    p, v = (np.stack(points[k]).astype(float) for k in ("at_world", "at_view"))
    chord = 2 * (p * v).sum(axis=0)
    assert got * 4 == pytest.approx(chord, abs=0.03)


@pytest.mark.parametrize(
    ("neighbours", "distance"),
    [
        ({"wall": {"on": True, "depth": 1.5}}, lambda p, v: (p[2] + 1.5) / v[2]),
        ({"floor": {"on": True, "height": -2}}, lambda p, v: np.where(v[1] > 1e-3, (p[1] + 2) / v[1], 99)),
    ],
)
def test_the_depth_behind_a_surface_is_the_way_to_the_next_neighbour(neighbours, distance):
    stage = {"camera": {"yaw": 20, "pitch": 30}, "neighbours": neighbours}
    (got,), points = seen(effect(strand("d", bead("depth-behind", reach=10)), stage=stage), "d/depth-behind")
    p, v = (np.stack(points[k]).astype(float) for k in ("at_world", "at_view"))
    assert got == pytest.approx(np.clip(distance(p, v) / 10, 0, 1), abs=1e-4)


def test_contact_follows_a_neighbour_that_moves():
    motion = {"motion": "sway", "amount": 0.5, "base": 0.0}
    e = effect(
        strand("c", bead("contact", reach=0.4, power=0)),
        stage={"neighbours": {"floor": {"on": True, "height": motion}}},
    )
    for phase, height in ((0.0, 0.0), (0.25, 0.5)):
        (got,), points = seen(e, "c/contact", phase=phase)
        y = points["at_world"][1].astype(float)
        assert got == pytest.approx(np.clip(1 - np.abs(y - height) / 0.4, 0, 1), abs=1e-4)


def test_contact_depth_and_sight_know_of_objects_that_move():
    ball = {"id": "b", "name": "B", "form": "ball", "size": [0.6, 1, 1], "position": [0.3, 0, -0.6]}
    moved = ball | {"position": {"motion": "sway", "base": [0.3, 0, -0.6], "amount": [0.5, 0, 0]}}
    for thing, where in ((ball, (0.3, 0.3)), (moved, (0.3, 0.8))):
        strands = (strand("c", bead("contact", reach=2, power=0)), strand("d", bead("depth-behind", reach=10)))
        e = effect(*strands, stage={"neighbours": {"objects": [thing]}})
        for phase, x in zip((0.0, 0.25), where, strict=True):
            (got,), points = seen(e, "c/contact", phase=phase)
            p = np.stack(points["at_world"]).astype(float)
            gap = np.linalg.norm(p.T - [x, 0, -0.6], axis=1) - 0.3
            assert got == pytest.approx(np.clip(1 - np.abs(gap) / 2, 0, 1), abs=1e-3)
            (depth,), points = seen(e, "d/depth-behind", phase=phase)
            v = -np.stack(points["at_view"]).astype(float)
            # Where the line of sight goes into the ball, and nothing else is behind.
            to = p.T - [x, 0, -0.6]
            b, c = (to * v.T).sum(1), (to * to).sum(1) - 0.09
            root = b * b - c
            hit = root > 1e-3
            assert depth[hit] == pytest.approx((-b[hit] - np.sqrt(root[hit])) / 10, abs=1e-3)
            assert depth[root < -1e-3] == pytest.approx(1)
    with pytest.raises(BadEffect, match="two objects have the id 'b'"):
        build(effect(strand("c", bead("contact")), stage={"neighbours": {"objects": [ball, moved]}}))
    for there in ([], [ball]):
        plan = build(effect(strand("c", bead("contact")), stage={"neighbours": {"objects": there}}))
        assert len(list(lonely.find(plan))) == (0 if there else 1)


def beaconed(kind, **more):
    made = effect(strand("b", bead(kind, **more)), stage={"shape": "ball"}).model_dump()
    made["beacons"] = [{"id": "torch", "name": "Torch", "position": [0.5, 0.2, 0], "yaw": 90, "pitch": 0}]
    return read(made)


@pytest.mark.parametrize("shape", ["ball", "slab", "tube", "cone"])
def test_a_beacon_measures_from_its_point_along_its_axis_and_round_it(shape):
    e = beaconed("beacon-distance", settings={"shape": shape}, start=0.0, end=180.0 if shape == "cone" else 2.0)
    (got,), points = seen(e, "b/beacon-distance")
    d = np.stack(points["at_world"]).astype(float) - np.array([[0.5], [0.2], [0]])
    # Yaw 90 and pitch 0: the axis points to the right.
    wanted = {
        "ball": np.linalg.norm(d, axis=0) / 2,
        "slab": d[0] / 2,
        "tube": np.hypot(d[1], d[2]) / 2,
        "cone": np.degrees(np.arctan2(np.hypot(d[1], d[2]), d[0])) / 180,
    }[shape]
    assert got == pytest.approx(np.clip(wanted, 0, 1), abs=1e-4)


def test_coordinates_from_a_beacon_keep_lengths_and_start_at_it():
    got, points = seen(beaconed("from-beacon"), "b/from-beacon")
    d = np.stack(points["at_world"]).astype(float) - np.array([[0.5], [0.2], [0]])
    assert np.linalg.norm(np.stack(got), axis=0) == pytest.approx(np.linalg.norm(d, axis=0), abs=1e-4)
    assert got[1] == pytest.approx(d[0], abs=1e-4)


def test_a_beacon_that_is_not_there_is_told():
    made = beaconed("from-beacon", settings={"beacon": "lamp"})
    with pytest.raises(BadEffect, match="no beacon 'lamp'"):
        build(made)


def test_the_light_bead_is_lamberts_cosine():
    lamps = {"key": {"yaw": 0, "pitch": 0, "colour": [1, 1, 1], "strength": 1}}
    e = effect(strand("l", bead("light", settings={"of": "key"})), stage={"shape": "ball", "lamps": lamps})
    (got,), points = seen(e, "l/light")
    assert got == pytest.approx(np.clip(points["at_normal"][2].astype(float), 0, None), abs=1e-4)


# --- displacement -------------------------------------------------------------------------


def swollen(height, shape="ball", edges="as made", **surface):
    given = {"composite": "solid", "displacement": 1.0, "channels": {"displacement": [{"strand": "h"}]}, **surface}
    return build(effect(height, surface=given, stage={"shape": shape, "edges": edges, "subdivision": 1}))


def test_a_height_that_is_the_same_all_over_makes_a_larger_ball():
    plan = swollen(strand("h", bead("constant", value=0.25)))
    view = cameras.numbers(plan.effect.stage, 8, 8)
    made = moved(plan, plan.effect.stage.mesh_of(), view, 0.0)
    assert np.linalg.norm(made.positions, axis=1) == pytest.approx(1.25, abs=1e-5)
    assert (made.normals * made.positions).sum(axis=1) / 1.25 == pytest.approx(1, abs=1e-4)


def test_normals_of_a_moved_plane_are_those_of_the_height():
    waves = bead("waves", settings={"axis": "x"}, count=1)
    plan = swollen(strand("h", bead("uv"), waves), shape="cloth", displacement=0.2)
    view = cameras.numbers(plan.effect.stage, 8, 8)
    rest = plan.effect.stage.mesh_of()
    made = moved(plan, rest, view, 0.0)
    x = (rest.positions[:, 0].astype(float) + 1) / 2
    height = made.positions[:, 2]
    # The bead's sine runs 0..1; u runs half as fast as x.
    assert height == pytest.approx(0.2 * (0.5 + 0.5 * np.sin(2 * np.pi * x)), abs=2e-3) or height == pytest.approx(
        0.2 * (0.5 - 0.5 * np.cos(2 * np.pi * x)), abs=2e-3
    )
    order = np.argsort(x[np.isclose(rest.positions[:, 1], rest.positions[0, 1])])
    row = np.flatnonzero(np.isclose(rest.positions[:, 1], rest.positions[0, 1]))[order]
    slope = np.gradient(made.positions[row, 2].astype(float), made.positions[row, 0].astype(float))
    n = made.normals[row].astype(float)
    assert (-n[:, 0] / n[:, 2])[2:-2] == pytest.approx(slope[2:-2], abs=0.03)


@pytest.mark.parametrize(("shape", "edges"), [("box", "as made"), ("cylinder", "as made"), ("cone", "hard")])
def test_a_hard_edged_shape_stays_whole(shape, edges):
    mist = strand("h", bead("uv"), bead("noise", settings={"octaves": 2}, scale=5))
    plan = swollen(mist, shape, edges, displacement=0.4)
    rest = plan.effect.stage.mesh_of()
    view = cameras.numbers(plan.effect.stage, 8, 8)
    made = moved(plan, rest, view, 0.0)
    first = rest.together[:, 0].astype(int)
    assert np.abs(made.positions - made.positions[first]).max() < 1e-6
    assert np.abs(made.positions - rest.positions).max() > 0.1


def test_a_direction_moves_all_of_it_one_way():
    plan = swollen(strand("h", bead("constant", value=0.5)), displaced="in a direction", direction=[0, 0, 3])
    rest = plan.effect.stage.mesh_of()
    made = moved(plan, rest, cameras.numbers(plan.effect.stage, 8, 8), 0.0)
    assert made.positions - rest.positions == pytest.approx(np.tile([0, 0, 0.5], (len(rest.positions), 1)), abs=1e-5)


@pytest.mark.parametrize("displaced", ["along the normal", "as colours say"])
def test_edges_that_are_not_kept_whole_part_as_each_face_goes_its_own_way(displaced):
    up = strand("h", bead("constant", value=0.3))
    plan = swollen(up, "box", displacement=1.0, displaced=displaced, whole=False)
    rest = plan.effect.stage.mesh_of()
    made = moved(plan, rest, cameras.numbers(plan.effect.stage, 8, 8), 0.0)
    assert made.positions - rest.positions == pytest.approx(rest.normals * 0.3, abs=1e-4)
    # Each face lies apart, as large as it was.
    right = rest.normals[:, 0] > 0.99
    assert np.ptp(made.positions[right], axis=0) == pytest.approx(np.ptp(rest.positions[right], axis=0), abs=1e-4)


def test_a_direction_is_moved_by_a_lever_and_fed_by_a_strand():
    rest = None
    half = strand("h", bead("constant", value=0.5))
    east = strand("e", bead("constant", settings={"gives": "colour"}, colour=[2.0, 0.0, 0.0]))
    channels = {"displacement": [{"strand": "h"}]}
    given = {"composite": "solid", "displacement": 1.0, "displaced": "in a direction", "channels": channels}
    levers = [{"id": "way", "name": "Way", "value": 1.0}]
    lever = {"lever": "way", "low": [0, 0, 1], "high": [1, 0, 0]}
    for direction, more in (({"strand": "e"}, {}), (lever, {"levers": levers})):
        plan = build(effect(half, east, surface={**given, "direction": direction}, stage={"shape": "ball"}, **more))
        rest = plan.effect.stage.mesh_of()
        made = moved(plan, rest, cameras.numbers(plan.effect.stage, 8, 8), 0.0)
        wanted = np.tile([0.5, 0, 0], (len(rest.positions), 1))
        assert made.positions - rest.positions == pytest.approx(wanted, abs=1e-5)
        # What is moved as a whole keeps its normals, but for the steps that they are told in.
        assert (made.normals * rest.normals).sum(axis=1).min() > 1 - 1e-5


@given(st.lists(st.floats(-1, 1, width=32), min_size=3, max_size=3))
def test_a_normal_in_one_number_is_itself_within_a_twentieth_of_a_degree(way):
    n = np.asarray(way, np.float64)
    if np.linalg.norm(n) < 1e-3:
        return
    n = (n / np.linalg.norm(n)).astype(np.float32)
    (number,) = on_cpu(displacement.packed, (), [n[k : k + 1] for k in range(3)])
    assert number[0] == np.floor(number[0]) and 0 <= number[0] < 2**24
    back = np.array(on_cpu(displacement.unpacked, (), [number]))[:, 0].astype(np.float64)
    assert np.degrees(np.arccos(min(1.0, float(back @ n)))) < 1 / 20


@pytest.mark.parametrize("space", ["of the shape", "of the surface"])
def test_a_swell_with_sharp_crests_is_a_trochoid_with_its_normals(space):
    """Each point goes round: x − r sin θ, z + r cos θ with θ = k x (Gerstner, 1802)."""
    r, k = 0.12, np.pi * 2
    round_ = bead("formula", settings={"formula": f"q = x.x * {k}\nVec3(-sin(q), 0, cos(q))", "gives": "colour"})
    waves = strand("h", bead("object"), round_)
    plan = swollen(waves, shape="cloth", displacement=r, displaced="as colours say", space=space)
    rest = plan.effect.stage.mesh_of()
    made = moved(plan, rest, cameras.numbers(plan.effect.stage, 8, 8), 0.0)
    x = rest.positions[:, 0].astype(np.float64)
    q = x * k
    wanted = rest.positions + np.stack([-r * np.sin(q), 0 * q, r * np.cos(q)], axis=1)
    assert made.positions == pytest.approx(wanted, abs=1e-4)
    normal = np.stack([k * r * np.sin(q), 0 * q, 1 - k * r * np.cos(q)], axis=1)
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    off = np.degrees(np.arccos(np.clip((made.normals * normal).sum(axis=1), -1, 1)))
    # The slope is that to the next vertex, a fortieth of the wave on.
    assert np.median(off) < 4 and off.max() < 25
    assert np.abs(made.normals[:, 0]).max() > 0.5


def test_values_and_colours_together_go_outwards_and_aside():
    up = strand("up", bead("constant", value=0.25))
    aside = strand("aside", bead("constant", settings={"gives": "colour"}, colour=[0.5, 0.0, 0.0]))
    channels = {"displacement": [{"strand": "up"}, {"strand": "aside", "gain": 2.0}]}
    given = {"composite": "solid", "displacement": 1.0, "displaced": "as colours say", "channels": channels}
    plan = build(effect(up, aside, surface=given, stage={"shape": "ball"}))
    rest = plan.effect.stage.mesh_of()
    made = moved(plan, rest, cameras.numbers(plan.effect.stage, 8, 8), 0.0)
    assert made.positions == pytest.approx(rest.positions * 1.25 + [1.0, 0, 0], abs=1e-4)


@pytest.mark.parametrize("shape", ["box", "cylinder"])
def test_a_hard_edged_shape_that_is_pulled_any_way_stays_whole(shape):
    mist = strand("h", bead("uv"), bead("noise-three", settings={"octaves": 2}, scale=5))
    plan = swollen(mist, shape, displacement=0.4, displaced="as colours say", space="of the surface")
    rest = plan.effect.stage.mesh_of()
    made = moved(plan, rest, cameras.numbers(plan.effect.stage, 8, 8), 0.0)
    first = rest.together[:, 0].astype(int)
    assert np.abs(made.positions - made.positions[first]).max() < 1e-6
    assert np.abs(made.positions - rest.positions).max() > 0.1
    assert np.linalg.norm(made.normals, axis=1) == pytest.approx(1, abs=1e-5)


# --- seen through -------------------------------------------------------------------------


def clear(body="filled", shape="plane", stage=None, **surface):
    given = {"composite": "see-through", "body": body, "opacity": 0.0, **surface}
    backdrop = {"kind": "gradient", "colour": [0.1, 0.2, 0.3], "second": [0.6, 0.5, 0.4]}
    return build(effect(surface=given, stage={"shape": shape, "backdrop": backdrop, **(stage or {})}))


def scene(plan, size=SIZE):
    return lit_scene(plan, 0.0, size, size, None, False, 1)


def test_a_clear_body_that_bends_nothing_cannot_be_seen():
    plain = {"wall": {"on": True}, "ball": {"on": True, "centre": [0.3, 0, -1]}}
    for shape in ("plane", "ball"):
        made = scene(clear(shape=shape, stage={"neighbours": plain}))
        bare = scene(
            build(
                effect(
                    surface={"composite": "glowing"},
                    stage=clear(stage={"neighbours": plain}, shape=shape).effect.stage.model_dump(),
                )
            )
        )
        apart = np.abs(made - bare)[:3].max(axis=0)
        # At its edges a neighbour is met by a cone from the eye, or from the far side.
        assert (apart > 2e-3).mean() < 0.005 and apart.max() < 0.1


def test_water_over_a_floor_takes_on_the_picked_colour_by_the_way_through_it():
    stage = {
        "camera": {"pitch": 89, "distance": 3, "view": 20},
        # Lamps would be dimmed on their way down as well.
        "lamps": {"key": {"on": False}},
        "neighbours": {"floor": {"on": True, "height": -0.5, "finish": "plain"}},
    }
    bare, water = (
        scene(clear(shape="level", stage=stage, absorbed=c, absorbed_at=0.5)) for c in ([1, 1, 1], [0.8, 0.4, 0.2])
    )
    middle = (slice(0, 3), SIZE // 2, SIZE // 2)
    assert water[middle] / bare[middle] == pytest.approx([0.8, 0.4, 0.2], rel=0.01)


def test_a_face_that_mirrors_lets_so_much_less_through():
    # Looked at straight on under a black sky nothing is added, so that what is missing was mirrored.
    dark = {"lamps": {k: {"on": False} for k in ("key", "fill", "rim")}, "sky": {"strength": 0}}
    for index in (1.0, 1.5, 2.0):
        made = scene(clear(lighting="lit", index=index, roughness=0.05, stage=dark))
        bare = scene(clear(stage=dark))
        middle = (slice(0, 3), SIZE // 2, SIZE // 2)
        assert made[middle] / bare[middle] == pytest.approx(1 - fresnel_exact(1.0, index), abs=6e-3)


def test_the_near_side_shows_the_far_side_through_itself():
    red = strand("red", bead("far-side"))
    given = {
        "composite": "see-through",
        "body": "hollow",
        "opacity": 0.0,
        "channels": {"emission": [{"strand": "red"}]},
    }
    plan = build(
        effect(red, surface=given, stage={"shape": "ball", "backdrop": {"kind": "plain", "colour": [0, 0, 0]}})
    )
    assert scene(plan)[0, SIZE // 2, SIZE // 2] == pytest.approx(1, abs=1e-3)


@pytest.mark.parametrize("index", [1.0, 1.2, 1.5])
def test_a_ball_of_glass_shows_its_far_side_where_snells_law_takes_the_line_of_sight(index):
    far = strand("far", bead("far-side"))
    across = strand(
        "across",
        bead("object"),
        bead("linear", direction=[1, 0, 0], start=-1, span=2),
        bead("blend", top={"strand": "far"}),
    )
    given = {"composite": "see-through", "body": "filled", "opacity": 0.0, "refraction": index}
    given["channels"] = {"emission": [{"strand": "across"}]}
    black = {"kind": "plain", "colour": [0, 0, 0]}
    # From so far off lines of sight are parallel.
    camera = {"distance": 60, "view": 5}
    stage = {"shape": "ball", "subdivision": 1, "size": 2.2, "backdrop": black, "camera": camera}
    size = 128
    made = scene(build(effect(far, across, surface=given, stage=stage)), size)[0, size // 2]
    seen = (np.arange(size) + 0.5 - size / 2) / (size / 2) * 60 * np.tan(np.radians(2.5)) / 2.2
    entered = np.arcsin(seen[np.abs(seen) < 0.6])
    # In at one angle, on at another, and so round the ball by the chord.
    left = np.sin(2 * np.arcsin(np.sin(entered) / index) - entered)
    got = made[np.abs(seen) < 0.6] * 2 - 1
    # Within the ball the way is taken to be as long as without the bend.
    assert got == pytest.approx(left, abs=0.02 if index == 1 else 0.09)
    assert index == 1 or np.abs(np.sin(entered) - left).max() > 0.12


def test_neighbours_before_the_surface_hide_it_and_it_hides_those_behind():
    grey = strand("grey", bead("constant", value=0.5))
    given = {"composite": "solid", "channels": {"base": [{"strand": "grey"}]}}
    for z, shown in ((1.0, False), (-1.0, True)):
        stage = {"neighbours": {"ball": {"on": True, "centre": [0, 0, z], "colour": [1, 0, 0], "radius": 0.3}}}
        made = scene(build(effect(grey, surface=given, stage=stage)))[:3, SIZE // 2, SIZE // 2]
        assert (made == pytest.approx([0.5, 0.5, 0.5], abs=1e-3)) == shown
        assert shown or made[1] == pytest.approx(0, abs=1e-3)


def test_a_solid_throws_a_shadow_and_a_glowing_surface_none():
    grey = strand("grey", bead("constant", value=0.5))
    light = {"key": {"yaw": 0, "pitch": 60, "strength": 2}, "fill": {"on": False}, "rim": {"on": False}}
    stage = {
        "shape": "ball",
        "camera": {"pitch": 35, "distance": 7},
        "lamps": light,
        "sky": {"strength": 0},
        "neighbours": {"floor": {"on": True, "height": -1.2, "finish": "plain"}},
    }
    channels = {"channels": {"base": [{"strand": "grey"}]}}
    solid, glow = (
        scene(build(effect(grey, surface={"composite": c, **channels}, stage=stage))) for c in ("solid", "glowing")
    )
    floor_only = glow[1] > 0.05
    darker = (solid[1] < 0.02) & floor_only
    assert darker.sum() > 40


# --- two surfaces ---------------------------------------------------------------------------


def two(mask, **second):
    def plain(name, colour):
        return strand(name, bead("constant", settings={"gives": "colour"}, colour=colour))

    red, blue = plain("red", [1, 0, 0]), plain("blue", [0, 0, 1])
    half = {"strand": "mask", "channels": {"base": [{"strand": "blue"}]}, **second}
    given = {"composite": "solid", "channels": {"base": [{"strand": "red"}]}, "second": half}
    return build(effect(red, blue, strand("mask", bead("constant", value=mask)), surface=given))


@pytest.mark.parametrize("mask", [-1.0, 0.0, 0.3, 1.0, 2.0])
def test_a_mask_passes_from_one_surface_to_the_other(mask):
    part = min(max(mask, 0), 1)
    assert scene(two(mask))[:3, SIZE // 2, SIZE // 2] == pytest.approx([1 - part, 0, part], abs=1e-4)


def test_the_front_glows_where_both_are_mixed_and_nowhere_else():
    glow = {"front": [0, 1, 0], "front_gain": 3.0, "front_width": 0.4}
    green = [scene(two(m, **glow))[1, SIZE // 2, SIZE // 2] for m in (0.0, 0.25, 0.5, 0.75, 1.0)]
    assert green == pytest.approx([0, 0, 3, 0, 0], abs=1e-3)


def test_a_second_surface_without_its_strand_is_told():
    with pytest.raises(BadEffect, match="no strand 'gone'"):
        two(0.5, strand="gone")


def test_a_mesh_whose_file_is_not_here_is_told():
    file = {"name": "hull.obj", "hash": "0" * 64}
    with pytest.raises(BadEffect, match="is not here"):
        build(effect(stage={"shape": "mesh", "mesh": file}))
    # Before one is brought in a ball stands in for it.
    assert np.isfinite(frame(build(effect(stage={"shape": "mesh"})), 0.0, 16, 16)).all()


# --- below the surface --------------------------------------------------------------------


def test_a_pattern_at_a_depth_moves_aside_as_the_view_says():
    """Under a plane seen at 30°, what lies d below appears d·tan 30° aside."""
    stage = {"camera": {"yaw": 30, "distance": 40, "view": 5}}
    e = effect(strand("p", bead("object"), bead("parallax", depth=0.2, grazing=0)), stage=stage)
    got, points = seen(e, "p/parallax")
    moved_by = np.stack(got) - np.stack(points["at_object"]).astype(float)
    assert moved_by[0] == pytest.approx(-0.2 * np.tan(np.radians(30)), abs=8e-3)
    assert moved_by[2] == pytest.approx(-0.2, abs=1e-4)


def test_a_height_strand_and_its_number_agree():
    height = strand("flat", bead("constant", value=0.4))
    fed = strand("fed", bead("uv"), bead("parallax", settings={"steps": 6}, depth=0.3, height={"strand": "flat"}))
    set_ = strand("set", bead("uv"), bead("parallax", depth=0.3, height=0.4))
    stage = {"camera": {"yaw": 40, "pitch": 10}}
    e = effect(height, fed, set_, stage=stage)
    a, _ = seen(e, "fed/parallax")
    b, _ = seen(e, "set/parallax")
    assert np.stack(a) == pytest.approx(np.stack(b), abs=1e-4)


@pytest.mark.parametrize("height", [{}, {"height": {"strand": "high"}}])
@pytest.mark.parametrize("shape", ["ball", "plane", "box"])
def test_a_strand_seen_below_is_what_it_would_be_after_the_same_parallax(shape, height):
    """Pixel for pixel: value and colour, and a bump of it but for the last digits."""
    high = strand("high", bead("uv"), bead("noise", settings={"octaves": 2}, scale=5))
    below = {"depth": 0.3, "index": 1.3, **height}
    noise, ramp, bump = bead("noise", scale=7), bead("ramp"), bead("bump", strength=0.2, distance=0.02)
    long = strand("long", bead("uv"), bead("parallax", **below), noise, ramp)
    long_bump = strand("long-bump", bead("uv"), bead("parallax", **below), noise, bump)
    made = strand("made", bead("uv"), noise)
    short = strand("short", bead("tap", **{"from": {"strand": "made"}}), bead("seen-below", **below), ramp)
    after = strand("after", bead("tap", **{"from": {"strand": "made"}}), ramp, bead("seen-below", **below))
    bent = strand("bent", bead("tap", **{"from": {"strand": "made"}}), bump, bead("seen-below", **below))
    stage = {"shape": shape, "camera": {"yaw": 35, "pitch": 20}}
    e = effect(high, long, long_bump, made, short, after, bent, stage=stage)
    wanted, _ = seen(e, "long/ramp")
    assert np.std(wanted[0]) > 0.02
    for place in ("short/ramp", "after/seen-below"):
        np.testing.assert_array_equal(np.stack(seen(e, place)[0]), np.stack(wanted))
    flat, _ = seen(e, "short/seen-below")
    unmoved, _ = seen(e, "made/noise")
    assert np.abs(flat[0] - unmoved[0]).mean() > 0.02
    if not height:
        # What lies along a height is met where that is, and a slope of that is no slope of the pattern alone.
        np.testing.assert_allclose(np.stack(seen(e, "bent/seen-below")[0]), seen(e, "long-bump/bump")[0], atol=0.03)


# --- nothing that is not finite -------------------------------------------------------------


@pytest.mark.parametrize("shape", ["plane", "cloth", "level", "ball", "box", "dome", "tube", "ring"])
@pytest.mark.parametrize("camera", [{"pitch": 0.0}, {"yaw": 90.0, "pitch": 89.0}, {"distance": 0.5}, {"yaw": 89.9}])
def test_no_pixel_is_ever_not_finite(shape, camera):
    """At grazing angles, from inside the shape and with everything on."""
    rough = strand("n", bead("object"), bead("noise", settings={"octaves": 2}, scale=3))
    film = {"film": 400, "lighting": "lit", "roughness": 0.0}
    matter = {"refraction": 4.0, "absorbed": [0, 0.5, 1], "scattering": 1000}
    channels = {"displacement": [{"strand": "n"}], "normal": [], "opacity": [{"strand": "n", "gain": 0.1}]}
    given = {"composite": "see-through", "body": "filled", "displacement": 1.0, "channels": channels, **film, **matter}
    on = {name: {"on": True} for name in ("floor", "wall", "post", "ball")}
    stage = {"shape": shape, "camera": camera, "neighbours": on}
    made = frame(build(effect(rough, surface=given, stage=stage)), 0.3, 32, 32)
    assert np.isfinite(made).all()


RIM = strand("rim", bead("fresnel"))


def shell(refraction, body="hollow", **neighbours):
    surface = {"body": body, "opacity": 0.1, "refraction": refraction, "channels": {"emission": [{"strand": "rim"}]}}
    stage = {"shape": "ball", "neighbours": neighbours, "backdrop": {"kind": "plain"}, "bloom": {"strength": 0}}
    return effect(RIM, surface=surface, stage=stage)


@pytest.mark.parametrize("refraction", [1.0, 1.2, 1.5])
def test_what_stands_in_a_shell_is_seen_whole_and_without_a_hole(refraction):
    """A red ball in the middle: along each row through it it is one run, as wide as the bend makes it."""
    ball = {"on": True, "centre": [0, 0, 0], "radius": 0.35, "colour": [1, 0, 0]}
    made = lit_scene(build(shell(refraction, ball=ball)), 0.0, 128, 128, None, False, 1)
    red = made[0] > made[1] * 1.7 + 0.02
    rows = [np.flatnonzero(row) for row in red[40:88] if row.sum() > 3]
    assert len(rows) > 20 and all(len(r) == r[-1] - r[0] + 1 for r in rows)
    # The farther light is bent, the larger it is seen.
    wide = max(map(len, rows))
    assert wide == pytest.approx(128 / 4 / np.tan(np.radians(17)) * 0.35 * refraction, rel=0.1)


def test_at_an_index_of_one_a_shell_changes_nothing_of_what_stands_through_it():
    post = {"on": True, "foot": [0.3, -1.5, 0.2], "tall": 3.0, "colour": [0.8, 0.8, 0.8]}
    clear = shell(1.0, post=post)
    clear = clear.model_copy(update={"surface": clear.surface.model_copy(update={"opacity": 0.0})})
    nothing = {"composite": "see-through", "opacity": 0.0}
    empty = effect(strand("none", bead("constant", value=0.0)), stage=clear.stage.model_dump(), surface=nothing)
    through, bare = (lit_scene(build(e), 0.0, 96, 96, None, False, 1) for e in (clear, empty))
    # Inside the outline, where the rim's own glow is faint.
    y, x = np.mgrid[0:96, 0:96]
    inside = np.hypot(x - 48, y - 48) < 19
    assert np.quantile(np.abs(through - bare)[0][inside], 0.9) < 0.03


def test_a_curved_mirror_shows_tiles_that_are_finer_than_pixels_as_their_mean():
    """Neighbouring frames of a chrome ball that is hardly turned differ little: nothing crawls."""
    white = strand("w", bead("constant", value=0.9))
    surface = {
        "composite": "solid",
        "lighting": "lit",
        "roughness": 0.0,
        "metallic": 1.0,
        "channels": {"base": [{"strand": "w"}]},
    }
    pictures = []
    for yaw in (20.0, 20.25):
        stage = {
            "shape": "ball",
            "bloom": {"strength": 0},
            "camera": {"yaw": yaw, "pitch": 12},
            "neighbours": {"floor": {"on": True, "height": -1.05}},
        }
        pictures.append(lit_scene(build(effect(white, surface=surface, stage=stage)), 0.0, 96, 96, None, False, 1)[1])
    y, x = np.mgrid[0:96, 0:96]
    edge = (np.hypot(x - 47.5, y - 47.5) < 37) & (np.hypot(x - 47.5, y - 47.5) > 30) & (y > 60)
    assert np.abs(pictures[1] - pictures[0])[edge].max() < 0.06


def test_every_vertex_before_a_step_is_lit_alike():
    """Heights that jump are climbed from one vertex to the next, along the whole of the step."""
    step = strand(
        "h", bead("uv"), bead("linear"), bead("threshold", settings={"edges": "hard"}, level=0.37, softness=0)
    )
    surface = {"displacement": 0.2, "channels": {"displacement": [{"strand": "h"}]}}
    plan = build(effect(step, surface=surface, stage={"shape": "plane", "subdivision": 2}))
    rest = plan.effect.stage.mesh_of()
    made = moved(plan, rest, cameras.numbers(plan.effect.stage, 8, 8), 0.0)
    leaning = made.normals[:, 0] < -0.5
    columns = np.unique(np.round(rest.uvs[leaning, 0], 4))
    assert len(columns) == 1 and leaning.sum() == 65
