"""Meshes over HTTP, and in the bundle of an effect."""

import io
import zipfile

import numpy as np
import pytest
import trimesh

from whorl.bundle import read_file, write_bundle
from whorl.effect.document import Effect
from whorl.effect.stage import MeshFile, Stage
from whorl.images.library import Library

CRATE = trimesh.creation.box().export(file_type="stl")


def with_mesh(digest: str) -> Effect:
    return Effect(name="Hull", stage=Stage(shape="mesh", mesh=MeshFile(name="hull.stl", hash=digest, up="z")))


def test_a_bundle_carries_the_mesh_to_another_library(tmp_path):
    here, there = Library(tmp_path / "a"), Library(tmp_path / "b")
    digest, made = here.add_solid(CRATE)
    assert len(made.triangles) == 12
    data = write_bundle(with_mesh(digest), here)
    assert read_file(data, there) == with_mesh(digest)
    assert there.data(digest) == CRATE


@pytest.mark.parametrize("spoil", ["gone", "other"])
def test_a_bundle_without_its_mesh_is_refused_and_nothing_is_kept(tmp_path, spoil):
    from whorl.effect import BadEffect

    here, there = Library(tmp_path / "a"), Library(tmp_path / "b")
    digest, _ = here.add_solid(CRATE)
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(write_bundle(with_mesh(digest), here))) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist():
            if not name.startswith("assets/"):
                new.writestr(name, old.read(name))
            elif spoil == "other":
                new.writestr(name, CRATE + b" ")
    with pytest.raises(BadEffect, match=r"hull\.stl"):
        read_file(out.getvalue(), there)
    assert there.data(digest) is None


def test_the_mesh_of_a_shape_says_which_vertices_stand_together():
    from whorl.shapes import shape

    mesh = shape("box")
    first, count, own = mesh.together.T.astype(int)
    assert (own == np.arange(len(own))).all() and count.min() == count.max() == 3
    assert np.abs(mesh.positions[first] - mesh.positions).max() < 1e-6
    # A corner's common way is the mean of its three faces'.
    assert np.abs(mesh.shared_normals) == pytest.approx(np.full((24, 3), 3**-0.5), abs=1e-6)
