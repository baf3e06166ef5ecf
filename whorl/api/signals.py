"""Routes of signals: the port, the stand-in, and the line to a page whose effect follows."""

import asyncio
import logging
import threading
import time
from collections import deque
from typing import Any

from fastapi import APIRouter, WebSocket, WebSocketDisconnect
from pydantic import ValidationError
from starlette.concurrency import run_in_threadpool

from whorl.api import models as m
from whorl.api.stores import Signals
from whorl.effect import BadEffect, Effect, read
from whorl.effect.document import Hit
from whorl.images.library import NotKept
from whorl.plan.build.hits import ages
from whorl.refused import Refused
from whorl.signals import messages
from whorl.signals.following import Follower, Strike
from whorl.signals.heard import MOST_KNOWN
from whorl.signals.messages import Malformed, Message
from whorl.signals.port import Port
from whorl.signals.recording import hits_of, keys_of

LOG = logging.getLogger("whorl.api")
routes = APIRouter()
#: What goes over a WebSocket, which OpenAPI has no other place for.
lines = APIRouter()

#: Seconds between looks while something goes on by itself, between tables of what is heard, and at least between
#: two messages to a page.
TICK, TABLE, APART = 1 / 120, 0.2, 0.004
#: What of a document following needs.
PARTS = ("format", "version", "name", "turn", "levers", "variants", "ties", "hits", "stage")


@routes.get("/signals")
def signals(port: Signals) -> m.PortInfo:
    """Whether and where signals are taken."""
    return _info(port)


@routes.post("/signals")
def listen(given: m.Listening, port: Signals) -> m.PortInfo:
    """Begins to take signals, or stops."""
    if given.listening:
        port.open()
    else:
        port.close()
    return _info(port)


@routes.post("/signals/night")
def night(given: m.Night, port: Signals) -> m.PortInfo:
    """Has the stand-in play the ferry's night to the port, which listens then; or ends it."""
    if given.playing:
        port.open()
    port.play(given.seed if given.playing else None, given.speed)
    return _info(port)


def _info(port: Port) -> m.PortInfo:
    playing = port.night
    night = m.Night(playing=True, seed=playing.seed, speed=playing.speed) if playing else m.Night(playing=False)
    heard = port.heard
    return m.PortInfo(
        listening=port.listening,
        host=port.host,
        port=port.number,
        count=heard.count,
        dropped=heard.dropped,
        night=night,
    )


@routes.websocket("/signals/in")
async def come_in(socket: WebSocket, port: Signals) -> None:
    """The same messages as JSON, one a line: `{"address": "/whorl/fog-gate/lever/opening", "arguments": [0.4]}`."""
    await socket.accept()
    try:
        while True:
            text = await socket.receive_text()
            if not port.listening:
                await socket.send_json({"words": "signals are not taken; somebody has to turn them on first"})
                continue
            try:
                port.take(messages.of_text(text))
            except Malformed as e:
                port.drop()
                await socket.send_json({"words": str(e)})
    except (WebSocketDisconnect, KeyError):
        # A frame of bytes has no text.
        return


@lines.post("signals/live")
def over_the_line(given: m.Live) -> None:
    """What a page and Whorl tell one another over the WebSocket at `/api/signals/live`."""


@routes.websocket("/signals/live")
async def live(socket: WebSocket, port: Signals) -> None:
    """Has the page's effect follow: the page says what it has, and is told where signals put levers."""
    await socket.accept()
    line = Line(socket, port)
    with port.telling(line.told):
        telling = asyncio.create_task(_telling(line))
        try:
            await line.hear()
        except (WebSocketDisconnect, KeyError):
            return
        finally:
            telling.cancel()
            await asyncio.gather(telling, return_exceptions=True)


async def _telling(line: "Line") -> None:
    try:
        await line.tell()
    except (WebSocketDisconnect, RuntimeError):
        # The page has gone in the middle of a word.
        return
    except Exception:
        LOG.exception("signals")
        await line.socket.close(1011)


