"""What a browser needs to draw an effect: the program, its uniforms, its motion and findings."""

from collections.abc import Iterator
from dataclasses import asdict
from typing import Any

import numpy as np
from numpy.typing import NDArray

from whorl.beads.spec import COORDS
from whorl.effect.changes import Names
from whorl.fields import cast
from whorl.motion.shaping import tracks
from whorl.motion.values import Track
from whorl.plan.build import Planned
from whorl.plan.build.numbers import PHASE
from whorl.plan.graph import Uniform
from whorl.plan.loop import closings, findings
from whorl.plan.print.program import BACK, Program, program
from whorl.plan.print.sameness import Sameness
from whorl.plan.run.ranks import Ranks


def compiled(plan: Planned) -> dict[str, Any]:
    """The program of a plan as plain data."""
    effect = plan.effect
    text, rows, same = program(plan), _rows(plan), Sameness(plan)
    return {
        "key": text.key,
        "vertex": text.vertex,
        "fragment": text.fragment,
        "backdrop": text.backdrop,
        "back": BACK if plan.back else "",
        "layer": plan.layer,
        "raised": {"vertex": text.raised[0], "fragment": text.raised[1]} if plan.raised else None,
        "lamp": _lamp(plan, text) if plan.lamp else None,
        "frames": effect.turn.frames,
        "steps": effect.turn.steps,
        "looping": effect.turn.looping,
        "uniforms": [_uniform(u, rows.get(u.name)) for u in plan.uniforms if u.made is None],
        "far": plan.far.name if plan.far else "",
        "of": asdict(same.picture()),
        "peeks": [{**p, "of": asdict(same.bead(plan.nodes[p["number"]]))} for p in peeks(plan)],
        "pictures": [
            {
                **{name: getattr(p, name) for name in ("name", "hash", "read", "frames", "ahead")},
                "at": p.at.name if p.at else "",
            }
            for p in plan.pictures
        ],
        "closed": (closed := {place: [c.closed for c in axes] for place, axes in closings(plan).items()}),
        "tracks": list(_tracks(plan, closed, rows)),
        "findings": [asdict(f) for f in findings(plan)],
    }


def _lamp(plan: Planned, text: Program) -> dict[str, Any]:
    room = cast.MOVED_ROOM if plan.raised else cast.ROOM
    return {"vertex": text.lamp[0], "fragment": text.lamp[1], "side": cast.LAMP_SIDE, "room": room}


def _rows(plan: Planned) -> dict[str, NDArray[np.float64]]:
    """A row for each frame of all that moves, but of what is still to be found out, by the names of uniforms."""
    phases = np.asarray(plan.effect.turn.phases)
    return {u.name: u.track.rows(phases) for u in plan.uniforms if u.track and not u.made and not _pending(u)}


def _pending(u: Uniform) -> bool:
    """Whether it is measured in the background: until then what was known last will do."""
    return isinstance(u.track, Ranks) and not u.track.ready()


def _uniform(u: Uniform, rows: NDArray[np.float64] | None) -> dict[str, Any]:
    value = {"name": u.name, "place": u.place, "size": u.param.size, "value": list(u.value)}
    value |= {"rows": None if rows is None else told(rows), "pending": rows is None and u.track is not None}
    return {**value, "measured": isinstance(u.track, Ranks)}


def told(rows: NDArray[np.float64]) -> list[list[float]]:
    """The rows of what moves, one for each frame; a table that all frames share has one."""
    shared = rows.shape[1] == TABLE and (rows == rows[0]).all()
    return list((rows[:1] if shared else rows).tolist())


#: Numbers in a table.
TABLE = 64


def measured(plan: Planned) -> dict[str, list[list[float]]]:
    """The rows of all that is found out from the shape, by their places."""
    phases = np.asarray(plan.effect.turn.phases)
    return {u.place: told(u.track.rows(phases)) for u in plan.uniforms if isinstance(u.track, Ranks)}


def _tracks(
    plan: Planned, closed: dict[str, list[bool]], rows: dict[str, NDArray[np.float64]]
) -> Iterator[dict[str, Any]]:
    """Every curve of the ring, in words and with what of it can be taken by the hand."""
    names = Names(plan.effect)
    for u in plan.uniforms:
        if not isinstance(u.track, Track):
            continue
        if u.param is PHASE:
            # Nobody set it moving.
            continue
        for t in tracks(u.place, u.track.motion, rows[u.name], u.param, plan.effect.turn, u.track.others):
            yield {
                "place": t.place,
                "uniform": u.place,
                "axis": t.axis,
                "words": names.of(u.place) + _axis_words(u, t.place, t.axis),
                "short": names.shown(t.motion),
                "closed": closed[u.place][t.axis] if t.place != u.place else all(closed[u.place]),
                "rounds": t.rounds,
                "grips": [asdict(g) for g in t.grips],
            }


def _axis_words(u: Uniform, place: str, axis: int) -> str:
    return f", {u.param.axes[axis]}" if place != u.place else ""


def peeks(plan: Planned) -> list[dict[str, Any]]:
    """The number of each bead and channel, its signal, and its period where it has one."""
    out: list[dict[str, Any]] = []
    for place, node in plan.beads.items():
        period = list(node.period.at(0.0)) if node.gives is COORDS and node.period else None
        out.append({"place": f"strands/{place}", "number": node.index, "signal": str(node.gives), "period": period})
    for name, node in plan.channels.items():
        out.append({"place": f"surface/{name}", "number": node.index, "signal": str(node.gives), "period": None})
    return out
