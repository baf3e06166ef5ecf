"""Flashes that may bring on a seizure, by WCAG 2.2, success criterion 2.3.1 (three flashes or below threshold)."""

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice

import numpy as np
from numpy.typing import NDArray

from whorl.checks.finding import Evidence, Finding, Mend
from whorl.checks.looks import Looks, Mask, copied, of, spot_of
from whorl.checks.regions import share_about
from whorl.effect.document import Effect
from whorl.effect.places import parts
from whorl.effect.value import Flicker, Pulse, Sway
from whorl.images import srgb
from whorl.shade.loops import F32_2, U8_2, loops
from whorl.stage.frame import Film, finished, lit_scene

#: Pixels along a side of what is looked at. The picture is taken to be shown 768 CSS pixels high, and a field of ten
#: degrees to be 341 × 256 of these, as the criterion has it for 1024 × 768.
SIDE, HIGH, FIELD = 64, 768, (256, 341)
#: A change of relative luminance that counts, how dark its darker state is, and which part of a field.
CHANGE, DARK, PART = 0.1, 0.8, 0.25
#: A change of (R − G − B) × 320 that counts, and from which R / (R + G + B) on a red is saturated.
RED, SATURATED = 20.0, 0.8
#: Flashes in any one second that are let through: a flash is a change and one against it.
FLASHES = 3


@dataclass(frozen=True)
class Flashing:
    """The worst second: how many flashes, in which part of a field, of which sort, where, and light frame by frame."""

    flashes: float
    part: float
    red: bool
    where: Mask
    first: int
    frames: int
    curve: tuple[float, ...]


