"""One frame of an effect on its stage, on the CPU."""

from functools import lru_cache
from typing import Any, Literal

import numpy as np

from whorl.effect.document import Backdrop, Camera, Stage
from whorl.fields import surface
from whorl.plan.evaluate import Evaluation, Kept, evaluate, run
from whorl.plan.plan import SHOWN, Node, Plan
from whorl.shade.kernel import Floats
from whorl.stage.camera import eye, view_projection
from whorl.stage.filters import Picture, apply, backdrop, finish, numbers
from whorl.stage.raster import Fragments, lay, rasterise
from whorl.stage.shapes import shape


@lru_cache(maxsize=8)
def _fragments(name: str, camera: Camera, width: int, height: int, front: bool) -> Fragments:
    # A still camera sees the same fragments in every frame of a turn.
    return rasterise(shape(name), view_projection(camera, width, height), eye(camera), width, height, front)


def fragments(stage: Stage, width: int, height: int, front: bool) -> Fragments:
    """What the camera sees of one side of the stage's shape."""
    camera = stage.camera.model_copy()
    return _fragments(stage.shape, camera, width, height, front)


def picture(
    plan: Plan,
    phase: float,
    width: int,
    height: int,
    *,
    peek: Node | None = None,
    transparent: bool = False,
    threads: int = 1,
    film: "Film | None" = None,
) -> Picture:
    """The finished picture at a phase: (4, height, width), sRGB, straight alpha.

    `peek` shows one node's result on the shape; `transparent` leaves the backdrop out; `film` is
    what this frame shares with others of its turn.
    """
    scene = lit_scene(plan, phase, width, height, peek, transparent, threads, film)
    stage = plan.effect.stage
    pictures: dict[str, Picture] = {"scene": scene}
    apply(finish(stage), pictures, numbers(stage, peek is not None), width, height)
    return pictures["picture"]


class Film:
    """What the frames of one turn share, at one size: the steps of the surface and what stays as it is."""

    def __init__(self, plan: Plan) -> None:
        assert plan.picture is not None
        self.surface = Evaluation(plan, plan.picture, fused=True)
        self.kept = {True: Kept(), False: Kept()}


def frame(plan: Plan, phase: float, width: int, height: int, **more: Any) -> Floats:
    """`picture` as (height, width, 4), held within 0..1."""
    return np.clip(np.moveaxis(picture(plan, phase, width, height, **more), 0, -1), 0.0, 1.0)


@lru_cache(maxsize=4)
def _empty(kind: Literal["plain", "checker"], colour: tuple[float, ...], width: int, height: int) -> Picture:
    """The backdrop alone; it stays while frames pass."""
    pictures: dict[str, Picture] = {}
    stage = Stage(backdrop=Backdrop(kind=kind, colour=list(colour)))
    apply([backdrop(stage)], pictures, numbers(stage, False), width, height)
    return pictures["scene"]


def lit_scene(
    plan: Plan,
    phase: float,
    width: int,
    height: int,
    peek: Node | None,
    transparent: bool,
    threads: int,
    film: Film | None = None,
) -> Picture:
    """Scene light before bloom and tone mapping: (4, height, width), linear and premultiplied."""
    stage = plan.effect.stage
    bare = transparent or peek is not None
    scene = (
        np.zeros((4, height, width), np.float32)
        if bare
        else _empty(stage.backdrop.kind, tuple(stage.backdrop.colour), width, height).copy()
    )
    flat = scene.reshape(4, -1)
    sides = plan.effect.surface.sides
    for front in (False, True):
        if peek is None and sides == ("back" if front else "front"):
            continue
        if peek is not None and not front and sides != "back":
            continue
        seen = fragments(stage, width, height, front)
        if len(seen.pixels):
            lay(flat, seen, _shaded(plan, seen, phase, peek, front, threads, film))
    return scene


def _shaded(
    plan: Plan, seen: Fragments, phase: float, peek: Node | None, front: bool, threads: int, film: Film | None
) -> list[Floats]:
    n = len(seen.pixels)
    if peek is not None:
        return [*shown(plan, peek, seen.points, phase, threads), np.ones(n, np.float32)]
    assert plan.picture is not None and plan.far is not None
    if film:
        made = film.surface(seen.points, phase, threads, film.kept[front])
    else:
        made = evaluate(plan, plan.picture, seen.points, phase, threads)
    strength = 1.0 if front else plan.far.at(phase)[0]
    return run(surface.faded, (), [made, (strength,)], n, made)


def shown(plan: Plan, node: Node, points: dict[str, list[Floats]], phase: float, threads: int = 1) -> list[Floats]:
    """A node's result as a peek shows it: three components, 0..1."""
    result = evaluate(plan, node, points, phase, threads)
    assert node.gives is not None
    return run(SHOWN[node.gives], (), [result], len(result[0]))
