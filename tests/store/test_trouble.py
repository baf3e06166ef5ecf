"""The worst day of the store: full disks, locked databases, damaged files, effects of another version."""

import hashlib
import os
import sqlite3
import threading
import time

import pytest
from sqlalchemy import text

from tests.bake.test_bake import small
from tests.documents import effect, mist
from tests.images.pictures import encoded, lanterns
from tests.store.test_store import ended
from whorl.bake.options import BakeOptions
from whorl.images import Library
from whorl.images.library import NotKept
from whorl.store import database
from whorl.store.bakes import Bakes
from whorl.store.database import Busy, open_database, reading, writing
from whorl.store.effects import Effects
from whorl.store.room import Room


@pytest.fixture
def engine(tmp_path, monkeypatch):
    monkeypatch.setattr(database, "PATIENCE", 0.2)
    made = open_database(tmp_path / "whorl.db")
    yield made
    made.dispose()


@pytest.fixture
def held(tmp_path, engine):
    """A write lock that somebody else holds until it is let go."""
    other = sqlite3.connect(tmp_path / "whorl.db", isolation_level=None, check_same_thread=False)
    other.execute("BEGIN IMMEDIATE")
    yield other
    other.close()


def test_readers_wait_for_no_writer_and_writers_say_that_they_are_busy(engine, tmp_path):
    store = Effects(engine)
    id = store.add(effect(mist())).id
    with sqlite3.connect(tmp_path / "whorl.db", isolation_level=None) as other:
        other.execute("BEGIN IMMEDIATE")
        begun = time.monotonic()
        assert [e.id for e in store.listed()] == [id] and store.get(id).revision == 1
        assert time.monotonic() - begun < 0.15
        with pytest.raises(Busy, match="busy; try again"):
            store.save(id, effect(mist(scale=2)), 1)
        other.execute("ROLLBACK")
    assert store.save(id, effect(mist(scale=2)), 1).revision == 2


def test_a_full_disk_is_told_and_changes_nothing(engine):
    store = Effects(engine)
    id = store.add(effect(mist())).id
    with engine.connect() as c:
        pages = c.execute(text("PRAGMA page_count")).scalar()
    big = effect(mist()).model_copy(update={"notes": "n" * 20000})

    @database.event.listens_for(engine, "begin")
    def _full(connection):
        connection.exec_driver_sql(f"PRAGMA max_page_count={pages}")

    with pytest.raises(Busy, match="the disk is full; nothing was changed"):
        for base in range(1, 60):
            store.save(id, big, base)
    head = store.get(id).revision
    assert [n for n, _ in store.revisions(id)] == list(range(head, 0, -1))


def test_bakes_wait_while_the_database_is_held_say_so_and_go_on(engine, tmp_path, held):
    held.execute("ROLLBACK")
    bakes, store = Bakes(engine, tmp_path / "bakes"), Effects(engine)
    id = store.add(small()).id
    first, second = (bakes.add(id, small(), BakeOptions(width=16, height=16)) for _ in range(2))
    held.execute("BEGIN IMMEDIATE")
    bakes.start()
    deadline = time.monotonic() + 20
    while "busy" not in bakes.get(first.id).words and time.monotonic() < deadline:
        time.sleep(0.02)
    assert bakes.get(first.id).words == "waiting: the database is busy; try again"
    held.execute("ROLLBACK")
    assert [ended(bakes, x.id).state for x in (first, second)] == ["done", "done"]
    thread = bakes.thread
    assert thread.is_alive()
    bakes.stop()
    assert not thread.is_alive()


def test_a_server_that_stops_while_the_database_is_held_ends(engine, tmp_path, held):
    held.execute("ROLLBACK")
    bakes, store = Bakes(engine, tmp_path / "bakes"), Effects(engine)
    job = bakes.add(store.add(small()).id, small(), BakeOptions(width=16, height=16))
    held.execute("BEGIN IMMEDIATE")
    bakes.start()
    time.sleep(0.5)
    begun = time.monotonic()
    thread = bakes.thread
    bakes.stop()
    assert time.monotonic() - begun < 5 and not thread.is_alive()
    held.execute("ROLLBACK")
    again = Bakes(engine, tmp_path / "bakes")
    again.start()
    assert ended(again, job.id).state == "done"
    again.stop()


def test_an_effect_of_another_version_stands_on_the_shelf_as_unreadable(engine):
    store = Effects(engine)
    for name in ("Fog", "Mist"):
        store.add(effect(mist(), name=name))
    with writing(engine) as s:
        s.execute(text("UPDATE effects SET version = 9 WHERE name = 'Mist'"))
        s.execute(text("UPDATE revisions SET document = '{}' WHERE effect_id = 'mist'"))
    assert [(e.name, bool(e.words)) for e in store.listed()] == [("Fog", False), ("Mist", True)]
    assert "version 9 is not known" in store.listed()[1].words


