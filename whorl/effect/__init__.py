"""The document: its model, its faults, reading and writing."""

from whorl.effect.document import Effect
from whorl.effect.problems import BadEffect, Problem
from whorl.effect.read import read, read_text, write_text

__all__ = ["BadEffect", "Effect", "Problem", "read", "read_text", "write_text"]
