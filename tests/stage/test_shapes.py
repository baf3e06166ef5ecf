"""Shapes against the areas, volumes and slopes that geometry gives them."""

import numpy as np
import pytest

from whorl.effect.stage import Stage
from whorl.shapes import shape

PI = np.pi
SLANT = np.hypot(0.9, 1.7)
AREAS = {
    "plane": 4.0,
    "level": 16,
    "cloth": 4,
    "disc": PI,
    "ball": 4 * PI,
    "icosphere": 4 * PI,
    "box": 6 * 1.5**2,
    "capsule": 2 * PI * 0.55 * 0.9 + 4 * PI * 0.55**2,
    "cylinder": 2 * PI * 0.75 * 1.7 + 2 * PI * 0.75**2,
    "cone": PI * 0.9 * (0.9 + SLANT),
    "ring": 4 * PI**2 * 0.75 * 0.3,
    "dome": 2 * PI * 1.1**2,
}
VOLUMES = {
    "ball": 4 / 3 * PI,
    "icosphere": 4 / 3 * PI,
    "box": 1.5**3,
    "capsule": PI * 0.55**2 * 0.9 + 4 / 3 * PI * 0.55**3,
    "cylinder": PI * 0.75**2 * 1.7,
    "cone": PI * 0.9**2 * 1.7 / 3,
    "ring": 2 * PI**2 * 0.75 * 0.3**2,
}


def corners(name):
    mesh = shape(name)
    return mesh, mesh.positions.astype(np.float64)[mesh.triangles]


def crosses(p):
    return np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])


@pytest.mark.parametrize("name", AREAS)
def test_the_area_is_the_closed_form(name):
    _, p = corners(name)
    assert np.linalg.norm(crosses(p), axis=1).sum() / 2 == pytest.approx(AREAS[name], rel=3e-3)


@pytest.mark.parametrize("name", VOLUMES)
def test_the_volume_inside_is_the_closed_form_so_every_face_looks_outwards(name):
    _, p = corners(name)
    # The divergence theorem over the triangles.
    volume = np.einsum("ij,ij->i", p[:, 0], crosses(p)).sum() / 6
    assert volume == pytest.approx(VOLUMES[name], rel=5e-3)


@pytest.mark.parametrize("name", AREAS)
def test_normals_are_of_length_one_and_those_of_the_faces(name):
    mesh, p = corners(name)
    assert np.linalg.norm(mesh.normals, axis=1) == pytest.approx(1, abs=1e-5)
    face = crosses(p)
    large = np.linalg.norm(face, axis=1) > 1e-6
    face = face[large] / np.linalg.norm(face[large], axis=1, keepdims=True)
    corner = mesh.normals[mesh.triangles[large]]
    assert np.einsum("tkc,tc->tk", corner, face).min() > 0.98


@pytest.mark.parametrize("name", AREAS)
def test_uvs_lie_in_the_unit_square_and_run_right_handed_on_the_outside(name):
    mesh, _p = corners(name)
    assert mesh.uvs.min() >= 0 and mesh.uvs.max() <= 1
    uv = mesh.uvs.astype(np.float64)[mesh.triangles]
    turn = (uv[:, 1, 0] - uv[:, 0, 0]) * (uv[:, 2, 1] - uv[:, 0, 1]) - (uv[:, 1, 1] - uv[:, 0, 1]) * (
        uv[:, 2, 0] - uv[:, 0, 0]
    )
    # Writing on a shape is never seen in a mirror.
    assert (turn > -1e-9).all() and turn.sum() > 0


@pytest.mark.parametrize("name", ["capsule", "cylinder", "cone", "dome", "ring"])
def test_v_runs_evenly_along_the_outline_and_u_round_it(name):
    mesh = shape(name)
    x, y, z = mesh.positions.T.astype(np.float64)
    radius = np.hypot(x, z)
    off = radius > 1e-6
    angle = np.arctan2(x[off], z[off])
    u = (mesh.uvs[off, 0] * 2 - 1) * PI
    assert np.cos(angle - u) == pytest.approx(1, abs=1e-6)
    seam = mesh.uvs[:, 0] == 0
    order = np.argsort(mesh.uvs[seam, 1], kind="stable")
    path = np.stack([radius[seam][order], y[seam][order]], axis=1)
    length = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(path, axis=0), axis=1))])
    assert np.sort(mesh.uvs[seam, 1]) == pytest.approx(length / length[-1], abs=1e-5)


