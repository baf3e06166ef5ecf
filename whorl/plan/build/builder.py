"""From an effect to its plan: order, types, periods, uniforms, and every fault found on the way."""

from dataclasses import dataclass, field

from whorl.effect import camera as cameras
from whorl.effect import places
from whorl.effect.described import fields
from whorl.effect.document import Effect
from whorl.effect.problems import BadEffect, not_here
from whorl.effect.read import MOST_PROBLEMS
from whorl.effect.stage import Stage, Travel
from whorl.images.library import library
from whorl.plan.build.parts import Parts
from whorl.plan.build.strands import Strands
from whorl.plan.build.surface import Surface
from whorl.plan.build.surroundings import Surroundings
from whorl.plan.graph import FromCamera, FromPoint, Plan
from whorl.shapes import SHAPES


@dataclass
class Planned(Plan):
    """The plan of an effect, with the effect."""

    effect: Effect = field(kw_only=True)

    def stage_at(self, phase: float) -> Stage:
        """The stage with its camera where that is at a phase."""
        stage = self.effect.stage
        if not self.travel:
            return stage
        gone = {name: u.at(phase) for name, u in self.travel.items()}
        return stage.model_copy(update={"camera": cameras.travelled(stage.camera, gone)})


def build(effect: Effect) -> Planned:
    """The plan of an effect. Raises BadEffect with every problem there is."""
    stage = effect.stage
    plan = Planned(effect=effect, closed=SHAPES[stage.shape].closed and stage.mesh is None)
    parts = Parts.of(effect, plan)
    parts.uniforms.check_levers()
    around = Surroundings(parts)
    strands = Strands(parts, around)
    strands.build()
    if stage.shape == "mesh" and stage.mesh and not library.has(stage.mesh.hash):
        parts.faults.fault("stage/mesh", not_here(stage.mesh.name))
    surface = Surface(parts, around, strands)
    surface.build()
    plan.scene = len(plan.nodes)
    plan.backdrop = around.picture(surface.cast(FromCamera("eye"), FromPoint("at_ray"), FromCamera("pixel")))
    # They act on the picture that is made: what does not move is read from the stage then.
    for place in ("stage/exposure", "stage/bloom/threshold", "stage/bloom/strength"):
        if not isinstance(places.stands(effect, place), int | float):
            plan.screen[place.rpartition("/")[2]] = parts.uniforms.number_at(place)
    for name, said in fields(Travel).items():
        if said.param and getattr(stage.travel, name) not in (said.param.default, said.param.default[0]):
            plan.travel[name] = parts.uniforms.number_at(f"stage/travel/{name}")
    if parts.faults.problems:
        raise BadEffect(parts.faults.problems[:MOST_PROBLEMS])
    return plan
