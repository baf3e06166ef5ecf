"""Hits as tables that a program reads: where each is, and how long ago at each frame."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from whorl.beads.spec import Numbers, Param
from whorl.effect.document import MOST_HITS, Hit, Turn
from whorl.effect.stage import Stage
from whorl.plan.graph import Node, Plan, Uniform
from whorl.plan.run.evaluate import Evaluation
from whorl.plan.run.samples import near

#: Of a slot without a hit.
NEVER = -1.0
#: How long a hit is known for where the turn plays once, in seconds.
ALWAYS = 1e4
PLACES, AGES = "hits/places", "hits/ages"


def _table(name: str, words: str) -> Param:
    return Param(name, words, (0.0,) * (4 * MOST_HITS), type="table", moves=False)


def places(hits: Sequence[Hit]) -> Numbers:
    """Sixteen rows: a place, and the strength there; 0 in slots without a hit."""
    rows = [(*h.position, h.strength) for h in hits]
    rows += [(0.0, 0.0, 0.0, 0.0)] * (MOST_HITS - len(rows))
    return tuple(float(x) for row in rows for x in row)


@dataclass(frozen=True)
class Ages:
    """Sixteen rows at a phase: how many seconds ago each hit was, how long it is known for, and its place in UV.

    In a turn that loops a hit comes again with every turn, so what began before the join goes on after it.
    """

    hits: tuple[Hit, ...]
    turn: Turn
    uv: tuple[tuple[float, float], ...]

    def __call__(self, phase: float) -> Numbers:
        return tuple(self.rows([phase])[0].tolist())

    def rows(self, phases: Sequence[float] | NDArray[np.float64]) -> NDArray[np.float64]:
        """A row of all sixteen for each phase."""
        out = np.zeros((len(phases), MOST_HITS, 4))
        out[:, :, 0] = NEVER
        for i, hit in enumerate(self.hits):
            since = np.asarray(phases, np.float64) - hit.phase
            if self.turn.looping:
                # What rounding leaves of a whole turn is its start.
                since = (since + 1e-9) % 1.0
            out[:, i, 0] = since * self.turn.seconds
            out[:, i, 1] = self.turn.seconds if self.turn.looping else ALWAYS
            out[:, i, 2:] = self.uv[i]
        return out.reshape(len(phases), -1)


def ages(hits: tuple[Hit, ...], turn: Turn, stage: Stage) -> Ages:
    """The ages of hits on a stage's shape."""
    if not hits:
        return Ages((), turn, ())
    points = near(stage, [h.position for h in hits])
    u, v = points["at_uv"][0], points["at_uv"][1]
    return Ages(hits, turn, tuple((float(u[i]), float(v[i])) for i in range(len(hits))))


@dataclass(frozen=True, eq=False)
class Measured:
    """Sixteen rows at a phase: where coordinates have each hit, and its strength there."""

    plan: Plan
    node: Node
    hits: tuple[Hit, ...]
    stage: Stage

    def __call__(self, phase: float) -> Numbers:
        return tuple(self.rows([phase])[0].tolist())

    def rows(self, phases: Sequence[float] | NDArray[np.float64]) -> NDArray[np.float64]:
        """A row of all sixteen for each phase."""
        out = np.zeros((len(phases), MOST_HITS, 4))
        if self.hits:
            made = Evaluation(self.plan, self.node)
            points = near(self.stage, [h.position for h in self.hits])
            count = len(self.hits)
            still = not any(s.moves for s in made.steps)
            for f, phase in enumerate(phases):
                if f and still:
                    out[f, :count, :3] = out[0, :count, :3]
                    continue
                found = made(points, phase, apart=True)
                out[f, :count, :3] = np.stack([row[:count] for row in found], axis=1)
            out[:, :count, 3] = [h.strength for h in self.hits]
        return out.reshape(len(phases), -1)


class Hits:
    """The tables of an effect's hits; each is made when it is first asked for."""

    def __init__(self, plan: Plan, hits: tuple[Hit, ...], turn: Turn, stage: Stage) -> None:
        self.plan, self.hits, self.turn, self.stage = plan, hits, turn, stage
        self.made: dict[object, Uniform] = {}

    def places(self, below: Node | None) -> Uniform:
        """Where they are: on the shape as it is made, or as coordinates have it."""
        key = below.index if below else PLACES
        if key not in self.made:
            track = Measured(self.plan, below, self.hits, self.stage) if below else None
            name = PLACES if below is None else f"{PLACES}/{below.index}"
            self.made[key] = self._add(name, places(self.hits), track)
        return self.made[key]

    def ages(self) -> Uniform:
        """How long ago they were."""
        if AGES not in self.made:
            self.made[AGES] = self._add(AGES, places(()), ages(self.hits, self.turn, self.stage))
        return self.made[AGES]

    def _add(self, place: str, value: Numbers, track: Ages | Measured | None) -> Uniform:
        uniform = Uniform(f"u{len(self.plan.uniforms)}", place, _table(place, "Hits."), value, track)
        self.plan.uniforms.append(uniform)
        return uniform
