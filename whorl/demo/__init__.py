"""The demo effects: scenes of the made-up production *The Lantern Ferry*."""

from whorl.effect import Effect
from whorl.shipped import effect_in, slugs_in


def slugs() -> list[str]:
    """The names the demo effects go by, in the order the shelf shows them."""
    return slugs_in(__name__, ("fog-gate", "moth-crate", "buoy-ward"))


def demo(slug: str) -> Effect:
    """A demo effect by its slug. Raises KeyError."""
    return effect_in(__name__, slug)
