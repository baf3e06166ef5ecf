"""Array kernels on the CPU: shade functions over many samples at once, compiled by LLVM."""

import ctypes
import hashlib
import itertools
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from functools import cache, cached_property
from itertools import islice
from pathlib import Path
from typing import Any, cast

import numpy as np
from numpy.typing import NDArray

from whorl.shade import machine
from whorl.shade.exact import exact
from whorl.shade.function import Unchecked
from whorl.shade.llvm import LlvmPrinter, held, slots, spread
from whorl.shade.llvm_values import Code, Value, row
from whorl.shade.specialise import Fixed
from whorl.shade.tree import Param
from whorl.shade.values import Image

Floats = NDArray[np.float32]
_F32 = np.dtype(np.float32)
#: One argument of a kernel: floats for the whole call, an array per component, or an image.
Argument = tuple[float, ...] | list[Floats] | Image

#: Where our own shade functions stand; there are others, which users write.
OURS = "whorl.fields."
#: What a kernel is in memory: how many samples, its numbers, and the addresses of its arrays, those
#: given before those written. The interpreter is free for others while it runs.
_CALL = ctypes.CFUNCTYPE(None, ctypes.c_int64, ctypes.c_void_p, ctypes.c_void_p)

#: Nothing outside is called, also not to fill or copy rows: once an object file that looks up an outside
#: name has been loaded, those loaded later find their constants elsewhere.
_ALONE = '"no-builtin-memset" "no-builtin-memcpy" "no-builtin-memmove"'
_LOOP = """
define void @{name}(i64 %n, ptr %numbers, ptr %arrays) nounwind {alone} {{
start:
{before}
  br label %loop
loop:
  %i = phi i64 [ 0, %start ], [ %next, %on ]
  %more = icmp slt i64 %i, %n
  br i1 %more, label %body, label %done
body:
  %left = sub i64 %n, %i
  %few = call i64 @llvm.smin.i64(i64 %left, i64 {lanes})
  %count = trunc i64 %few to i32
{body}
  br label %on
on:
  %next = add nsw i64 %i, {lanes}
  br label %loop
done:
  ret void
}}
declare i64 @llvm.smin.i64(i64, i64)
"""


def begun(rows: Iterable[Floats], n: int) -> list[int]:
    """Where rows begin. Raises ValueError for rows of less than `n` float32, or with gaps."""
    kind = ctypes.c_float * n
    return [_place(row, kind) for row in rows]


class _Masked:
    """Rows are read and written as far as they go."""

    before: tuple[str, ...] = ()
    after = ""

    def __init__(self, code: Code, live: Value) -> None:
        self.code, self.live = code, live
        self.some = row("f32", code.lanes)

    def taken(self, places: list[str]) -> list[Value]:
        """What stands at these places."""
        how = f"{self.live.given}, {self.some} zeroinitializer"
        load = f"call {self.some} @llvm.masked.load.v{self.code.lanes}f32.p0"
        return [self.code.value("f32", f"{load}(ptr align 4 {place}, {how})") for place in places]

    def put(self, values: list[Value], places: list[str]) -> None:
        """Values to their places."""
        store = f"  call void @llvm.masked.store.v{self.code.lanes}f32.p0"
        for value, place in zip(values, places, strict=True):
            self.code.lines.append(f"{store}({value.given}, ptr align 4 {place}, {self.live.given})")


