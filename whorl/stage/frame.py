"""One frame of an effect on its stage, on the CPU."""

from collections.abc import Mapping
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from whorl.beads.spec import Numbers
from whorl.effect import camera as cameras
from whorl.effect.stage import Camera, Stage
from whorl.fields import surface
from whorl.plan.build import Planned
from whorl.plan.graph import FAR, SHOWN, Node
from whorl.plan.run.evaluate import AHEAD, Evaluation, Kept, evaluate, expected, run
from whorl.shade.kernel import Floats
from whorl.shade.values import Image
from whorl.shapes.mesh import Mesh
from whorl.stage import filters, sight
from whorl.stage.filters import Picture
from whorl.stage.lamp import reach, seen_by_lamp
from whorl.stage.moved import moved
from whorl.stage.raster import Canvas, Fragments, Seen

#: From which share of a picture on it is worked out whole: to take parts out of rows costs something too.
MOST = 0.9

#: What of a stage says what is seen of its shape.
_STANDING = ("shape", "size", "subdivision", "edges", "path", "mesh", "camera")


# Both sides of one picture share it; of a large mesh it is large.
@lru_cache(maxsize=1)
def _seen(stage: Stage, width: int, height: int) -> Seen:
    rest = stage.mesh_of()
    return _through(stage.camera, rest.grown(stage.size), rest, width, height)


def _through(camera: Camera, mesh: Mesh, rest: Mesh, width: int, height: int) -> Seen:
    return Seen.through(mesh, cameras.view_projection(camera, width, height), cameras.eye(camera), rest)


@lru_cache(maxsize=8)
def _fragments(stage: Stage, width: int, height: int, front: bool) -> Fragments:
    # A still camera sees the same fragments in every frame of a turn.
    return _seen(stage, width, height).fragments(width, height, front)


@lru_cache(maxsize=4)
def _far(stage: Stage, width: int, height: int) -> NDArray[np.float32]:
    return _seen(stage, width, height).behind(width, height)


class Sides:
    """Both sides of an effect's shape at a phase, as its displacement has it."""

    def __init__(
        self,
        plan: Planned,
        stage: Stage,
        view: dict[str, Numbers],
        phase: float,
        width: int,
        height: int,
        threads: int = 1,
    ) -> None:
        self.size, self.threads, self.plan = (width, height), threads, plan
        self.stage, self.phase = stage, phase
        # The same shape under other lamps is seen alike.
        self.standing = Stage(**{name: getattr(stage, name) for name in _STANDING})
        self.moved: Seen | None = None
        if plan.raised:
            rest = stage.mesh_of()
            self.moved = _through(stage.camera, moved(plan, rest, view, phase, threads), rest, width, height)

    def __call__(self, front: bool) -> Fragments:
        """What the camera sees of one side."""
        if self.moved:
            return self.moved.fragments(*self.size, front, self.threads)
        return _fragments(self.standing, *self.size, front)

    def points(self, front: bool) -> tuple[Fragments, dict[str, list[Floats]]]:
        """What is seen of a side, and its surface points with all that the plan asks of them."""
        seen = self(front)
        return seen, sight.with_back(seen, self.far()) if self.plan.back and front else seen.points

    def lamp(self, view: dict[str, Numbers], film: "Film | None" = None) -> tuple[dict[str, Numbers], dict[str, Image]]:
        """What is known of the camera, and what the key lamp sees, where light is cast from that."""
        if self.plan.lamp is None:
            return view, {}
        rest = self.stage.mesh_of()
        view = {**view, "reach": (reach(self.plan, rest),)}
        if film and film.lamp is not None:
            return view, film.lamp
        mesh = self.moved.mesh if self.moved else rest.grown(self.stage.size)
        made = {"light_layer": seen_by_lamp(self.plan, mesh, rest, view, self.phase)}
        if film and not self.plan.lamp_moves:
            film.lamp = made
        return view, made

    def far(self) -> NDArray[np.float32]:
        """The far side behind each pixel, see `Seen.behind`."""
        return self.moved.behind(*self.size, self.threads) if self.moved else _far(self.standing, *self.size)


