"""Starters: small effects to begin a new one from, each called after its job."""

from whorl.effect import Effect
from whorl.shipped import effect_in, slugs_in


def slugs() -> list[str]:
    """The names the starters go by, in the order in which they are offered."""
    return slugs_in(__name__, ("shell", "dissolve", "into-another", "water", "beam", "swirl"))


def starter(slug: str) -> Effect:
    """A starter by its slug. Raises KeyError."""
    return effect_in(__name__, slug)
