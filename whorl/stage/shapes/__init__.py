"""The shapes an effect can be tried on; those that are turned share a file."""

from collections.abc import Callable
from functools import lru_cache

from whorl.effect.document import Stage
from whorl.stage.mesh import Mesh
from whorl.stage.shapes.ball import ball, icosphere
from whorl.stage.shapes.box import box
from whorl.stage.shapes.brought import brought
from whorl.stage.shapes.plane import cloth, level, plane
from whorl.stage.shapes.round import capsule, cone, cylinder, disc, dome, ring
from whorl.stage.shapes.tube import tube

SHAPES: dict[str, Callable[[int], Mesh]] = {
    f.__name__: f for f in (plane, cloth, level, disc, ball, icosphere, box, capsule, cylinder, cone, ring, dome)
}


def of_stage(stage: Stage) -> Mesh:
    """The mesh of a stage's shape. KeyError where a mesh that was brought in is not here."""
    parts = stage.model_dump(include={"shape", "subdivision", "edges", "path", "mesh"})
    return _made(Stage.model_validate(parts).model_dump_json())


@lru_cache(maxsize=32)
def _made(text: str) -> Mesh:
    stage = Stage.model_validate_json(text)
    made = _by_name(stage, 2**stage.subdivision)
    if stage.edges == "hard":
        return made.faceted().gathered()
    return made.gathered().smooth() if stage.edges == "smooth" else made.gathered()


def _by_name(stage: Stage, fine: int) -> Mesh:
    if stage.shape == "tube":
        return tube(stage.path, fine)
    if stage.shape == "mesh":
        # Until one is brought in a ball stands in for it.
        return brought(stage.mesh) if stage.mesh else ball(fine)
    return SHAPES[stage.shape](fine)


def shape(name: str, subdivision: int = 0) -> Mesh:
    """The mesh of a shape by its name alone."""
    return of_stage(Stage.model_validate({"shape": name, "subdivision": subdivision}))
