"""What a motion begins with when a number is set moving."""

from whorl.beads.spec import Numbers, Param
from whorl.effect.value import Drift, Key, Keys, Motion, Sway
from whorl.motion.values import fill, unit


def begin(kind: str, param: Param, now: Numbers) -> Motion:
    """A motion of a number that stands at `now`: its first component moves, by a quarter of its slider.

    It stays within the hard limits all through. KeyError where there is no such kind.
    """
    low, high = param.hard
    now = fill(list(now), tuple(param.default))  # type: ignore[arg-type]
    here = min(max(now[0], low), high)
    reach = min((param.soft[1] - param.soft[0]) / 4, (high - low) / 2)
    # Upwards where there is room, else downwards.
    way = 1.0 if here + reach <= high else -1.0

    def first(x: float, rest: Numbers = (0.0,) * param.size) -> float | tuple[float, ...]:
        numbers = tuple(float(f"{n:.4g}") for n in (x, *rest[1:]))
        return numbers[0] if len(numbers) == 1 else numbers

    match kind:
        case "drift":
            cycles = 1.0 if param.wrap is not None else way * min(1.0, reach) / unit(param)
            return Drift(motion="drift", cycles=first(cycles), base=first(here, now))
        case "sway":
            about = min(max(here, low + reach), high - reach)
            return Sway(motion="sway", amount=first(reach), cycles=1.0, start=0.0, base=first(about, now))
        case "keys":
            keys = (Key(phase=0.0, value=first(here, now)), Key(phase=0.5, value=first(here + way * reach, now)))
            return Keys(motion="keys", keys=keys)
    raise KeyError(kind)
