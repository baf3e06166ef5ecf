"""A picture file read into floats: PNG (8 and 16 bit), JPEG, WebP, OpenEXR; bounded before anything is unpacked."""

import io
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

import av
import numpy as np
from numpy.typing import NDArray
from PIL import Image

MOST_SIDE, MOST_PIXELS, MOST_BYTES = 8192, 64 * 1024 * 1024, 128 * 1024 * 1024
_EXR = b"\x76\x2f\x31\x01"
_FORMATS = ("PNG", "JPEG", "WEBP")
#: The colour types of PNG that have 16 bits a channel and more than one channel.
_DEEP: dict[int, Literal["grey", "colour"]] = {2: "colour", 4: "grey", 6: "colour"}


class BadImage(ValueError):
    """A picture that is too large, malformed, or of a kind that is not read; says so in words."""


@dataclass(frozen=True)
class Decoded:
    """Red, green, blue and alpha: (height, width, 4) float32, row 0 at the top.

    8- and 16-bit pictures lie in 0..1 as they were written; `encoded` says that such colours are
    sRGB. OpenEXR is linear light and may exceed 1. `channels` are those the file has.
    """

    pixels: NDArray[np.float32]
    channels: Literal["grey", "colour"]
    encoded: bool

    @property
    def width(self) -> int:
        return int(self.pixels.shape[1])

    @property
    def height(self) -> int:
        return int(self.pixels.shape[0])


def decode(data: bytes) -> Decoded:
    """The pixels of a picture file. Raises BadImage."""
    if len(data) > MOST_BYTES:
        raise BadImage(f"the file is {len(data) / 2**20:.0f} MiB; up to {MOST_BYTES // 2**20} MiB are taken")
    made = _exr(data) if data[:4] == _EXR else _pillow(data)
    if not np.isfinite(made.pixels).all():
        raise BadImage("the picture holds values that are not finite")
    return made


def _bounded(width: int, height: int) -> None:
    if width < 1 or height < 1:
        raise BadImage("the picture has no pixels")
    if max(width, height) > MOST_SIDE or width * height > MOST_PIXELS:
        raise BadImage(
            f"the picture is {width} × {height}; up to {MOST_SIDE} on a side "
            f"and {MOST_PIXELS // 2**20} megapixels are taken"
        )


def _pillow(data: bytes) -> Decoded:
    try:
        with Image.open(io.BytesIO(data), formats=_FORMATS) as image:
            _bounded(*image.size)
            if image.format == "PNG" and data[24] == 16 and data[25] in _DEEP:
                # Pillow reads 16-bit colour as 8 bits.
                return Decoded(_deep(data), _DEEP[data[25]], True)
            image.load()
            mode = image.mode
            if mode.startswith("I"):
                grey = np.asarray(image, np.float32) / 65535.0
                return Decoded(_stack(grey, grey, grey), "grey", True)
            rgba = np.asarray(image.convert("RGBA"), np.float32) / 255.0
    except BadImage:
        raise
    except Exception as e:
        raise BadImage("this is not a picture that is read here: PNG, JPEG, WebP or OpenEXR") from e
    grey_only = mode in ("L", "LA", "1")
    return Decoded(np.ascontiguousarray(rgba), "grey" if grey_only else "colour", True)


def _deep(data: bytes) -> NDArray[np.float32]:
    """The colours of a PNG of 16 bits a channel, in 0..1."""
    with av.open(io.BytesIO(data), "r", format="png_pipe") as file:
        frame = next(file.decode(video=0))
        return np.ascontiguousarray(frame.to_ndarray(format="rgba64le"), np.float32) / np.float32(65535.0)


def _exr(data: bytes) -> Decoded:
    import OpenEXR

    # The library reads files only.
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "picture.exr"
        path.write_bytes(data)
        try:
            with OpenEXR.File(str(path), header_only=True) as file:
                low, high = file.header()["dataWindow"]
            _bounded(int(high[0] - low[0]) + 1, int(high[1] - low[1]) + 1)
            with OpenEXR.File(str(path), separate_channels=True) as file:
                channels = {name: np.asarray(c.pixels, np.float32) for name, c in file.channels().items()}
        except BadImage:
            raise
        except Exception as e:
            raise BadImage("the OpenEXR file is malformed, or of a kind that is not read") from e
    if {"R", "G", "B"} <= channels.keys():
        return Decoded(_stack(channels["R"], channels["G"], channels["B"], channels.get("A")), "colour", False)
    grey = channels.get("Y", next(iter(channels.values()), None))
    if grey is None or grey.ndim != 2:
        raise BadImage("the OpenEXR file has no channels that are read: R, G, B, A or Y")
    return Decoded(_stack(grey, grey, grey), "grey", False)


def _stack(
    r: NDArray[np.float32], g: NDArray[np.float32], b: NDArray[np.float32], a: NDArray[np.float32] | None = None
) -> NDArray[np.float32]:
    return np.ascontiguousarray(np.stack([r, g, b, np.ones_like(r) if a is None else a], axis=-1), np.float32)