def picture(
    plan: Planned,
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
    return finished(plan, scene, phase, peek is not None)


def finished(
    plan: Planned, scene: Picture, phase: float, peeked: bool = False, instead: Mapping[str, float] | None = None
) -> Picture:
    """A scene's light with bloom and tone mapping: (4, height, width), sRGB, straight alpha.

    `instead` are numbers of `filters.numbers` in the place of the stage's own.
    """
    stage, moved = plan.effect.stage, {name: u.at(phase)[0] for name, u in plan.screen.items()}
    height, width = scene.shape[1:]
    pictures: dict[str, Picture] = {"scene": scene}
    numbers = filters.numbers(stage, peeked, moved | dict(instead or {}))
    filters.apply(filters.finish(stage), pictures, numbers, width, height)
    return pictures["picture"]


class Film:
    """What the frames of one turn share, at one size: the steps of the surface and what stays as it is.

    `fused` has kernels made for this surface alone, which is worth it for more than a few frames.
    """

    def __init__(self, plan: Planned, fused: bool = True) -> None:
        assert plan.picture is not None and plan.backdrop is not None
        self.fused = fused
        self.surface = Evaluation(plan, plan.picture, fused=fused)
        self.kept = {True: Kept(), False: Kept()}
        #: Where the shape itself moves, or the camera, no result belongs to the points of the next frame.
        self.keeps = not (plan.raised or plan.travels)
        self.behind: Picture | None = None
        #: What the key lamp sees, where that stays.
        self.lamp: dict[str, Image] | None = None


def frame(plan: Planned, phase: float, width: int, height: int, **more: Any) -> Floats:
    """`picture` as (height, width, 4), held within 0..1."""
    return np.clip(np.moveaxis(picture(plan, phase, width, height, **more), 0, -1), 0.0, 1.0)


def behind(
    plan: Planned,
    phase: float,
    width: int,
    height: int,
    threads: int,
    film: Film | None,
    view: dict[str, Numbers],
    layers: Mapping[str, Image],
    hidden: NDArray[np.bool_] | None = None,
) -> Picture:
    """All that lies behind the effect: (4, height, width). What nothing moves stays while frames pass.

    Otherwise nothing is worked out of it where it is `hidden`, pixel by pixel.
    """
    if film and film.behind is not None:
        return film.behind.copy()
    assert plan.backdrop is not None
    work = Evaluation(plan, plan.backdrop)
    camera = plan.stage_at(phase).camera
    rays = sight.rays(camera, width, height)
    stays = bool(film) and not plan.travels and not any(s.moves for s in work.steps)
    seen = None if hidden is None or stays else sight.quads_of(~hidden, width, height)
    if seen is None or seen.mean() > MOST:
        made = work(rays, phase, threads, camera=view, layers=layers)
    else:
        some = work(sight.some(rays, seen), phase, threads, camera=view, layers=layers)
        made = [np.zeros(len(seen), np.float32) for _ in some]
        for row, part in zip(made, some, strict=True):
            row[seen] = part
    out = sight.whole(made, width, height)
    if film and stays:
        film.behind = out.copy()
    return out


def lit_scene(
    plan: Planned,
    phase: float,
    width: int,
    height: int,
    peek: Node | None,
    transparent: bool,
    threads: int,
    film: Film | None = None,
) -> Picture:
    """Scene light before bloom and tone mapping: (4, height, width), linear and premultiplied."""
    stage, sides = plan.stage_at(phase), plan.effect.surface.sides
    bare = transparent or peek is not None
    if film is None or not film.fused:
        expected(plan, plan.raised, peek or plan.picture, None if bare else plan.backdrop)
    view = cameras.numbers(stage, width, height, bare)
    side = Sides(plan, stage, view, phase, width, height, threads)
    view, layers = side.lamp(view, film) if peek is None else (view, {})
    if peek is not None:
        scene = np.zeros((4, height, width), np.float32)
        canvas = Canvas(scene)
        front = sides != "back"
        seen, points = side.points(front)
        turned = {**view, "side": (1.0 if front else -1.0,)}
        alone = [*shown(plan, peek, points, phase, threads, turned), np.ones(len(seen.pixels), np.float32)]
        canvas.lay(seen, alone)
        canvas.done()
        return scene
    found: list[tuple[Fragments, list[Floats]]] = []
    hidden: NDArray[np.bool_] | None = None
    under: Picture | None = None
    # From the front, so that what is hidden need not be worked out, save where the near side looks up the far one.
    for front in (False, True) if plan.layered else (True, False):
        if sides == ("back" if front else "front"):
            continue
        seen, points = side.points(front)
        if hidden is not None and not plan.layered and not (film and film.keeps):
            seen, points = _not_hidden(seen, points, hidden)
        if not len(seen.pixels):
            continue
        look = {**view, "side": (1.0 if front else -1.0,)}
        if plan.layered and sides == "both" and not front:
            # What the near side sees through itself is drawn by itself first.
            apart = np.zeros((4, height, width), np.float32)
            layer = Canvas(apart)
            layer.lay(seen, _shaded(plan, points, {**look, "alone": (1.0,)}, phase, front, threads, film, layers))
            layer.done()
            far = Image(np.ascontiguousarray(np.moveaxis(apart[:, ::-1], 0, -1), np.float16))
            layers = {**layers, FAR.name: far}
            if plan.layer == "laid":
                under = apart
            if plan.layer != "again":
                continue
        # No result of a far side that stood alone is kept for one that does not.
        shared = None if plan.layer == "again" and not front else film
        # A far side looks up nothing of itself.
        given = layers if front else {name: image for name, image in layers.items() if name != FAR.name}
        made = _shaded(plan, points, look, phase, front, threads, shared, given)
        solid = made[3] >= 1.0
        if solid.any():
            hidden = np.zeros(width * height, np.bool_) if hidden is None else hidden
            hidden[seen.pixels[solid & (seen.samples == 15)]] = True
        found.append((seen, made))
    if bare:
        scene = np.zeros((4, height, width), np.float32)
    else:
        scene = behind(plan, phase, width, height, threads, film, view, layers, hidden)
    if under is not None:
        scene = np.ascontiguousarray(under + scene * (1 - under[3]))
    canvas = Canvas(scene)
    for seen, made in found if plan.layered else reversed(found):
        canvas.lay(seen, made)
    canvas.done()
    return scene


def _not_hidden(
    seen: Fragments, points: dict[str, list[Floats]], hidden: NDArray[np.bool_]
) -> tuple[Fragments, dict[str, list[Floats]]]:
    """Of a side, the quads of which anything is seen."""
    open_ = (seen.samples > 0) & ~hidden[seen.pixels]
    kept = np.repeat(open_.reshape(-1, 4).any(axis=1), 4)
    if not len(kept) or kept.mean() > MOST:
        return seen, points
    points = sight.some(points, kept)
    return Fragments(seen.pixels[kept], seen.samples[kept], points), points


def _shaded(
    plan: Planned,
    points: dict[str, list[Floats]],
    view: dict[str, Numbers],
    phase: float,
    front: bool,
    threads: int,
    film: Film | None,
    layers: Mapping[str, Image],
) -> list[Floats]:
    assert plan.picture is not None and plan.far is not None
    if film:
        kept = film.kept[front] if film.keeps else None
        made = film.surface(points, phase, threads, kept, view, layers=layers)
    else:
        made = Evaluation(plan, plan.picture)(points, phase, threads, camera=view, layers=layers)
    strength = 1.0 if front else plan.far.at(phase)[0]
    return run(surface.faded, (), [made, (strength,)], len(made[0]), made)


def shown(
    plan: Planned,
    node: Node,
    points: dict[str, list[Floats]],
    phase: float,
    threads: int = 1,
    view: Mapping[str, Numbers] = AHEAD,
) -> list[Floats]:
    """A node's result as a peek shows it: three components, 0..1."""
    result = evaluate(plan, node, points, phase, threads, view)
    assert node.gives is not None
    return run(SHOWN[node.gives], (), [result], len(result[0]))
