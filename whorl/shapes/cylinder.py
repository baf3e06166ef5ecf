"""A cylinder."""

import itertools

from whorl.shapes.fine import Fine
from whorl.shapes.mesh import Mesh, revolved, straight
from whorl.shapes.spec import Shape


def cylinder(fine: Fine = Fine()) -> Mesh:
    """Of radius 0.75 and height 1.7, closed, with hard edges."""
    r, h = 0.75, 0.85
    ends = [(0, -h), (r, -h), (r, h), (0, h)]
    return revolved([straight(a, b, fine) for a, b in itertools.pairwise(ends)], fine.of(96))


SHAPE = Shape(
    "cylinder",
    "a closed cylinder with hard edges",
    lambda given: cylinder(given.fine),
    closed=True,
    round=frozenset({0}),
    lies="unrolled",
)
