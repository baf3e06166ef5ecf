"""A browser for a module's tests, and a server on its own data folder."""

import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser.chromium import Desk, chromium

# A software GPU may be busy compiling, and the cores may be shared.
PATIENCE = 90_000
expect.set_options(timeout=PATIENCE)


@pytest.fixture(scope="session")
def browser():
    with chromium(seldom=True) as b:
        yield b


@pytest.fixture(scope="session")
def blank(browser):
    desk = Desk(browser)
    yield desk
    desk.close()


class Server:
    """Whorl as a process that can be stopped and started on the same data."""

    def __init__(self, data: Path) -> None:
        self.data = data
        with socket.socket() as s:
            s.bind(("127.0.0.1", 0))
            self.port = s.getsockname()[1]
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as s:
            s.bind(("127.0.0.1", 0))
            self.signals = s.getsockname()[1]
        self.process = None

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        command = [sys.executable, "-m", "whorl.start", "demo", "--no-open", "--port", str(self.port)]
        command += ["--signals-port", str(self.signals)]
        self.process = subprocess.Popen([*command, "--data", str(self.data)], stdout=subprocess.DEVNULL)
        deadline = time.monotonic() + 30
        while time.monotonic() < deadline:
            try:
                urllib.request.urlopen(f"{self.address}/api/catalogue", timeout=1).read()
                return
            except OSError:
                time.sleep(0.1)
        raise AssertionError("the server did not start")

    def kill(self) -> None:
        if self.process:
            self.process.kill()
            self.process.wait()


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    """Each file of tests begins with a shelf that nobody has touched."""
    s = Server(tmp_path_factory.mktemp("whorl"))
    s.start()
    yield s
    s.kill()


@pytest.fixture
def page(browser, server, request) -> Page:
    """A page at 1280×800 that fails its test on any error of a script, of drawing or of the policy.

    An effect plays where a file of tests says PLAYS, and pictures are looked at for findings where it says LOOKED:
    both take much of a machine from all others.
    """
    motion = "no-preference" if getattr(request.module, "PLAYS", False) else "reduce"
    p = browser.new_page(viewport={"width": 1280, "height": 800}, accept_downloads=True, reduced_motion=motion)
    if not getattr(request.module, "LOOKED", False):
        p.add_init_script('if (origin.startsWith("http:")) localStorage["whorl looking"] ??= "off"')
    p.set_default_timeout(PATIENCE)
    wrong: list[str] = []
    p.on("pageerror", lambda e: wrong.append(str(e)))
    told = ("Content Security Policy", "GL_INVALID", "ERROR:")
    p.on("console", lambda m: wrong.append(m.text) if any(t in m.text for t in told) else None)
    yield p
    p.close()
    assert wrong == []
