"""Regions of pictures.

SciPy is taken in only once something is looked at: it takes as long to import as all else that a short command needs.
"""

import numpy as np
from numpy.typing import NDArray


def parts_of(mask: NDArray[np.bool_]) -> tuple[NDArray[np.int32], int]:
    """Numbers from 1 for what is joined by its sides, 0 elsewhere, and how many there are."""
    from scipy.ndimage import label

    parts, count = label(mask)
    return parts, int(count)


def share_about(mask: NDArray[np.bool_], field: tuple[int, ...]) -> NDArray[np.float32]:
    """How much of a field of (high, wide) pixels about each is in a mask, 0..1; none of what is past the picture."""
    from scipy.ndimage import uniform_filter

    return np.asarray(uniform_filter(mask.astype(np.float32), field, mode="constant"), np.float32)
