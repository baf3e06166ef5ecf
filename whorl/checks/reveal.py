"""Reveals that do not go evenly, and specks at their ends."""

from collections.abc import Iterator

import numpy as np

from whorl.checks.finding import Finding, Mend
from whorl.checks.looks import Looks, Mask, at
from whorl.checks.regions import parts_of
from whorl.effect.strands import Strand
from whorl.effect.value import Feed, Levered
from whorl.fields import evening
from whorl.plan.graph import FromNode, FromUniform, Node

#: How far coverage may be off even, and how much of the way may pass with nothing happening.
OFF, IDLE = 0.3, 0.4
#: Moments at which specks are looked for; a speck is this small, in pixels, so many of them are told, and that is near
#: the end of a reveal: where so little is left, or missing.
LOOKED, SMALL, MANY, NEAR = 24, 4, 8, 0.08
#: Pixels along a side where specks are counted.
FINE = 384


def look(looks: Looks) -> Iterator[Finding]:
    """Thresholds whose level moves over the values that come in, and what is left of them at the ends."""
    yield from _uneven(looks, True)
    yield from _specks(looks)


def _uneven(looks: Looks, mend: bool = False) -> Iterator[Finding]:
    for strand, index, node, levels in _moved(looks):
        bead = strand.beads[index]
        place = f"strands/{strand.id}/{bead.id}"
        before = _incoming(node)
        if before is None or _evened(looks, before):
            continue
        values = np.sort(np.concatenate(looks.values(before)))
        low, high = min(levels), max(levels)
        if len(values) < 16 or high - low < 1e-3:
            continue
        way = np.linspace(low, high, 33)
        covered = 1.0 - np.searchsorted(values, way) / len(values)
        reached = float(np.ptp(covered))
        if reached < 0.5:
            # It is no reveal of the whole: a line that wanders, or a pulse.
            continue
        idle = float(((covered > 0.995) | (covered < 0.005)).mean())
        even = covered[0] + (covered[-1] - covered[0]) * np.linspace(0, 1, len(way))
        off = float(np.abs(covered - even).max())
        if off <= OFF and idle <= IDLE:
            continue
        words = (
            f"for {100 * idle:.0f} % of its way the level uncovers nothing"
            if idle > IDLE
            else f"halfway of the level {100 * covered[16]:.0f} % is left, so most of it goes at once"
        )
        yield Finding(
            kind="uneven reveal",
            place=f"{place}/level",
            words=words,
            mends=_mends(looks, strand, index, values, (low, high)) if mend else [],
            measure=max(off, idle),
            evidence=at(
                looks.phases[0], curve=[round(float(c), 4) for c in covered], curve_words="what is left, level by level"
            ),
        )


def _moved(looks: Looks) -> Iterator[tuple[Strand, int, Node, list[float]]]:
    """Thresholds whose level goes from somewhere to somewhere, over the turn or with a lever."""
    for strand in looks.effect.strands:
        for i, bead in enumerate(strand.beads):
            node = looks.plan.beads.get(f"{strand.id}/{bead.id}")
            if bead.kind != "threshold" or bead.muted or node is None or i == 0:
                continue
            given = {a.uniform.param.name: a.uniform for a in node.args if isinstance(a, FromUniform)}
            level = given.get("level")
            if level is None:
                continue
            said = bead.params.get("level")
            if isinstance(said, Levered):
                lever = next((x for x in looks.effect.levers if x.id == said.lever), None)
                ends = (said.low, said.high) if lever and lever.kind == "number" else (None, None)
                if all(isinstance(x, int | float) for x in ends):
                    yield strand, i, node, [float(x) for x in ends]  # pyrefly: ignore[bad-argument-type]
            elif level.track is not None:
                rows = level.track.rows(looks.effect.turn.phases)
                yield strand, i, node, [float(x) for x in rows[:, 0]]


def _incoming(node: Node) -> Node | None:
    first = next((a for a in node.args if isinstance(a, FromNode)), None)
    return first.node if first else None


def _evened(looks: Looks, node: Node) -> bool:
    return any(n.function is evening.even for n in looks.plan.needed(node))


def _mends(looks: Looks, strand: Strand, index: int, values: np.ndarray, way: tuple[float, float]) -> list[Mend]:
    """Evened out before it is cut, so that a level means a share of the surface; or stretched over the level's way."""
    low, high = (float(np.quantile(values, q)) for q in (0.002, 0.998))
    room = 0.04 * (way[1] - way[0])
    stretched = {"from_low": low, "from_high": high, "to_low": way[0] + room, "to_high": way[1] - room}
    tried: list[tuple[str, str, dict[str, bool], dict[str, float]]] = [("even it out before it is cut", "even", {}, {})]
    if high - low > 1e-3:
        numbers = {name: round(x, 4) for name, x in stretched.items()}
        tried.append(("stretch what comes in over the level's way", "remap", {"clamped": False}, numbers))
    out = []
    # Where a whole strand comes in, others may cut it too, such as the rim along the cut: it is mended for all of them.
    before = strand.beads[index - 1]
    tapped = before.params.get("from") if before.kind == "tap" and index == 1 else None
    whole = isinstance(tapped, Feed) and tapped.bead is None
    into = next((s for s in looks.effect.strands if whole and s.id == tapped.strand), strand)  # pyrefly: ignore[missing-attribute]
    for words, kind, settings, params in tried:
        ids = {b.id for b in into.beads}
        id = next(n for n in (kind, *(f"{kind}-{k}" for k in range(2, 99))) if n not in ids)
        beads = [b.model_dump(mode="json") for b in into.beads]
        at_bead = index if into is strand else len(beads)
        beads.insert(at_bead, {"id": id, "kind": kind, "settings": settings, "params": params, "muted": False})
        change = (f"strands/{into.id}/beads", beads)
        other = looks.with_(change)
        if other is not None and not any(f.place.startswith(f"strands/{strand.id}/") for f in _uneven(other)):
            out.append(Mend.of(words, change))
    return out


