"""Memory of one frame kept for the next.

Frames are some tens of megabytes in arrays that the allocator would give back to the system and
ask for again; fetching fresh pages costs a bake about a tenth of its time.
"""

import ctypes
import sys
from functools import lru_cache

_M_TRIM_THRESHOLD, _M_MMAP_THRESHOLD = -1, -3
_KEPT = 1 << 28


@lru_cache(maxsize=1)
def keep_pages() -> None:
    """Tells glibc to keep freed memory of up to 256 MiB; elsewhere does nothing."""
    if not sys.platform.startswith("linux"):
        return
    mallopt = getattr(ctypes.CDLL(None), "mallopt", None)
    if mallopt is not None:
        mallopt(_M_MMAP_THRESHOLD, _KEPT)
        mallopt(_M_TRIM_THRESHOLD, _KEPT)
