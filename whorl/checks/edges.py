"""Edges that part where a shape is moved."""

from collections.abc import Iterator

import numpy as np

from whorl.checks.finding import Finding, Mend
from whorl.plan.build import Planned


def find(plan: Planned) -> Iterator[Finding]:
    """A displaced shape with edges that is not kept whole."""
    if plan.raised is None or plan.whole:
        return
    mesh = plan.effect.stage.mesh_of()
    if float(np.abs(mesh.normals - mesh.shared_normals).max()) < 0.02:
        return
    words = "the shape has edges and is not kept whole, so its faces part where it is moved"
    mend = Mend.of("keep it whole", ("surface/whole", True))
    yield Finding(kind="torn edges", place="surface/displacement", words=words, mends=[mend])