def test_a_shelf_of_the_first_version_is_brought_up_to_date(tmp_path):
    from importlib.resources import files

    from alembic import command
    from alembic.config import Config
    from sqlalchemy import create_engine

    from whorl.effect import write_text

    config = Config()
    config.set_main_option("script_location", str(files("whorl.store") / "migrations"))
    old = create_engine(f"sqlite:///{tmp_path / 'old.db'}")
    turn = {"seconds": 2.5, "fps": 30}
    document = write_text(effect(mist(), turn=turn, variants=[{"id": "wild", "name": "Wild"}]))
    with old.begin() as c:
        config.attributes["connection"] = c
        command.upgrade(config, "0001")
        for id, kept in (("fog", document), ("torn", "{"), ("later", '{"version": 7}')):
            c.execute(
                text("INSERT INTO effects VALUES (:id, :id, 1, '2026-01-01 10:00:00', '2026-01-01 10:00:00', NULL)"),
                {"id": id},
            )
            c.execute(
                text("INSERT INTO revisions VALUES (NULL, :id, 1, :document, '2026-01-01 10:00:00')"),
                {"id": id, "document": kept},
            )
    old.dispose()
    listed = {e.id: e for e in Effects(open_database(tmp_path / "old.db")).listed()}
    assert (listed["fog"].seconds, listed["fog"].fps, listed["fog"].words) == (2.5, 30, "")
    assert [(v.id, v.name) for v in listed["fog"].variants] == [("wild", "Wild")] and listed["torn"].variants == []
    assert listed["torn"].words and "version 7" in listed["later"].words


def test_tags_are_kept_and_listed(engine):
    store = Effects(engine)
    id = store.add(effect(mist())).id
    assert store.tag(id, ["water", "Ünder sea"]).tags == ["water", "Ünder sea"]
    store.save(id, effect(mist(scale=2)), 1)
    assert [e.tags for e in store.listed()] == [["water", "Ünder sea"]]


def test_of_readers_and_writers_all_at_once_none_fails(engine):
    store = Effects(engine)
    ids = [store.add(effect(mist(), name=f"E{k}")).id for k in range(4)]
    wrong = []

    def write(id):
        try:
            for base in range(1, 12):
                store.save(id, effect(mist(scale=base)), base)
        except Exception as e:
            wrong.append(e)

    def read():
        try:
            for _ in range(60):
                assert len(store.listed()) == 4
        except Exception as e:
            wrong.append(e)

    threads = [threading.Thread(target=write, args=(id,)) for id in ids] + [threading.Thread(target=read)] * 1
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    busy = [e for e in wrong if isinstance(e, Busy)]
    assert len(busy) == len(wrong)
    with reading(engine) as s:
        assert s.execute(text("SELECT count(*) FROM revisions")).scalar() == sum(store.get(id).revision for id in ids)


@pytest.mark.parametrize("damage", [b"", b"half of it"])
def test_a_damaged_file_is_told_and_mended_by_bringing_it_in_again(tmp_path, damage):
    kept, file = Library(tmp_path), encoded(lanterns())
    digest, _ = kept.add(file)
    (tmp_path / digest).write_bytes(damage)
    assert kept.data(digest) is None
    with pytest.raises(NotKept, match="damaged or gone"):
        kept.sheet(digest, "colour")
    assert kept.keep(file) == digest and kept.data(digest) == file
    assert kept.sheet(digest, "colour").size[:2] == (37, 23)
    assert [p.name for p in tmp_path.iterdir()] == [digest]


def test_what_nothing_refers_to_goes_after_a_week_and_all_else_stays(engine, tmp_path):
    assets, bakes = tmp_path / "assets", tmp_path / "bakes"
    library, jobs, store = Library(assets), Bakes(engine, bakes), Effects(engine)
    used, unused, young = (library.keep(f"file {k}".encode()) for k in range(3))
    asset = {"id": "a", "name": "a.png", "hash": used, "width": 2, "height": 2}
    first = store.add(effect(mist(), assets=[asset]))
    # It is named by an older revision only: that one can still be gone back to.
    store.save(first.id, effect(mist()), 1)
    kept, lost = (jobs.add(first.id, small(), BakeOptions(width=16, height=16)).id for _ in range(2))
    gone = store.add(effect(mist(), name="Gone"))
    orphan = jobs.add(gone.id, small(), BakeOptions(width=16, height=16)).id
    store.delete(gone.id)
    for id in (kept, lost, orphan, "nobodys"):
        (bakes / id).mkdir(parents=True)
        (bakes / id / "frame.png").write_bytes(b"x" * 1000)
    jobs.remove(lost)
    week_ago = time.time() - 8 * 86400
    for path in (assets / used, assets / unused, bakes / orphan / "frame.png", bakes / "nobodys" / "frame.png"):
        os.utime(path, (week_ago, week_ago))
    room = Room(engine, tmp_path)
    loose = {x.path.name: x.bytes for x in room.loose()}
    assert loose == {unused: 6, young: 6, orphan: 1000, "nobodys": 1000}
    assert {x.path.name for x in room.free()} == {unused, orphan, "nobodys"}
    assert {p.name for p in assets.iterdir()} == {used, young} and {p.name for p in bakes.iterdir()} == {kept}
    assert hashlib.sha256((assets / used).read_bytes()).hexdigest() == used
    # What was brought in within the hour may belong to a document that is not saved yet.
    assert room.free(older=0.0) == []
