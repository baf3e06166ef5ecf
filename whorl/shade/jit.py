"""Numba, for what is no shade function: rasterising, rows of passes, PNG filters, keys."""

import sys

# Numba looks whether SciPy could multiply matrices for it, and loading that takes a fifth of a second.
# Nothing here multiplies any.
_shown = "scipy" in sys.modules
if not _shown:
    sys.modules["scipy"] = None  # type: ignore[assignment]
try:
    # What looks is here, and would be loaded with the first function.
    import numba.np.arraymath  # noqa: F401
    from numba import njit
finally:
    if not _shown:
        del sys.modules["scipy"]

__all__ = ["njit"]
