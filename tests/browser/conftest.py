"""A browser for a module's tests, and a server on its own data folder."""

import socket
import time
import urllib.request
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Error, Page, expect

from tests.browser.chromium import Desk, chromium
from tests.browser.served import served

# A software GPU may be busy compiling, and the cores may be shared.
PATIENCE = 90_000
SIZE = {"width": 1280, "height": 800}
#: Device pixels to a CSS pixel, each way: they are what a software GPU takes its time for.
SCALE = 0.125
#: What a browser keeps for a page that is cleared away; what it has compiled stays.
KEPT = "cookies,local_storage,indexeddb"
#: Where a page stands between two tests: in the studio of what is not there.
NOWHERE = "/effect/nothing"
#: Goes on within the page, as a link of the shelf does.
WITHIN = "(path) => { history.pushState(null, '', path); dispatchEvent(new PopStateEvent('popstate')); }"
#: What an opened effect gives a window.
GIVEN = {"__THREE__", "axe", "whorlMeasure", "whorlPixels"}
#: Takes away what is kept of single effects, and tells what a test left else: names in the window, and what is
#: remembered, of which a page asks only when it begins.
EMPTIED = """async (known) => {
  sessionStorage.clear();
  for (const { name } of await indexedDB.databases()) await new Promise((done, failed) => {
    const asked = indexedDB.open(name);
    asked.onerror = () => failed(asked.error);
    asked.onsuccess = () => {
      const stores = [...asked.result.objectStoreNames];
      if (!stores.length) return done(asked.result.close());
      const act = asked.result.transaction(stores, "readwrite");
      for (const store of stores) act.objectStore(store).clear();
      act.oncomplete = () => done(asked.result.close());
    };
  });
  localStorage["whorl driver"] = known["whorl driver"];
  const others = Object.keys(localStorage).filter((k) => k.startsWith("whorl ") && localStorage[k] !== known[k]);
  return [...Object.keys(window), ...others];
}"""
FAILED = pytest.StashKey[bool]()
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
        ports = ["--port", str(self.port), "--signals-port", str(self.signals)]
        self.process = served(["demo", "--no-open", *ports, "--data", str(self.data)])
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
            self.process.join()


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    """Each file of tests begins with a shelf that nobody has touched."""
    s = Server(tmp_path_factory.mktemp("whorl"))
    s.start()
    yield s
    s.kill()


class Window:
    """One page for the tests of a file: to open a new one takes longer than most of them.

    Each test finds it as if it were new: empty, with nothing kept in the browser. Where one leaves nothing else behind,
    the next one's effect is opened within it, see `go`; where something cannot be taken back, or a test fails, the next
    one gets another.
    """

    #: What a test may do to a page for good.
    FOR_GOOD = ("add_init_script", "expose_function", "expose_binding")

    def __init__(self, browser: Browser, server: Server, module: object) -> None:
        self.browser, self.server = browser, server
        self.motion = "no-preference" if getattr(module, "PLAYS", False) else "reduce"
        self.quiet = getattr(module, "QUIET", False)
        #: What is remembered. Of a driver of which nothing is known each opening would have the server draw a picture
        #: that stands in.
        self.known = {"whorl driver": "0"} | ({} if getattr(module, "LOOKED", False) else {"whorl looking": "off"})
        self.scale = getattr(module, "SCALE", SCALE)
        self.page: Page | None = None
        self.bare: set[str] = set()
        self.wrong: list[str] = []
        self.left = False
        self.heard: list[tuple[str, Callable[..., Any]]] = []

    @property
    def _blank(self) -> str:
        return f"{self.server.address}/api/nothing"

    def open(self) -> Page:
        if self.page is None:
            self.page = self._new()
        self.page.set_viewport_size(SIZE)
        self.page.emulate_media(reduced_motion=self.motion)
        self.wrong.clear()
        return self.page

    def clear(self) -> None:
        """After a test."""
        page = self.page
        try:
            if not self.left and page and not page.is_closed():
                while self.heard:
                    page.remove_listener(*self.heard.pop())
                page.unroute_all(behavior="ignoreErrors")
                page.context.clear_permissions()
                if self._within(page):
                    return
                # Where nothing is, but of the same origin: the next effect is opened by the same process.
                page.goto(self._blank, timeout=5000)
                page.evaluate("sessionStorage.clear()")
                session = page.context.new_cdp_session(page)
                session.send("Storage.clearDataForOrigin", {"origin": self.server.address, "storageTypes": KEPT})
                session.detach()
                return
        except Error:
            pass  # it asks whether to stay, or the server is gone
        self.close()

    def _within(self, page: Page) -> bool:
        """Leaves an effect for nowhere, as one goes back to the shelf, where nothing else is left of the test."""
        if not page.url.startswith(f"{self.server.address}/effect/"):
            return False
        page.evaluate(WITHIN, NOWHERE)
        page.get_by_text("There is no such effect").wait_for(timeout=5000)
        return {*page.evaluate(EMPTIED, self.known)} <= self.bare | GIVEN

    def close(self) -> None:
        if self.page:
            self.page.context.close()
        self.page, self.left = None, False
        self.heard.clear()

    def _new(self) -> Page:
        context = self.browser.new_context(accept_downloads=True, device_scale_factor=self.scale)
        page = context.new_page()
        for name, value in self.known.items():
            page.add_init_script(f'if (origin.startsWith("http:")) localStorage["{name}"] ??= "{value}"')
        if self.quiet:
            page.add_init_script("window.whorlQuiet = true")
        page.set_default_timeout(PATIENCE)
        page.on("pageerror", lambda e: self.wrong.append(str(e)))
        told = ("Content Security Policy", "GL_INVALID", "ERROR:")
        page.on("console", lambda m: self.wrong.append(m.text) if any(t in m.text for t in told) else None)
        for name in self.FOR_GOOD:
            setattr(page, name, self._leaving(getattr(page, name)))
        listen = page.on

        def on(event: str, hear: Callable[..., Any]) -> None:
            self.heard.append((event, hear))
            listen(event, hear)

        page.on = on
        page.goto(self._blank)
        self.bare = {*page.evaluate("Object.keys(window)")}
        return page

    def _leaving(self, act: Callable[..., Any]) -> Callable[..., Any]:
        def acted(*args: Any, **more: Any) -> Any:
            self.left = True
            # It tells from the next opening on.
            self.page.goto(self._blank)
            return act(*args, **more)

        return acted


def go(page: Page, server: Server, id: str) -> None:
    """Opens an effect: within the page, as from the shelf, where a test before this one left it so."""
    path = f"/effect/{id}"
    if page.url == server.address + NOWHERE:
        page.evaluate(WITHIN, path)
    else:
        page.goto(server.address + path)


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item, call):
    item.stash[FAILED] = item.stash.get(FAILED, False) or call.excinfo is not None
    return (yield)


@pytest.fixture(scope="module")
def window(browser, server, request):
    w = Window(browser, server, request.module)
    yield w
    w.close()


@pytest.fixture
def page(window, request) -> Page:
    """A page at 1280×800 that fails its test on any error of a script, of drawing or of the policy.

    An effect plays where a file of tests says PLAYS, and pictures are looked at for findings where it says LOOKED:
    both take much of a machine from all others. Where it says QUIET, nothing is drawn but what is asked for, and
    with other pixels than SCALE where it has one of its own.
    """
    yield window.open()
    window.left = window.left or request.node.stash.get(FAILED, False) or bool(window.wrong)
    window.clear()
    assert window.wrong == []
