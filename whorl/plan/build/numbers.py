"""The numbers of a document as uniforms of a plan, and what is wrong with them."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from whorl.beads.spec import LISTS, Numbers, Param
from whorl.effect import places
from whorl.effect.document import Effect, Lever
from whorl.effect.levers import param_of
from whorl.effect.problems import Mend, Problem, Spot
from whorl.effect.value import MOTIONS, Apart, Drift, Levered, Point, Stop
from whorl.fields import levers
from whorl.motion.followed import Unfollowed, others
from whorl.motion.kind import Times, fill
from whorl.motion.values import Track, amounts, held, outside
from whorl.plan.graph import Made, Plan, Uniform

#: The phase of the turn, as a number in motion.
PHASE = Param("phase", "Where the turn is.", (0.0,), wrap=1.0)
#: A switch as a number, off and on.
SWITCH = Param("on", "Whether it is on.", (1.0,), moves=False)
_ENDS = (("off", 0.0), ("full", 1.0))


class Faults:
    """What is wrong with a document, place by place."""

    def __init__(self) -> None:
        self.problems: list[Problem] = []

    def fault(
        self,
        place: str,
        words: str,
        cause: str = "",
        mends: Sequence[Mend] = (),
        spot: Spot | None = None,
    ) -> None:
        """Something that is wrong, where, the strand whose fault it follows from, and what would mend it."""
        self.problems.append(Problem(place=place, words=words, cause=cause, mends=list(mends), spot=spot))


class Uniforms:
    """Reads numbers into a plan."""

    def __init__(self, effect: Effect, plan: Plan, faults: Faults) -> None:
        self.effect, self.plan, self.fault = effect, plan, faults.fault
        self.others = others(effect)
        self.levers: dict[str, tuple[Uniform, ...]] = {}

    def number_at(self, place: str) -> Uniform:
        """The number that the document has at a place outside the strands."""
        value, param = places.stands(self.effect, place), places.param_at(place)
        assert param is not None
        return self.number(value, param, place)

    def number(self, value: object, param: Param, place: str) -> Uniform:
        """A number of the document as the program reads it."""
        if isinstance(value, Levered):
            made = self.levered(value, param, place)
            if made is None:
                return self.number(None, param, place)
            moving = made if made.moves else None
            uniform = Uniform(f"u{len(self.plan.uniforms)}", place, param, made(0.0), moving, made)
            self.plan.uniforms.append(uniform)
            return uniform
        name = f"u{len(self.plan.uniforms)}"
        numbers, track = self.numbers(value, param, place), None
        if isinstance(value, MOTIONS):
            track = Track(value, param, self.effect.turn.looping, self.others)
            self.moving(track, place)
        uniform = Uniform(name, place, param, numbers, track)
        self.plan.uniforms.append(uniform)
        return uniform

    def levered(self, value: Levered, param: Param, place: str) -> Made | None:
        """A number that a lever moves; None where it cannot, which has been said."""
        lever = next((x for x in self.effect.levers if x.id == value.lever), None)
        if lever is None:
            self.fault(place, f"there is no lever '{value.lever}'; choose one that is there")
            return None
        if param.type in LISTS or param.only_fed or place.startswith("levers/"):
            self.fault(place, f"{param.label or param.name} is not moved by a lever")
            return None
        low, high = param.hard
        if lever.kind == "colour":
            if param.type != "colour":
                words = f"{lever.name} is a colour; {param.label or param.name} takes a lever that is a number"
                self.fault(place, words)
                return None
            return Made(levers.lever_colour, (), (*self.lever(lever), high))
        if lever.kind == "place":
            if param.type != "triple":
                self.fault(place, f"{lever.name} is a place; {param.label or param.name} is none")
                return None
            return Made(levers.lever_place, (), (*self.lever(lever), low, high))
        if lever.kind == "choice":
            words = f"{lever.name} is a choice, which puts plain numbers; set {param.label or param.name} still"
            self.fault(place, words)
            return None
        if value.rate:
            return self.rate(value, lever, param, place)
        function = levers.levered if param.size == 1 else levers.levered3
        fixed = (("ease", levers.EASED if value.ease == "eased" else levers.EVEN), ("whole", int(param.whole)))
        ends = [
            self.number(getattr(value, end), replace(param, whole=False), f"{place}/{end}") for end in ("low", "high")
        ]
        return Made(function, fixed, (*self.lever(lever), *ends, low, high))

    def rate(self, value: Levered, lever: Lever, param: Param, place: str) -> Made | None:
        """A number that goes as fast as a lever says: by whole rounds where the turn loops, which closes."""
        name = param.label or param.name
        if lever.kind == "switch":
            self.fault(place, f"{lever.name} is a switch; the speed of {name} takes a lever that is a number")
            return None
        if not isinstance(param.wrap, int | float):
            self.fault(place, f"nothing brings {name} round again, so a lever takes no speed of it; scroll it instead")
            return None
        function = levers.drifted if param.size == 1 else levers.drifted3
        ease = levers.EASED if value.ease == "eased" else levers.EVEN
        whole = levers.WHOLE if self.effect.turn.looping else levers.AS_IT_IS
        still = (0.0,) * param.size
        rounds = replace(
            param, default=still, hard=(-levers.MOST_ROUNDS, levers.MOST_ROUNDS), whole=False, unit="a turn"
        )
        ends = [self.number(getattr(value, end), rounds, f"{place}/{end}") for end in ("low", "high")]
        base = self.number(value.base, replace(param, whole=False), f"{place}/base")
        slip = self.number(None, replace(param, default=still, whole=False, moves=False), f"{place}/slip")
        fixed = (("ease", ease), ("whole", whole))
        return Made(function, fixed, (*self.lever(lever), *ends, base, float(param.wrap), self.phase(), slip))

    def check_levers(self) -> None:
        """Reads every lever, whether it moves anything or not, so that what is wrong with one is told."""
        switches, seen = {x.id for x in self.effect.levers if x.kind == "switch"}, set[str]()
        for lever in self.effect.levers:
            at = f"levers/{lever.id}"
            if lever.id in seen:
                self.fault(at, f"two levers have the id '{lever.id}'; give one another")
            seen.add(lever.id)
            if lever.under and (lever.under == lever.id or lever.under not in switches):
                self.fault(f"{at}/under", f"there is no switch '{lever.under}' for it to be hidden with")
            if not lever.floor <= lever.ceiling:
                self.fault(f"{at}/floor", "the least that is taken is more than the most")
            self.lever(lever)
        for strand in self.effect.strands:
            if strand.sounds_with and strand.sounds_with not in switches:
                words = f"there is no switch '{strand.sounds_with}' that it could be muted by"
                self.fault(f"strands/{strand.id}", words)

    def lever(self, lever: Lever) -> tuple[Uniform, ...]:
        """Where a lever stands, once for all that it moves; of a number also the ends of its range."""
        if lever.id not in self.levers:
            at = f"levers/{lever.id}"
            if lever.kind == "colour":
                self.levers[lever.id] = (self.number_at(f"{at}/colour"),)
            elif lever.kind == "place":
                self.levers[lever.id] = (self.number_at(f"{at}/position"),)
            elif lever.kind == "choice":
                self.levers[lever.id] = ()
            elif lever.kind == "switch":
                on = replace(SWITCH, default=(float(lever.on),))
                ends = [self.number(None, replace(SWITCH, default=(x,)), f"{at}/{n}") for n, x in _ENDS]
                self.levers[lever.id] = (self.number(None, on, f"{at}/on"), *ends)
            else:
                held = param_of(lever)
                here = self.number(lever.value, held, f"{at}/value")
                self.levers[lever.id] = (here, *(self.number_at(f"{at}/{n}") for n in ("least", "most")))
        return self.levers[lever.id]

    def phase(self) -> Uniform:
        """The phase of the turn as a number in motion; one serves the whole effect."""
        known = next((u for u in self.plan.uniforms if u.param is PHASE), None)
        if known is None:
            track = Track(Drift(motion="drift", cycles=1.0, base=0.0), PHASE, self.effect.turn.looping)
            known = Uniform(f"u{len(self.plan.uniforms)}", "turn/phase", PHASE, (0.0,), track)
            self.plan.uniforms.append(known)
        return known

    def numbers(self, value: object, param: Param, place: str) -> Numbers:
        if param.type in LISTS:
            return self.points(value, param, place)
        default: Numbers = tuple(param.default)  # pyrefly: ignore[bad-assignment]
        if value is None or isinstance(value, MOTIONS):
            return default
        if isinstance(value, tuple) and value and isinstance(value[0], Stop | Point):
            self.fault(place, f"{param.name} takes numbers, not a list of stops or points")
            return default
        if not isinstance(value, (int, float, tuple)):
            self.fault(place, f"{param.name} takes a number")
            return default
        count = 1 if isinstance(value, int | float) else len(value)
        if count > param.size or (param.type == "colour" and count != 3):
            self.fault(place, f"{param.name} takes {param.size} number{'s' * (param.size > 1)}, not {count}")
            return default
        given = fill(value, default)
        for x in given:
            if not param.hard[0] <= x <= param.hard[1]:
                words = f"{param.name} goes from {param.hard[0]:g} to {param.hard[1]:g}, not {x:g}"
                self.fault(place, words, mends=[_set(place, param, given)])
                break
        return tuple(float(round(x)) for x in given) if param.whole else given

    def points(self, value: object, param: Param, place: str) -> Numbers:
        """The rows of a table: three components and, last, a place."""
        rows: Sequence[Sequence[float]] = param.default  # pyrefly: ignore[bad-assignment]
        wanted = Stop if param.type == "stops" else Point
        if isinstance(value, tuple) and value and isinstance(value[0], wanted):
            # They may be written in any order; the program walks along them.
            rows = [_row(p) for p in sorted(value, key=lambda p: p.at)]
        elif value is not None:
            each = "stops, each with 'at' and 'colour'" if wanted is Stop else "points, each with 'at' and 'value'"
            self.fault(place, f"{param.name} takes a list of {each}, and does not move")
        full = [*rows, *[rows[-1]] * (8 - len(rows))]
        return tuple(float(x) for row in full for x in row)

    def moving(self, track: Track, place: str) -> None:
        """Faults of a motion: too many components, following what is not there, or values outside the hard limits."""
        motion, param = track.motion, track.param
        if param.type in LISTS:
            return
        if any(isinstance(p, tuple) and len(p) > param.size for p in amounts(motion)):
            self.fault(place, f"{param.name} takes {param.size} number{'s' * (param.size > 1)} at a time")
            return
        if isinstance(motion, Apart) and len(motion.axes) > param.size:
            self.fault(place, f"{param.name} has {param.size} components, not {len(motion.axes)}")
            return
        try:
            made = track.rows(self.effect.turn.phases)
        except Unfollowed as e:
            self.fault(place, e.words)
            return
        if len(beyond := outside(made, param)):
            low, high = param.hard
            words = f"in motion {param.name} reaches {beyond[0]:g}; it goes from {low:g} to {high:g}"
            kept = held(motion, param, Times(np.asarray(self.effect.turn.phases), track.looping, self.others))
            mends = [] if kept is None else [Mend.of("keep it within its range", (place, kept))]
            self.fault(place, words, mends=[*mends, _set(place, param, made[0])])


def _set(place: str, param: Param, numbers: Sequence[float]) -> Mend:
    """Standing still, as near as its range allows."""
    low, high = param.hard
    near = [float(min(max(x, low), high)) for x in numbers]
    words = " · ".join(f"{x:g}" for x in near)
    return Mend.of(f"set it to {words}", (place, near[0] if len(near) == 1 else near))


def _row(point: Stop | Point) -> tuple[float, ...]:
    if isinstance(point, Stop):
        return (*point.colour, point.at)
    return (point.value, point.value, point.value, point.at)
