"""Patterns that are finer than the picture."""

from collections.abc import Iterator

import numpy as np

from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import COORDS
from whorl.checks.finding import Finding, Mend
from whorl.checks.looks import Looks, at
from whorl.effect import camera as cameras
from whorl.plan.graph import FromNode, FromUniform, Node
from whorl.plan.run.evaluate import Evaluation
from whorl.stage.frame import Sides

#: How large a picture is when nothing else is said, in pixels, and how many of these a cell of the finest layer needs:
#: its waves are two cells long, and a wave under two pixels cannot be drawn.
BAKED, NEEDED = 512, 1.0


def look(looks: Looks) -> Iterator[Finding]:
    """Noises and cells whose finest waves are under two pixels over most of what is seen."""
    for strand in looks.effect.strands:
        for bead in strand.beads:
            place = f"strands/{strand.id}/{bead.id}"
            node, spec = looks.plan.beads.get(f"{strand.id}/{bead.id}"), CATALOGUE.get(bead.kind)
            if node is None or spec is None or spec.fits is None or bead.muted or place not in looks.drawn:
                continue
            scale = _scale(node, spec.fits)
            coords = next((a.node for a in node.args if isinstance(a, FromNode) and a.node.gives is COORDS), None)
            if scale is None or coords is None:
                continue
            octaves = spec.setting("octaves")
            count = int(bead.settings.get("octaves", octaves.default)) if octaves else 1
            size = _cell(looks, coords, scale) / 2 ** (count - 1)
            if size >= NEEDED or size <= 0:
                continue
            yield Finding(
                kind="finer than the picture",
                place=f"{place}/{spec.fits}" if count == 1 else f"{place}/octaves",
                words=f"its finest waves are {2 * size:.2g} pixels long in a picture of {BAKED}: lost, or shimmering",
                mends=_mends(place, spec.fits, scale, count, size),
                measure=NEEDED / size,
                evidence=at(looks.phases[0]),
            )


def _scale(node: Node, name: str) -> tuple[float, ...] | None:
    found = next((a.uniform for a in node.args if isinstance(a, FromUniform) and a.uniform.param.name == name), None)
    return None if found is None else tuple(abs(x) for x in found.at(0.0))


def _cell(looks: Looks, coords: Node, scale: tuple[float, ...]) -> float:
    """How many pixels of a baked picture a cell of a pattern is wide, where it is seen: the median; 0 where unknown."""
    side = looks.side
    stage = looks.effect.stage
    view = cameras.numbers(stage, side, side)
    seen, points = Sides(looks.plan, stage, view, 0.0, side, side).points(True)
    if not len(seen.pixels):
        return 0.0
    made = np.stack(Evaluation(looks.plan, coords)(points, looks.phases[0], camera=view))
    quads = made.reshape(3, -1, 4)
    whole = (seen.samples.reshape(-1, 4) == 15).all(axis=1)
    if whole.sum() < 16:
        return 0.0
    fine = np.asarray((scale * 3)[:3] if len(scale) == 1 else (*scale, 1.0)[:3])[:, None]
    across = np.abs(quads[:, whole, 1] - quads[:, whole, 0]) * fine
    down = np.abs(quads[:, whole, 2] - quads[:, whole, 0]) * fine
    step = np.maximum(np.linalg.norm(across, axis=0), np.linalg.norm(down, axis=0))
    typical = float(np.median(step)) * side / BAKED
    return 1.0 / typical if typical > 1e-9 else 0.0


def _mends(place: str, name: str, scale: tuple[float, ...], count: int, size: float) -> list[Mend]:
    out = []
    fewer = count - int(np.ceil(np.log2(NEEDED / size)))
    if count > 1 and fewer >= 1:
        words = f"{fewer} {'octave' if fewer == 1 else 'octaves'}"
        out.append(Mend.of(words, (f"{place}/octaves", fewer)))
    less = tuple(round(x * size / NEEDED * 0.95, 3) for x in scale)
    out.append(Mend.of("a larger pattern", (f"{place}/{name}", less[0] if len(less) == 1 else list(less))))
    return out
