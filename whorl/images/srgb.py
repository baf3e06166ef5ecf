"""sRGB over arrays (IEC 61966-2-1); `fields.colour` has it for shade functions."""

from typing import Any

import numpy as np
from numpy.typing import NDArray


def decoded(x: NDArray[Any]) -> NDArray[Any]:
    """sRGB, 0..1, to linear light."""
    return np.where(x <= 0.04045, x / 12.92, ((x + 0.055) / 1.055) ** 2.4)


def encoded(x: NDArray[Any]) -> NDArray[Any]:
    """Linear light of 0 and more to sRGB."""
    return np.where(x <= 0.0031308, x * 12.92, 1.055 * np.maximum(x, 0.0) ** (1 / 2.4) - 0.055)
