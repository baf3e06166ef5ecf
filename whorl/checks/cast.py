"""Light that is cast where nothing receives it."""

from collections.abc import Iterator

from whorl.checks.finding import Finding, Mend
from whorl.fields.cast import NO_CAST
from whorl.plan.build import Planned
from whorl.shapes import SHAPES


def find(plan: Planned) -> Iterator[Finding]:
    """No floor or wall, no key lamp, or a shape that no light is cast through."""
    if "cast" not in plan.channels or plan.effect.surface.composite == "solid":
        return
    stage, place = plan.effect.stage, "surface/cast"
    if SHAPES[stage.shape].cast == NO_CAST and stage.cast == "by plain shapes":
        can = ", ".join(name for name, shape in SHAPES.items() if shape.cast != NO_CAST)
        words = f"no light is cast through the shape {stage.shape} unless every shape casts it; it is through {can}"
        mend = Mend.of("let every shape cast it", ("stage/cast", "by every shape"))
        yield Finding(kind="light on nothing", place=place, words=words, mends=[mend])
    if not stage.neighbours.any:
        words = "light is cast, but there is no neighbour to receive it"
        mends = [
            Mend.of("put up a floor", ("stage/neighbours/floor/on", True)),
            Mend.of("put up a wall", ("stage/neighbours/wall/on", True)),
        ]
        yield Finding(kind="light on nothing", place=place, words=words, mends=mends)
    if not stage.lamps.key.on:
        words = "light is cast by the key lamp, which is off"
        mend = Mend.of("turn the key lamp on", ("stage/lamps/key/on", True))
        yield Finding(kind="light on nothing", place=place, words=words, mends=[mend])
