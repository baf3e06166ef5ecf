"""Passes over pictures row by row: each row's texels are brought to the level of the pass first."""

from typing import Any

import numpy as np
from llvmlite import ir
from numba import carray, types  # type: ignore[attr-defined]
from numba.extending import intrinsic

from whorl.shade.exact import exact
from whorl.shade.jit import njit

#: What a component of a pass's arguments is, in the first column of its inputs.
TEXEL, BETWEEN = range(2)


@intrinsic
def _floats_at(typing: Any, address: Any) -> Any:
    """An address as a pointer to float32."""

    def codegen(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        return builder.inttoptr(args[0], context.get_value_type(signature.return_type))

    return types.CPointer(types.float32)(types.int64), codegen  # type: ignore[no-untyped-call]


@intrinsic
def _call(typing: Any, kernel: Any, n: Any, numbers: Any, arrays: Any) -> Any:
    """Run the kernel at an address, its numbers and arrays given by addresses too."""

    def codegen(context: Any, builder: Any, signature: Any, args: Any) -> Any:
        kinds = [context.get_value_type(t) for t in signature.args[1:]]
        function = ir.FunctionType(ir.VoidType(), kinds)
        builder.call(builder.inttoptr(args[0], function.as_pointer()), args[1:])
        return context.get_dummy_value()

    word = types.int64
    return types.void(word, word, word, word), codegen


@njit(cache=True, nogil=True, inline="always")
def held(x, step, across, last):  # type: ignore[no-untyped-def]
    """The texel `across` from where pixel `x` lies, on its own level (step 1) or the one below (2); edges repeat."""
    return min(max(x * step + across, 0), last)


@njit(cache=True, nogil=True)
def line(source, step, across, to):  # type: ignore[no-untyped-def]
    """A row of texels, so far aside, into `to`."""
    # Away from the edges there is nothing to clamp, and plain loops run many texels at a time.
    last, w = len(source) - 1, len(to)
    first = max(0, -(across // step))
    end = max(first, min(w, (last - across) // step + 1))
    # Indices count from a view's start, so that they are seen never to be negative.
    inner, every = to[first:end], source[first * step + across :]
    if step == 1:
        inner[:] = every[: len(inner)]
    else:
        for k in range(len(inner)):
            inner[k] = every[2 * k]
    for x in range(first):
        to[x] = source[held(x, step, across, last)]
    for x in range(end, w):
        to[x] = source[held(x, step, across, last)]


def _between(source, y, to):  # type: ignore[no-untyped-def]
    """Row `y` of a picture twice as large, each texel bilinear between four of `source`; edges repeat."""
    high, wide = source.shape
    w = len(to)
    mixed = np.empty(wide + 2, np.float32)
    near, far = np.float32(0.75), np.float32(0.25)
    first = (y + 1) // 2 - 1
    a, b = source[max(first, 0)], source[min(first + 1, high - 1)]
    upper = far if y % 2 == 0 else near
    lower = near if y % 2 == 0 else far
    for x in range(wide):
        mixed[x + 1] = a[x] * upper + b[x] * lower
    mixed[0], mixed[wide + 1] = mixed[1], mixed[wide]
    for k in range(w // 2):
        to[2 * k] = mixed[k] * far + mixed[k + 1] * near
        to[2 * k + 1] = mixed[k + 1] * near + mixed[k + 2] * far
    if w % 2:
        to[w - 1] = mixed[w // 2] * far + mixed[w // 2 + 1] * near


# Compiled code is kept by its text alone, so what was made otherwise is not looked up.
between = njit(nogil=True)(_between) if exact() else njit(cache=True, nogil=True, fastmath=True)(_between)


@njit("void(int64, float32[::1], int64[:,::1], float32[:,:,::1])", cache=not exact(), nogil=True)
def run(kernel, numbers, inputs, out):  # type: ignore[no-untyped-def]
    """Run a kernel over every row of `out` (components, height, width).

    `numbers` are its uniform ones. `inputs` says in order what its varying ones are, by TEXEL or
    BETWEEN, the address, height and width of a plane of floats, the step between texels, and how
    far across and down.
    """
    size, h, w = out.shape
    count = len(inputs)
    lines = np.empty((count, w), np.float32)
    rows = np.empty(count + size, np.int64)
    for j in range(h):
        for k in range(count):
            what, address, high, wide, step, across, down = inputs[k]
            made = lines[k]
            rows[k] = made.ctypes.data
            plane = carray(_floats_at(address), (high, wide))  # type: ignore[call-arg]
            if what == BETWEEN:
                between(plane, j, made)
                continue
            row = held(j, step, down, high - 1)
            if step == 1 and across == 0:
                rows[k] = address + row * wide * 4
            else:
                line(plane[row], step, across, made)
        for c in range(size):
            rows[count + c] = out[c, j].ctypes.data
        _call(kernel, w, numbers.ctypes.data, rows.ctypes.data)  # type: ignore[call-arg]
