"""What a language is besides its expressions: structs, parameters, entry points and the program around them."""

from abc import ABC, abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

from whorl.shade.clike import Dialect
from whorl.shade.types import IMAGE, VEC3, ShadeType


@dataclass(frozen=True)
class Member:
    """One member of a struct, with what is said of it beside it."""

    name: str
    type: ShadeType
    words: str = ""


@dataclass(frozen=True)
class Struct:
    """A struct and its members."""

    name: str
    members: tuple[Member, ...]


@dataclass(frozen=True)
class Entry:
    """What a program around the functions needs: the structs, the picture's names, and the lines of its body.

    `lines` end with the result, four numbers: light in linear light, premultiplied by how much it hides.
    """

    point: Struct
    params: Struct
    channels: str
    pictures: tuple[str, ...]
    lines: tuple[str, ...]
    result: str


class Shell(ABC):
    """A language that code is given away in."""

    #: As the command has it, in words, and the ending of its files.
    key: str
    title: str
    ending: str
    comment = "//"
    dialect: Dialect
    #: How many bytes a vector of three takes where numbers lie one after another, and what it is aligned to.
    three: ClassVar[tuple[int, int]] = (12, 16)

    @abstractmethod
    def head(self, entry: Entry) -> list[str]:
        """What stands before everything else."""

    @abstractmethod
    def main(self, entry: Entry) -> list[str]:
        """The program itself: it reads its inputs, and gives four numbers for each pixel."""

    def struct(self, struct: Struct) -> list[str]:
        """The declaration of a struct, a line a member."""
        d = self.dialect
        lines = [f"struct {struct.name} {{"]
        for m in struct.members:
            declared = d.part.format(declared=d.declared(m.type, m.name))
            lines.append(f"  {declared}" + (f"  {self.comment} {m.words}" if m.words else ""))
        return [*lines, self.closed]

    closed = "};"

    def function(self, name: str, point: Struct, params: Struct, pictures: Sequence[str], returns: str) -> str:
        """The head of a function that is given a point, the parameters and the pictures."""
        d = self.dialect
        given = [d.declare.format(type=point.name, name="at"), d.declare.format(type=params.name, name="params")]
        given += [d.declared(IMAGE, p) for p in pictures]
        return d.head.format(returns=returns, name=name, params=", ".join(given)) + " {"

    def result(self, struct: Struct) -> str:
        """A struct that is yet to be filled."""
        return f"{struct.name} result;"

    def offsets(self, struct: Struct) -> dict[str, int]:
        """Where each member lies in a buffer, in bytes."""
        at, out = 0, {}
        for m in struct.members:
            size, align = (m.type.size * 4, 16) if m.type.rows else self.three if m.type == VEC3 else (4, 4)
            at += -at % align
            out[m.name] = at
            at += size
        return out
