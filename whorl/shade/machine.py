"""LLVM modules as machine code for this processor, kept on disk once compiled."""

import hashlib
import os
import tempfile
import threading
from collections.abc import Callable
from functools import cache
from pathlib import Path

import llvmlite.binding as llvm

from whorl.shade.exact import exact, level

#: Over all of LLVM's work: it is quick, and its objects are not to be shared among threads.
_LOCK = threading.RLock()


def cache_folder() -> Path:
    """Where compiled kernels are kept: WHORL_CACHE, or the user's cache folder."""
    root = os.environ.get("WHORL_CACHE") or os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache"
    return Path(root) / "whorl" / "kernels"


class Machine:
    """The compiler for this processor and what it has loaded."""

    def __init__(self) -> None:
        llvm.initialize_native_target()
        llvm.initialize_native_asmprinter()
        features = llvm.get_host_cpu_features()
        # LLVM keeps to 256-bit vectors on processors whose first models slowed down for wider ones.
        # Noise is mostly integer multiplication and gains a quarter from all 512 bits.
        wide = ",-prefer-256-bit" if features.get("avx512f") else ""
        cpu, flags = llvm.get_host_cpu_name(), features.flatten() + wide
        if exact():
            cpu, flags = level(), ""
        target = llvm.Target.from_triple(llvm.get_process_triple())
        # The options are those that let the code be placed anywhere once compiled.
        self.target = target.create_target_machine(cpu=cpu, features=flags, opt=3, reloc="pic", jit=True)
        self.engine = llvm.create_mcjit_compiler(llvm.parse_assembly(""), self.target)
        known = flags.split(",")
        #: Of how many floats the processor's vectors are, and whether parts of them are read and written.
        self.vectors = 16 if "+avx512f" in known else 8, "+avx2" in known or cpu in ("x86-64-v3", "x86-64-v4")
        self.options = llvm.create_pipeline_tuning_options(speed_level=3)
        self.options.slp_vectorization = False
        self.options.loop_unrolling = False
        self.options.loop_vectorization = False
        #: Functions in memory: two threads may ask for one at the same time.
        self.loaded: dict[str, int] = {}
        #: What compiled code depends on besides its text.
        self.key = "|".join([cpu, flags, *map(str, llvm.llvm_version_info)])

    def optimised(self, function: str, text: str) -> llvm.ModuleRef:
        """The module of LLVM's text form after all passes; `{name}` in it is the function's name."""
        module = llvm.parse_assembly(text.replace("{name}", function), llvm.create_context())
        module.triple = self.target.triple
        module.data_layout = str(self.target.target_data)
        module.verify()
        # Passes keep what they found out of each module, and after some hundreds take half as long again.
        passes = llvm.create_pass_builder(self.target, self.options)
        passes.getModulePassManager().run(module, passes)
        return module

    def named(self, function: str, text: str) -> str:
        """The full name of a function."""
        return f"{function}_{hashlib.sha256(f'{self.key}|{text}'.encode()).hexdigest()[:20]}"

    def kept(self, function: str, text: str) -> bool:
        """Whether a function is compiled, here or on disk."""
        name = self.named(function, text)
        return name in self.loaded or _path(name).exists()

    def keep(self, function: str, text: str, made: Callable[[], str]) -> bool:
        """Compiles a function to disk, as `address` does, without loading it; False if it is there."""
        if self.kept(function, text):
            return False
        self._compile(self.named(function, text), made())
        return True

    def _compile(self, name: str, text: str) -> bytes:
        made = self.target.emit_object(self.optimised(name, text))
        _write(_path(name), made)
        return bytes(made)

    def address(self, function: str, text: str, made: Callable[[], str] | None = None) -> int:
        """Where a function of a module is, compiled at the first use and loaded from disk later.

        Its full name, which is unique, ends in a hash of the text. That is the module, or says all that the module
        depends on, which is `made` where it has to be compiled.
        """
        name = self.named(function, text)
        if name in self.loaded:
            return self.loaded[name]
        compiled = _read(_path(name))
        if compiled is None:
            compiled = self._compile(name, made() if made else text)
        self.engine.add_object_file(llvm.ObjectFileRef.from_data(compiled))
        self.engine.finalize_object()
        self.loaded[name] = int(self.engine.get_function_address(name))
        return self.loaded[name]


def _path(name: str) -> Path:
    return cache_folder() / f"{name}.o"


def _read(path: Path) -> bytes | None:
    """A file that begins with the digest of the rest; None if there is none or it is damaged."""
    try:
        data = path.read_bytes()
    except OSError:
        return None
    return data[32:] if hashlib.sha256(data[32:]).digest() == data[:32] else None


def _write(path: Path, data: bytes) -> None:
    """Renamed into place, so that another process never reads half a file."""
    path.parent.mkdir(parents=True, exist_ok=True)
    handle, part = tempfile.mkstemp(dir=path.parent, suffix=".part")
    with os.fdopen(handle, "wb") as f:
        f.write(hashlib.sha256(data).digest() + data)
    os.replace(part, path)


@cache
def _machine() -> Machine:
    return Machine()


def vectors() -> tuple[int, bool]:
    """On how many samples a kernel works together, and whether it reads and writes less than as many."""
    with _LOCK:
        return _machine().vectors


def address(function: str, text: str, made: Callable[[], str] | None = None) -> int:
    """As `Machine.address`, from any thread."""
    with _LOCK:
        return _machine().address(function, text, made)


def kept(function: str, text: str) -> bool:
    """As `Machine.kept`."""
    with _LOCK:
        return _machine().kept(function, text)


def keep(function: str, text: str, made: Callable[[], str]) -> bool:
    """As `Machine.keep`."""
    with _LOCK:
        return _machine().keep(function, text, made)


def assembly(text: str) -> str:
    """What a module compiles to, to be read by people."""
    with _LOCK:
        machine = _machine()
        return str(machine.target.emit_assembly(machine.optimised("kernel", text)))
