"""Array kernels on the CPU: shade functions over many samples at once, compiled by Numba."""

import hashlib
import importlib.util
import os
import sys
import tempfile
import threading
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, lru_cache
from pathlib import Path
from types import ModuleType
from typing import cast

import numpy as np
from numpy.typing import NDArray

from whorl.shade import numba_cpu  # noqa: F401 - before anything is compiled
from whorl.shade.function import Unchecked
from whorl.shade.numba_source import NumbaPrinter, components
from whorl.shade.specialise import Fixed
from whorl.shade.tree import Param

Floats = NDArray[np.float32]
#: One argument of a kernel: floats for the whole call, or an array per component.
Argument = tuple[float, ...] | list[Floats]

#: What the source of every kernel begins with.
HEAD = '''"""Written by Whorl; the name holds a hash of what is in it."""
import numpy as np
from numba import njit
from whorl.shade.numba_runtime import *
from whorl.shade.numba_runtime import (
    FASTMATH, INLINED, absolute_, atan2_, clamp_, cos_, exp2_, floor_, fract_, log2_,
    maximum_, minimum_, mix_, mod_, power_, sin_, sqrt_, step_, f32, i32, u32,
)

'''
_LOCK = threading.RLock()


def cache_folder() -> Path:
    """Where compiled kernels are kept: WHORL_CACHE, or the user's cache folder."""
    root = os.environ.get("WHORL_CACHE") or os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache"
    return Path(root) / "whorl" / "kernels"


@dataclass(frozen=True)
class Link:
    """One shade function of a kernel, its fixed parameters bound; results are held within ±`limit`.

    `inputs` says for each parameter which earlier link's result it takes; None is the kernel's
    own next argument. A result of one component stands for all where more are wanted.
    """

    function: Unchecked
    fixed: Fixed = ()
    limit: float | None = None
    inputs: tuple[int | None, ...] = ()

    @property
    def params(self) -> list[Param]:
        """What the function is given, sample by sample."""
        return [p for p in self.function.tree.params if not p.fixed]


class Kernel:
    """Shade functions, one after another, as one loop; what passes between them stays in registers.

    `varying` says, argument by argument, whether arrays are given (True) or floats.
    """

    def __init__(self, links: tuple[Link, ...], varying: tuple[bool, ...]) -> None:
        self.links, self.varying = links, varying
        self.returns = links[-1].function.tree.returns
        self._run: Callable[..., None] | None = None

    def source(self) -> str:
        """The module Numba compiles."""
        printer = NumbaPrinter()
        arrays: list[str] = []
        scalars: list[str] = []
        lines: list[str] = []
        results: list[list[str]] = []
        given = iter(self.varying)
        for number, link in enumerate(self.links):
            inner: list[str] = []
            for param, source in zip(link.params, _inputs(link), strict=True):
                if source is not None:
                    made = results[source]
                    inner += made * param.type.size if len(made) == 1 else made
                    continue
                names = components(f"a{number}_{param.name}", param.type)
                varies = next(given)
                if varies:
                    arrays += names
                else:
                    taken = len(scalars)
                    scalars += [f"{n} = {param.type.scalar}(numbers[{taken + k}])" for k, n in enumerate(names)]
                inner += [f"{n}[i]" if varies else n for n in names]
            name = printer.need(link.function, link.fixed)
            size = link.function.tree.returns.size
            lines.append(f"        r{number} = f_{name}({', '.join(inner)})")
            made = [f"r{number}"] if size == 1 else [f"r{number}_{c}" for c in "xyzw"[:size]]
            for i, part in enumerate(made):
                value = f"r{number}" if size == 1 else f"r{number}[{i}]"
                if link.limit is not None:
                    value = f"clamp_({value}, f32({-link.limit!r}), f32({link.limit!r}))"
                lines.append(f"        {part} = {value}")
            results.append(made)
        outs = [f"out{i}" for i in range(self.returns.size)]
        signature = f"void({', '.join(['int32', *['float32[::1]'] * (1 + len(arrays) + len(outs))])})"
        lines = [
            f'@njit("{signature}", nogil=True, cache=True, error_model="numpy", fastmath=FASTMATH)',
            f"def run({', '.join(['n', 'numbers', *arrays, *outs])}):",
            *(f"    {line}" for line in scalars),
            "    for i in range(n):",
            *lines,
            *(f"        {o}[i] = {v}" for o, v in zip(outs, results[-1], strict=True)),
        ]
        return HEAD + imports(printer) + "\n\n" + "\n".join(lines) + "\n"

    @property
    def run(self) -> Callable[..., None]:
        """The compiled loop; compiled at the first use, then loaded from disk."""
        if self._run is None:
            with _LOCK:
                if self._run is None:
                    self._run = load(self.links[-1].function.name, self.source()).run
        return self._run

    def __call__(self, n: int, args: list[Argument], out: list[Floats]) -> None:
        """Shade `n` samples into `out`, one contiguous float32 array per component."""
        arrays: list[Floats] = []
        numbers: list[float] = []
        for arg, varies in zip(args, self.varying, strict=True):
            if varies:
                arrays.extend(cast(list[Floats], arg))
            else:
                numbers.extend(cast(tuple[float, ...], arg))
        # In one array: to take a call apart costs Numba about a microsecond for each argument.
        self.run(n, np.array(numbers, np.float32), *arrays, *out)


@cache
def kernel(function: Unchecked, fixed: Fixed, varying: tuple[bool, ...], limit: float | None = None) -> Kernel:
    """The kernel of one shade function, made once."""
    return chain((Link(function, fixed, limit),), varying)


@cache
def chain(links: tuple[Link, ...], varying: tuple[bool, ...]) -> Kernel:
    """The kernel of several shade functions, made once."""
    return Kernel(links, varying)


def _inputs(link: Link) -> tuple[int | None, ...]:
    return link.inputs or (None,) * len(link.params)


@lru_cache(maxsize=1)
def _environment() -> bytes:
    """What else a compiled kernel depends on."""
    import llvmlite
    import numba

    from whorl.shade import numba_runtime

    runtime = Path(numba_runtime.__file__).read_bytes()
    return b"|".join([runtime, numba.__version__.encode(), llvmlite.__version__.encode(), sys.version.encode()])


def imports(printer: NumbaPrinter) -> str:
    """Each printed function in a module of its own, and the lines that import them.

    Kernels share these modules, so that Numba works through a function once, and not again for
    every kernel that calls it.
    """
    lines: dict[str, str] = {}
    with _LOCK:
        for name, text in printer.printed.items():
            needed = [line for other, line in lines.items() if f"f_{other}(" in text]
            source = "\n".join([HEAD + "\n".join(needed), "", text])
            if source not in _SHARED:
                _SHARED[source] = load(name, source).__name__
            lines[name] = f"from {_SHARED[source]} import f_{name}"
    return "\n".join(lines.values()) + "\n"


#: Modules of single functions by their source.
_SHARED: dict[str, str] = {}


def load(name: str, source: str, calls: bytes = b"") -> ModuleType:
    """Source as a module that Numba can keep compiled on disk; `calls` is what else it is made of."""
    digest = hashlib.sha256(_environment() + calls + source.encode()).hexdigest()[:20]
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
