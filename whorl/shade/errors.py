"""What is said when a shade function steps outside the subset."""

from dataclasses import dataclass


@dataclass
class ShadeError(Exception):
    """A located refusal: the file, the line, and what would be right."""

    file: str
    line: int
    reason: str

    def __str__(self) -> str:
        return f"{self.file}:{self.line}: {self.reason}"