class _Aside:
    """For processors that read and write only whole vectors: the last, short ones of rows go by memory of their own."""

    after = f"""
define internal void @copied(ptr %to, ptr %from, i64 %n) nounwind {_ALONE} {{
start:
  br label %loop
loop:
  %i = phi i64 [ 0, %start ], [ %next, %loop ]
  %a = getelementptr float, ptr %from, i64 %i
  %b = getelementptr float, ptr %to, i64 %i
  %x = load float, ptr %a
  store float %x, ptr %b
  %next = add nsw i64 %i, 1
  %more = icmp slt i64 %next, %n
  br i1 %more, label %loop, label %done
done:
  ret void
}}
"""

    def __init__(self, code: Code, places: list[str], results: list[str]) -> None:
        self.code = code
        self.some = row("f32", code.lanes)
        self.own = {place: f"%own_{k}" for k, place in enumerate([*places, *results])}
        self.before = [f"  {name} = alloca {self.some}" for name in self.own.values()]
        self.before += [f"  store {self.some} zeroinitializer, ptr {name}" for name in self.own.values()]

    def _at(self, place: str) -> str:
        chosen = f"select i1 %full, ptr {place}, ptr {self.own[place]}"
        return f"ptr {self.code.value('image', chosen, False).text}, align 4"

    def taken(self, places: list[str]) -> list[Value]:
        """What stands at these places."""
        copies = [f"  call void @copied(ptr {self.own[p]}, ptr {p}, i64 %few)" for p in places]
        self.code.lines += [
            f"  %full = icmp eq i32 %count, {self.code.lanes}",
            "  br i1 %full, label %work, label %some",
            *("some:", *copies, "  br label %work"),
            "work:",
        ]
        return [self.code.value("f32", f"load {self.some}, {self._at(p)}") for p in places]

    def put(self, values: list[Value], places: list[str]) -> None:
        """Values to their places."""
        self.code.lines += [f"  store {v.given}, {self._at(p)}" for v, p in zip(values, places, strict=True)]
        copies = [f"  call void @copied(ptr {p}, ptr {self.own[p]}, i64 %few)" for p in places]
        self.code.lines += ["  br i1 %full, label %on, label %back", "back:", *copies]


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
        """What the function is given, sample by sample; the fields of a record each by itself."""
        return [part for p in self.function.tree.params if not p.fixed for part in p.parts]

    @property
    def sources(self) -> list[tuple[Param, int | None]]:
        """Each parameter with the earlier link it takes its value from."""
        return list(zip(self.params, self.inputs or (None,) * len(self.params), strict=True))


