"""Made-up pictures for tests."""

import io
import struct
import zipfile
import zlib

import numpy as np
from PIL import Image


def encoded(pixels: np.ndarray, format: str = "PNG", **more) -> bytes:
    """8-bit pixels (height, width, 3 or 4), or a grey (height, width), as a file."""
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, format, **more)
    return out.getvalue()


def deep(pixels: np.ndarray) -> bytes:
    """16-bit pixels (height, width, 2, 3 or 4) as a PNG of no filters: grey with alpha, colour, or both."""

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    height, width, channels = pixels.shape
    head = struct.pack(">IIBBBBB", width, height, 16, {2: 4, 3: 2, 4: 6}[channels], 0, 0, 0)
    rows = b"".join(b"\0" + row.astype(">u2").tobytes() for row in pixels)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")


def lanterns(width: int = 37, height: int = 23) -> np.ndarray:
    """Soft lights of several colours, of a size that is no power of two."""
    y, x = np.mgrid[0:height, 0:width]
    parts = []
    for k in range(3):
        cx, cy = (0.2 + 0.3 * k) * width, (0.3 + 0.2 * k) * height
        parts.append(np.exp(-((x - cx) ** 2 + (y - cy) ** 2) / (0.03 * width * height)))
    return (np.stack(parts, -1) * 255).astype(np.uint8)


def zipped(files):
    """Files in a zip, by their names."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
        for name, data in files:
            file.writestr(name, data)
    return out.getvalue()
