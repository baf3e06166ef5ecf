"""A picture file read into floats: PNG (8 and 16 bit), JPEG, WebP, OpenEXR, HDR; bounded before it is unpacked."""

import io
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from whorl.images import rgbe
from whorl.refused import Refused

MOST_SIDE, MOST_PIXELS, MOST_BYTES = 8192, 32 * 1024 * 1024, 128 * 1024 * 1024
#: What the channels of an OpenEXR file, used or not, may come to unpacked.
MOST_EXR = 512 * 1024 * 1024
_EXR = b"\x76\x2f\x31\x01"
_FORMATS = ("PNG", "JPEG", "WEBP")
#: The colour types of PNG that have 16 bits a channel and more than one channel.
_DEEP: dict[int, Literal["grey", "colour"]] = {2: "colour", 4: "grey", 6: "colour"}


class BadImage(Refused):
    """A picture that is too large, malformed, or of a kind that is not read; says so in words."""


@dataclass(frozen=True)
class Decoded:
    """Red, green, blue and alpha: `raw` (height, width, 4), row 0 at the top, as deep as the file has it.

    Whole numbers of 8 and 16 bits stand for 0..1; `encoded` says that such colours are sRGB. OpenEXR is
    linear light in half floats and may exceed 1. `channels` are those the file has.
    """

    raw: NDArray[np.uint8] | NDArray[np.uint16] | NDArray[np.float16]
    channels: Literal["grey", "colour"]
    encoded: bool

    @property
    def width(self) -> int:
        return int(self.raw.shape[1])

    @property
    def height(self) -> int:
        return int(self.raw.shape[0])

    def rows(self, first: int, last: int) -> NDArray[np.float32]:
        """Some rows as numbers."""
        part = self.raw[first:last].astype(np.float32)
        if self.raw.dtype.kind == "u":
            part /= np.float32(255 if self.raw.dtype == np.uint8 else 65535)
        return part

    @property
    def pixels(self) -> NDArray[np.float32]:
        """All of it as numbers."""
        return self.rows(0, self.height)


def decode(data: bytes) -> Decoded:
    """The pixels of a picture file. Raises BadImage."""
    if len(data) > MOST_BYTES:
        raise BadImage(f"the file is {len(data) / 2**20:.0f} MiB; up to {MOST_BYTES // 2**20} MiB are taken")
    if data.startswith(rgbe.MAGIC):
        return _rgbe(data)
    return _exr(data) if data[:4] == _EXR else _pillow(data)


def _rgbe(data: bytes) -> Decoded:
    try:
        _bounded(*rgbe.measured(data)[:2])
        light = rgbe.light(data)
    except rgbe.BadHdr as e:
        raise BadImage(str(e)) from None
    halves = np.minimum(light, 65504).astype(np.float16)
    return Decoded(_stacked([halves[..., k] for k in range(3)], 1.0), "colour", False)


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
                grey = np.asarray(image).astype(np.uint16)
                return Decoded(_stacked([grey] * 3, 65535), "grey", True)
            rgba = np.array(image if mode == "RGBA" else image.convert("RGBA"))
    except BadImage:
        raise
    except Exception as e:
        raise BadImage("this is not a picture that is read here: PNG, JPEG, WebP, OpenEXR or HDR") from e
    grey_only = mode in ("L", "LA", "1")
    return Decoded(rgba, "grey" if grey_only else "colour", True)


def _deep(data: bytes) -> NDArray[np.uint16]:
    """The colours of a PNG of 16 bits a channel."""
    import av

    with av.open(io.BytesIO(data), "r", format="png_pipe") as file:
        frame = next(file.decode(video=0))
        return np.ascontiguousarray(frame.to_ndarray(format="rgba64le"), np.uint16)


def _exr(data: bytes) -> Decoded:
    import OpenEXR

    # The library reads files only.
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "picture.exr"
        path.write_bytes(data)
        unpacked = 0
        try:
            with OpenEXR.File(str(path), header_only=True) as file:
                for part in file.parts:
                    low, high = part.header["dataWindow"]
                    _bounded(wide := int(high[0] - low[0]) + 1, tall := int(high[1] - low[1]) + 1)
                    # The library unpacks all of a file, whatever is asked of it.
                    unpacked += wide * tall * 4 * len(part.header["channels"])
            if unpacked > MOST_EXR:
                raise BadImage(
                    f"the OpenEXR file comes to {unpacked // 2**20} MiB with all its parts and channels; "
                    f"up to {MOST_EXR // 2**20} MiB are taken"
                )
            with OpenEXR.File(str(path), separate_channels=True) as file:
                found = file.channels()
                if {"R", "G", "B"} <= found.keys():
                    names, channels = ["R", "G", "B", *(["A"] if "A" in found else [])], "colour"
                else:
                    names, channels = ["Y" if "Y" in found else next(iter(found), "")] * 3, "grey"
                planes = {name: _halves(found[name].pixels) for name in dict.fromkeys(names) if name in found}
        except BadImage:
            raise
        except Exception as e:
            raise BadImage("the OpenEXR file is malformed, or of a kind that is not read") from e
    if not planes or any(plane.ndim != 2 for plane in planes.values()):
        raise BadImage("the OpenEXR file has no channels that are read: R, G, B, A or Y")
    if len({plane.shape for plane in planes.values()}) > 1:
        raise BadImage("the OpenEXR file's channels differ in size, which is not read")
    return Decoded(_stacked([planes[name] for name in names], 1.0), channels, False)


def _halves(plane: Any) -> NDArray[np.float16]:
    """A channel as half floats."""
    given = np.asarray(plane)
    if not np.isfinite(given).all():
        raise BadImage("the picture holds values that are not finite")
    held: NDArray[np.float16] = np.clip(given, -65504, 65504).astype(np.float16)
    return held


def _stacked(planes: list[NDArray[Any]], opaque: float) -> NDArray[Any]:
    """Three channels and alpha, which is opaque where there is none."""
    out = np.empty((*planes[0].shape, 4), planes[0].dtype)
    out[..., 3] = opaque
    for k, plane in enumerate(planes):
        out[..., k] = plane
    return out
