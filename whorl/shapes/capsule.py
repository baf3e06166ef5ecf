"""A capsule."""

import numpy as np

from whorl.shapes.fine import Fine
from whorl.shapes.mesh import Mesh, arc, revolved, straight
from whorl.shapes.spec import Shape


def capsule(fine: Fine = Fine()) -> Mesh:
    """A cylinder of radius 0.55 and height 0.9 between two half balls."""
    r, h = 0.55, 0.45
    lower, upper = arc(r, -90, 0, up=-h, steps=fine.of(32)), arc(r, 0, 90, up=h, steps=fine.of(32))
    middle = straight((r, -h), (r, h), fine)[1:-1]
    return revolved([np.concatenate([lower, middle, upper])], fine.of(96))


SHAPE = Shape(
    "capsule",
    "a cylinder between two half balls",
    lambda given: capsule(given.fine),
    closed=True,
    round=frozenset({0}),
)
