"""Bakes on a cluster of two worker processes: the same files, though one dies midway."""

import os
import signal
import threading

import numpy as np
import pytest
from distributed import Client, LocalCluster
from PIL import Image
from typer.testing import CliRunner

from tests.documents import bead, data, strand
from tests.plan.test_code import picture_of
from whorl.bake import cluster as clusters
from whorl.bake.bake import Cancelled, bake
from whorl.bake.options import BakeOptions
from whorl.cli import app
from whorl.effect import read
from whorl.images import library
from whorl.refused import Refused


@pytest.fixture(scope="module")
def cluster():
    with LocalCluster(n_workers=2, threads_per_worker=1, processes=True, dashboard_address=None) as made:
        yield made


def pictured():
    """An effect that has a picture, which workers get once for a bake."""
    square = (np.indices((32, 32)).sum(0) // 8 % 2 * 255).astype(np.uint8)
    digest, _ = library.add(picture_of(square))
    asset = {"id": "p", "name": "planks.png", "hash": digest, "width": 32, "height": 32}
    moved = bead("scroll", offset={"motion": "drift", "cycles": 1.0})
    planks = strand("planks", bead("uv"), moved, bead("image", settings={"picture": "p"}))
    surface = {"channels": {"emission": [{"strand": "planks"}]}}
    return read(data(planks, assets=[asset], surface=surface, turn={"seconds": 1.0, "fps": 24}))


OPTIONS = BakeOptions(width=48, height=48, stills=["png", "exr"], layers=["depth"])


def files(folder):
    return {p.name: p.read_bytes() for p in folder.iterdir()}


def test_files_are_those_of_a_bake_here_though_a_worker_dies(cluster, tmp_path):
    effect = pictured()
    bake(effect, tmp_path / "here", OPTIONS)
    with Client(cluster.scheduler_address, set_as_default=False) as client:
        victim = next(iter(client.run(os.getpid).values()))
    done = []

    def told(p):
        done.append(p.done)
        if p.done == 4:
            os.kill(victim, signal.SIGKILL)

    bake(effect, tmp_path / "there", OPTIONS, told, cluster=cluster.scheduler_address)
    assert files(tmp_path / "there") == files(tmp_path / "here")
    assert done[-1] == 24 and max(done) == 24
    assert Image.open(tmp_path / "there" / "harbour-glow-0000.png").size == (48, 48)


def test_it_is_stopped_and_taken_up_again(cluster, tmp_path):
    effect = pictured()
    stop = threading.Event()

    def told(p):
        if p.done >= 5:
            stop.set()

    with pytest.raises(Cancelled):
        bake(effect, tmp_path, OPTIONS, told, stop.is_set, cluster=cluster.scheduler_address)
    there = {p.name: p.stat().st_mtime_ns for p in tmp_path.glob("*.png")}
    assert 5 <= len(there) < 24
    bake(effect, tmp_path, OPTIONS, cluster=cluster.scheduler_address)
    assert len(list(tmp_path.glob("*.png"))) == 24
    assert all((tmp_path / name).stat().st_mtime_ns == at for name, at in there.items())


def test_another_whorl_is_refused(cluster, monkeypatch):
    monkeypatch.setattr(clusters, "version", lambda name: "9.9")
    clusters.code_here.cache_clear()
    try:
        with pytest.raises(Refused, match=r"have another Whorl: 0\.1\.0 .* there, 9\.9"):
            clusters.client_of(cluster.scheduler_address)
    finally:
        monkeypatch.undo()
        clusters.code_here.cache_clear()


def test_where_nobody_answers_it_is_said(tmp_path, monkeypatch):
    monkeypatch.setattr(clusters, "PATIENCE", 1)
    for address, words in (("tcp://127.0.0.1:9", "no scheduler at"), ("nowhere", "no scheduler at")):
        done = CliRunner().invoke(
            app, ["bake", "fog-gate", "-o", str(tmp_path / "o"), "--size", "16", "--dask", address]
        )
        assert done.exit_code == 2 and words in done.output and "Traceback" not in done.output
