"""Kernels compiled by a second process: all of them, whole, and none where there are threads."""

import os
import subprocess
import sys

import pytest

SCRIPT = """
import os, sys, threading
from concurrent.futures import ThreadPoolExecutor
import numpy as np
from whorl.fields import shaping
from whorl.shade import ahead
from whorl.shade.kernel import kernel
from whorl.shade.machine import cache_folder

kernels = [kernel(getattr(shaping, n), (), (True,) * n_params) for n, n_params in
           ((n, len([p for p in getattr(shaping, n).tree.params if not p.fixed])) for n in sys.argv[1:])]
there = lambda: sorted(p.suffix for p in cache_folder().glob("*")) if cache_folder().exists() else []
idle = threading.Event()
thread = threading.Thread(target=idle.wait)
thread.start()
ahead.helped(kernels)
print(len(ahead._helpers), len(there()))
idle.set()
thread.join()
ahead.helped(kernels[:2])
print(len(ahead._helpers), len(there()))
ahead.helped(kernels)
(helper,) = ahead._helpers
print(os.waitpid(helper, 0)[1], *set(there()), len(there()))
# Threads leave it alone, also one that has ended.
with ThreadPoolExecutor(2) as pool:
    list(pool.map(ahead.helped, [kernels] * 4))
ahead._helpers.clear()
print(all(k.compiled for k in kernels), [k.keep() for k in kernels].count(True))
first = kernels[0]
rows = [np.full(4, x, np.float32) for x in (0.75, 2.0, 0.5)]
out = np.empty(4, np.float32)
first(4, [[r] for r in rows], [out])
print(out.tolist())
"""


@pytest.mark.skipif(not hasattr(os, "fork") or (os.cpu_count() or 1) < 2, reason="needs a second process")
def test_a_second_process_compiles_what_is_not_there(tmp_path):
    names = ["contrast", "invert", "limited", "posterise", "sine"]
    run = subprocess.run(
        [sys.executable, "-c", SCRIPT, *names],
        env=os.environ | {"WHORL_CACHE": str(tmp_path)},
        capture_output=True,
        text=True,
        check=True,
    )
    threads, few, made, then, result = run.stdout.splitlines()
    assert threads == "0 0"
    assert few == "0 0"
    assert made == f"0 .o {len(names)}"
    assert then == "True 0"
    # (0.75 - 0.5) * 2 + 0.5
    assert result == "[1.0, 1.0, 1.0, 1.0]"
