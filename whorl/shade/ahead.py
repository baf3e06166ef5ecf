"""Kernels compiled from both ends: by this process as it comes to them, and by a second one from the last on.

LLVM's objects are not to be shared among threads, so one process compiles one kernel after another. What it makes goes
through the folder of compiled kernels, in which each looks before it compiles: they meet somewhere in the middle.
"""

import os
import threading
from collections.abc import Iterable

from whorl.shade.kernel import Kernel

#: From how many kernels on a second process is worth its while.
WORTH = 4

_helpers: list[int] = []


def helped(kernels: Iterable[Kernel]) -> None:
    """Has a second process compile those of some kernels that are not compiled yet, the last first.

    Only where this process has no other threads, whose locks a copy of it would never see opened: in commands, and not
    in a server. It ends by itself once it meets a kernel that is there.
    """
    if threading.active_count() > 1 or not hasattr(os, "fork") or (os.cpu_count() or 1) < 2:
        return
    while _helpers and os.waitpid(_helpers[0], os.WNOHANG)[0]:
        _helpers.pop(0)
    if _helpers:
        return
    waiting = [k for k in dict.fromkeys(kernels) if not k.compiled]
    if len(waiting) < WORTH:
        return
    pid = os.fork()
    if pid:
        _helpers.append(pid)
        return
    try:
        for kernel in reversed(waiting):
            if not kernel.keep():
                break
    finally:
        os._exit(0)
