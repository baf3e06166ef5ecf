"""Whether the same pixels are wanted on any processor, at the cost of speed.

Then floats are neither contracted nor put in another order, quotients and roots are those of IEEE 754, and code is
made for one level of features, whatever the processor has beyond it. It holds for the whole process, and is decided
before anything is compiled.
"""

import os
import platform

_NAMED = "WHORL_EXACT"
#: By what processor code is made then: x86 of 2013 and later; elsewhere what every one of its kind has.
LEVEL = "x86-64-v3" if platform.machine().lower() in ("x86_64", "amd64") else "generic"


def exact() -> bool:
    """Whether the same pixels are wanted on any processor."""
    return os.environ.get(_NAMED, "") not in ("", "0")


def level() -> str:
    """The processor that exact code is made for; another level gives the same pixels, and may be named instead."""
    named = os.environ.get(_NAMED, "")
    return named if named not in ("", "0", "1") else LEVEL


def turn_on() -> None:
    """From here on, and for processes that this one starts."""
    os.environ.setdefault(_NAMED, "1")