class Kernel:
    """Shade functions, one after another, as one loop; what passes between them stays in registers.

    `varying` says, argument by argument, whether arrays are given (True) or floats.
    """

    def __init__(self, links: tuple[Link, ...], varying: tuple[bool, ...]) -> None:
        self.links, self.varying = links, varying
        self.returns = links[-1].function.tree.returns

    @property
    def params(self) -> list[Param]:
        """What is given from outside, in order."""
        return [p for link in self.links for p, source in link.sources if source is None]

    def source(self) -> str:
        """The LLVM module; `{name}` is where the loop's name goes."""
        lanes, masks = machine.vectors()
        printer = LlvmPrinter(lanes)
        code = Code(lanes)

        def at(base: str, index: str, kind: str) -> str:
            return code.value("image", f"getelementptr {kind}, ptr {base}, i64 {index}", False).text

        numbers, arrays = itertools.count(), itertools.count()

        def address() -> Value:
            return code.value("image", f"load ptr, ptr {at('%arrays', str(next(arrays)), 'ptr')}", False)

        def number() -> Value:
            return code.value("f32", f"load float, ptr {at('%numbers', str(next(numbers)), 'float')}", False)

        # Numbers and addresses are read once, before the loop.
        table = [(kind, v) for p, v in zip(self.params, self.varying, strict=True) for kind in slots(p.type)]
        known = [address() if varies or kind == "image" else number().to(kind).widened for kind, varies in table]
        rows = [address() for _ in range(self.returns.size)]
        before, code.lines = code.lines, []
        # In the last round there may be less samples than are worked on together.
        order = ", ".join(f"i32 {k}" for k in range(lanes))
        count = Value(code, "%count", "i32", False).widened
        live = count > Value(code, f"<{order}>", "i32", True)
        places = [at(value.text, "%i", "float") for (_, varies), value in zip(table, known, strict=True) if varies]
        results = [at(value.text, "%i", "float") for value in rows]
        memory = _Masked(code, live) if masks else _Aside(code, places, results)
        taken = iter(memory.taken(places))
        given = [next(taken).to(kind) if varies else value for (kind, varies), value in zip(table, known, strict=True)]
        memory.put(self._chained(printer, code, live, iter(given)), results)
        parts = {"before": "\n".join([*before, *memory.before]), "body": "\n".join(code.lines), "name": "{name}"}
        return printer.source() + _LOOP.format(lanes=lanes, alone=_ALONE, **parts) + memory.after

    def _chained(self, printer: LlvmPrinter, code: Code, live: Value, given: Iterator[Value]) -> list[Value]:
        """All links for some samples, and the last one's result."""
        results: list[list[Value]] = []
        for link in self.links:
            inner: list[Value] = []
            for param, source in link.sources:
                size = len(slots(param.type))
                inner += list(islice(given, size)) if source is None else spread(results[source], size)
            name = printer.need(link.function, link.fixed)
            returns = link.function.tree.returns
            made = code.call(f"f_{name}", live, inner, returns.scalar, returns.size)
            results.append(made if link.limit is None else [held(v, link.limit) for v in made])
        return results[-1]

    @cached_property
    def _told(self) -> str:
        """All that its machine code depends on: what it is made of and the files that are in, or else its text."""
        if not all(link.function.__module__.startswith(OURS) for link in self.links):
            return self.source()
        links = [(k.function.key, k.fixed, k.limit, k.inputs) for k in self.links]
        return f"{_files()}|{exact()}|{links}|{self.varying}"

    @property
    def _module(self) -> tuple[str, str, Callable[[], str]]:
        return self.links[-1].function.name, self._told, self.source

    @cached_property
    def address(self) -> int:
        """Where the loop is; compiled at the first use, then loaded from disk."""
        place = machine.address(*self._module)
        # A text, where it is one, is not asked for again.
        self.__dict__.pop("_told", None)
        return place

    @property
    def loaded(self) -> bool:
        """Whether it is in memory, ready to run."""
        return "address" in self.__dict__

    @property
    def compiled(self) -> bool:
        """Whether it needs no compiling any more."""
        return self.loaded or machine.kept(*self._module[:2])

    def keep(self) -> bool:
        """Compiles it to disk and no further; whether it was not there."""
        return machine.keep(*self._module)

    @cached_property
    def _run(self) -> Callable[[int, Any, Any], None]:
        return cast(Callable[[int, Any, Any], None], _CALL(self.address))

    def __call__(self, n: int, args: list[Argument], out: list[Floats]) -> None:
        """Shade `n` samples into `out`, one contiguous float32 array per component."""
        # A small kernel takes no longer than to find out where its rows are.
        places: list[int] = []
        numbers: list[float] = []
        for arg, varies in zip(args, self.varying, strict=True):
            if varies:
                places += begun(cast(list[Floats], arg), n)
            elif isinstance(arg, Image):
                place, extent = pictured(arg)
                places.append(place)
                numbers += extent
            else:
                numbers += cast(tuple[float, ...], arg)
        self.run(n, numbers, places + begun(out, n))

    def run(self, n: int, numbers: list[float], places: list[int]) -> None:
        """The same of what is known to be as it has to: all numbers, and where rows and images begin, each in order."""
        self._run(n, (ctypes.c_float * len(numbers))(*numbers), (ctypes.c_uint64 * len(places))(*places))


def _place(array: NDArray[Any], kind: Any) -> int:
    """Where an array begins that holds such a thing; raises ValueError for rows that do not."""
    try:
        if array.dtype is _F32 or kind is ctypes.c_char:
            return ctypes.addressof(kind.from_buffer(array))
    except (TypeError, ValueError):
        pass  # not to be written to, or too short
    short = kind is not ctypes.c_char and (array.dtype != _F32 or array.nbytes < ctypes.sizeof(kind))
    if short or not array.flags.c_contiguous:
        raise ValueError(f"a kernel takes rows of {ctypes.sizeof(kind) // 4} float32 without gaps")
    return int(array.__array_interface__["data"][0])


def pictured(image: Image) -> tuple[int, tuple[float, float]]:
    """Where an image begins, and its numbers."""
    return _place(image.pixels, ctypes.c_char), image.numbers


@cache
def _files() -> str:
    """A digest of all that our own shade functions and what compiles them are written in."""
    here = Path(__file__).parent
    read = hashlib.sha256()
    for folder in (here, here.parent / "fields"):
        for path in sorted(folder.glob("*.py")):
            read.update(path.read_bytes())
    return read.hexdigest()


@cache
def kernel(function: Unchecked, fixed: Fixed, varying: tuple[bool, ...], limit: float | None = None) -> Kernel:
    """The kernel of one shade function, made once."""
    return chain((Link(function, fixed, limit),), varying)


@cache
def chain(links: tuple[Link, ...], varying: tuple[bool, ...]) -> Kernel:
    """The kernel of several shade functions, made once."""
    return Kernel(links, varying)
