"""Which values of many to keep, so that straight ways between them are near to all others."""

import numpy as np
from numpy.typing import NDArray

from whorl.motion.kind import Rows


def thinned(phases: NDArray[np.float64], rows: Rows, tolerance: float, most: int) -> tuple[list[int], float]:
    """Which rows to keep, so that straight ways between them are nowhere off by more than `tolerance`; and the error.

    The row that is off most is added again and again (U. Ramer 1972, D. Douglas and T. Peucker 1973, by height
    alone), up to as many as `most`.
    """
    last = len(rows) - 1
    chosen = [0, last] if last else [0]
    while True:
        near = np.column_stack([np.interp(phases, phases[chosen], column[chosen]) for column in rows.T])
        off = np.abs(near - rows).max(axis=1)
        worst = int(np.argmax(off))
        if off[worst] <= tolerance or len(chosen) >= most:
            return chosen, float(off[worst])
        chosen = sorted([*chosen, worst])
