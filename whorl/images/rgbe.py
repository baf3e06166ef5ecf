"""Pictures of high range in four bytes a pixel (RGBE), as `.hdr` files have them.

Source: Ward, *Real Pixels*, Graphics Gems II, 1991: three mantissas share an exponent; lines may be run-length coded,
component by component.
"""

import re

import numpy as np
from numpy.typing import NDArray

from whorl.refused import Refused

MAGIC = (b"#?RADIANCE", b"#?RGBE")
_SIZE = re.compile(rb"([-+])Y (\d{1,6}) ([-+])X (\d{1,6})\n")


class BadHdr(Refused):
    """A file that is not read; says so in words."""


def measured(data: bytes) -> tuple[int, int, int]:
    """Width and height, and where the lines begin. Raises BadHdr."""
    ended = data.find(b"\n\n", 0, 65536)
    found = _SIZE.match(data, ended + 2) if ended >= 0 else None
    if found is None or found[1] != b"-" or found[3] != b"+":
        raise BadHdr("the HDR file's head is malformed, or its lines do not run from the top left")
    if b"32-bit_rle_rgbe" not in data[:ended]:
        raise BadHdr("the HDR file is not in RGBE, which alone is read")
    return int(found[4]), int(found[2]), found.end()


def light(data: bytes) -> NDArray[np.float32]:
    """Linear red, green and blue (height, width, 3), row 0 at the top. Raises BadHdr."""
    width, height, at = measured(data)
    rows = np.empty((height, width, 4), np.uint8)
    try:
        if width < 8 or width > 32767 or data[at : at + 2] != b"\x02\x02":
            rows[:] = np.frombuffer(data, np.uint8, height * width * 4, at).reshape(height, width, 4)
        else:
            for row in rows:
                at = _line(data, at, row)
    except (IndexError, ValueError) as e:
        raise BadHdr("the HDR file ends too early, or is malformed") from e
    shared = np.ldexp(np.float32(1), rows[..., 3].astype(np.int32) - 136)
    made: NDArray[np.float32] = (rows[..., :3].astype(np.float32) + np.float32(0.5)) * shared[..., None]
    made[rows[..., 3] == 0] = 0
    return made


def _line(data: bytes, at: int, row: NDArray[np.uint8]) -> int:
    """One line of runs, each component by itself; gives where the next one begins."""
    width = len(row)
    if data[at] != 2 or data[at + 1] != 2 or (data[at + 2] << 8 | data[at + 3]) != width:
        raise ValueError("a line of another width")
    at += 4
    for k in range(4):
        x = 0
        while x < width:
            count = data[at]
            if count > 128:
                count -= 128
                if x + count > width:
                    raise ValueError("a run beyond the line")
                row[x : x + count, k] = data[at + 1]
                at += 2
            else:
                if count == 0 or x + count > width:
                    raise ValueError("a run beyond the line")
                row[x : x + count, k] = np.frombuffer(data, np.uint8, count, at + 1)
                at += 1 + count
            x += count
    return at
