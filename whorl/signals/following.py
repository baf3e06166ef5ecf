"""How an effect follows signals: which levers they put where, smoothly, and what happens when they fall silent."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

from whorl.bake.options import slug
from whorl.effect.document import FAR, Effect, Held, Lever, Tie, Turn, Variant
from whorl.effect.levers import between, standing, taken
from whorl.effect.value import Amount
from whorl.signals.messages import Message, matches

#: Seconds that a change to a variant may take, and hits that wait to be shown.
LONGEST, MOST_WAITING = 120.0, 64
#: Addresses whose effect is remembered.
MOST_ADDRESSES = 1000
#: A lever this near to where it goes, as a part of the way, is there.
THERE = 1e-4
#: What a lever that is addressed by its own name does: at once, and it stays.
PLAIN = Tie.model_construct(id="plain", address="", lever="", smoothing=0.0, silence="stays", after=2.0)


@dataclass
class Strike:
    """A hit that a signal brought."""

    position: tuple[float, float, float]
    strength: float
    at: float


@dataclass
class Driven:
    """A lever that signals have: where it was at a moment, where it goes, and since when nothing came."""

    lever: Lever
    tie: Tie
    value: Amount
    target: Amount
    at: float
    heard: float
    leaving: bool = False

    def now(self, moment: float) -> Amount:
        """Where it stands: a low-pass of the first order, 1 − 1/e of the way after `smoothing` seconds."""
        if self.tie.smoothing <= 0 or self.lever.kind in ("switch", "choice"):
            return self.target
        part = 1.0 - math.exp(-max(moment - self.at, 0.0) / self.tie.smoothing)
        return _toward(self.value, self.target, part)

    def settled(self, moment: float) -> bool:
        """Whether it is where it goes."""
        return self.tie.smoothing <= 0 or moment - self.at > -math.log(THERE) * self.tie.smoothing


def _toward(here: Amount, there: Amount, part: float) -> Amount:
    if isinstance(here, tuple) and isinstance(there, tuple):
        return tuple(a + (b - a) * part for a, b in zip(here, there, strict=True))
    assert isinstance(here, int | float) and isinstance(there, int | float)
    return here + (there - here) * part


@dataclass(frozen=True)
class Going:
    """A change from how things stand to a variant, over some time."""

    start: Variant
    end: Variant
    began: float
    seconds: float


@dataclass
class State:
    """What signals make of an effect at a moment: where levers stand, and what came since the last look."""

    levers: dict[str, Amount]
    strikes: list[Strike] = field(default_factory=list)
    phase: float | None = None


@dataclass
class Take:
    """What signals did, being kept frame by frame."""

    began: float
    turn: Turn
    rows: list[dict[str, Amount]] = field(default_factory=list)
    strikes: list[Strike] = field(default_factory=list)

    def due(self) -> float | None:
        """When the next frame is; None after the last."""
        frame = len(self.rows)
        return self.began + frame * self.turn.seconds / self.turn.frames if frame < self.turn.frames else None


class Follower:
    """An effect that follows signals. Moments are seconds of any clock that runs on."""

    def __init__(self, effect: Effect) -> None:
        self.driven: dict[str, Driven] = {}
        self.strikes: list[Strike] = []
        self.phase: float | None = None
        self.going: Going | None = None
        self.recording: Take | None = None
        self._moves: dict[str, list[str]] = {}
        self.use(effect)

    def use(self, effect: Effect) -> None:
        """Goes on with another state of the effect; levers that are gone are let go."""
        self.effect = effect
        self._moves.clear()
        self.name = slug(effect.name)
        self.levers = {x.id: x for x in effect.levers}
        ties = {t.id: t for t in effect.ties}
        self.driven = {id: d for id, d in self.driven.items() if id in self.levers}
        for id, d in self.driven.items():
            d.lever = self.levers[id]
            d.tie = ties.get(d.tie.id, d.tie if d.tie is PLAIN else PLAIN)

    def let_go(self) -> None:
        """Signals have nothing any more."""
        self.driven.clear()
        self.strikes.clear()
        self.going = self.phase = self.recording = None

    # --- what arrives --------------------------------------------------------------------

    def moves(self, address: str) -> list[str]:
        """What a message to an address moves: ids of levers, "hit", "phase" or "variant"."""
        if address not in self._moves:
            if len(self._moves) >= MOST_ADDRESSES:
                self._moves.clear()
            self._moves[address] = self._found(address)
        return self._moves[address]

    def _found(self, address: str) -> list[str]:
        tied = [t.lever for t in self.effect.ties if matches(address, t.address) and t.lever in self.levers]
        if tied:
            return tied
        base = f"/whorl/{self.name}/"
        named = [n for n in ("hit", "phase", "variant") if matches(address, base + n)]
        levers = [x.id for x in self.effect.levers if any(matches(address, f"{base}lever/{n}") for n in _names(x))]
        return levers + named

    def take(self, message: Message, now: float) -> list[str]:
        """Has a message act; gives what it moved. What it cannot put anywhere moves nothing."""
        self.advance(now)
        moved = []
        for what in self.moves(message.address):
            if what == "hit":
                done = self._strike(message.numbers, now)
            elif what == "phase":
                done = self._clock(message.numbers)
            elif what == "variant":
                done = self._vary(message.arguments, now)
            else:
                done = self._turn(self.levers[what], message, now)
            if done:
                moved.append(what)
        return moved

    def _turn(self, lever: Lever, message: Message, now: float) -> bool:
        tie = next(
            (t for t in self.effect.ties if t.lever == lever.id and matches(message.address, t.address)),
            None,
        )
        target = _tied(lever, tie, message.numbers) if tie else _named(lever, message.numbers)
        if target is None:
            return False
        known = self.driven.get(lever.id)
        here = known.now(now) if known else standing(lever)
        self.driven[lever.id] = Driven(lever, tie or PLAIN, here, target, now, now)
        return True

    def _strike(self, numbers: Sequence[float], now: float) -> bool:
        if len(numbers) < 3 or not all(-FAR <= x <= FAR for x in numbers[:3]):
            return False
        strength = min(max(numbers[3] if len(numbers) > 3 else 1.0, 0.0), 100.0)
        strike = Strike((numbers[0], numbers[1], numbers[2]), strength, now)
        self.strikes = [*self.strikes, strike][-MOST_WAITING:]
        if self.recording:
            self.recording.strikes.append(strike)
        return True

    def _clock(self, numbers: Sequence[float]) -> bool:
        if not numbers:
            return False
        self.phase = numbers[0] % 1.0 if self.effect.turn.looping else min(max(numbers[0], 0.0), 1.0)
        return True

    def _vary(self, arguments: Sequence[float | str], now: float) -> bool:
        name = arguments[0].strip().casefold() if arguments and isinstance(arguments[0], str) else ""
        found = next((v for v in self.effect.variants if name in (v.id, v.name.casefold(), slug(v.name))), None)
        if found is None:
            return False
        given = arguments[1] if len(arguments) > 1 else 0.0
        seconds = min(max(given, 0.0), LONGEST) if isinstance(given, int | float) else 0.0
        here = {id: self.driven[id].now(now) if id in self.driven else standing(self.levers[id]) for id in self.levers}
        start = Variant(
            id="now", name="now", holds=tuple(Held(lever=h.lever, value=here[h.lever]) for h in self._held(found))
        )
        self.going = Going(start, found, now, seconds)
        self._go(now)
        return True

    def _held(self, variant: Variant) -> list[Held]:
        return [h for h in variant.holds if h.lever in self.levers]

    # --- as time goes on -----------------------------------------------------------------

    def advance(self, now: float) -> None:
        """Goes on to a moment; what is recorded has each of its frames at its very time."""
        while self.recording and (due := self.recording.due()) is not None and due <= now:
            self._until(due)
            self.recording.rows.append({id: d.now(due) for id, d in self.driven.items()})
        self._until(now)

    def _until(self, now: float) -> None:
        self._go(now)
        for id, d in list(self.driven.items()):
            if d.leaving and d.settled(now):
                del self.driven[id]
            elif not d.leaving and d.tie.silence == "goes back" and now - d.heard > d.tie.after:
                d.value, d.target, d.at, d.leaving = d.now(now), standing(d.lever), now, True

    def _go(self, now: float) -> None:
        if self.going is None:
            return
        going = self.going
        part = 1.0 if going.seconds <= 0 else min((now - going.began) / going.seconds, 1.0)
        mixed = between(self.effect, going.start, going.end, part)
        for h in self._held(going.end):
            value = mixed[h.lever]
            self.driven[h.lever] = Driven(self.levers[h.lever], PLAIN, value, value, now, now)
        if part >= 1.0:
            self.going = None

    def state(self, now: float) -> State:
        """What signals make of the effect now; what struck is told once, and so is a phase."""
        self.advance(now)
        strikes, self.strikes = self.strikes, []
        phase, self.phase = self.phase, None
        return State({id: taken(d.lever, d.now(now)) for id, d in self.driven.items()}, strikes, phase)

    def restless(self, now: float) -> bool:
        """Whether something goes on by itself, without any more messages."""
        if self.going or (self.recording and self.recording.due() is not None):
            return True
        return any(d.leaving or d.tie.silence == "goes back" or not d.settled(now) for d in self.driven.values())

    def record(self, now: float) -> None:
        """Keeps what signals do from now on, for one turn."""
        self.advance(now)
        self.recording = Take(now, self.effect.turn)


def _names(lever: Lever) -> tuple[str, str]:
    return lever.id, slug(lever.name)


def _named(lever: Lever, numbers: Sequence[float]) -> Amount | None:
    """What a lever that is addressed by its name is put to: its own value, held within what it accepts."""
    if not numbers:
        return None
    if lever.kind in ("colour", "place"):
        return taken(lever, tuple(numbers[:3])) if len(numbers) >= 3 else None
    return taken(lever, numbers[0])


def _tied(lever: Lever, tie: Tie, numbers: Sequence[float]) -> Amount | None:
    """What a lever that is tied to a signal is put to: over its range as the signal goes from `low` to `high`.

    Of a colour one number is how bright its resting colour is, three are the colour.
    """
    if not numbers:
        return None
    if lever.kind == "place" and len(numbers) < 3:
        return None
    if lever.kind in ("colour", "place") and len(numbers) >= 3:
        return taken(lever, tuple(numbers[:3]))
    span = tie.high - tie.low
    share = (numbers[0] - tie.low) / span if span else 0.0
    if lever.kind == "colour":
        return taken(lever, tuple(max(share, 0.0) * x for x in lever.rest_colour))
    if lever.kind == "switch":
        return float(share >= 0.5)
    if lever.kind == "choice":
        return taken(lever, share * (len(lever.options) - 1))
    return taken(lever, lever.least + (lever.most - lever.least) * share)
