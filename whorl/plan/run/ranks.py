"""How a value is spread over a shape: its quantiles, from which a rank is read on both sides."""

import hashlib
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from threading import Lock
from typing import Any, Literal

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from whorl.beads.spec import Numbers
from whorl.effect import camera as cameras
from whorl.effect.document import Turn
from whorl.effect.stage import Camera, Stage
from whorl.plan.graph import (
    Arg,
    Footprint,
    FromCamera,
    FromImage,
    FromNode,
    FromPeriod,
    FromPoint,
    FromSheet,
    FromUniform,
    Layer,
    Literals,
    Node,
    Plan,
)
from whorl.plan.run.evaluate import Evaluation
from whorl.plan.run.samples import spread

QUANTILES = 64
#: Samples of the surface for one table, and for each of those that a frame has of its own.
SAMPLES, EACH = 65536, 12288
#: Phases at which a value that moves is looked at, and how much its ranks may differ to share a table.
LOOKS, ALIKE = 8, 0.004
#: Where none is known yet: values as they are.
PLAIN: Numbers = tuple(np.linspace(0.0, 1.0, QUANTILES).tolist())

_known: LRUCache[str, NDArray[np.float64]] = LRUCache(maxsize=64)
_lock = Lock()


@dataclass(frozen=True, eq=False)
class Ranks:
    """The quantiles of a node's values over a shape, one table for the turn or one for each frame.

    One serves where the value is still, or where its spread hardly changes. Tables are kept by all that they depend on.
    """

    plan: Plan
    node: Node
    stage: Stage
    turn: Turn
    over: Literal["surface", "view"]

    def __call__(self, phase: float) -> Numbers:
        return tuple(self.rows([phase])[0].tolist())

    def rows(self, phases: Sequence[float] | NDArray[np.float64]) -> NDArray[np.float64]:
        """Sixteen rows of four quantiles for each phase: those of the frame it lies in."""
        tables = self.tables()
        if len(tables) == 1:
            return np.repeat(tables, len(phases), axis=0)
        frames = np.floor(np.asarray(phases) * self.turn.steps + 1e-6).astype(int)
        return np.asarray(tables[np.clip(frames, 0, len(tables) - 1)])

    def ready(self) -> bool:
        """Whether its tables are known already."""
        with _lock:
            return self.key in _known

    def tables(self) -> NDArray[np.float64]:
        """(1 or frames, 64): made where they are not known."""
        key = self.key
        with _lock:
            found = _known.get(key)
        if found is None:
            found = self.made()
            with _lock:
                _known[key] = found
        return found

    def made(self) -> NDArray[np.float64]:
        """Evaluates the node over the shape."""
        work = Evaluation(self.plan, self.node)
        if not any(s.moves for s in work.steps) and not (self.over == "view" and self.plan.travels):
            return self.table(work, 0.0, SAMPLES)[None, :]
        looked = np.stack([self.table(work, k / LOOKS, EACH) for k in range(LOOKS)])
        pooled = np.quantile(looked.ravel(), np.linspace(0.0, 1.0, QUANTILES))
        pooled[0], pooled[-1] = looked.min(), looked.max()
        ranks = np.stack([np.interp(row, pooled, np.linspace(0, 1, QUANTILES)) for row in looked])
        if np.abs(ranks - np.linspace(0, 1, QUANTILES)).max() <= ALIKE:
            return pooled[None, :]
        with ThreadPoolExecutor(2) as pool:
            return np.stack(list(pool.map(lambda phase: self.table(work, phase, EACH, 1), self.turn.phases)))

    def table(self, work: Evaluation, phase: float, count: int, threads: int = 2) -> NDArray[np.float64]:
        """The quantiles at a phase, their ends being the least and the greatest."""
        points, normals = spread(self.stage, count)
        values = work(points, phase, threads=threads, apart=True)[0]
        at = np.linspace(0.0, 1.0, QUANTILES)
        if self.over == "surface":
            return np.interp(at * (len(values) - 1), np.arange(len(values)), np.sort(values))
        weights = np.maximum(facing(self.camera(phase), points, normals), 0.0)
        order = np.argsort(values)
        along = np.cumsum(weights[order])
        return np.asarray(np.interp(at * along[-1], along - 0.5 * weights[order], values[order]))

    def camera(self, phase: float) -> Camera:
        """The camera where it is at a phase."""
        return cameras.travelled(self.stage.camera, {name: u.at(phase) for name, u in self.plan.travel.items()})

    @cached_property
    def key(self) -> str:
        """All that the tables depend on."""
        stage = self.stage
        seen = [self.camera(k / LOOKS) for k in range(LOOKS)] if self.over == "view" else None
        shape = (
            stage.shape,
            stage.subdivision,
            stage.path,
            stage.path_closed,
            stage.mesh,
            stage.edges,
            stage.size,
            seen,
        )
        said = repr((shape, self.turn, list(_said(self.plan, self.node))))
        return hashlib.sha256(said.encode()).hexdigest()


def facing(camera: Camera, points: Any, normals: NDArray[np.float64]) -> NDArray[np.float64]:
    """How large each sample is seen from the camera; below 0 on the side that is turned away."""
    to = cameras.eye(camera) - np.stack(points["at_world"], axis=1)
    back = cameras.axes(camera)[2]
    # A solid angle is (n · to) / d³; a flat picture shows it the larger the further it is from its middle.
    return np.asarray((normals * to).sum(axis=1) / np.maximum(to @ back, 1e-6) ** 3)


def _said(plan: Plan, node: Node) -> Iterator[object]:
    """A node with all it is made from, as what stays the same from plan to plan."""
    order = plan.needed(node)
    number = {n.index: i for i, n in enumerate(order)}

    def told(arg: Arg) -> object:
        match arg:
            case FromUniform(uniform=u):
                # What moves is told by what it is at some phases.
                return u.value if u.track is None else u.track.rows([0.0, 0.13, 0.37, 0.71, 0.93]).tolist()
            case FromNode(node=n, wanted=wanted):
                return number[n.index], str(wanted)
            case Footprint(node=n):
                return number[n.index], "footprint"
            case FromPeriod(of=of):
                return of and (of.function and of.function.tree.name, of.fixed, [told(a) for a in of.args])
            case FromImage(picture=p) | FromSheet(picture=p):
                if isinstance(p, Layer):
                    return p.name
                return p.hash, p.read, p.ahead, p.at and told(FromUniform(p.at))
            case FromPoint(name=name) | FromCamera(name=name):
                return name
            case Literals(values=values):
                return values
        return None

    for n in order:
        yield n.function and n.function.tree.name, n.fixed, str(n.gives), [told(a) for a in n.args]
