"""The tube along a path, and meshes that are brought in."""

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from whorl.effect.stage import PathPoint, Stage
from whorl.images.library import Library
from whorl.images.solid import BadSolid, kind_of, read_solid
from whorl.refused import Refused
from whorl.shapes.brought import fitted
from whorl.shapes.spec import Knot
from whorl.shapes.tube import along, inserted, tube
from whorl.shapes.tube import fitted as fitted_path

STRAIGHT = tuple(Knot((x, 0.0, 0.0, 0.25)) for x in (-1, -0.2, 0.7, 1))
ROUND = tuple(Knot((np.cos(a), np.sin(a), 0.3 * a, 0.1)) for a in np.linspace(0, 5, 12))


def corners(mesh):
    return mesh.positions.astype(float)[mesh.triangles]


def area(mesh):
    c = corners(mesh)
    return np.linalg.norm(np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0]), axis=1).sum() / 2


def test_a_straight_tube_is_a_cylinder_without_ends():
    made = tube(STRAIGHT)
    assert area(made) == pytest.approx(2 * np.pi * 0.25 * 2, rel=5e-3)
    off = np.linalg.norm(made.positions[:, 1:], axis=1)
    assert off == pytest.approx(0.25, abs=1e-5)
    assert np.einsum("ij,ij->i", made.normals[:, 1:], made.positions[:, 1:]) == pytest.approx(0.25, abs=1e-4)
    c = corners(made)
    out = np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0])
    assert ((out * made.normals[made.triangles[:, 0]]).sum(axis=1) > 0).all()


def test_the_path_goes_through_its_points_and_v_runs_evenly_along_it():
    places, radii, _ = along(ROUND, 400)
    for p in ROUND:
        assert np.linalg.norm(places - np.array(p.at[:3]), axis=1).min() < 0.01
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    assert steps.max() / steps.min() < 1.02
    assert radii == pytest.approx(0.1)


def test_a_tube_does_not_twist():
    """Along a frame that is carried in parallel, neighbouring rings turn only as the path bends."""
    made = tube(ROUND)
    ring = made.positions.reshape(161, 25, 3)
    side = ring[:, 0] - ring[:, :-1].mean(axis=1)
    ahead = np.gradient(ring[:, :-1].mean(axis=1), axis=0)
    ahead /= np.linalg.norm(ahead, axis=1, keepdims=True)
    turn = np.cross(side[:-1], side[1:]) / 0.1**2
    assert np.abs((turn * ahead[:-1]).sum(axis=1)).max() < 2e-3


def wobbling(curve, count=180, shake=0.004, seed=3):
    """A line drawn along a curve over 0..1 by a hand that trembles and slows down."""
    t = np.linspace(0, 1, count) ** 1.3
    line = np.stack([np.broadcast_to(np.asarray(x, float), t.shape) for x in curve(t)], axis=1)
    line[1:-1, :2] += np.random.default_rng(seed).normal(0, shake, (count - 2, 2))
    return line


@pytest.mark.parametrize(
    ("curve", "closed", "most"),
    [
        (lambda t: (2 * t - 1, 0.3 * t, 0), False, 3),
        (lambda t: (2 * t - 1, 0.5 * np.sin(2 * np.pi * t), 0.2), False, 9),
        (lambda t: (np.cos(2 * np.pi * t), np.sin(2 * np.pi * t), 0), True, 8),
        (lambda t: (np.sin(2 * np.pi * t), 0.6 * np.sin(4 * np.pi * t), 0), True, 16),
    ],
    ids=["straight", "wave", "ring", "eight"],
)
def test_a_drawn_line_is_followed_by_few_points(curve, closed, most):
    path, is_closed = fitted_path(wobbling(curve), 0.1, 24)
    assert is_closed is closed and len(path) <= most
    places, radii, _ = along(path, 500, closed)
    true = np.stack([np.broadcast_to(np.asarray(x, float), 2000) for x in curve(np.linspace(0, 1, 2000))], axis=1)
    off = np.linalg.norm(places[:, None] - true[None], axis=2).min(axis=1)
    # Within three hundredths of its extent, and nothing of the line is left out.
    assert off.max() < 0.06 and np.linalg.norm(places[None] - true[:, None], axis=2).min(axis=1).max() < 0.06
    assert radii == pytest.approx(0.1)
    assert np.isfinite(tube(path, closed=closed).positions).all()


