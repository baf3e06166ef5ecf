"""Splices that come with Whorl, each called after its job."""

from importlib.resources import files

from whorl.effect.splices import Splice, read_splice

ENDING = ".whorl-splice.json"


def slugs() -> list[str]:
    """The names the splices go by."""
    return sorted(f.name.removesuffix(ENDING) for f in files(__name__).iterdir() if f.name.endswith(ENDING))


def splice(slug: str) -> Splice:
    """A splice by its slug. Raises KeyError."""
    if slug not in slugs():
        raise KeyError(slug)
    return read_splice((files(__name__) / f"{slug}{ENDING}").read_text(encoding="utf-8"))
