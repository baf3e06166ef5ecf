"""Passes over pictures row by row: each row's texels are brought to the level of the pass first."""

import numpy as np

from whorl.shade.loops import F32_1, F32_2, F32_3, I64_1, I64_2, address, loops, plane, run_kernel

#: What a component of a pass's arguments is, in the first column of its inputs.
TEXEL, BETWEEN = 0, 1


@loops
def held(x: int, step: int, across: int, last: int) -> int:
    """The texel `across` from where pixel `x` lies, on its own level (step 1) or the one below (2); edges repeat."""
    return min(max(x * step + across, 0), last)


@loops
def line(source: F32_1, step: int, across: int, to: F32_1) -> None:
    """A row of texels, so far aside, into `to`."""
    # Away from the edges there is nothing to clamp, and plain loops run many texels at a time.
    last, w = len(source) - 1, len(to)
    first = max(0, -(across // step))
    end = max(first, min(w, (last - across) // step + 1))
    if step == 1:
        for x in range(first, end):
            to[x] = source[x + across]
    else:
        for x in range(first, end):
            to[x] = source[2 * x + across]
    for x in range(first):
        to[x] = source[held(x, step, across, last)]
    for x in range(end, w):
        to[x] = source[held(x, step, across, last)]


@loops
def between(source: F32_2, y: int, to: F32_1, mixed: F32_1) -> None:
    """Row `y` of a picture twice as large, each texel bilinear between four of `source`; edges repeat.

    `mixed` is room for a row of `source` and a texel on either side.
    """
    high, wide = source.shape
    w = len(to)
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
    if w % 2 == 1:
        to[w - 1] = mixed[w // 2] * far + mixed[w // 2 + 1] * near


def run(kernel: int, numbers: F32_1, inputs: I64_2, out: F32_3) -> None:
    """Run a kernel over every row of `out` (components, height, width).

    `numbers` are its uniform ones. `inputs` says in order what its varying ones are, by TEXEL or
    BETWEEN, the address, height and width of a plane of floats, the step between texels, and how
    far across and down.
    """
    size, _, w = out.shape
    count = len(inputs)
    most = int(inputs[:, 3].max(initial=0)) + 2
    _run(
        kernel,
        numbers,
        inputs,
        out,
        np.empty((count, w), np.float32),
        np.empty(count + size, np.int64),
        np.empty(most, np.float32),
    )


@loops
def _run(kernel: int, numbers: F32_1, inputs: I64_2, out: F32_3, lines: F32_2, rows: I64_1, mixed: F32_1) -> None:
    size, h, w = out.shape
    count = len(inputs)
    for j in range(h):
        for k in range(count):
            high, wide, step = inputs[k, 2], inputs[k, 3], inputs[k, 4]
            across, down = inputs[k, 5], inputs[k, 6]
            made = lines[k]
            source = plane(inputs[k, 1], high, wide)
            rows[k] = address(made)
            if inputs[k, 0] == BETWEEN:
                between(source, j, made, mixed)
                continue
            row = held(j, step, down, high - 1)
            if step == 1 and across == 0:
                rows[k] = address(source[row])
            else:
                line(source[row], step, across, made)
        for c in range(size):
            rows[count + c] = address(out[c, j])
        run_kernel(kernel, w, numbers, rows)
