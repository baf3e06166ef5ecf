"""Loops over arrays as machine code: for what is no shade function, such as rasterising.

A loop function is a plain Python function in a small typed subset. `function.plain` is that function, on NumPy's
arrays; called, it runs compiled, and lets go of Python's lock. Its machine code is kept under a hash of the file it
stands in, so that a second start loads it without reading the source.

**The subset**: parameters and results are `int`, `float`, `bool`, `np.float32`, tuples of these, and parameters also
arrays of a stated number of axes, the last of which has no gaps; assignments, also of several names at once; `if`,
`while`, `for` over a `range` with a constant step, `break`, `continue`, `return`; arithmetic, comparisons, `and`,
`or`, `not`, conditional expressions; `len` and `shape`, elements, and views by indices and slices; `min`, `max`,
`abs`, `int`, `float`, `np.floor`, `np.ceil`, `np.sqrt`, NumPy's number types, and what this file has for addresses;
constants of the module, and its other loop functions. Integers have 64 bits; indices are not checked, and count from
the start. A literal takes the type of what it meets.
"""

import ctypes
import functools
import hashlib
import inspect
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, cached_property
from pathlib import Path
from typing import Annotated, Any, Generic, ParamSpec, TypeVar, get_args, get_origin, get_type_hints

import numpy as np
from numpy.typing import NDArray

from whorl.shade import machine

P = ParamSpec("P")
R = TypeVar("R")

F32_1 = Annotated[NDArray[np.float32], 1]
F32_2 = Annotated[NDArray[np.float32], 2]
F32_3 = Annotated[NDArray[np.float32], 3]
F64_1 = Annotated[NDArray[np.float64], 1]
F64_2 = Annotated[NDArray[np.float64], 2]
F64_3 = Annotated[NDArray[np.float64], 3]
I32_1 = Annotated[NDArray[np.int32], 1]
I32_2 = Annotated[NDArray[np.int32], 2]
I64_1 = Annotated[NDArray[np.int64], 1]
I64_2 = Annotated[NDArray[np.int64], 2]
U8_1 = Annotated[NDArray[np.uint8], 1]
U8_2 = Annotated[NDArray[np.uint8], 2]


@dataclass(frozen=True)
class Rows:
    """An array parameter: what its elements are, and along how many axes they lie."""

    element: np.dtype[Any]
    axes: int


#: What a parameter or a result is: a number's type, an array, or several.
Kind = type | Rows | tuple[Any, ...] | None

_C: dict[Any, Any] = {int: ctypes.c_int64, float: ctypes.c_double, bool: ctypes.c_bool, np.float32: ctypes.c_float}
_C[None] = None


def kind(note: Any) -> Kind:
    """What an annotation stands for."""
    if note is type(None):
        return None
    if get_origin(note) is Annotated:
        array, axes = get_args(note)
        return Rows(np.dtype(get_args(get_args(array)[1])[0]), axes)
    if get_origin(note) is tuple:
        return tuple(kind(part) for part in get_args(note))
    return note


class Loops(Generic[P, R]):
    """A function of arrays and numbers, compiled when it is first called."""

    def __init__(self, function: Callable[P, R]) -> None:
        self.plain = function
        functools.update_wrapper(self, function)

    @cached_property
    def params(self) -> dict[str, Kind]:
        """What it is given, by name."""
        return {name: kind(note) for name, note in self._notes.items() if name != "return"}

    @cached_property
    def gives(self) -> Kind:
        """What it gives."""
        return kind(self._notes["return"])

    @cached_property
    def _notes(self) -> dict[str, Any]:
        return get_type_hints(self.plain, include_extras=True)

    @cached_property
    def _several(self) -> bool:
        return any(isinstance(k, tuple) for k in (self.gives, *self.params.values()))

    @cached_property
    def _code(self) -> Any:
        name = f"loops_{self.plain.__name__.strip('_')}"
        taken: list[Any] = []
        for k in self.params.values():
            words = 2 * k.axes - 1 if isinstance(k, Rows) else 0
            taken += [ctypes.c_void_p, *[ctypes.c_int64] * words] if words else [_C[k]]
        place = machine.address(name, f"{self.plain.__qualname__}|{_told(self.plain)}", lambda: _module(self))
        return ctypes.CFUNCTYPE(_C[self.gives], *taken)(place)

    def __call__(self, *args: P.args, **named: P.kwargs) -> R:
        """Run it; as ordinary Python where several numbers go in or come out, as they do only among loop functions.

        Raises TypeError where an array is not as stated.
        """
        if self._several:
            return self.plain(*args, **named)
        given: list[Any] = []
        for (name, k), arg in zip(self.params.items(), args, strict=True):
            if isinstance(k, Rows):
                given += _laid(name, k, arg)
            else:
                given.append(arg)
        return self._code(*given)


def loops(function: Callable[P, R]) -> Loops[P, R]:
    """Marks a loop function."""
    return Loops(function)


def _laid(name: str, k: Rows, array: Any) -> list[int]:
    """Where an array lies, how long each axis is, and how many elements each but the last steps over."""
    size = k.element.itemsize
    fits = array.dtype == k.element and array.ndim == k.axes
    if not fits or (array.strides[-1] != size and array.shape[-1] > 1 and array.size):
        raise TypeError(f"{name} is {k.element} along {k.axes} axes without gaps, not {array.dtype} {array.shape}")
    return [array.__array_interface__["data"][0], *array.shape, *(step // size for step in array.strides[:-1])]


@cache
def _file(path: str) -> str:
    return Path(path).read_text("utf-8")


def _told(function: Any) -> str:
    """All that machine code depends on: its file, the constants that it may name, and what compiles it."""
    own = function.__globals__
    plain = {name: repr(x) for name, x in own.items() if isinstance(x, int | float)}
    here = Path(__file__)
    texts = [_file(inspect.getfile(function)), *(_file(str(p)) for p in (here, here.with_name("loops_llvm.py")))]
    return hashlib.sha256("\0".join([*texts, repr(sorted(plain.items()))]).encode()).hexdigest()


def _module(function: "Loops[Any, Any]") -> str:
    # What compiles is loaded only where something has to be.
    from whorl.shade.loops_llvm import module

    return module(function)


# --- addresses, for loops that run kernels ---------------------------------------------


def plane(address: int, high: int, wide: int) -> F32_2:
    """The floats at an address as a picture."""
    return np.ctypeslib.as_array((ctypes.c_float * (high * wide)).from_address(address)).reshape(high, wide)


def address(view: NDArray[Any]) -> int:
    """Where the elements of a view begin."""
    return int(view.__array_interface__["data"][0])


def run_kernel(kernel: int, n: int, numbers: F32_1, rows: I64_1) -> None:
    """Run the kernel at an address over `n` samples; see `shade/kernel.py`."""
    call = ctypes.CFUNCTYPE(None, ctypes.c_int64, ctypes.c_void_p, ctypes.c_void_p)(kernel)
    call(n, address(numbers), address(rows))
