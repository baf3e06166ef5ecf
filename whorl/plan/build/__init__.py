"""From an effect to its plan: the strands, the surface, and what is around it."""

from whorl.plan.build.builder import PHASE, build

__all__ = ["PHASE", "build"]
