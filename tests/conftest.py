"""What tests share."""

import fcntl
import gc
import os
import subprocess
from functools import cache
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

#: Folders of tests that need nothing but Python's packages: they begin while all else still comes over the network.
CORE = {"shade", "fields", "beads", "effect", "motion", "images", "stage", "checks"}
#: What waits until all else has come, for tests that begin before.
READY = os.environ.get("WHORL_READY", "").split()

settings.register_profile(
    "whorl",
    deadline=None,  # kernels compile at their first use
    derandomize=True,
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large],
)
settings.load_profile("whorl")
# Mesa's software drivers, in browsers and out of them: little is drawn with each program, and to optimise it takes
# longer than all else. What draws four pixels at once is made a third quicker than what draws eight.
os.environ["GALLIVM_PERF"] = "nopt"
os.environ["LP_NATIVE_VECTOR_WIDTH"] = "128"
# As in the command, see `whorl/start.py`; collected tests stay, too.
gc.freeze()
gc.set_threshold(50_000)


def _core(item: pytest.Item) -> bool:
    parts = item.path.relative_to(Path(__file__).parents[1]).parts
    return parts[0] == "whorl" or parts[1] in CORE


@pytest.hookimpl(wrapper=True)
def pytest_collection(session: pytest.Session):
    """One process of a run after the other: what the first makes of the files of tests, the others read."""
    browsers = all("tests/browser" in given for given in session.config.args)
    here = Path(__file__).parent
    turn = os.open(here / "browser" if browsers else here, os.O_RDONLY)
    try:
        fcntl.flock(turn, fcntl.LOCK_EX)
        return (yield)
    finally:
        os.close(turn)


def pytest_ignore_collect(collection_path: Path) -> bool | None:
    """What tests are helped by, where no example is written: to be read for examples it would be run."""
    if collection_path.suffix != ".py" or collection_path.name.startswith("test_"):
        return None
    return ">>>" not in collection_path.read_text(encoding="utf-8") or None


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    items.sort(key=lambda item: not _core(item))


def pytest_runtest_setup(item: pytest.Item) -> None:
    if READY and not _core(item) and not _ready():
        pytest.fail(f"what it needs has not come: {' '.join(READY)}", pytrace=False)


@cache
def _ready() -> bool:
    return subprocess.run(READY).returncode == 0


def pytest_terminal_summary(terminalreporter: pytest.TerminalReporter) -> None:
    """Why what was run once more failed at first: it passes unseen otherwise."""
    for report in terminalreporter.stats.get("rerun", []):
        terminalreporter.section(f"failed at first: {report.nodeid}")
        terminalreporter.write_line(report.longreprtext)
