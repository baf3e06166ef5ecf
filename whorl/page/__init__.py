"""A page that plays an effect by itself: the frame and the player that go into it."""

from importlib.resources import files


def frame() -> str:
    """The page, with `$name`, `$notes`, `$state`, `$left`, `$data` and `$player` to be filled in."""
    return (files(__name__) / "page.html").read_text(encoding="utf-8")


def player() -> str:
    """The script that plays."""
    return (files(__name__) / "player.js").read_text(encoding="utf-8")
