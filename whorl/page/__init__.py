"""A page that plays an effect by itself: the frame and the player that go into it."""

from importlib.resources import files


def frame() -> str:
    """The page, with `$name`, `$notes`, `$state`, `$left`, `$data` and `$player` to be filled in."""
    return (files(__name__) / "page.html").read_text(encoding="utf-8")


def _script(name: str) -> str:
    return (files(__name__) / name).read_text(encoding="utf-8")


def player() -> str:
    """The script of a page: what plays, and the controls around it."""
    return _script("player.js") + _script("controls.js")


def element() -> str:
    """The script that makes effects elements of a page of one's own."""
    return _script("player.js") + _script("element.js")
