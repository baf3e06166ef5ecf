"""Benchmarks; nothing here asserts a time."""

import time
from collections.abc import Callable


def best(call: Callable[[], object], rounds: int = 9) -> float:
    """The least ms of several calls."""
    least = float("inf")
    for _ in range(rounds):
        start = time.perf_counter()
        call()
        least = min(least, time.perf_counter() - start)
    return least * 1e3