class Line:
    """One page's line. Of each address only the newest waits, so a slow page is behind by one picture at most."""

    def __init__(self, socket: WebSocket, port: Port) -> None:
        self.socket, self.port = socket, port
        self.loop, self.woken = asyncio.get_running_loop(), asyncio.Event()
        self.follower: Follower | None = None
        self.follows, self.watches = True, False
        self.tolerance = 0.0
        self._lock = threading.Lock()
        self._newest: dict[str, tuple[Message, float]] = {}
        self._strikes: deque[tuple[Message, float]] = deque(maxlen=64)
        self._called = False
        self._said: dict[str, Any] = {}
        self._table = 0.0

    # --- from the port's thread ----------------------------------------------------------

    def told(self, message: Message, at: float) -> None:
        """Takes note of a message and wakes the line."""
        with self._lock:
            if message.address.endswith("/hit"):
                self._strikes.append((message, at))
            else:
                # In the order in which they came.
                self._newest.pop(message.address, None)
                self._newest[message.address] = (message, at)
                if len(self._newest) > MOST_KNOWN:
                    del self._newest[next(iter(self._newest))]
            called, self._called = self._called, True
        if not called:
            try:
                self.loop.call_soon_threadsafe(self.woken.set)
            except RuntimeError:
                # The page has gone, and its loop with it.
                return

    def _came(self) -> list[tuple[Message, float]]:
        with self._lock:
            came = sorted([*self._newest.values(), *self._strikes], key=lambda x: x[1])
            self._newest.clear()
            self._strikes.clear()
            self._called = False
        return came

    # --- from the page -------------------------------------------------------------------

    async def hear(self) -> None:
        """Takes what the page says until it goes."""
        while True:
            text = await self.socket.receive_text()
            try:
                asked = m.LiveAsked.model_validate_json(text)
                await self._asked(asked)
            except ValidationError as e:
                error = e.errors()[0]
                await self._say(m.LiveTold(wrong=f"{'/'.join(map(str, error['loc']))}: {error['msg']}".lstrip(": ")))
            except BadEffect as e:
                await self._say(m.LiveTold(wrong=f"{e.problems[0].place}: {e.problems[0].words}".lstrip(": ")))
            except Refused as e:
                await self._say(m.LiveTold(wrong=str(e)))
            self.woken.set()

    async def _asked(self, asked: m.LiveAsked) -> None:
        now = time.monotonic()
        if asked.use is not None:
            effect = read({k: v for k, v in asked.use.items() if k in PARTS})
            if self.follower is None:
                self.follower = Follower(effect)
            else:
                self.follower.use(effect)
        if asked.follow is not None:
            self.follows = asked.follow
        if self.follower and (asked.forget or not self.follows):
            self.follower.let_go()
        if asked.watch is not None:
            self.watches, self._table = asked.watch, 0.0
        if asked.record and self.follower:
            self.tolerance = asked.record.tolerance / 100
            self.follower.record(now)

    # --- to the page ---------------------------------------------------------------------

    async def tell(self) -> None:
        """Tells the page what changes, until it goes."""
        while True:
            await self._wait()
            self.woken.clear()
            now = time.monotonic()
            came = self._came()
            if self.follower and self.follows:
                for message, at in came:
                    self.follower.take(message, at)
            await self._tell_state(now)
            if self.watches and now - self._table >= TABLE:
                self._table = now
                name = self.follower.name if self.follower else None
                await self._say(m.LiveTold(port=_info(self.port), known=self._known(now), name=name))
            await asyncio.sleep(APART)

    async def _wait(self) -> None:
        restless = self.follower is not None and self.follower.restless(time.monotonic())
        patience = TICK if restless else TABLE if self.watches else None
        try:
            await asyncio.wait_for(self.woken.wait(), patience)
        except TimeoutError:
            return

    async def _tell_state(self, now: float) -> None:
        if self.follower is None:
            return
        state = self.follower.state(now)
        if state.levers != self._said or state.strikes or state.phase is not None:
            self._said = state.levers
            strikes = await self._struck(self.follower.effect, state.strikes) if state.strikes else []
            await self._say(m.LiveTold(state=m.LiveState(levers=state.levers, strikes=strikes, phase=state.phase)))
        take = self.follower.recording
        if take and take.due() is None:
            self.follower.recording = None
            effect = self.follower.effect
            keys = await run_in_threadpool(keys_of, take, effect, self.tolerance)
            levers = [m.LeverKeys(lever=k.lever, field=k.field, motion=k.motion, error=k.error) for k in keys]
            await self._say(m.LiveTold(recorded=m.Recorded(levers=levers, hits=hits_of(take, effect.hits))))

    async def _struck(self, effect: Effect, strikes: list[Strike]) -> list[m.Struck]:
        hits = tuple(Hit(id=f"s{i}", position=s.position, strength=s.strength) for i, s in enumerate(strikes))
        try:
            uv = (await run_in_threadpool(ages, hits, effect.turn, effect.stage)).uv
        except NotKept:
            # The mesh is gone, which the picture tells; where it was struck in UV nobody knows.
            uv = ((0.0, 0.0),) * len(strikes)
        return [m.Struck(position=s.position, strength=s.strength, uv=uv[i]) for i, s in enumerate(strikes)]

    def _known(self, now: float) -> list[m.KnownAddress]:
        with self.port.held() as heard:
            return [
                m.KnownAddress(
                    address=address,
                    arguments=list(known.newest.arguments),
                    rate=known.rate(now),
                    silent=now - known.at,
                    moves=self.follower.moves(address) if self.follower else [],
                    span=known.span(),
                    trace=known.trace(now),
                )
                for address, known in sorted(heard.known.items())
            ]

    async def _say(self, told: m.LiveTold) -> None:
        await self.socket.send_text(told.model_dump_json(exclude_none=True))
