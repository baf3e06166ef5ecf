"""What a browser needs to draw an effect: the program, its uniforms, its motion and findings."""

from dataclasses import asdict
from typing import Any

from whorl.beads.spec import COORDS
from whorl.plan.graph import Plan, Uniform
from whorl.plan.loop import closings, findings
from whorl.plan.print.program import BACK, program


def compiled(plan: Plan) -> dict[str, Any]:
    """The program of a plan as plain data."""
    effect = plan.effect
    text = program(plan)
    return {
        "key": text.key,
        "vertex": text.vertex,
        "fragment": text.fragment,
        "backdrop": text.backdrop,
        "back": BACK if plan.back else "",
        "layer": plan.layer,
        "raised": {"vertex": text.raised[0], "fragment": text.raised[1]} if plan.raised else None,
        "direction": plan.direction.name if plan.direction else "",
        "frames": effect.turn.frames,
        "uniforms": [_uniform(u, effect.turn.frames) for u in plan.uniforms],
        "far": plan.far.name if plan.far else "",
        "peeks": peeks(plan),
        "pictures": [asdict(p) for p in plan.pictures],
        "closed": {place: [c.closed for c in axes] for place, axes in closings(plan).items()},
        "findings": [asdict(f) for f in findings(plan)],
    }


def _uniform(u: Uniform, frames: int) -> dict[str, Any]:
    rows = None
    if u.motion is not None:
        rows = [[float(x) for x in u.at(f / frames)] for f in range(frames)]
    return {"name": u.name, "place": u.place, "size": u.param.size, "value": list(u.value), "rows": rows}


def peeks(plan: Plan) -> list[dict[str, Any]]:
    """The number of each bead and channel, its signal, and its period where it has one."""
    out: list[dict[str, Any]] = []
    for place, node in plan.beads.items():
        period = list(node.period.at(0.0)) if node.gives is COORDS and node.period else None
        out.append({"place": f"strands/{place}", "number": node.index, "signal": str(node.gives), "period": period})
    for name, node in plan.channels.items():
        out.append({"place": f"surface/{name}", "number": node.index, "signal": str(node.gives), "period": None})
    return out
