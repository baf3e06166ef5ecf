"""A shape moved by the effect's displacement channel."""

from dataclasses import replace

import numpy as np

from whorl.beads.spec import Numbers
from whorl.fields import displacement
from whorl.plan.build import Planned
from whorl.plan.run.evaluate import Evaluation, run
from whorl.shade.kernel import Floats
from whorl.shapes.mesh import Mesh
from whorl.stage.raster import at_vertices, columns


def moved(
    plan: Planned,
    mesh: Mesh,
    view: dict[str, Numbers],
    phase: float,
    threads: int = 1,
    work: Evaluation | None = None,
) -> Mesh:
    """The mesh on the stage at a phase, as large as it is shown there.

    Vertices that share a place move together, unless the surface does not stay whole; normals are those of the moved
    surface. `work` is the evaluation of the plan's heights, for those that ask at many phases.
    """
    size = plan.effect.stage.size
    if plan.raised is None:
        return mesh.grown(size)
    n = len(mesh.positions)
    heights = work or Evaluation(plan, plan.raised)
    slopes = heights(at_vertices(mesh.grown(size), view["eye"], mesh), phase, threads, camera=view, apart=True)
    first = mesh.together[:, 0].astype(np.int64)

    def shared(values: Floats) -> Floats:
        if not plan.whole:
            return values
        total = np.bincount(first, weights=values, minlength=n)
        return np.ascontiguousarray((total[first] / mesh.together[:, 1]), np.float32)

    if plan.offset:
        gone = np.stack([shared(x) for x in slopes[:3]], axis=1)
        turned = run(displacement.unpacked, (), [[slopes[3]]], n)
        return replace(mesh, positions=mesh.positions + gone, normals=np.stack(turned, axis=1)).grown(size)
    far = shared(slopes[2])
    along = columns((mesh.shared_normals if plan.whole else mesh.normals).astype(np.float64))
    normals = columns(mesh.normals.astype(np.float64))
    ways = columns(mesh.gradients[0].astype(np.float64))
    placed = run(displacement.moved_by, (), [columns(mesh.positions.astype(np.float64)), along, [far]], n)
    turned = run(displacement.tilted, (), [normals, ways, along, slopes], n)
    return replace(mesh, positions=np.stack(placed, axis=1), normals=np.stack(turned, axis=1)).grown(size)
