"""The server of the browser's tests: Whorl's command, forked from a process that has taken in all of it, which takes
longer than most tests do."""

import multiprocessing
import os
import sys
from multiprocessing.process import BaseProcess

from whorl.start import start

_FORKED = multiprocessing.get_context("forkserver")
_FORKED.set_forkserver_preload(["whorl.cli", "whorl.api.server", "tests.browser.warm"])


def served(arguments: list[str]) -> BaseProcess:
    """The command in a process of its own, under way."""
    process = _FORKED.Process(target=_serve, args=(arguments,))
    process.start()
    return process


def _serve(arguments: list[str]) -> None:
    sys.stdout = open(os.devnull, "w")  # noqa: SIM115
    sys.argv = ["whorl", *arguments]
    start()