def small(mask: Mask) -> tuple[int, Mask]:
    """How many parts of a mask, joined by their sides, are no larger than a speck, and where these are."""
    parts, count = parts_of(mask)
    sizes = np.bincount(parts.ravel(), minlength=count + 1)
    specks = np.flatnonzero((sizes <= SMALL) & (np.arange(count + 1) > 0))
    return len(specks), np.isin(parts, specks)


def _specks(looks: Looks) -> Iterator[Finding]:
    """Specks that are left, or holes that open first, where a cut-away or masked surface is nearly gone or whole."""
    cutting = [(s, i) for s, i, _, _ in _moved(looks)]
    if not cutting:
        return
    count, phase, where, gone = _worst(looks)
    if count < MANY:
        return
    strand, index = cutting[-1]
    place = f"strands/{strand.id}/{strand.beads[index].id}"
    what = "holes open" if gone else "specks are left"
    yield Finding(
        kind="specks",
        place=place,
        words=f"{count} {what} of a few pixels, where it is nearly {'whole' if gone else 'gone'}",
        mends=list(_calmer(looks, strand, index)),
        measure=float(count),
        evidence=at(phase, where),
    )


def _worst(looks: Looks, enough: float = np.inf) -> tuple[int, float, Mask, bool]:
    """The most specks at any moment where little is left or missing; when, where, and whether it is holes.

    Where there are `enough` of them at one moment, others are not looked at."""
    worst: tuple[int, float, Mask, bool] = (0, 0.0, np.zeros((1, 1), bool), False)
    turn, shape = looks.effect.turn, looks.shape
    area, count = max(int(shape.sum()), 1), min(LOOKED, turn.frames)
    ends: dict[bool, list[tuple[float, float]]] = {False: [], True: []}
    for k in range(count):
        phase = turn.phases[k * len(turn.phases) // count]
        share = float(((looks.light(phase, True)[3] > 0.5) & shape).sum() / area)
        for gone, part in ((False, share), (True, 1.0 - share)):
            if 0.002 < part < NEAR:
                ends[gone].append((part, phase))
    fine = Looks(looks.plan, FINE, looks.rest)
    for gone, near in ends.items():
        # The least that is left, and the middle one.
        near.sort()
        for _, phase in {near[0], near[len(near) // 2]} if near else ():
            there = fine.light(phase, True)[3] > 0.5
            # Along the outline of the shape pixels are covered in part.
            number, where = small(_inner(fine.shape) & ~there if gone else there & fine.shape)
            if number > worst[0]:
                worst = (number, phase, where, gone)
            if number >= enough:
                return worst
    return worst


def _inner(shape: Mask) -> Mask:
    inner = shape.copy()
    inner[1:] &= shape[:-1]
    inner[:-1] &= shape[1:]
    inner[:, 1:] &= shape[:, :-1]
    inner[:, :-1] &= shape[:, 1:]
    return inner


def _calmer(looks: Looks, strand: Strand, index: int) -> Iterator[Mend]:
    """Fewer octaves of the noise that it is cut from, a larger scale, or a softer edge; those that help."""
    one: list[tuple[str, object]] = []
    tried: list[Mend] = []
    node = looks.plan.beads[f"{strand.id}/{strand.beads[index].id}"]
    places = {n.place for n in looks.plan.needed(node)}
    upstream = [(f"strands/{s.id}/{b.id}", b) for s in looks.effect.strands for b in s.beads]
    for at_bead, bead in upstream:
        if at_bead not in places or bead.muted:
            continue
        octaves = bead.settings.get("octaves")
        if isinstance(octaves, int) and octaves > 1:
            fewer = (f"{at_bead}/octaves", max(1, min(octaves - 2, 3)))
            tried.append(Mend.of("fewer octaves", fewer))
            one.append(fewer)
        scale = bead.params.get("scale")
        if isinstance(scale, int | float):
            tried.append(Mend.of("a pattern half as fine", (f"{at_bead}/scale", float(scale) / 2)))
            one.append((f"{at_bead}/scale", float(scale) / 2))
    if len(one) > 1:
        tried.append(Mend.of("fewer octaves, half as fine", *one))
        smooth = [(place, 1 if place.endswith("/octaves") else value) for place, value in one]
        tried.append(Mend.of("one octave, half as fine", *smooth))
    for mend in tried:
        other = looks.with_(*((c.place, c.value) for c in mend.changes))
        if other is not None and _worst(other, MANY)[0] < MANY:
            yield mend
