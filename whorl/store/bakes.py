"""Bakes as jobs: one thread works through them; what a stopped server left is taken up again."""

import json
import logging
import queue
import shutil
import threading
import time
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

from sqlalchemy import Engine, select

from whorl.bake.bake import Cancelled, Progress, bake
from whorl.bake.options import BakeOptions, upgraded
from whorl.effect import BadEffect, Effect, read_text, write_text
from whorl.refused import Refused
from whorl.store.database import Busy, reading, writing
from whorl.store.effects import Missing
from whorl.store.models import BakeRow

T = TypeVar("T")
LOG = logging.getLogger("whorl.bakes")
WAITING, RUNNING, DONE, CANCELLED, FAILED = "waiting", "running", "done", "cancelled", "failed"
ENDED = (DONE, CANCELLED, FAILED)


@dataclass(frozen=True)
class Job:
    """A bake as it stands."""

    id: str
    effect_id: str
    name: str
    state: str
    done: int
    total: int
    words: str
    files: list[str]


class Bakes:
    """All bakes, and the thread that does them one after another."""

    def __init__(self, engine: Engine, folder: Path, cluster: str | None = None) -> None:
        """Frames are drawn here, or on a `cluster` by the address of its scheduler."""
        self.engine, self.folder, self.cluster = engine, folder, cluster
        self.queue: queue.Queue[str | None] = queue.Queue()
        self.cancelled: set[str] = set()
        self.closing = threading.Event()
        #: Counts changes, so that whoever watches can see that there was one without asking the database.
        self.changes = 0
        #: Why the thread waits, where the database or the disk does not take what it has to say.
        self.trouble = ""
        self.now: dict[str, Progress] = {}
        self.thread: threading.Thread | None = None

    def start(self) -> None:
        """Begin work, with what was waiting or running when the server last stopped."""
        self.closing.clear()
        self.queue = queue.Queue()
        with reading(self.engine) as s:
            left = s.scalars(
                select(BakeRow.id).where(BakeRow.state.in_([WAITING, RUNNING])).order_by(BakeRow.created)
            ).all()
        for id in left:
            self.queue.put(id)
        self.thread = threading.Thread(target=self._work, name="bakes", daemon=True)
        self.thread.start()

    def stop(self) -> None:
        """Let go after the frame at hand; the bake is taken up at the next start."""
        self.closing.set()
        self.queue.put(None)
        self._announce()
        if self.thread:
            self.thread.join(timeout=30)

    def add(self, effect_id: str, effect: Effect, options: BakeOptions) -> Job:
        """A new bake of an effect as it is now."""
        id = uuid.uuid4().hex[:12]
        with writing(self.engine) as s:
            row = BakeRow(
                id=id,
                effect_id=effect_id,
                name=effect.name,
                document=write_text(effect),
                options=options.model_dump_json(),
                state=WAITING,
            )
            s.add(row)
        self.queue.put(id)
        return self.get(id)

    def get(self, id: str) -> Job:
        """One bake. Raises Missing."""
        with reading(self.engine) as s:
            row = s.get(BakeRow, id)
            if row is None:
                raise Missing
            return self._job(row)

    def all(self, effect_id: str | None = None) -> list[Job]:
        """Bakes, the newest first."""
        query = select(BakeRow).order_by(BakeRow.created.desc()).limit(50)
        if effect_id is not None:
            query = query.where(BakeRow.effect_id == effect_id)
        with reading(self.engine) as s:
            return [self._job(row) for row in s.scalars(query)]

    def cancel(self, id: str) -> Job:
        """Stop a bake that has not ended. Raises Missing."""
        if self.get(id).state not in ENDED:
            self.cancelled.add(id)
            self._state(id, CANCELLED, "cancelled")
        return self.get(id)

    def remove(self, id: str) -> None:
        """Cancel a bake and remove its files. Raises Missing."""
        self.cancel(id)
        with writing(self.engine) as s:
            s.delete(s.get_one(BakeRow, id))
        shutil.rmtree(self.place(id), ignore_errors=True)

    def place(self, id: str) -> Path:
        """The folder of a bake's files."""
        return self.folder / id

    def _job(self, row: BakeRow) -> Job:
        live = self.now.get(row.id)
        files: list[str] = []
        if row.state == DONE:
            files = self._files(row.id)
        done, total = (live.done, live.total) if live else (row.done, row.total)
        words = live.words if live and row.state == RUNNING else row.words
        if self.trouble and row.state in (WAITING, RUNNING):
            words = f"waiting: {self.trouble}"
        if row.state == DONE and not files:
            words = "its files are gone"
        return Job(row.id, row.effect_id, row.name, row.state, done, total, words, files)

    def _files(self, id: str) -> list[str]:
        """The files of a bake; none where its folder was taken away."""
        try:
            root = self.place(id)
            found = [p.relative_to(root) for p in root.rglob("*") if p.is_file()] if list(root.iterdir()) else []
            return sorted(p.as_posix() for p in found if not p.name.startswith((".", "bake.json")))
        except OSError as e:
            LOG.warning("the files of bake %s are not there: %s", id, e.strerror)
            return []

    def _work(self) -> None:
        while (id := self.queue.get()) is not None and not self.closing.is_set():
            try:
                self._one(id)
            except Exception as e:  # The thread outlives any one bake.
                LOG.exception("bake %s", id)
                words = f"the bake failed: {type(e).__name__}"
                self._surely(lambda id=id, words=words: self._state(id, FAILED, words))

    def _surely(self, what: Callable[[], T]) -> T | None:
        """Tries until the database takes it, and says meanwhile why it waits; None where the server ends before."""
        pause = 0.5
        while True:
            try:
                made = what()
            except Busy as e:
                LOG.warning("bakes wait: %s", e)
                self.trouble = str(e)
                self._announce()
                if self.closing.wait(pause):
                    return None
                pause = min(pause * 2, 15.0)
            else:
                self.trouble = ""
                return made

    def _one(self, id: str) -> None:
        found = self._surely(lambda: self._wanted(id))
        if found is None:
            return
        effect, options = found
        self._surely(lambda: self._state(id, RUNNING, "starting"))
        told = 0.0

        def progress(p: Progress) -> None:
            nonlocal told
            self.now[id] = p
            if time.monotonic() - told > 0.1 or p.done == p.total:
                told = time.monotonic()
                self._announce()

        def stopped() -> bool:
            return self.closing.is_set() or id in self.cancelled

        try:
            bake(effect, self.place(id), options, progress, stopped, cluster=self.cluster)
        except Cancelled:
            if id in self.cancelled:
                shutil.rmtree(self.place(id), ignore_errors=True)
        except (BadEffect, Refused, OSError) as e:
            words = e.problems[0].words if isinstance(e, BadEffect) else getattr(e, "strerror", None) or str(e)
            self._surely(lambda: self._state(id, FAILED, words))
        else:
            self._surely(lambda: self._state(id, DONE, "done"))
        finally:
            self.now.pop(id, None)

    def _wanted(self, id: str) -> tuple[Effect, BakeOptions] | None:
        """What a bake is to make; None where it has ended."""
        with reading(self.engine) as s:
            row = s.get(BakeRow, id)
            if row is None or row.state in ENDED:
                return None
            return read_text(row.document), BakeOptions.model_validate(upgraded(json.loads(row.options)))

    def _state(self, id: str, state: str, words: str) -> None:
        live = self.now.get(id)
        with writing(self.engine) as s:
            row = s.get(BakeRow, id)
            if row is None or row.state in ENDED:
                return
            row.state, row.words = state, words
            if live:
                row.done, row.total = live.done, live.total
        self._announce()

    def _announce(self) -> None:
        self.changes += 1
