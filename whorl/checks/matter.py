"""Films that show no colour, and absorbed colours that turn to mud."""

from collections.abc import Iterator

from whorl.checks.finding import Finding, Mend
from whorl.effect.places import met
from whorl.effect.surface import CLEAR, FILMED
from whorl.plan.build import Planned
from whorl.plan.graph import Uniform

#: Between these a film shows colour, in nanometres, and the middle of that.
THIN, THICK, COLOURFUL = 100.0, 1200.0, 350.0
#: Less of a colour than this is black at twice the depth; what a component is raised to.
MUDDY, PURE = 0.02, 0.06


def find(plan: Planned) -> Iterator[Finding]:
    """By the numbers at every frame of the turn."""
    surface = plan.effect.surface
    numbers = {u.place: u for u in plan.uniforms}
    film = numbers.get("surface/film")
    if film is not None and met(plan.effect, surface, FILMED):
        reached = [x for row in _rows(plan, film) for x in row]
        # A film may thin out to nothing; one that never comes where colours are shows none.
        if reached and (min(reached) > THICK or 0 < max(reached) < THIN):
            way = "thicker" if min(reached) > THICK else "thinner"
            words = f"the film is {min(reached):.4g} nm and {way} than what shows colour ({THIN:g} to {THICK:g} nm)"
            mend = Mend.of(f"make it {COLOURFUL:g} nm", ("surface/film", COLOURFUL))
            yield Finding(kind="thin film out of range", place="surface/film", words=words, mends=[mend])
    absorbed = numbers.get("surface/absorbed")
    if absorbed is not None and met(plan.effect, surface, CLEAR):
        least = [min(row[k] for row in _rows(plan, absorbed)) for k in range(3)]
        # Black altogether is meant; one component near nought rarely is.
        if min(least) < MUDDY <= max(least):
            names = " and ".join(n for n, x in zip(("red", "green", "blue"), least, strict=True) if x < MUDDY)
            words = f"the absorbed colour has almost no {names}"
            pure = [max(float(x), PURE) for x in absorbed.value]
            mends = [] if absorbed.track else [Mend.of("take the nearest purer colour", ("surface/absorbed", pure))]
            yield Finding(kind="muddy absorption", place="surface/absorbed", words=words, mends=mends)


def _rows(plan: Planned, uniform: Uniform) -> list[tuple[float, ...]]:
    """A number at each frame, or once where it stands still."""
    if uniform.track is None:
        return [uniform.value]
    return [tuple(map(float, row)) for row in uniform.track.rows(plan.effect.turn.phases)]
