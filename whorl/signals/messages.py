"""Messages as they arrive: OSC 1.0 datagrams, or the same as JSON."""

import json
import math
import re
import time
from dataclasses import dataclass, replace
from functools import lru_cache

from pythonosc.osc_packet import OscPacket, ParseError

#: Bytes of a datagram, characters of an address, arguments of a message, messages of one datagram.
MOST_BYTES, MOST_ADDRESS, MOST_ARGUMENTS, MOST_TOGETHER = 8192, 200, 8, 64
#: Numbers beyond this are no signal.
MOST = 1e9

Argument = float | str


class Malformed(ValueError):
    """What arrived is no message."""


@dataclass(frozen=True)
class Message:
    """An address, and what was sent to it: numbers and texts; true and false are 1 and 0."""

    address: str
    arguments: tuple[Argument, ...] = ()
    #: When it is to act, in seconds since 1970; 0 at once.
    due: float = 0.0

    @property
    def numbers(self) -> tuple[float, ...]:
        """Its leading numbers."""
        out: list[float] = []
        for x in self.arguments:
            if isinstance(x, str):
                break
            out.append(x)
        return tuple(out)


def of_datagram(data: bytes) -> list[Message]:
    """The messages of an OSC packet, those of a bundle in its order, each with when it is to act.

    Source: M. Wright, The Open Sound Control 1.0 Specification (2002). Raises Malformed.
    """
    if not 4 <= len(data) <= MOST_BYTES or len(data) % 4:
        raise Malformed("a packet is 4 to 8192 bytes, in fours")
    try:
        begun = time.time()
        found = [(m.message, m.time) for m in OscPacket(data).messages]
        now = time.time()
    except (ParseError, ValueError, IndexError, TypeError, OverflowError, RecursionError, KeyError) as e:
        raise Malformed("this is no OSC packet") from e
    if len(found) > MOST_TOGETHER:
        raise Malformed(f"a packet holds {MOST_TOGETHER} messages at the most")
    # What is to act at once has the time at which it was read.
    made = [(message(m.address, list(m.params)), at) for m, at in found]
    return [m if begun <= at <= now else replace(m, due=at) for m, at in made]


def of_json(given: object) -> Message:
    """A message from `{"address": "/whorl/…", "arguments": [0.5]}`. Raises Malformed."""
    if not isinstance(given, dict) or set(given) - {"address", "arguments"}:
        raise Malformed("a message is an address and arguments")
    arguments = given.get("arguments", [])
    if not isinstance(arguments, list):
        raise Malformed("arguments are a list")
    return message(given.get("address"), arguments)


def of_text(text: str) -> Message:
    """A message from a line of JSON. Raises Malformed."""
    if len(text) > MOST_BYTES:
        raise Malformed("that is too long")
    try:
        return of_json(json.loads(text))
    except (ValueError, RecursionError) as e:
        raise Malformed("this is no message") from e


def message(address: object, arguments: list[object]) -> Message:
    """A message of known size, with finite numbers. Raises Malformed."""
    if not isinstance(address, str) or not 2 <= len(address) <= MOST_ADDRESS or not _ADDRESS.fullmatch(address):
        raise Malformed("an address is /name, /name/name and so on")
    if len(arguments) > MOST_ARGUMENTS:
        raise Malformed(f"a message has {MOST_ARGUMENTS} arguments at the most")
    return Message(address, tuple(_argument(x) for x in arguments))


#: Patterns too, so * ? [ ] { } and the comma are let through.
_ADDRESS = re.compile(r"(/[\x21-\x22\x24-\x2e\x30-\x7e]+)+")


def _argument(given: object) -> Argument:
    if isinstance(given, bool):
        return float(given)
    if isinstance(given, int | float):
        # A whole number may be too long for a float.
        if not -MOST <= given <= MOST or not math.isfinite(given):
            raise Malformed("a number is finite, and within a thousand million")
        return float(given)
    if isinstance(given, str) and len(given) <= MOST_ADDRESS:
        return given
    raise Malformed("an argument is a number or a short text")


# --- patterns ----------------------------------------------------------------------------


def matches(pattern: str, address: str) -> bool:
    """Whether an address is meant by a pattern, part by part: `?`, `*`, `[a-c]`, `[!x]`, `{one,two}`.

    Source: the OSC 1.0 specification, "OSC Message Dispatching and Pattern Matching".

    >>> matches("/whorl/*/hit", "/whorl/buoy-ward/hit"), matches("/whorl/*", "/whorl/buoy-ward/hit")
    (True, False)
    """
    if pattern == address:
        return True
    if not _SPECIAL.search(pattern):
        return False
    found = _compiled(pattern)
    return found is not None and found.fullmatch(address) is not None


_SPECIAL = re.compile(r"[*?\[{]")
_PART = re.compile(r"\*|\?|\[(!?)([^\]]+)\]|\{([^}]*)\}|[^*?\[\]{}]")


@lru_cache(maxsize=512)
def _compiled(pattern: str) -> re.Pattern[str] | None:
    """A pattern as a regular expression; none where a bracket has no other end."""
    out, at = "", 0
    while at < len(pattern):
        part = _PART.match(pattern, at)
        if part is None:
            return None
        out, at = out + _as_regex(part), part.end()
    # Stars side by side mean one, and would take forever to try.
    return re.compile(re.sub(r"(?:\[\^/\]\*)+", "[^/]*", out))


def _as_regex(part: re.Match[str]) -> str:
    if part.group() == "*":
        return "[^/]*"
    if part.group() == "?":
        return "[^/]"
    if part.group(2):
        inside = part.group(2).replace("\\", r"\\").replace("^", r"\^").replace("[", r"\[")
        # A range whose ends are the wrong way round holds nothing; as a regular expression it is a fault.
        inside = re.sub(
            r"(.)-(.)", lambda m: m.group() if m.group(1) <= m.group(2) else f"{m.group(1)}{m.group(2)}", inside
        )
        return f"[{'^/' if part.group(1) else ''}{inside}]"
    if part.group(3) is not None:
        return "(?:" + "|".join(re.escape(x) for x in part.group(3).split(",")) + ")"
    return re.escape(part.group())
