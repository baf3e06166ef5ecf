"""What has arrived, address by address: the newest value, how often, and a trace of the last seconds."""

from collections import deque
from dataclasses import dataclass, field
from math import floor

from whorl.signals.messages import Message

#: Addresses that are kept; of more, the one that has been silent longest is forgotten.
MOST_KNOWN = 200
#: Seconds of a trace, and its points a second.
TRACE, FINENESS = 10.0, 10
#: Seconds over which a rate is counted.
RATE = 2.0


@dataclass
class Known:
    """One address: its newest message, when that came, and the newest number of each tenth of a second."""

    newest: Message
    at: float
    points: deque[tuple[int, float, int]] = field(default_factory=lambda: deque(maxlen=int(TRACE * FINENESS)))

    def take(self, message: Message, now: float) -> None:
        self.newest, self.at = message, now
        tick = floor(now * FINENESS)
        value = message.numbers[0] if message.numbers else 0.0
        count = self.points.pop()[2] if self.points and self.points[-1][0] == tick else 0
        self.points.append((tick, value, count + 1))

    def rate(self, now: float) -> float:
        """Messages a second over the last two seconds."""
        first = floor(now * FINENESS) - RATE * FINENESS
        return sum(count for tick, _, count in self.points if tick > first) / RATE

    def span(self) -> tuple[float, float]:
        """What it seems to go between: 0 and 1, or −1 and 1, where all of the trace lies there; else its own ends.

        >>> known = Known(Message("/a"), 0.0)
        >>> known.take(Message("/a", (0.4,)), 0.0); known.span()
        (0.0, 1.0)
        """
        values = [value for _, value, _ in self.points] or [0.0]
        low, high = min(values), max(values)
        for ends in ((0.0, 1.0), (-1.0, 1.0)):
            if ends[0] <= low and high <= ends[1]:
                return ends
        return (float(f"{low:.4g}"), float(f"{high:.4g}") if high > low else low + 1.0)

    def trace(self, now: float) -> list[tuple[float, float]]:
        """How many seconds ago, and the value there."""
        return [(age, value) for tick, value, _ in self.points if (age := now - tick / FINENESS) <= TRACE]


class Heard:
    """Every address of the last while, within a memory that does not grow."""

    def __init__(self) -> None:
        self.known: dict[str, Known] = {}
        self.count = 0
        self.dropped = 0

    def take(self, message: Message, now: float) -> None:
        """Notes a message."""
        self.count += 1
        known = self.known.get(message.address)
        if known is None:
            if len(self.known) >= MOST_KNOWN:
                del self.known[min(self.known, key=lambda a: self.known[a].at)]
            known = self.known[message.address] = Known(message, now)
        known.take(message, now)
