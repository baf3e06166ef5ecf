"""The `@shade` decorator: a Python function that is also a shader function."""

from collections.abc import Callable
from typing import Any, Generic, ParamSpec, TypeVar

from whorl.shade.check import Checker
from whorl.shade.tree import Tree

P = ParamSpec("P")
R = TypeVar("R")


class ShadeFunction(Generic[P, R]):
    """A checked shade function. Calling it runs it as ordinary Python."""

    def __init__(self, python: Callable[P, R]) -> None:
        self.python = python
        self.name = python.__name__
        self.__name__, self.__doc__ = python.__name__, python.__doc__
        self.__module__, self.__wrapped__ = python.__module__, python
        self.tree: Tree = Checker(python).tree()

    def __call__(self, *args: P.args, **kwargs: P.kwargs) -> R:
        return self.python(*args, **kwargs)

    def __repr__(self) -> str:
        return f"<shade {self.name}>"

    @property
    def key(self) -> str:
        """A name no other shade function has."""
        return f"{self.__module__}.{self.name}"


def shade(python: Callable[P, R]) -> ShadeFunction[P, R]:
    """Check a function against the shading language at import.

    Raises ShadeError, with file and line, at the first thing that is not in the subset.
    """
    return ShadeFunction(python)


Unchecked = ShadeFunction[Any, Any]
