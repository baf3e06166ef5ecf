"""A cone."""

import numpy as np

from whorl.shapes.fine import Fine
from whorl.shapes.mesh import Mesh, revolved, straight
from whorl.shapes.spec import Shape


def cone(fine: Fine = Fine()) -> Mesh:
    """A cone of radius 0.9 and height 1.7 on its base."""
    side = np.stack([np.linspace(0.9, 0, fine.of(32) + 1), np.linspace(-0.85, 0.85, fine.of(32) + 1)], axis=1)
    return revolved([straight((0, -0.85), (0.9, -0.85), fine), side], fine.of(96))


SHAPE = Shape("cone", "a cone on its base", lambda given: cone(given.fine), closed=True, round=frozenset({0}))
