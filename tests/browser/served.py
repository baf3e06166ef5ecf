"""The server of the browser's tests: forked from a process that has taken in all of it, which takes longer than most
tests do. That the command itself starts one is tested in `tests/api/test_attack.py`."""

import gc
import multiprocessing
import os
import sys
from multiprocessing.process import BaseProcess

from whorl.api import server
from whorl.cli import app

__all__ = ["served", "server"]

# As in `whorl/start.py`.
gc.freeze()
gc.set_threshold(50_000)

_FORKED = multiprocessing.get_context("forkserver")
_FORKED.set_forkserver_preload([__name__])


def served(arguments: list[str]) -> BaseProcess:
    """Whorl's command in a process of its own, under way."""
    process = _FORKED.Process(target=_serve, args=(arguments,))
    process.start()
    return process


def _serve(arguments: list[str]) -> None:
    sys.stdout = open(os.devnull, "w")  # noqa: SIM115
    app(arguments)
