"""Whether the turn closes: per motion and axis, and per pattern that must meet itself."""

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import COORDS, Numbers
from whorl.effect.strands import Bead
from whorl.effect.value import Apart, Drift, Follow, Keys
from whorl.fields.levers import drifted, drifted3
from whorl.motion.kind import Closing
from whorl.motion.values import Track, closing, mended
from whorl.plan.build import Planned
from whorl.plan.graph import FromNode, FromUniform, Literals, Node, Uniform
from whorl.plan.run.evaluate import run
from whorl.shapes import SHAPES

#: On how many samples, and how wide about nought, a formula is tried; how far apart in parts single floats may lead it.
_SAMPLES, _WIDE, _SAME = 256, 3.0, 1e-4


@dataclass(frozen=True)
class LoopFinding:
    """Something that keeps the loop from closing, or a pattern from meeting itself.

    `mend` is a param's new value; putting it at `place` mends the finding.
    """

    place: str
    words: str
    axis: int | None
    mend: Any = None
    kind: str = "open loop"


def closings(plan: Planned) -> dict[str, list[Closing]]:
    """For each uniform in motion, by its place, what each of its axes does at the join."""
    out = {}
    for uniform in plan.uniforms:
        track = uniform.track
        if isinstance(track, Track):
            out[uniform.place] = (
                _closing(plan, uniform, track)
                if track.looping
                else [Closing(axis, True) for axis in range(uniform.param.size)]
            )
    return out


def findings(plan: Planned) -> list[LoopFinding]:
    """All findings of the loop, in the order of the sheet."""
    out: list[LoopFinding] = []
    for uniform in plan.uniforms:
        if not isinstance(uniform.track, Track) or not uniform.track.looping:
            continue
        motion, others = uniform.track.motion, uniform.track.others
        period, seen = _period_before(plan, uniform), set[str]()
        nearest = mended(motion, uniform.param, period, others)
        mend = None if nearest == motion else nearest.model_dump(mode="json")
        for c in _closing(plan, uniform, uniform.track):
            if not c.closed and c.words not in seen:
                seen.add(c.words)
                out.append(LoopFinding(uniform.place, c.words, c.axis, mend))
    if plan.effect.turn.looping:
        out += _ended(plan)
    out += _seams(plan)
    return out


def _closing(plan: Planned, uniform: Uniform, track: Track) -> list[Closing]:
    """What each axis of a motion does at the join; a drift that the formula it goes into brings round closes there."""
    made = closing(track.motion, uniform.param, _period_before(plan, uniform), track.others)
    open_ = any(not c.closed for c in made)
    return [Closing(c.axis, True) for c in made] if open_ and _comes_round(plan, uniform, track) else made


def _comes_round(plan: Planned, uniform: Uniform, track: Track) -> bool:
    """Whether a formula gives the same at both ends of a drift of its number, whatever comes in: tried on samples."""
    node = plan.beads.get(_bead_place(uniform.place))
    if not isinstance(track.motion, Drift) or node is None or not CATALOGUE[_kind(plan, node.place)].writes:
        return False
    function = node.function
    params = [p for p in function.tree.params if not p.fixed] if function is not None else []
    if function is None or len(params) != len(node.args):
        return False
    start = uniform.at(0.0)
    end = tuple(x + c for x, c in zip(start, np.broadcast_to(track.motion.cycles, len(start)), strict=True))
    chosen = np.random.default_rng(1)
    args: list[Any] = []
    for param, arg in zip(params, node.args, strict=True):
        if isinstance(arg, FromUniform):
            args.append(start if arg.uniform is uniform else arg.uniform.at(0.0))
        elif isinstance(arg, Literals):
            args.append(arg.values)
        else:
            args.append(list(chosen.uniform(-_WIDE, _WIDE, (param.type.size, _SAMPLES)).astype(np.float32)))
    at = next((i for i, a in enumerate(node.args) if isinstance(a, FromUniform) and a.uniform is uniform), None)
    if at is None:
        # It does not use that number.
        return True
    before, after = (
        np.array(run(function, node.fixed, [*args[:at], x, *args[at + 1 :]], _SAMPLES)) for x in (start, end)
    )
    return bool(np.abs(after - before).max() <= _SAME * max(1.0, float(np.abs(before).max())))


def _incoming(node: Node) -> Node | None:
    first = next((a for a in node.args if isinstance(a, FromNode)), None)
    return first.node if first and first.node.gives is COORDS else None


def _period_before(plan: Planned, uniform: Uniform) -> Numbers:
    owner = plan.beads.get(_bead_place(uniform.place))
    before = _incoming(owner) if owner else None
    return before.period.at(0.0) if before and before.period else (0.0, 0.0, 0.0)


