"""Numba's target, settled before anything is compiled.

LLVM keeps to 256-bit vectors on processors whose first models slowed down for wider ones. Noise
is mostly integer multiplication and gains a quarter from all 512 bits.
"""

import llvmlite.binding as llvm
from numba.core import config

if not config.CPU_FEATURES:  # type: ignore[attr-defined]
    _features = llvm.get_host_cpu_features().flatten()
    if "+avx512f" in _features:
        config.CPU_FEATURES = f"{_features},-prefer-256-bit"  # type: ignore[attr-defined]