@given(st.lists(st.tuples(*[st.floats(-3, 3)] * 3), min_size=2, max_size=60))
@settings(max_examples=60, deadline=None)
def test_any_line_is_a_path_or_is_refused(line):
    try:
        path, closed = fitted_path(np.array(line, float), 0.1, 24)
    except Refused as refused:
        assert "too short" in str(refused)
        return
    assert 2 <= len(path) <= 24 and np.isfinite(tube(path, closed=closed).positions).all()


@pytest.mark.parametrize("closed", [False, True])
@pytest.mark.parametrize("segment", [0, 5, 10])
def test_a_point_that_is_put_in_leaves_the_path_where_it_is(closed, segment):
    """Also a second one beside it, and when both lie at an end."""
    path = tuple(k._replace(at=(*k.at[:3], 0.05 + 0.01 * i)) for i, k in enumerate(ROUND))
    before, radii, _ = along(path, 900, closed)
    more = inserted(inserted(path, segment, closed), segment, closed)
    assert len(more) == len(path) + 2
    after, thick, _ = along(more, 900, closed)
    assert np.abs(after - before).max() < 2e-3 and np.abs(thick - radii).max() < 2e-4
    # The new points are points of it, and a step aside moves it there.
    assert np.linalg.norm(before - np.array(more[segment + 1].at[:3]), axis=1).min() < 5e-3
    at = more[segment + 1].at
    aside = list(more)
    aside[segment + 1] = more[segment + 1]._replace(at=(at[0], at[1], at[2] + 0.2, at[3]))
    assert np.abs(along(tuple(aside), 900, closed)[0] - before).max() > 0.1


def test_a_closed_tube_meets_itself_without_a_twist_and_is_a_torus():
    path = tuple(Knot((np.cos(a), np.sin(a), 0.0, 0.2)) for a in np.linspace(0, 2 * np.pi, 16, endpoint=False))
    made = tube(path, closed=True)
    ring = made.positions.astype(float).reshape(161, 25, 3)
    assert ring[-1] == pytest.approx(ring[0], abs=1e-5)
    assert made.normals.reshape(161, 25, 3)[-1] == pytest.approx(made.normals.reshape(161, 25, 3)[0], abs=1e-4)
    assert area(made) == pytest.approx(4 * np.pi**2 * 1.0 * 0.2, rel=0.01)
    # One that leaves its plane turns its frame; that is spread, so rings meet there too.
    bent = tuple(Knot((np.cos(a), np.sin(a), 0.5 * np.sin(2 * a + 1), 0.1)) for a in np.linspace(0, 6.28, 12)[:-1])
    ring = tube(bent, closed=True).positions.astype(float).reshape(161, 25, 3)
    assert ring[-1] == pytest.approx(ring[0], abs=1e-4)
    assert np.linalg.norm(np.diff(ring, axis=0), axis=2).max() < 0.15


def test_a_tilt_turns_the_tube_about_its_path():
    turned = (*STRAIGHT[:3], STRAIGHT[3]._replace(tilt=90.0))
    plain, made = (tube(p).positions.astype(float).reshape(161, 25, 3) for p in (STRAIGHT, turned))
    assert made[0] == pytest.approx(plain[0], abs=0.02)
    side, was = made[-1, 0, 1:], plain[-1, 0, 1:]
    assert side @ was == pytest.approx(0, abs=1e-4) and np.linalg.norm(side) == pytest.approx(0.25, abs=1e-4)


def test_points_on_top_of_each_other_and_the_thinnest_tube_stay_finite():
    for path in ([PathPoint(at=[0, 0, 0], radius=0.001)] * 3, [PathPoint(at=[0, y, 0]) for y in (0, 1, 0, 1)]):
        made = Stage(shape="tube", path=path).mesh_of()
        for part in (made.positions, made.normals, made.gradients, made.shared_normals):
            assert np.isfinite(part).all()


KINDS = ("obj", "ply", "stl", "glb")


