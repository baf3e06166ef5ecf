"""What each bead costs: measured on the CPU, and estimated for a GPU from what its program does."""

from pydantic import BaseModel

from whorl.plan.build import Planned
from whorl.plan.graph import FromImage, Node
from whorl.plan.run.evaluate import Evaluation
from whorl.plan.run.steps import heaviness
from whorl.stage.signal import points_of

#: Samples along a side, and how often each step is timed; the least time counts.
SIDE, TIMES = 128, 3
#: From which part of a frame's time on something is dear.
PART = 0.25


class Costs(BaseModel):
    """What a bead costs: milliseconds for a picture of 512 × 512 on one thread, its part of all, whether that is
    much, the part of the program's weight that is its own, octaves and lookups of pictures."""

    place: str
    milliseconds: float
    part: float
    dear: bool
    weight: float
    octaves: int
    lookups: int


class Cost(BaseModel):
    """What a frame costs, bead by bead, the dearest first; `surface` is light and what is around."""

    beads: list[Costs]
    strands: dict[str, float]
    surface: Costs
    milliseconds: float
    weight: int
    vertices: int
    triangles: int


def cost(plan: Planned) -> Cost:
    """Times each node of a plan over points of the shape."""
    times = timed(plan)
    weights = {n.index: heaviness(n) for n in plan.nodes if n.index in times}
    total, heavy = sum(times.values()), max(sum(weights.values()), 1)
    each: dict[str, list[Node]] = {}
    for n in plan.nodes:
        if n.index in times and n.place.startswith("strands/"):
            each.setdefault("/".join(n.place.split("/")[:3]), []).append(n)
    settings = {f"strands/{s.id}/{b.id}": b.settings for s in plan.effect.strands for b in s.beads}
    beads = []
    for place, nodes in each.items():
        spent = sum(times[n.index] for n in nodes)
        octaves = settings.get(place, {}).get("octaves", 0)
        beads.append(
            Costs(
                place=place,
                milliseconds=round(spent, 4),
                part=(part := spent / max(total, 1e-9)),
                dear=part > PART,
                weight=sum(weights[n.index] for n in nodes) / heavy,
                octaves=octaves if isinstance(octaves, int) else 0,
                lookups=sum(isinstance(a, FromImage) for n in nodes for a in n.args),
            )
        )
    beads.sort(key=lambda c: -c.milliseconds)
    strands: dict[str, float] = {}
    for c in beads:
        strands[c.place.split("/")[1]] = strands.get(c.place.split("/")[1], 0.0) + c.milliseconds
    mesh = plan.effect.stage.mesh_of()
    rest = max(total - sum(strands.values()), 0.0)
    part = rest / max(total, 1e-9)
    surface = Costs(
        place="surface",
        milliseconds=rest,
        part=part,
        dear=part > PART,
        weight=max(1.0 - sum(c.weight for c in beads), 0.0),
        octaves=0,
        lookups=0,
    )
    return Cost(
        beads=beads,
        strands=strands,
        surface=surface,
        milliseconds=total,
        weight=sum(weights.values()),
        vertices=len(mesh.positions),
        triangles=len(mesh.triangles),
    )


def timed(plan: Planned) -> dict[int, float]:
    """Milliseconds of each node that the picture is made from, for 512 × 512 samples on one thread."""
    assert plan.picture is not None
    points, view, _ = points_of(plan, 0.0, SIDE)
    work = Evaluation(plan, plan.picture)
    least: dict[int, float] = {}
    count = len(points["at_uv"][0])
    for _ in range(TIMES):
        clock: dict[int, float] = {}
        work(points, 0.0, camera=view, clock=clock)
        for node, spent in clock.items():
            least[node] = min(spent, least.get(node, spent))
    scale = 512 * 512 / max(count, 1) * 1000.0
    return {node: spent * scale for node, spent in least.items()}
