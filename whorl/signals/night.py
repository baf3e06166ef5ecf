"""The ferry's night: a stand-in for what drives effects from outside, from a seed."""

import math
import random
from collections.abc import Iterator
from dataclasses import dataclass

from whorl.signals.messages import Message

#: How often the sea and the lamp are told, a second.
OFTEN = 30
#: Seconds until the tide comes again, and how long the gate takes to open.
TIDE, GATE = 24.0, 2.5


@dataclass(frozen=True)
class Moment:
    """A message, and how many seconds of the night have passed."""

    at: float
    message: Message


class Night:
    """A tide with small waves, gusts, spray on the buoy, a lamp that flickers, and a gate that opens and closes.

    Tide is in metres about its middle, gust, lamp and gate go from 0 to 1. The same seed is the same night.
    """

    def __init__(self, seed: int = 1) -> None:
        draw = random.Random(seed)
        self.waves = [(draw.uniform(1.1, 3.4), draw.random(), draw.uniform(0.02, 0.06)) for _ in range(4)]
        self.gusts = _times(draw, 6.0)
        self.gates = _times(draw, 9.0)
        self.sprays = [(t, _aside(draw), draw.uniform(0.4, 1.6)) for t in _times(draw, 1.6)]
        self.flames = [draw.random() for _ in range(997)]

    def tide(self, t: float) -> float:
        """Metres over or under the middle."""
        small = sum(h * math.sin(2 * math.pi * (t / p + s)) for p, s, h in self.waves)
        return 1.1 * math.sin(2 * math.pi * t / TIDE) + small

    def gust(self, t: float) -> float:
        """How hard it blows: each gust comes quickly and dies away."""
        blown = sum(_blow(t - at) for at in self.gusts if 0 <= t - at < 8)
        return min(0.12 + 0.04 * math.sin(2 * math.pi * t / 7.3) + blown, 1.0)

    def lamp(self, t: float) -> float:
        """How bright the lamp is; it is low where it blows."""
        at = t * 9.0
        k, f = math.floor(at), at - math.floor(at)
        a, b = (self.flames[(k + i) % len(self.flames)] for i in (0, 1))
        flame = a + (b - a) * f * f * (3 - 2 * f)
        return 0.3 + 0.7 * flame - 0.3 * self.gust(t) * flame

    def gate(self, t: float) -> float:
        """How far the gate is open: every other of its moments opens it, the others close it."""
        open_ = 0.0
        for i, at in enumerate(self.gates):
            if t < at:
                break
            way = min((t - at) / GATE, 1.0)
            eased = way * way * (3 - 2 * way)
            open_ += (eased - open_) if i % 2 == 0 else -open_ * eased
        return open_

    def moments(self) -> Iterator[Moment]:
        """What is told, in order, as long as anybody listens."""
        frame, spray = 0, 0
        while True:
            t = frame / OFTEN
            while spray < len(self.sprays) and self.sprays[spray][0] <= t:
                at, (x, y, z), strength = self.sprays[spray]
                yield Moment(at, Message("/whorl/buoy-ward/hit", (x, y, z, strength)))
                spray += 1
            for name, value in (("tide", self.tide), ("gust", self.gust), ("lamp", self.lamp), ("gate", self.gate)):
                yield Moment(t, Message(f"/ferry/{name}", (round(value(t), 5),)))
            frame += 1


#: How many seconds of gusts and the like are drawn at once: an hour.
_HOUR = 3600.0


def _times(draw: random.Random, every: float) -> list[float]:
    """Moments that come without a rule, on average every so many seconds."""
    out, t = [], 0.0
    while t < _HOUR:
        t += max(draw.expovariate(1.0 / every), every / 4)
        out.append(t)
    return out


def _blow(t: float) -> float:
    return 0.8 * (t / 0.5) * math.exp(1.0 - t / 0.5)


def _aside(draw: random.Random) -> tuple[float, float, float]:
    """A place on the seaward half of a ball of radius 1."""
    turn, up = draw.uniform(-1.2, 1.2), draw.uniform(-0.5, 0.8)
    flat = math.sqrt(1.0 - up * up)
    return (round(math.sin(turn) * flat, 3), round(up, 3), round(math.cos(turn) * flat, 3))
