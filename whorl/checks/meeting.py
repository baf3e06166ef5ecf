"""The join as it is seen: the last frame beside the first."""

from collections.abc import Iterator

import numpy as np

from whorl.checks import joins, loop
from whorl.checks.finding import Finding, Mend
from whorl.checks.flashes import motions
from whorl.checks.looks import Looks, at
from whorl.effect.value import Keys

#: How many times as far as neighbouring frames the last and the first are apart, and how far at the least.
TIMES, LEAST = 3.0, 2.0 / 255
#: Where the last key is put, to leave room to go back.
ROOM = 0.8
#: Pairs of neighbours that are looked at.
PAIRS = 8


def look(looks: Looks) -> Iterator[Finding]:
    """A jump at the join that no analysis has told."""
    turn = looks.effect.turn
    if not turn.looping or turn.frames < 4 or not any(u.track for u in looks.plan.uniforms):
        return
    if any(True for check in (loop, joins) for _ in check.find(looks.plan)):
        return
    join, usual, where = _jump(looks)
    if join <= LEAST or join <= TIMES * usual:
        return
    words = f"from the last frame to the first it changes {join / max(usual, 1e-4):.1f} times as much as elsewhere"
    keyed = [place for place, value in motions(looks.effect) if isinstance(value, Keys)]
    mends, place = [], keyed[0] if len(keyed) == 1 else "turn"
    for at_place, value in motions(looks.effect):
        if not isinstance(value, Keys):
            continue
        eased = value.model_dump(mode="json")
        for key in eased["keys"]:
            key["ease"] = "eased" if key["ease"] == "held" else key["ease"]
        round_ = {**eased, "keys": [*eased["keys"], {**eased["keys"][0], "phase": 1.0}]}
        sooner = {**eased, "keys": [dict(key) for key in eased["keys"]]}
        sooner["keys"][-1]["phase"] = min(sooner["keys"][-1]["phase"], ROOM)
        for made, what in (
            (eased, "go on to the next key, and not at once"),
            (round_, "end where it began"),
            (sooner, "go back sooner"),
        ):
            other = looks.with_((at_place, made))
            if other is None:
                continue
            jump, there, _ = _jump(other)
            if jump <= max(LEAST, TIMES * there):
                place = at_place
                mends.append(Mend.of(what, (at_place, made)))
                break
    yield Finding(
        kind="join in the picture",
        place=place,
        words=words,
        mends=mends[:2],
        measure=join / max(usual, 1e-4),
        evidence=at(0.0, where > 8 / 255, passage=[turn.phases[-1], 1.0]),
    )


def _jump(looks: Looks) -> tuple[float, float, np.ndarray]:
    """How far the last frame and the first are apart in the mean, how far neighbours are, and where the jump is."""
    phases = looks.effect.turn.phases
    count = len(phases)
    where = np.abs(looks.seen(phases[-1]) - looks.seen(phases[0])).max(axis=0)
    firsts = sorted({round(k * (count - 2) / (PAIRS - 1)) for k in range(PAIRS)})
    near = [float(np.abs(looks.seen(phases[k + 1]) - looks.seen(phases[k])).mean()) for k in firsts]
    return float(np.abs(looks.seen(phases[-1]) - looks.seen(phases[0])).mean()), max(near), where
