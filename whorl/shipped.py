"""Effects that come with Whorl, as files of a package."""

from collections.abc import Sequence
from importlib.resources import files

from whorl.effect import Effect, read_text

_ENDING = ".whorl.json"


def slugs_in(package: str, first: Sequence[str] = ()) -> list[str]:
    """The names that a package's effects go by; those named in `first` before the others."""
    found = {f.name.removesuffix(_ENDING) for f in files(package).iterdir() if f.name.endswith(_ENDING)}
    return [s for s in first if s in found] + sorted(found - set(first))


def effect_in(package: str, slug: str) -> Effect:
    """One of them. Raises KeyError."""
    if slug not in slugs_in(package):
        raise KeyError(slug)
    return read_text((files(package) / f"{slug}{_ENDING}").read_text(encoding="utf-8"))
