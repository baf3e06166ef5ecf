"""What the key lamp sees of a shape, for light that is cast from it; see `fields.cast`."""

import numpy as np

from whorl.beads.spec import Numbers
from whorl.fields import cast
from whorl.plan.build import Planned
from whorl.plan.run.evaluate import Evaluation, run
from whorl.shade.values import Image, Vec3
from whorl.shapes.mesh import Mesh
from whorl.stage.raster import Seen

#: From how far it looks, in reaches of the shape: so far that nothing is nearer and larger.
FAR_OFF = 1e5


def reach(plan: Planned, rest: Mesh) -> float:
    """How far a shape reaches from the stage's middle, in units of the stage."""
    corner = np.maximum(np.abs(rest.low), np.abs(rest.low + rest.size)).astype(np.float64)
    return float(np.linalg.norm(corner)) * plan.effect.stage.size * (cast.MOVED_ROOM if plan.raised else cast.ROOM)


def seen_by_lamp(plan: Planned, mesh: Mesh, rest: Mesh, view: dict[str, Numbers], phase: float) -> Image:
    """The three squares, side by side, their rows from the bottom: (side, 3 side, 4). `mesh` is the shape on the stage,
    `rest` how it is made, `view` what is known of the camera, with its reach."""
    assert plan.lamp is not None
    nowhere = {"at_screen": [np.zeros(4, np.float32)] * 3}
    to = np.array([float(row[0]) for row in Evaluation(plan, plan.lamp)(nowhere, phase, camera=view)])
    across = np.array(list(cast.aside(Vec3(*map(float, to)))), np.float64)
    up, far = np.cross(to, across), view["reach"][0]
    matrix = np.zeros((4, 4))
    matrix[0, :3], matrix[1, :3], matrix[3, :3] = across * FAR_OFF, up * FAR_OFF, -to
    matrix[3, 3] = FAR_OFF * far
    seen = Seen.through(mesh, matrix, to * FAR_OFF * far, rest)
    side = cast.LAMP_SIDE
    pixels, points = seen.nearest(side, to)
    n = len(pixels)
    near = run(cast.nearness, (), [points["at_world"], tuple(to), (far,)], n)
    folded = run(cast.octahedral, (), [points["at_normal"]], n)
    squares = (
        [*points["at_object"], *near],
        [*points["at_uv"][:2], *folded],
        [*points["at_box"], points["at_colour"][3]],
    )
    out = np.zeros((side * side, 3, 4), np.float16)
    for k, square in enumerate(squares):
        for i, row in enumerate(square):
            out[pixels, k, i] = row
    laid = out.reshape(side, side, 3, 4)[::-1].transpose(0, 2, 1, 3).reshape(side, 3 * side, 4)
    return Image(np.ascontiguousarray(laid))