def written(kind, mesh):
    made = mesh.export(file_type=kind)
    return made.encode() if isinstance(made, str) else made


@pytest.mark.parametrize("kind", KINDS)
def test_a_mesh_file_is_read_and_fitted_to_the_stage(kind):
    source = trimesh.creation.icosphere(subdivisions=3, radius=50)
    source.apply_translation([100, 0, 7])
    data = written(kind, source)
    assert kind_of(data) == kind
    made = fitted(read_solid(data), "y")
    assert np.linalg.norm(made.positions, axis=1) == pytest.approx(1, abs=2e-3)
    assert (made.normals * made.positions).sum(axis=1).min() > 0.98
    assert area(made) == pytest.approx(4 * np.pi, rel=0.02)


def test_the_up_axis_is_as_it_is_set_and_a_box_keeps_its_edges():
    box = read_solid(written("stl", trimesh.creation.box(extents=[1, 2, 4])))
    up = fitted(box, "z")
    assert np.ptp(up.positions, axis=0) == pytest.approx([0.5, 2, 1])
    # By the angle alone.
    assert np.abs(up.normals).max(axis=1) == pytest.approx(1)


def test_without_uv_it_has_those_of_the_box_around_it():
    made = fitted(read_solid(written("ply", trimesh.creation.box())), "y")
    assert made.uvs.min() == pytest.approx(0) and made.uvs.max() == pytest.approx(1)
    top = made.normals[:, 1] > 0.9
    assert made.uvs[top, 0] == pytest.approx(made.positions[top, 0] / 2 + 0.5)


@pytest.mark.parametrize("kind", KINDS)
def test_without_uv_no_triangle_is_stretched_over_two_sides_of_the_box(kind):
    """A projection along the axis that a face looks to most keeps at least 1/√3 of its area, and lengthens nothing."""
    made = fitted(read_solid(written(kind, trimesh.creation.icosphere(subdivisions=3, radius=3))), "y")
    there, uv = made.positions.astype(float)[made.triangles], made.uvs.astype(float)[made.triangles]
    extent = np.ptp(made.positions, axis=0).max()
    for a, b in ((0, 1), (1, 2), (2, 0)):
        along = np.linalg.norm(uv[:, a] - uv[:, b], axis=1) * extent
        assert (along <= np.linalg.norm(there[:, a] - there[:, b], axis=1) * 1.01).all()
    area = np.linalg.norm(np.cross(there[:, 1] - there[:, 0], there[:, 2] - there[:, 0]), axis=1)
    flat = np.abs(np.cross(uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0])) * extent**2
    assert (flat >= area / np.sqrt(3) * 0.98).all()


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"", "no triangles|not a mesh"),
        (b"what is this", "no triangles|not a mesh"),
        (b"glTF" + b"\0" * 60, "not a mesh"),
        (b"ply\nformat ascii 1.0\nelement vertex 3\nend_header\n", "no triangles|not a mesh"),
        (b"v 0 0 0\nv 1 0 0\nv 0 nan 0\nf 1 2 3\n", "not finite"),
        (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "not there|not a mesh"),
        (b"v 2 2 2\nv 2 2 2\nv 2 2 2\nf 1 2 3\n", "single point"),
        (b"v 0 0 0\n", "no triangles|not a mesh"),
    ],
)
def test_a_bad_file_is_refused_in_words_and_nothing_is_kept(tmp_path, data, words):
    library = Library(tmp_path)
    with pytest.raises(BadSolid, match=words):
        library.add_solid(data)
    assert not list(tmp_path.iterdir())


def test_too_large_a_file_is_refused_before_it_is_read():
    with pytest.raises(BadSolid, match="up to 64 MiB"):
        read_solid(b"v 0 0 0\n" * (9 * 1024 * 1024))


def test_zero_area_triangles_leave_every_number_finite():
    data = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nv 1 0 0\nf 1 2 3\nf 1 2 4\nf 2 2 2\n"
    made = fitted(read_solid(data), "y").gathered()
    for part in (made.positions, made.normals, made.uvs, made.gradients, made.shared_normals, made.together):
        assert np.isfinite(part).all()
