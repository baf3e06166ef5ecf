"""From an effect to its plan: the strands, the surface, and what is around it."""

from whorl.plan.build.builder import Planned, build
from whorl.plan.build.numbers import PHASE
from whorl.plan.build.standing import Standing, standing

__all__ = ["PHASE", "Planned", "Standing", "build", "standing"]