def test_the_triangles_of_an_icosphere_are_nearly_alike_and_none_runs_round_the_seam():
    mesh, p = corners("icosphere")
    area = np.linalg.norm(crosses(p), axis=1) / 2
    # But for those that are cut where u begins anew, of which there are few.
    assert np.quantile(area, 0.99) < 2 * np.quantile(area, 0.02)
    _, flat = corners("ball")
    other = np.linalg.norm(crosses(flat), axis=1) / 2
    assert np.quantile(other, 0.99) > 10 * np.quantile(other, 0.02)
    u = mesh.uvs[mesh.triangles, 0]
    far = np.abs(p[:, :, 1]).max(axis=1) < 0.95
    assert np.ptp(u[far], axis=1).max() < 0.06
    # The same UV as the other ball's, by longitude and latitude.
    x, y, z = mesh.positions.astype(np.float64).T
    inside = (mesh.uvs[:, 0] > 1e-3) & (mesh.uvs[:, 0] < 1 - 1e-3) & (np.abs(y) < 0.999)
    assert mesh.uvs[inside, 0] == pytest.approx(np.arctan2(x, z)[inside] / (2 * PI) + 0.5, abs=1e-5)
    assert mesh.uvs[:, 1] == pytest.approx(np.arcsin(np.clip(y, -1, 1)) / PI + 0.5, abs=1e-3)


@pytest.mark.parametrize("name", AREAS)
def test_edges_are_everywhere_or_nowhere_and_the_shape_stays(name):
    made, smooth, hard = (Stage(shape=name, edges=e).mesh_of() for e in ("as made", "smooth", "hard"))
    p = hard.positions.astype(np.float64)[hard.triangles]
    face = crosses(p)
    large = np.linalg.norm(face, axis=1) > 1e-6
    face = face[large] / np.linalg.norm(face[large], axis=1, keepdims=True)
    assert np.abs(hard.normals[hard.triangles[large]] - face[:, None]).max() < 1e-4
    # Where vertices share a place they share a normal.
    first = smooth.together[:, 0].astype(int)
    assert np.abs(smooth.normals - smooth.normals[first]).max() < 1e-6
    assert np.linalg.norm(smooth.normals, axis=1) == pytest.approx(1, abs=1e-5)
    for other in (smooth, hard):
        assert len(other.triangles) == len(made.triangles)
        areas = [
            np.linalg.norm(crosses(m.positions.astype(np.float64)[m.triangles]), axis=1).sum() for m in (made, other)
        ]
        assert areas[0] == pytest.approx(areas[1])


@pytest.mark.parametrize("finer", [0, 1])
@pytest.mark.parametrize("name", AREAS)
def test_what_is_coarser_for_small_pictures_is_the_same_shape_with_half_the_triangles_or_fewer(name, finer):
    stage = Stage(shape=name, subdivision=finer)
    last = full = stage.mesh_of()
    for made in stage.coarser():
        assert len(made.triangles) <= len(last.triangles) * 0.5
        assert made.size == pytest.approx(full.size, rel=0.07, abs=0.07) and made.low == pytest.approx(
            full.low, abs=0.05
        )
        assert np.ptp(made.uvs, axis=0) == pytest.approx(np.ptp(full.uvs, axis=0), abs=0.05)
        p = made.positions.astype(np.float64)[made.triangles]
        # A regular polygon of eight sides has 0.90 of its circle; what is round has no fewer.
        assert 0.85 * AREAS[name] < np.linalg.norm(crosses(p), axis=1).sum() / 2 < 1.01 * AREAS[name]
        facing = np.einsum("ij,ij->i", crosses(p), made.normals[made.triangles].mean(axis=1))
        # At a pole some are lines.
        assert (facing > -1e-12).all() and (facing > 1e-9).mean() > 0.7
        last = made
    # Two triangles cannot be fewer; what is finer can be halved as often as that.
    assert (last is full) == (name in ("plane", "level", "box") and not finer)
