"""Array kernels on the CPU: a shade function over many samples at once, compiled by Numba."""

import hashlib
import importlib.util
import os
import sys
import tempfile
import threading
from collections.abc import Callable
from functools import cache, lru_cache
from pathlib import Path
from types import ModuleType
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from whorl.shade import numba_cpu  # noqa: F401 - before anything is compiled
from whorl.shade.function import Unchecked
from whorl.shade.numba_source import NumbaPrinter, components
from whorl.shade.specialise import Fixed

Floats = NDArray[np.float32]
#: One argument of a kernel: floats for the whole call, or an array per component.
Argument = tuple[float, ...] | list[Floats]

_HEAD = '''"""Written by Whorl; the name holds a hash of what is in it."""
from numba import njit
from whorl.shade.numba_runtime import *
from whorl.shade.numba_runtime import (
    FASTMATH, INLINED, absolute_, atan2_, clamp_, cos_, exp2_, floor_, fract_, log2_,
    maximum_, minimum_, mix_, mod_, power_, sin_, sqrt_, step_, f32, i32, u32,
)

'''
_NUMBA = {"f32": "float32", "i32": "int32", "u32": "uint32", "bool": "boolean"}
_NUMPY: dict[str, Callable[[float], Any]] = {"f32": np.float32, "i32": np.int32, "u32": np.uint32, "bool": np.bool_}
_LOCK = threading.RLock()


def cache_folder() -> Path:
    """Where compiled kernels are kept: WHORL_CACHE, or the user's cache folder."""
    root = os.environ.get("WHORL_CACHE") or os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache"
    return Path(root) / "whorl" / "kernels"


class Kernel:
    """One shade function with its fixed parameters bound and each argument's kind known.

    `varying` says, parameter by parameter, whether arrays are given (True) or floats. Results
    are held within ±`limit` where one is given.
    """

    def __init__(
        self, function: Unchecked, fixed: Fixed, varying: tuple[bool, ...], limit: float | None = None
    ) -> None:
        self.function, self.fixed, self.varying, self.limit = function, fixed, varying, limit
        self.params = [p for p in function.tree.params if not p.fixed]
        self.returns = function.tree.returns
        self._run: Callable[..., None] | None = None

    def source(self) -> str:
        """The module Numba compiles."""
        printer = NumbaPrinter()
        name = printer.need(self.function, self.fixed)
        arrays: list[str] = []
        scalars: list[str] = []
        inner: list[str] = []
        kinds: list[str] = []
        for param, varies in zip(self.params, self.varying, strict=True):
            names = components("a_" + param.name, param.type)
            (arrays if varies else scalars).extend(names)
            kinds += [] if varies else [_NUMBA[param.type.scalar]] * len(names)
            inner += [f"{n}[i]" if varies else n for n in names]
        outs = [f"out{i}" for i in range(self.returns.size)]
        values = ["r"] if len(outs) == 1 else [f"r[{i}]" for i in range(len(outs))]
        if self.limit is not None:
            values = [f"clamp_({v}, f32({-self.limit!r}), f32({self.limit!r}))" for v in values]
        types = ["int32", *["float32[::1]"] * (len(arrays) + len(outs)), *kinds]
        signature = f"void({', '.join(types)})"
        lines = [
            f'@njit("{signature}", nogil=True, cache=True, error_model="numpy", fastmath=FASTMATH)',
            f"def run({', '.join(['n', *arrays, *outs, *scalars])}):",
            "    for i in range(n):",
            f"        r = f_{name}({', '.join(inner)})",
            *(f"        {o}[i] = {v}" for o, v in zip(outs, values, strict=True)),
        ]
        return _HEAD + printer.source() + "\n\n" + "\n".join(lines) + "\n"

    @property
    def run(self) -> Callable[..., None]:
        """The compiled loop; compiled at the first use, then loaded from disk."""
        if self._run is None:
            with _LOCK:
                if self._run is None:
                    self._run = _load(self.function.name, self.source()).run
        return self._run

    def __call__(self, n: int, args: list[Argument], out: list[Floats]) -> None:
        """Shade `n` samples into `out`, one contiguous float32 array per component."""
        arrays: list[Any] = []
        scalars: list[Any] = []
        for arg, varies, param in zip(args, self.varying, self.params, strict=True):
            if varies:
                arrays.extend(arg)
            else:
                as_scalar = _NUMPY[param.type.scalar]
                scalars.extend(as_scalar(float(x)) for x in cast(tuple[float, ...], arg))
        self.run(np.int32(n), *arrays, *out, *scalars)


@cache
def kernel(function: Unchecked, fixed: Fixed, varying: tuple[bool, ...], limit: float | None = None) -> Kernel:
    """The kernel for these, made once."""
    return Kernel(function, fixed, varying, limit)


@lru_cache(maxsize=1)
def _environment() -> bytes:
    """What else a compiled kernel depends on."""
    import llvmlite
    import numba

    from whorl.shade import numba_runtime

    runtime = Path(numba_runtime.__file__).read_bytes()
    return b"|".join([runtime, numba.__version__.encode(), llvmlite.__version__.encode(), sys.version.encode()])


def _load(name: str, source: str) -> ModuleType:
    digest = hashlib.sha256(_environment() + source.encode()).hexdigest()[:20]
    folder = cache_folder()
    path = folder / f"{name}_{digest}.py"
    if not path.exists():
        folder.mkdir(parents=True, exist_ok=True)
        # Renamed into place, so that another process never reads half a module.
        handle, part = tempfile.mkstemp(dir=folder, suffix=".part")
        with os.fdopen(handle, "w", encoding="utf-8") as f:
            f.write(source)
        os.replace(part, path)
    spec = importlib.util.spec_from_file_location(f"whorl_kernel_{name}_{digest}", path)
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    sys.modules[spec.name] = module
    spec.loader.exec_module(module)
    return module
