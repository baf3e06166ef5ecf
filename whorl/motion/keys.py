"""Keys: values at phases."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from whorl.beads.spec import Param
from whorl.effect.value import MOST_KEYS, Amount, Handle, Key, Keys
from whorl.motion.kind import (
    Closing,
    Grip,
    Kind,
    Others,
    Pull,
    Rows,
    Start,
    Times,
    alone,
    changed,
    clamped,
    default,
    eased,
    fill,
    neat,
    row,
    whole,
    within,
)
from whorl.shade.loops import F64_1, loops


class Keyed(Kind[Keys]):
    """From each key to the next, and in a turn that loops from the last to the first across the join."""

    def rows(self, motion: Keys, param: Param, times: Times) -> Rows:
        keys = sorted(motion.keys, key=lambda k: k.phase)
        values = np.asarray([fill(k.value, default(param)) for k in keys])
        phases = np.asarray([k.phase for k in keys])
        if times.looping:
            # The last key once more before the turn, and the first once more after it.
            keys = [keys[-1], *keys, keys[0]]
            values = np.vstack([values[-1:], values, values[:1]])
            phases = np.asarray([phases[-1] - 1.0, *phases, phases[0] + 1.0])
            asked = times.phases % 1.0
            # A phase of 1 is the end of the turn, and not its start.
            asked = np.where((asked == 0.0) & (times.phases > 0.5), 1.0, asked)
        else:
            # Before the first and behind the last key it stays.
            keys, values = [*keys, keys[-1]], np.vstack([values, values[-1:]])
            phases, asked = np.append(phases, np.inf), np.maximum(times.phases, phases[0])
        here = np.clip(np.searchsorted(phases, asked, side="right") - 1, 0, len(keys) - 2)
        gap = phases[here + 1] - phases[here]
        t = np.where(gap > 1e-9, (asked - phases[here]) / np.maximum(gap, 1e-9), 0.0)
        out = np.empty((len(asked), param.size))
        for at in np.unique(here):
            chosen = here == at
            out[chosen] = _way(keys[at], keys[at + 1], values[at], values[at + 1], t[chosen])
        return out

    def closing(self, motion: Keys, param: Param, axis: int, wrap: float, others: Others = alone) -> Closing:
        # Only a key at the very end can disagree with the start: else the way leads over the join.
        first, last = self.rows(motion, param, Times.of([0.0, 1.0 - 1e-9]))[:, axis]
        gap = last - first
        ordered = sorted(motion.keys, key=lambda k: k.phase)
        held = ordered[-1].ease == "held" and ordered[-1].phase < 1
        if abs(gap) < 1e-5 or held or (wrap > 0 and whole(gap / wrap)):
            return Closing(axis, True)
        if ordered[-1].phase < 1 and ordered[0].phase > 0:
            return Closing(axis, True)
        ended = (*ordered[:-1], ordered[-1].model_copy(update={"value": ordered[0].value}))
        words = f"{param.name} ends at {last:g} and begins at {first:g}; ending where it begins closes"
        return Closing(axis, False, words, motion.model_copy(update={"keys": ended}))

    def grips(self, motion: Keys, param: Param, axis: int, times: Times) -> list[Grip]:
        out, count = [], len(motion.keys)
        order = sorted(range(count), key=lambda i: motion.keys[i].phase)
        for place, i in enumerate(order):
            key = motion.keys[i]
            value = fill(key.value, default(param))[axis]
            name = f"key {i}"
            out.append(Grip(name, f"key {place + 1} of {count}", key.phase, value, taken=count > 1))
            ahead, behind = self.gap(motion, order, place, 1, times), self.gap(motion, order, place, -1, times)
            if key.ease == "shaped" and ahead:
                after = key.after or Handle()
                by = fill(after.by, (0.0,) * param.size)[axis]
                out.append(
                    Grip(f"after {i}", "the handle behind it", key.phase + after.along * ahead, value + by, name)
                )
            if behind and motion.keys[order[place - 1]].ease == "shaped":
                before = key.before or Handle()
                by = fill(before.by, (0.0,) * param.size)[axis]
                words, phase = "the handle before it", key.phase - before.along * behind
                out.append(Grip(f"before {i}", words, phase, value + by, name))
        return out

    def gap(self, motion: Keys, order: list[int], place: int, way: int, times: Times) -> float:
        """How far it is to the neighbouring key; 0 where a turn that plays once has none."""
        there = place + way
        if not times.looping and not 0 <= there < len(order):
            return 0.0
        here, other = motion.keys[order[place]].phase, motion.keys[order[there % len(order)]].phase
        return (way * (other - here)) % 1.0 or (1.0 if len(order) == 1 else 0.0)

    def pulled(self, motion: Keys, param: Param, pull: Pull) -> Keys:
        keys = list(motion.keys)
        chosen = [int(n.split()[1]) for n in pull.names if n.startswith("key ")]
        if chosen:
            pull = pull.snapped(keys[chosen[0]].phase)
        for i in chosen:
            value = within(param, fill(keys[i].value, default(param))[pull.axis] + pull.value)
            update = {
                "phase": neat(pull.moved(keys[i].phase)),
                "value": changed(keys[i].value, default(param), pull.axis, neat(value)),
            }
            keys[i] = keys[i].model_copy(update=update)
        if not chosen:
            side, number = pull.names[0].split()
            keys[int(number)] = self.bent(motion, int(number), side, param, pull)
        return motion.model_copy(update={"keys": tuple(keys)})

    def bent(self, motion: Keys, i: int, side: str, param: Param, pull: Pull) -> Key:
        """A key with one of its handles pulled elsewhere."""
        order = sorted(range(len(motion.keys)), key=lambda k: motion.keys[k].phase)
        way = 1 if side == "after" else -1
        gap = self.gap(motion, order, order.index(i), way, Times.of([], pull.looping))
        key, nought = motion.keys[i], (0.0,) * param.size
        was = (key.after if way > 0 else key.before) or Handle()
        along = was.along + way * pull.phase / gap if gap else was.along
        by = changed(was.by, nought, pull.axis, neat(fill(was.by, nought)[pull.axis] + pull.value))
        return key.model_copy(update={side: Handle(along=neat(min(max(along, 0.0), 1.0)), by=by)})

    def added(self, motion: Keys, param: Param, phase: float, times: Times) -> tuple[Keys, str]:
        here = next((i for i, k in enumerate(motion.keys) if abs(k.phase - phase) < 1e-4), None)
        if here is not None or len(motion.keys) >= MOST_KEYS:
            return motion, f"key {here or 0}"
        now = tuple(neat(x) for x in self.rows(motion, param, times.at(np.array([phase])))[0].tolist())
        before = max((k for k in motion.keys if k.phase <= phase), key=lambda k: k.phase, default=motion.keys[-1])
        value = now[0] if len(now) == 1 else now
        made = Key(phase=neat(phase), value=value, ease=before.ease)
        return motion.model_copy(update={"keys": (*motion.keys, made)}), f"key {len(motion.keys)}"

    def removed(self, motion: Keys, names: Sequence[str]) -> Keys:
        gone = {int(n.split()[1]) for n in names if n.startswith("key ")}
        left = tuple(k for i, k in enumerate(motion.keys) if i not in gone)
        # One is left at the least: without any it would be no motion.
        return motion.model_copy(update={"keys": left or motion.keys[:1]})

    def shifted(self, motion: Keys, param: Param, by: float) -> Keys:
        moved = tuple(k.model_copy(update={"phase": neat((k.phase + by) % 1.0)}) for k in motion.keys)
        return motion.model_copy(update={"keys": moved})

    def backwards(self, motion: Keys, param: Param) -> Keys:
        keys = sorted(motion.keys, key=lambda k: k.phase)
        # How it goes on belongs to the way behind a key, which is now the way before it.
        turned = tuple(
            Key(phase=neat(1.0 - k.phase), value=k.value, ease=keys[i - 1].ease, before=k.after, after=k.before)
            for i, k in enumerate(keys)
        )
        return motion.model_copy(update={"keys": turned[::-1]})

    def held(self, motion: Keys, param: Param) -> Keys:
        # Level handles lead nowhere beyond the keys.
        keys = [
            k.model_copy(
                update={"value": clamped(param, k.value), "before": _level(k.before), "after": _level(k.after)}
            )
            for k in motion.keys
        ]
        return motion.model_copy(update={"keys": tuple(keys)})

    def begun(self, start: Start) -> Keys:
        there = start.first(start.here + start.way * start.reach, start.now)
        keys = (Key(phase=0.0, value=start.first(start.here, start.now)), Key(phase=0.5, value=there))
        return Keys(motion="keys", keys=keys)

    def amounts(self, motion: Keys) -> list[Amount | None]:
        return [a for k in motion.keys for a in (k.value, *(h.by for h in (k.before, k.after) if h))]

    def quickest(self, motion: Keys) -> float:
        return len(motion.keys) / 2


def _level(handle: Handle | None) -> Handle | None:
    return None if handle is None else handle.model_copy(update={"by": 0.0})


def _way(a: Key, b: Key, start: Rows, end: Rows, t: NDArray[np.float64]) -> Rows:
    """Along the way from one key to the next, `t` of 0..1 of it."""
    if a.ease == "held":
        return np.broadcast_to(start, (len(t), len(start)))
    if a.ease != "shaped":
        done = t if a.ease == "linear" else eased(t)
        return np.asarray(start + (end - start) * done[:, None])
    leaves, comes = a.after or Handle(), b.before or Handle()
    nought = (0.0,) * len(start)
    s = solved(leaves.along, 1.0 - comes.along, t)[:, None]
    out, into = start + row(fill(leaves.by, nought))[0], end + row(fill(comes.by, nought))[0]
    r = 1.0 - s
    return np.asarray(r**3 * start + 3 * r * r * s * out + 3 * r * s * s * into + s**3 * end)


def solved(x1: float, x2: float, t: NDArray[np.float64]) -> NDArray[np.float64]:
    """Where along a cubic from 0 to 1 with the handles `x1` and `x2`, both within 0..1, it is at `t`.

    Such a cubic never turns back, so there is one place for each time.
    """
    out = np.empty_like(t)
    _solve(x1, x2, t, out)
    return out


@loops
def _solve(x1: float, x2: float, t: F64_1, out: F64_1) -> None:
    for n in range(len(t)):
        low, high, s = 0.0, 1.0, t[n]
        for _ in range(40):
            # Newton's step, and half the way where that would lead out of the piece it lies in.
            r = 1.0 - s
            off = 3 * r * r * s * x1 + 3 * r * s * s * x2 + s * s * s - t[n]
            if abs(off) < 1e-12:
                break
            if off < 0:
                low = s
            else:
                high = s
            slope = 3 * r * r * x1 + 6 * r * s * (x2 - x1) + 3 * s * s * (1 - x2)
            s = s - off / slope if slope > 1e-9 else 2.0
            if s < low or s > high:
                s = 0.5 * (low + high)
        out[n] = s


HOW = Keyed()