def changes(rows: NDArray[np.float32], least: float, dark: float, counts: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """When a looped series turns round by `least` or more, (frames, pixels): the frame at which the change is complete.

    A change counts where its lower end is under `dark`, and where either end `counts`.
    """
    out = np.zeros(rows.shape[::-1], np.uint8)
    counted = np.ascontiguousarray(counts.T).view(np.uint8)
    _turned(np.ascontiguousarray(rows.T), counted, np.float32(least), np.float32(dark), out)
    return np.ascontiguousarray(out.T).view(np.bool_)


@loops
def _turned(rows: F32_2, counts: U8_2, least: np.float32, dark: np.float32, out: U8_2) -> None:
    frames = rows.shape[1]
    for pixel in range(len(rows)):
        low, high = rows[pixel, 0], rows[pixel, 0]
        low_counts, high_counts = counts[pixel, 0], counts[pixel, 0]
        going = 0
        # What the first round finds depends on where it began.
        for step in range(1, 2 * frames):
            at = step if step < frames else step - frames
            now, here = rows[pixel, at], counts[pixel, at]
            if now < low:
                low, low_counts = now, here
            if now > high:
                high, high_counts = now, here
            down = going >= 0 and high - now >= least
            up = not down and going <= 0 and now - low >= least
            if not down and not up:
                continue
            darker = now if down else low
            if step >= frames and darker < dark and (low_counts == 1 or high_counts == 1):
                out[pixel, at] = 1
            # From here on the other way is looked for.
            low, high, low_counts, high_counts = now, now, here, here
            going = -1 if down else 1


def worst(frames: NDArray[np.float32], fps: float, looping: bool = True) -> Flashing | None:
    """The worst second of pictures (frames, 3, high, wide), sRGB 0..1; None where no more than three flashes a second
    are anywhere over a quarter of a field."""
    count, _, high, wide = frames.shape
    if not looping:
        # Seen once, and then not at once again.
        frames = np.concatenate([frames, np.repeat(frames[-1:], max(int(np.ceil(fps)), 1), axis=0)])
        count = len(frames)
    flat = frames.reshape(count, 3, -1)
    linear = np.asarray(srgb.decoded(flat), np.float32)
    r, g, b = linear[:, 0], linear[:, 1], linear[:, 2]
    light = np.asarray(0.2126 * r + 0.7152 * g + 0.0722 * b, np.float32)
    redness = np.asarray(np.maximum((r - g - b) * 320.0, 0.0), np.float32)
    saturated = r >= SATURATED * np.maximum(r + g + b, 1e-6)
    field = tuple(max(1, min(round(n * high / HIGH), size)) for n, size in zip(FIELD, (high, wide), strict=True))
    found = []
    for red, rows, least, dark, counts in (
        (False, light, CHANGE, DARK, np.ones_like(saturated)),
        (True, redness, RED, np.inf, saturated),
    ):
        turned = changes(rows, least, dark, counts)
        within = _in_a_second(turned, fps)
        many = within > 2 * FLASHES
        for at in np.flatnonzero(many.any(axis=1)):
            share = share_about(many[at].reshape(high, wide), field)
            # Fields that stick out over the edge hold less, so the middle ones tell.
            part = float(share.max())
            if part > PART:
                where = many[at].reshape(high, wide)
                flashes = float(np.median(within[at][many[at]])) / 2
                curve = tuple(float(x) for x in rows[:, many[at]].mean(axis=1))
                top = max(curve) or 1.0
                curve = tuple(round(x / top, 4) for x in curve)
                found.append(Flashing(flashes, part, red, where, int(at), count, curve))
    return max(found, key=lambda f: (f.flashes * min(f.part, 1.0), f.red), default=None)


def _in_a_second(turned: NDArray[np.bool_], fps: float) -> NDArray[np.int32]:
    """How many changes lie in the second that begins at each frame, the turn going on into itself."""
    count, window = len(turned), max(1, round(fps))
    whole, rest = divmod(window, count)
    total = turned.sum(axis=0, dtype=np.int32)
    longer = np.concatenate([turned, turned[: max(rest, 1)]]).astype(np.int32)
    sums = np.concatenate([np.zeros((1, turned.shape[1]), np.int32), np.cumsum(longer, axis=0, dtype=np.int32)])
    return np.asarray(sums[rest : rest + count] - sums[:count] + whole * total, np.int32)


def pictures(looks: Looks) -> NDArray[np.float32]:
    """Every frame of the turn, (frames, 3, SIDE, SIDE), sRGB 0..1."""
    out, film = [], Film(looks.plan, fused=False)
    for phase in looks.effect.turn.phases:
        looks.rest()
        light = lit_scene(looks.plan, phase, SIDE, SIDE, None, False, 1, film)
        out.append(np.clip(finished(looks.plan, light, phase)[:3], 0.0, 1.0).astype(np.float32))
    return np.stack(out)


def flashing(looks: Looks) -> Flashing | None:
    """The worst second of an effect's turn, as it is shown again and again."""
    turn = looks.effect.turn
    if not any(u.track for u in looks.plan.uniforms):
        return None
    return worst(pictures(looks), turn.frames / turn.seconds, turn.looping)


def look(looks: Looks) -> Iterator[Finding]:
    """More than three flashes in a second over a quarter of a field."""
    found = flashing(looks)
    if found is None:
        return
    effect, turn = looks.effect, looks.effect.turn
    start = found.first / found.frames
    passage = [start, min(start + 1.0 / turn.seconds, 1.0)]
    sort = "red flashes" if found.red else "flashes"
    words = (
        f"{found.flashes:.3g} {sort} in one second over {100 * min(found.part, 1.0):.0f} % of what is looked at; "
        f"more than {FLASHES} over a quarter may bring on a seizure"
    )
    fast = list(_fast(effect))
    mends = list(islice((m for m in _slower(looks, fast) if _mended(looks, m)), 2))
    if not mends:
        longer = Mend.of("a longer turn", ("turn/seconds", _longer(turn.seconds, found.flashes)))
        mends = [longer] if _mended(looks, longer) else []
    yield Finding(
        kind="flashes",
        place=fast[0][0] if fast else "turn/seconds",
        words=words,
        mends=mends,
        measure=found.flashes * found.part,
        evidence=Evidence(
            phase=start,
            spot=spot_of(found.where),
            passage=passage,
            curve=list(found.curve),
            curve_words="redness over the turn" if found.red else "luminance over the turn",
        ),
    )


def _fast(effect: Effect) -> Iterator[tuple[str, str, float]]:
    """Motions that go there and back more than three times a second: the place, which number says so, and that."""
    most = FLASHES * effect.turn.seconds
    for place, value in motions(effect):
        if isinstance(value, Sway | Pulse) and abs(value.cycles) > most:
            yield place, "cycles", value.cycles
        elif isinstance(value, Flicker) and value.rate > most:
            yield place, "rate", value.rate


def motions(effect: Effect) -> Iterator[tuple[str, object]]:
    """Every number of a document that may move, with its place."""
    for place, part in parts(effect):
        for name in type(part).model_fields:
            value = getattr(part, name)
            if isinstance(value, dict):
                yield from ((f"{place}/{key}", given) for key, given in value.items())
            else:
                yield (f"{place}/{name}" if place else name), value


def _slower(looks: Looks, fast: list[tuple[str, str, float]]) -> Iterator[Mend]:
    held = {place: value for place, value in motions(looks.effect)}
    for often in (FLASHES, 2.0, 1.0):
        most = max(1.0, float(np.floor(often * looks.effect.turn.seconds)))
        each = []
        for place, name, was in fast:
            slower = held[place].model_copy(update={name: most if was > 0 else -most})  # pyrefly: ignore[missing-attribute]
            each.append((place, slower.model_dump(mode="json")))
        for change in each:
            yield Mend.of(f"no more than {most:g} a turn", change)
        if len(each) > 1:
            yield Mend.of(f"none of them more than {most:g} a turn", *each)


def _longer(seconds: float, flashes: float) -> float:
    return round(min(seconds * flashes / (FLASHES - 0.2), 120.0), 2)


def _mended(looks: Looks, mend: Mend) -> bool:
    effect = copied(looks.effect, [(c.place, c.value) for c in mend.changes])
    there = None if effect is None else of(effect, SIDE, looks.rest)
    return there is not None and flashing(there) is None
