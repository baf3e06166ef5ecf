"""The port: datagrams come in, the stand-in sends to it, and whoever follows is told of each message."""

import heapq
import itertools
import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from pythonosc.udp_client import SimpleUDPClient

from whorl.refused import Refused
from whorl.signals import messages
from whorl.signals.heard import Heard
from whorl.signals.messages import Malformed, Message
from whorl.signals.night import Night

#: Where datagrams are taken unless told otherwise.
PORT, HOST = 8322, "127.0.0.1"
#: Messages that wait for their time, and how many seconds ahead that may be.
MOST_LATER, LATEST = 1000, 60.0
_PATIENCE = 0.25
#: Messages a second; what is more is dropped and counted.
MOST_A_SECOND = 5000

Told = Callable[[Message, float], None]


class Port:
    """Takes messages, by UDP while it is open and by `take` at any time, and tells everyone who asked."""

    def __init__(self, host: str = HOST, port: int = PORT) -> None:
        self.host, self.number = host, port
        self.heard = Heard()
        self.night: Playing | None = None
        self._lock = threading.Lock()
        self._told: list[Told] = []
        self._socket: socket.socket | None = None
        self._thread: threading.Thread | None = None
        self._second, self._count = 0, 0

    @property
    def listening(self) -> bool:
        """Whether datagrams are taken."""
        return self._socket is not None

    def open(self, number: int | None = None) -> None:
        """Begins to listen. Raises Refused where the port is another's."""
        with self._lock:
            if self._socket is not None:
                return
            made = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
            try:
                made.bind((self.host, self.number if number is None else number))
            except OSError as e:
                made.close()
                words = (e.strerror or str(e)).lower()
                raise Refused(f"signals cannot be taken at {self.host}:{number or self.number}: {words}") from None
            self.number = made.getsockname()[1]
            self._socket = made
            self._thread = threading.Thread(target=self._listen, args=(made,), name="signals", daemon=True)
            self._thread.start()

    def close(self) -> None:
        """Stops listening, and the stand-in with it."""
        self.play(None)
        with self._lock:
            made, self._socket = self._socket, None
        if made is not None:
            if self._thread:
                self._thread.join(2.0)
            made.close()

    def _listen(self, made: socket.socket) -> None:
        # What is to act later, the soonest first; the number keeps the order in which they came.
        later: list[tuple[float, int, Message]] = []
        came = itertools.count()
        while self._socket is made:
            now = time.time()
            while later and later[0][0] <= now:
                self.take(heapq.heappop(later)[2])
            try:
                made.settimeout(min(max(later[0][0] - now, 0.001), _PATIENCE) if later else _PATIENCE)
                data, _ = made.recvfrom(65535)
            except TimeoutError:
                continue
            except OSError:
                return
            try:
                found = messages.of_datagram(data)
            except Malformed:
                self.drop()
                continue
            now = time.time()
            for message in found:
                if message.due <= now:
                    self.take(message)
                elif len(later) < MOST_LATER and message.due - now <= LATEST:
                    heapq.heappush(later, (message.due, next(came), message))
                else:
                    self.drop()

    def take(self, message: Message) -> bool:
        """Notes a message and tells of it; False where it is one too many in this second."""
        now = time.monotonic()
        with self._lock:
            if int(now) != self._second:
                self._second, self._count = int(now), 0
            self._count += 1
            if self._count > MOST_A_SECOND:
                self.heard.dropped += 1
                return False
            self.heard.take(message, now)
            told = list(self._told)
        for tell in told:
            tell(message, now)
        return True

    def drop(self) -> None:
        """Counts what was no message."""
        with self._lock:
            self.heard.dropped += 1

    @contextmanager
    def telling(self, told: Told) -> Iterator[None]:
        """Has somebody told of each message, from the thread that took it."""
        with self._lock:
            self._told.append(told)
        try:
            yield
        finally:
            with self._lock:
                self._told.remove(told)

    @contextmanager
    def held(self) -> Iterator[Heard]:
        """What was heard, while nobody changes it."""
        with self._lock:
            yield self.heard

    def play(self, seed: int | None, speed: float = 1.0) -> None:
        """Has the stand-in play the ferry's night to this port; None ends it."""
        if self.night:
            self.night.stop()
            self.night = None
        if seed is not None:
            self.night = Playing("127.0.0.1" if self.host == "0.0.0.0" else self.host, self.number, seed, speed)


class Playing:
    """The ferry's night, being sent to a port until it is stopped."""

    def __init__(self, host: str, port: int, seed: int, speed: float) -> None:
        self.seed, self.speed = seed, speed
        self.over = threading.Event()
        self.sent = 0
        self._client = SimpleUDPClient(host, port)
        self._thread = threading.Thread(target=self._play, name="night", daemon=True)
        self._thread.start()

    def _play(self) -> None:
        begun = time.monotonic()
        for moment in Night(self.seed).moments():
            wait = begun + moment.at / self.speed - time.monotonic()
            if self.over.wait(max(wait, 0.0)) if wait > 0 else self.over.is_set():
                return
            # Nobody listens: UDP goes into the void, and that is no fault of the sender's.
            try:
                self._client.send_message(moment.message.address, list(moment.message.arguments))
            except OSError:
                continue
            self.sent += 1

    def stop(self) -> None:
        """Ends it."""
        self.over.set()
        self._thread.join(2.0)

    def wait(self, seconds: float | None) -> None:
        """Waits until it is over, or for so long."""
        self.over.wait(seconds)
