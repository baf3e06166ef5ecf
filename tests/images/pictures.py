"""Made-up pictures for tests."""

import io

import numpy as np
from PIL import Image


def encoded(pixels: np.ndarray, format: str = "PNG", **more) -> bytes:
    """8-bit pixels (height, width, 3 or 4), or a grey (height, width), as a file."""
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, format, **more)
    return out.getvalue()


def lanterns(width: int = 37, height: int = 23) -> np.ndarray:
    """Soft lights of several colours, of a size that is no power of two."""
    y, x = np.mgrid[0:height, 0:width]
    parts = []
    for k in range(3):
        cx, cy = (0.2 + 0.3 * k) * width, (0.3 + 0.2 * k) * height
        parts.append(np.exp(-((x - cx) ** 2 + (y - cy) ** 2) / (0.03 * width * height)))
    return (np.stack(parts, -1) * 255).astype(np.uint8)
