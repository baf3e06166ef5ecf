"""The store: revisions, stale saves, and bakes that outlive their server."""

import threading
import time

import pytest
from sqlalchemy import text

from tests.bake.test_bake import small
from tests.documents import effect, mist
from whorl.bake.options import BakeOptions
from whorl.store.bakes import Bakes
from whorl.store.database import open_database
from whorl.store.effects import Effects, Missing, Stale


@pytest.fixture
def engine(tmp_path):
    made = open_database(tmp_path / "whorl.db")
    yield made
    made.dispose()


def test_the_database_keeps_a_log_and_foreign_keys(engine):
    with engine.connect() as c:
        assert c.execute(text("PRAGMA journal_mode")).scalar() == "wal"
        assert c.execute(text("PRAGMA foreign_keys")).scalar() == 1


def test_migrations_make_the_tables_that_the_models_describe(engine):
    from alembic.autogenerate import compare_metadata
    from alembic.migration import MigrationContext

    from whorl.store.models import Base

    with engine.connect() as c:
        assert compare_metadata(MigrationContext.configure(c), Base.metadata) == []


def test_every_revision_is_kept_and_a_stale_save_is_refused(engine):
    store = Effects(engine)
    first = store.add(effect(mist(scale=3)))
    second = store.save(first.id, effect(mist(scale=5)), 1)
    assert (first.revision, second.revision) == (1, 2)
    with pytest.raises(Stale) as caught:
        store.save(first.id, effect(mist(scale=9)), 1)
    assert caught.value.head == 2
    assert store.get(first.id).effect.strands[0].beads[1].params["scale"] == 5
    assert store.get(first.id, 1).effect.strands[0].beads[1].params["scale"] == 3
    assert [n for n, _ in store.revisions(first.id)] == [2, 1]


def test_of_many_that_save_at_once_each_revision_goes_to_one(engine):
    store = Effects(engine)
    id = store.add(effect(mist())).id
    won, lost = [], []

    def save(k):
        try:
            won.append(store.save(id, effect(mist(scale=k + 1)), 1).revision)
        except Stale:
            lost.append(k)

    threads = [threading.Thread(target=save, args=(k,)) for k in range(8)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert won == [2] and len(lost) == 7


def test_deleting_takes_off_the_shelf_and_restoring_brings_back(engine):
    store = Effects(engine)
    id = store.add(effect(mist())).id
    store.delete(id)
    assert store.listed() == []
    with pytest.raises(Missing):
        store.save(id, effect(mist()), 1)
    store.delete(id, deleted=False)
    assert [k.id for k in store.listed()] == [id]


def test_two_effects_of_one_name_have_ids_of_their_own(engine):
    store = Effects(engine)
    assert len({store.add(effect(mist())).id for _ in range(3)}) == 3


def ended(bakes, id, seconds=60):
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        job = bakes.get(id)
        if job.state in ("done", "cancelled", "failed"):
            return job
        time.sleep(0.02)
    raise AssertionError(f"the bake did not end: {job}")


def test_a_bake_runs_to_its_end_and_lists_its_files(engine, tmp_path):
    bakes = Bakes(engine, tmp_path / "bakes")
    id = Effects(engine).add(small()).id
    bakes.start()
    job = bakes.add(id, small(), BakeOptions(width=16, height=16, videos=["gif"]))
    done = ended(bakes, job.id)
    assert done.state == "done" and done.done == done.total == 12
    assert len(done.files) == 7
    bakes.stop()


def test_a_bake_that_was_under_way_when_the_server_died_is_taken_up_at_the_next_start(engine, tmp_path):
    folder = tmp_path / "bakes"
    id = Effects(engine).add(small()).id
    before = Bakes(engine, folder)
    job = before.add(id, small(), BakeOptions(width=16, height=16))
    # The server dies in the middle: running by its own word, two frames there, no thread left.
    before._state(job.id, "running", "frame 1")
    from whorl.bake.bake import bake

    bake(small(), before.place(job.id), BakeOptions(width=16, height=16, first=0, last=2))
    after = Bakes(engine, folder)
    after.start()
    done = ended(after, job.id)
    after.stop()
    assert done.state == "done" and len(done.files) == 6


def test_a_cancelled_bake_leaves_no_files(engine, tmp_path):
    bakes = Bakes(engine, tmp_path / "bakes")
    id = Effects(engine).add(small()).id
    job = bakes.add(id, small(), BakeOptions(width=64, height=64))
    bakes.cancel(job.id)
    bakes.start()
    assert ended(bakes, job.id).state == "cancelled"
    bakes.stop()
    assert not bakes.place(job.id).exists()


def test_a_bake_whose_folder_was_taken_away_breaks_no_list(tmp_path):
    import shutil

    engine = open_database(tmp_path / "w.db")
    kept = Effects(engine).add(effect(mist()))
    jobs = Bakes(engine, tmp_path / "bakes")
    jobs.start()
    job = jobs.add(kept.id, kept.effect, BakeOptions(width=16, height=16, last=1))
    assert len(ended(jobs, job.id).files) == 1
    shutil.rmtree(jobs.place(job.id))
    assert [(j.state, j.files, j.words) for j in jobs.all()] == [("done", [], "its files are gone")]
    jobs.remove(job.id)
    assert jobs.all() == []
    jobs.stop()