def _bead_place(place: str) -> str:
    return "/".join(place.split("/")[1:3])


def _rides(uniform: Uniform) -> bool:
    """Whether a motion closes only because its coordinates repeat."""
    if uniform.made is not None and uniform.made.function in (drifted, drifted3):
        return uniform.param.rides
    motion = uniform.track.motion if isinstance(uniform.track, Track) else None
    return uniform.param.rides and isinstance(motion, Drift | Keys | Follow | Apart)


def _ended(plan: Planned) -> list[LoopFinding]:
    """Scrolling that a later bead robs of its repeat."""
    out: list[LoopFinding] = []
    riders: dict[int, set[str]] = {}
    for node in plan.beads.values():
        before = _incoming(node)
        if node.gives is not COORDS or before is None or before.period is None or node.period is None:
            riders[node.index] = set()
            continue
        own = {a.uniform.place for a in node.args if isinstance(a, FromUniform) and _rides(a.uniform)}
        carried = riders.get(before.index, set())
        was, now = before.period.at(0.0), node.period.at(0.0)
        lost = [i for i in range(3) if was[i] > 0 and now[i] == 0]
        if carried and lost:
            bead = _kind(plan, node.place)
            words = f"{bead} ends the repeat of what scrolls before it, so the scroll cannot close; scroll after it"
            out.append(LoopFinding(node.place, words, lost[0]))
            carried = set()
        riders[node.index] = carried | own
    return out


def _seams(plan: Planned) -> list[LoopFinding]:
    """Beads whose cells, lines or waves do not fit a whole number of times into a period."""
    out: list[LoopFinding] = []
    for place, node in plan.beads.items():
        bead = _bead(plan, place)
        spec = CATALOGUE[bead.kind]
        before = _incoming(node)
        if spec.fits is None or bead.muted or before is None or before.period is None:
            continue
        given = {a.uniform.param.name: a.uniform for a in node.args if isinstance(a, FromUniform)}
        scale = given.get(spec.fits)
        if scale is None or scale.track is not None:
            continue
        settings = {s.name: bead.settings.get(s.name, s.default) for s in spec.settings}
        lies = spec.lies(settings, {name: u.value for name, u in given.items()})
        meets, period = meeting(plan, before), before.period.at(0.0)
        for axis, component in lies:
            if axis in meets and period[axis] > 0:
                found = _seam(scale, component, axis, period[axis])
                if found:
                    out.append(found)
                    break
    return out


def _seam(scale: Uniform, component: int, axis: int, period: float) -> LoopFinding | None:
    """A seam where so many cells a unit do not fit a period, with the two nearest numbers that do."""
    value = scale.value[component]
    cells = abs(period * value)
    if abs(cells - round(cells)) <= 1e-3:
        return None
    low, high = max(1, math.floor(cells)) / period, math.ceil(cells) / period
    nearest = low if abs(low - abs(value)) <= abs(high - abs(value)) else high
    words = (
        f"{cells:.4g} do not fit the {'xyz'[axis]} axis, so there is a seam where it repeats; "
        f"a {scale.param.name} of {low:.4g} or {high:.4g} fits"
    )
    mend = [math.copysign(nearest, value) if i == component else x for i, x in enumerate(scale.value)]
    return LoopFinding(scale.place, words, axis, mend[0] if len(mend) == 1 else mend, "seam")


def meeting(plan: Planned, node: Node) -> set[int]:
    """The axes on which a picture would show that the coordinates do not meet themselves."""
    if not node.place.startswith("strands/"):
        # Of the surface, or measured from a beacon: nothing comes round there.
        return set()
    bead = _bead(plan, _bead_place(node.place))
    before = _incoming(node)
    if bead.kind == "uv":
        return set(SHAPES[plan.effect.stage.shape].round)
    if bead.kind == "polar":
        return {0}
    carried = meeting(plan, before) if before else set()
    if bead.kind == "scroll":
        for arg in node.args:
            if isinstance(arg, FromUniform) and arg.uniform.track is not None:
                first, later = arg.uniform.at(0.0), arg.uniform.at(0.5)
                carried |= {i for i in range(len(first)) if first[i] != later[i]}
    return carried


def _bead(plan: Planned, place: str) -> Bead:
    strand_id, bead_id = place.split("/")
    strand = next(s for s in plan.effect.strands if s.id == strand_id)
    return next(b for b in strand.beads if b.id == bead_id)


def _kind(plan: Planned, place: str) -> str:
    return _bead(plan, _bead_place(place)).kind
