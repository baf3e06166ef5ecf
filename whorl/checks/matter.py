"""Films that show no colour, and absorbed colours that turn to mud."""

from collections.abc import Iterator

from whorl.checks.finding import Finding, Mend
from whorl.effect.places import acts
from whorl.plan.build import Planned
from whorl.plan.graph import Uniform

#: Between these a film shows colour, in nanometres, and the middle of that.
THIN, THICK, COLOURFUL = 100.0, 1200.0, 350.0
#: Less of a colour than this is black at twice the depth; what a component is raised to.
MUDDY, PURE = 0.02, 0.06


def find(plan: Planned) -> Iterator[Finding]:
    """By the numbers at every frame of the turn."""
    numbers = {u.place: u for u in plan.uniforms}
    for place, material in plan.effect.surface.materials.items():
        film, absorbed = numbers.get(f"{place}/film"), numbers.get(f"{place}/absorbed")
        if film is not None and acts(plan.effect, material, "film_index"):
            yield from _film(plan, film)
        if absorbed is not None and material.clear:
            yield from _absorbed(plan, absorbed)


def _film(plan: Planned, film: Uniform) -> Iterator[Finding]:
    reached = [x for row in _rows(plan, film) for x in row]
    # A film may thin out to nothing; one that never comes where colours are shows none.
    if reached and (min(reached) > THICK or 0 < max(reached) < THIN):
        way = "thicker" if min(reached) > THICK else "thinner"
        words = f"the film is {min(reached):.4g} nm and {way} than what shows colour ({THIN:g} to {THICK:g} nm)"
        mend = Mend.of(f"make it {COLOURFUL:g} nm", (film.place, COLOURFUL))
        yield Finding(kind="thin film out of range", place=film.place, words=words, mends=[mend])


def _absorbed(plan: Planned, absorbed: Uniform) -> Iterator[Finding]:
    least = [min(row[k] for row in _rows(plan, absorbed)) for k in range(3)]
    # Black altogether is meant; one component near nought rarely is.
    if min(least) < MUDDY <= max(least):
        names = " and ".join(n for n, x in zip(("red", "green", "blue"), least, strict=True) if x < MUDDY)
        words = f"the absorbed colour has almost no {names}"
        pure = [max(float(x), PURE) for x in absorbed.value]
        mends = [] if absorbed.track else [Mend.of("take the nearest purer colour", (absorbed.place, pure))]
        yield Finding(kind="muddy absorption", place=absorbed.place, words=words, mends=mends)


def _rows(plan: Planned, uniform: Uniform) -> list[tuple[float, ...]]:
    """A number at each frame, or once where it stands still."""
    if uniform.track is None:
        return [uniform.value]
    return [tuple(map(float, row)) for row in uniform.track.rows(plan.effect.turn.phases)]
