"""The demo effects: scenes of the made-up production *The Lantern Ferry*."""

from importlib.resources import files

from whorl.effect import Effect, read_text


def slugs() -> list[str]:
    """The names the demo effects go by, in the order the shelf shows them."""
    found = {f.name.removesuffix(".whorl.json") for f in files(__name__).iterdir() if f.name.endswith(".whorl.json")}
    order = ["fog-gate", "moth-crate", "buoy-ward"]
    return [s for s in order if s in found] + sorted(found - set(order))


def demo(slug: str) -> Effect:
    """A demo effect by its slug. Raises KeyError."""
    if slug not in slugs():
        raise KeyError(slug)
    return read_text((files(__name__) / f"{slug}.whorl.json").read_text(encoding="utf-8"))
