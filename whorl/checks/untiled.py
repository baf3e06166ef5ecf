"""A picture that repeats and does not meet itself."""

import threading
from collections.abc import Iterator
from itertools import pairwise

import numpy as np
from cachetools import LRUCache, cached

from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import COORDS
from whorl.checks.finding import Finding, Mend
from whorl.images.library import NotKept, library
from whorl.plan.build import Planned
from whorl.plan.graph import Node
from whorl.plan.loop import meeting
from whorl.plan.run.evaluate import Evaluation
from whorl.stage.signal import points_of

#: Samples of the shape along a side; how many times as much as neighbours two sides differ, and by how much at least.
SIDE, TIMES, LEAST = 16, 3.0, 0.03


def find(plan: Planned) -> Iterator[Finding]:
    """Beads whose picture is shown beyond its sides, or moves, though these do not meet."""
    for strand in plan.effect.strands:
        for was, bead in pairwise(strand.beads):
            place = f"strands/{strand.id}/{bead.id}"
            spec, node = CATALOGUE[bead.kind], plan.beads.get(f"{strand.id}/{bead.id}")
            if spec.setting("seams") is None or node is None or bead.muted:
                continue
            settings = {s.name: bead.settings.get(s.name, s.default) for s in spec.settings}
            shown = next((a for a in plan.effect.assets if a.id == settings["picture"]), None)
            if not shown or settings["wrap"] != "repeat" or settings["seams"] != "left":
                continue
            before = plan.beads.get(f"{strand.id}/{was.id}")
            if before is None or before.gives is not COORDS:
                continue
            apart = seams(shown.hash)
            sides = [name for k, name in enumerate(("left and right", "top and bottom")) if apart[k] > TIMES]
            if not sides:
                continue
            round_, beyond = meeting(plan, before), _goes_beyond(plan, before)
            if any(k in round_ or beyond[k] for k in range(2) if apart[k] > TIMES):
                words = f"{shown.name} repeats here, and its sides do not meet ({' nor '.join(sides)}), so seams show"
                yield Finding(
                    kind="seam in a picture",
                    place=place,
                    words=words,
                    mends=[
                        Mend.of("blend the edges", (f"{place}/seams", "blended")),
                        Mend.of("mirror it", (f"{place}/wrap", "mirror")),
                    ],
                )


def _goes_beyond(plan: Planned, coords: Node) -> tuple[bool, bool]:
    """Whether coordinates leave 0..1 along each side, at any of a few phases."""
    points, view, covered = points_of(plan, 0.0, SIDE)
    made = Evaluation(plan, coords)
    spans = [np.stack(made(points, phase, camera=view))[:2, covered] for phase in (0.0, 0.37, 0.71)]
    low, high = np.min([s.min(axis=1) for s in spans], axis=0), np.max([s.max(axis=1) for s in spans], axis=0)
    whole = (np.floor(high - 1e-3) > np.floor(low + 1e-3)).tolist()
    return bool(whole[0]), bool(whole[1])


@cached(LRUCache(64), lock=threading.RLock())
def seams(digest: str) -> tuple[float, float]:
    """How many times as much as neighbours within it a picture's sides differ: left and right, top and bottom."""
    try:
        sheet = library.sheet(digest, "colour")
    except NotKept:
        return 0.0, 0.0
    # At a size at which grain is gone.
    level = max(0, int(np.log2(max(sheet.size[:2]) / 256)))
    texels = np.clip(sheet.level(level)[..., :3].astype(np.float32), 0.0, 4.0)
    out = []
    for rows in (texels.swapaxes(0, 1), texels):
        jump = float(np.abs(rows[0] - rows[-1]).mean())
        within = float(np.abs(np.diff(rows, axis=0)).mean())
        out.append(jump / max(within, 1e-4) if jump > LEAST else 0.0)
    return out[0], out[1]
