"""The thread that looks at pictures: one for the application, behind everything else."""

import asyncio
import contextlib
import logging
import os
import threading
import time
from collections import deque
from collections.abc import AsyncIterator, Callable
from dataclasses import dataclass, field
from functools import cached_property

from cachetools import LRUCache

from whorl.checks import Finding, Over, looked
from whorl.checks.aside import with_aside
from whorl.effect import Effect
from whorl.images.library import library

#: Documents that may wait; one too many has the oldest go.
MOST = 8
#: How many times as long as it worked it rests, beside a picture that plays.
RESTS = 20.0
#: How far its priority is lowered. Not all the way: it shares Python's lock with those who answer, and a thread that
#: hardly gets to run would keep that from them.
NICER = 5

#: Documents of which it is kept what was found, and how long a look has to take for that, in seconds.
KEPT, WORTH_KEEPING = 64, 0.3

Ended = None


@dataclass(eq=False)
class Look:
    """A document that is being looked at, with nothing set aside, and where what is found goes."""

    effect: Effect
    everywhere: bool
    gently: bool
    loop: asyncio.AbstractEventLoop
    found: "asyncio.Queue[Finding | None]" = field(default_factory=asyncio.Queue)
    over: threading.Event = field(default_factory=threading.Event)
    since: float = 0.0

    @cached_property
    def alike(self) -> str:
        """Where this is the same, the same is found."""
        here = [a.id for a in self.effect.assets if library.has(a.hash)]
        return f"{self.everywhere} {here} {self.effect.model_dump_json(exclude={'name'})}"

    def rest(self) -> None:
        """Goes on only while somebody waits, and gently rests for a good while after each piece of work: where groups
        of processes share a machine evenly, a low priority helps against others of its group alone. Raises Over."""
        if self.gently and self.since and not self.over.is_set():
            self.over.wait(RESTS * min(time.monotonic() - self.since, 1.0))
        if self.over.is_set():
            raise Over
        self.since = time.monotonic()

    def tell(self, finding: Finding | None) -> None:
        """From the thread that looks."""
        with contextlib.suppress(RuntimeError):
            self.loop.call_soon_threadsafe(self.found.put_nowait, finding)


class Checker:
    """Looks at documents one after another, in a thread of low priority."""

    def __init__(self) -> None:
        self._waiting: deque[Look] = deque()
        self._changed = threading.Condition()
        self._thread: threading.Thread | None = None
        self._closed = False
        self._now: Look | None = None
        self._known: LRUCache[str, list[Finding]] = LRUCache(KEPT)

    def stop(self) -> None:
        """Ends it."""
        with self._changed:
            self._closed = True
            for look in (*self._waiting, *([self._now] if self._now else [])):
                look.over.set()
                look.tell(Ended)
            self._waiting.clear()
            self._changed.notify_all()
        if self._thread:
            self._thread.join(5.0)

    async def look(self, effect: Effect, everywhere: bool, gently: bool = False) -> AsyncIterator[Finding]:
        """What is found, as it is found; nothing more once nobody takes it. `gently` leaves most time to others."""
        bare = effect.model_copy(update={"aside": ()})
        own = Look(bare, everywhere, gently, asyncio.get_running_loop())
        with self._changed:
            known = self._known.get(own.alike)
        if known is not None:
            # After an undo, or when it is opened once more.
            for one in with_aside(effect, known):
                yield one
            return
        self._add(own)
        try:
            while (finding := await own.found.get()) is not None:
                for one in with_aside(effect, [finding]):
                    yield one
        finally:
            own.over.set()

    def _add(self, look: Look) -> None:
        with self._changed:
            if self._closed:
                look.tell(Ended)
                return
            if self._thread is None:
                self._thread = threading.Thread(target=self._run, name="checks", daemon=True)
                self._thread.start()
            self._waiting.append(look)
            while len(self._waiting) > MOST:
                gone = self._waiting.popleft()
                gone.over.set()
                gone.tell(Ended)
            self._changed.notify()

    def _run(self) -> None:
        _behind()
        while True:
            with self._changed:
                while not self._waiting and not self._closed:
                    self._changed.wait()
                if self._closed:
                    return
                look = self._now = self._waiting.popleft()
            self._one(look)
            self._now = None

    def _one(self, look: Look) -> None:
        begun, found = time.monotonic(), list[Finding]()
        try:
            for finding in looked(look.effect, look.rest, look.everywhere):
                found.append(finding)
                look.tell(finding)
            # What is quick may have met a damaged file, which can be mended.
            if time.monotonic() - begun > WORTH_KEEPING:
                with self._changed:
                    self._known[look.alike] = found
        except Over:
            pass
        except Exception:
            # A check that stumbles ends this look, and is told in the log; the next one goes on.
            logging.getLogger("whorl").exception("a check stumbled")
        finally:
            look.tell(Ended)


def _behind() -> None:
    """Has this thread go behind others; where the system does not let it, it goes along with them."""
    setpriority: Callable[[int, int, int], None] | None = getattr(os, "setpriority", None)
    if setpriority is not None:
        with contextlib.suppress(OSError):
            setpriority(os.PRIO_PROCESS, threading.get_native_id(), NICER)
