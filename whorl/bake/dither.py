"""Blue noise: steps of eight bits spread so that no pattern of them is seen.

Source: Ulichney, *The void-and-cluster method for dither array generation*, SPIE 1913, 1993.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

SIDE = 64
#: How wide a point's neighbourhood is, in pixels (Ulichney has 1.5).
_SIGMA = 1.5


@lru_cache(maxsize=1)
def blue_noise() -> NDArray[np.float32]:
    """(64, 64): every rank once, as −0.5..0.5, tiling; its low frequencies are empty."""
    count = SIDE * SIDE
    away = np.minimum(np.arange(SIDE), SIDE - np.arange(SIDE))
    bump = np.exp(-(away[:, None] ** 2 + away[None, :] ** 2) / (2 * _SIGMA**2))
    # Bumps of every place, as rows that are only looked up.
    double = np.tile(bump, (2, 2))

    def around(at: int) -> NDArray[np.float64]:
        y, x = divmod(at, SIDE)
        return np.asarray(double[SIDE - y : 2 * SIDE - y, SIDE - x : 2 * SIDE - x])

    rng = np.random.default_rng(7)
    on = np.zeros(count, bool)
    on[rng.choice(count, count // 10, replace=False)] = True
    energy = np.zeros((SIDE, SIDE))
    for at in np.flatnonzero(on):
        energy += around(int(at))
    while True:
        # The tightest cluster goes into the largest void, until that is where it came from.
        tight = int(np.where(on, energy.ravel(), -np.inf).argmax())
        on[tight] = False
        energy -= around(tight)
        void = int(np.where(on, np.inf, energy.ravel()).argmin())
        on[void] = True
        energy += around(void)
        if void == tight:
            break
    ranks = np.zeros(count, np.int64)
    first, held = on.copy(), energy.copy()
    for rank in range(int(on.sum()) - 1, -1, -1):
        tight = int(np.where(first, held.ravel(), -np.inf).argmax())
        first[tight] = False
        held -= around(tight)
        ranks[tight] = rank
    for rank in range(int(on.sum()), count):
        void = int(np.where(on, np.inf, energy.ravel()).argmin())
        on[void] = True
        energy += around(void)
        ranks[void] = rank
    return ((ranks + 0.5) / count - 0.5).astype(np.float32).reshape(SIDE, SIDE)


def dithered(picture: NDArray[np.float32], frame: int) -> NDArray[np.float32]:
    """A picture (components, height, width) of 0..1, off by up to half a step of eight bits, other in each frame."""
    _, height, width = picture.shape
    # By the golden section of the square: the noise of one frame is far from that of those beside it.
    y, x = int(frame * 0.7548776662 * SIDE) % SIDE, int(frame * 0.5698402910 * SIDE) % SIDE
    noise = np.roll(blue_noise(), (y, x), (0, 1))
    tiled = np.tile(noise, (-(-height // SIDE), -(-width // SIDE)))[:height, :width]
    # What is wholly black, white or clear stays so.
    near = np.minimum(picture, 1.0 - picture) * np.float32(255 * 2)
    return np.asarray(picture + tiled * np.clip(near, 0.0, 1.0) / np.float32(255), np.float32)
