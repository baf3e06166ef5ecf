"""A cone."""

import numpy as np

from whorl.shapes.mesh import Mesh, revolved, straight
from whorl.shapes.spec import Shape


def cone(fine: int = 1) -> Mesh:
    """A cone of radius 0.9 and height 1.7 on its base."""
    side = np.stack([np.linspace(0.9, 0, 32 * fine + 1), np.linspace(-0.85, 0.85, 32 * fine + 1)], axis=1)
    return revolved([straight((0, -0.85), (0.9, -0.85), fine), side], 96 * fine)


SHAPE = Shape("cone", "a cone on its base", lambda given: cone(given.fine), closed=True, round=frozenset({0}))
