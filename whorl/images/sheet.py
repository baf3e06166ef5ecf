"""A picture at its size and at every half of it, all in one sheet, as lookups take it; see `fields.pictures`."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from whorl.images import srgb
from whorl.images.decode import Decoded
from whorl.shade.values import Image

#: How a picture's numbers are taken: as they are, as colours that may be sRGB, or as light from all round.
Reading = Literal["data", "colour", "around"]
#: Pictures are worked with at up to this many texels on a side; half floats of it are 128 MiB.
WORKING = 4096
#: How many rows are worked on at a time.
STRIP = 256


@dataclass(frozen=True)
class Sheet:
    """The largest level at left, the others in a column beside it; linear, rows from the top.

    Levels of a texture would do for a GPU, but which of them `texelFetch` reads is one choice for four
    pixels on some drivers, and wrong in three of them where the level changes. `size` is the width and
    height of the largest level, the number of the smallest, and the power of two that holds the height.
    """

    image: Image
    size: tuple[int, int, int, int]

    @property
    def numbers(self) -> tuple[float, ...]:
        """`size`, as lookups take it."""
        return tuple(map(float, self.size))

    def place(self, level: int) -> tuple[int, int, int, int]:
        """Where a level lies: left, top, width and height.

        In the column each begins half of the power on, then half of what is left, and a row each where
        only rows are left.
        """
        w, h, _, fold = self.size
        top = (1 << fold) - (1 << fold >> max(level - 1, 0)) + max(level - 2 - fold, 0)
        return (w if level else 0), (top if level else 0), max(w >> level, 1), max(h >> level, 1)

    def level(self, number: int) -> NDArray[np.float16]:
        """The texels of a level, (height, width, 4)."""
        x, y, w, h = self.place(number)
        return self.image.pixels[y : y + h, x : x + w]


def sheet_of(image: Decoded, srgb: bool) -> Sheet:
    """All levels of a picture; `srgb` decodes its colours to linear light first (IEC 61966-2-1)."""
    full = _linear(image, srgb and image.encoded)
    while max(full.shape[:2]) > WORKING:
        full = halved(full)
    h, w = full.shape[:2]
    made = _empty(w, h)
    most = made.size[2]
    for k in range(most + 1):
        made.level(k)[:] = full
        if k < most:
            full = halved(full)
    return made


def _empty(w: int, h: int) -> Sheet:
    """A sheet with room for all levels of a picture of that size."""
    most = max(w, h).bit_length() - 1
    bare = Sheet(Image(np.zeros((1, 1, 4), np.float16)), (w, h, most, (h - 1).bit_length()))
    ends = [(x + wide, y + high) for x, y, wide, high in map(bare.place, range(most + 1))]
    laid = np.zeros((max(y for _, y in ends), max(x for x, _ in ends), 4), np.float16)
    return Sheet(Image(laid), bare.size)


def laid_out(levels: Sequence[NDArray[np.float16]]) -> Sheet:
    """A sheet of levels that are there already, the largest first and each half as large as the one before."""
    h, w = levels[0].shape[:2]
    made = _empty(w, h)
    for k in range(made.size[2] + 1):
        made.level(k)[:] = levels[k]
    return made


def _linear(image: Decoded, decoded: bool) -> NDArray[np.float16]:
    """A picture as half floats, some rows at a time, so that no more of it is ever held at full depth."""
    out = np.empty((image.height, image.width, 4), np.float16)
    for first in range(0, image.height, STRIP):
        rows = image.rows(first, first + STRIP)
        if decoded:
            rows[..., :3] = srgb.decoded(rows[..., :3])
        out[first : first + STRIP] = rows
    return out


def shown_within(sheet: Sheet, side: int) -> NDArray[np.float32]:
    """The largest level that fits a square, as a screen shows it: (4, height, width), sRGB, opaque."""
    number = next(k for k in range(sheet.size[2] + 1) if max(sheet.place(k)[2:]) <= side)
    linear = np.clip(sheet.level(number)[..., :3].astype(np.float32), 0, 1)
    return np.concatenate([np.moveaxis(srgb.encoded(linear), -1, 0), np.ones((1, *linear.shape[:2]))]).astype(
        np.float32
    )


def halved(level: NDArray[np.float16]) -> NDArray[np.float16]:
    """Half as large, each texel the mean of what it covers, also where sizes are odd."""
    h, w = level.shape[:2]
    out = np.empty((max(h // 2, 1), max(w // 2, 1), 4), np.float16)
    for first in range(0, len(out), STRIP):
        last = min(first + STRIP, len(out))
        rows = _halved_rows(level, first, last).transpose(1, 0, 2)
        out[first:last] = _halved_rows(rows, 0, out.shape[1]).transpose(1, 0, 2)
    return out


def _halved_rows(level: NDArray[Any], first: int, last: int) -> NDArray[np.float32]:
    """Some rows of a level that is half as high."""
    n = len(level)
    if n == 1:
        return level.astype(np.float32)
    above = level[2 * first : 2 * last : 2].astype(np.float32)
    below = level[2 * first + 1 : 2 * last + 1 : 2].astype(np.float32)
    if n % 2 == 0:
        return (above + below) * np.float32(0.5)
    # n = 2m + 1 rows lie over m: each of those covers two whole rows and parts of a third.
    m = np.float32(n // 2)
    i = np.arange(first, last, dtype=np.float32)[:, None, None]
    under = level[2 * first + 2 : 2 * last + 2 : 2].astype(np.float32)
    return np.asarray((above * (m - i) + below * m + under * (i + 1)) / np.float32(n), np.float32)
