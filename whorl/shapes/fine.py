"""How finely a shape is cut."""

from dataclasses import dataclass

#: What is round stays so: no fewer pieces than this, where there were more.
LEAST = 8


@dataclass(frozen=True)
class Fine:
    """So many `times` as fine (1, 2, 4 or 8) as a shape is made, then `halved` so often, for small pictures."""

    times: int = 1
    halved: int = 0

    def of(self, count: int) -> int:
        """Into how many pieces something round is cut that would be made of so many."""
        return self.halves(count * self.times, LEAST)

    def halves(self, count: int, least: int = 1) -> int:
        """So many pieces, halved."""
        return max(min(count, least), count >> self.halved)

    @property
    def straight(self) -> int:
        """Into how many pieces something straight is cut: into more only where it is to be finer."""
        return 1 if self.times == 1 else self.halves(12 * self.times)
