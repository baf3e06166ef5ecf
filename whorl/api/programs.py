"""Routes of what is drawn: programs, shapes, frames, and what a bead is like."""

import struct
from collections.abc import Iterator
from contextlib import contextmanager
from threading import Condition
from typing import Annotated

import numpy as np
from fastapi import APIRouter, Query, Response
from starlette.exceptions import HTTPException

from whorl.api import models as m
from whorl.api.stores import Store
from whorl.beads.catalogue import CATALOGUE
from whorl.beads.spec import Param
from whorl.checks import of_plan
from whorl.effect import BadEffect, Effect, places, read
from whorl.effect.changes import Names
from whorl.effect.levers import applied, param_of, variant_called
from whorl.effect.problems import Problem, not_here
from whorl.effect.stage import MOST_POINTS, PathPoint, Stage
from whorl.effect.tree import motions
from whorl.images.library import NotKept
from whorl.motion.apart import component
from whorl.motion.followed import Unfollowed, followable, others
from whorl.motion.kind import alone
from whorl.motion.shaping import Deed, done, shape
from whorl.motion.values import Track, begin
from whorl.plan.build import Planned, Standing, build, standing
from whorl.plan.build.hits import AGES, PLACES, ages
from whorl.plan.build.hits import places as places_of_hits
from whorl.plan.print.compiled import compiled, measured
from whorl.shapes.mesh import MORE, SMALL_EDGE, Mesh
from whorl.shapes.tube import fitted, inserted
from whorl.stage import filters

routes = APIRouter()


class First:
    """Lets some work go before other work that would hold it up: of Python's threads one runs at a time."""

    #: Seconds that others wait at the most.
    PATIENCE = 0.5

    def __init__(self) -> None:
        self._going = 0
        self._changed = Condition()

    @contextmanager
    def going(self) -> Iterator[None]:
        """While this goes on, others wait."""
        with self._changed:
            self._going += 1
        try:
            yield
        finally:
            with self._changed:
                self._going -= 1
                self._changed.notify_all()

    def wait(self) -> None:
        """Until nothing goes first any more."""
        with self._changed:
            self._changed.wait_for(lambda: not self._going, self.PATIENCE)


programs = First()


@routes.post("/compile")
def compile_document(given: m.CompileRequest) -> m.Compile:
    """The program of a document, and all that is wrong with it; parts with faults are as they were in `last`."""
    with programs.going():
        try:
            effect = read(given.document)
        except BadEffect as e:
            return m.Compile(problems=e.problems)
        try:
            last = read(given.last) if given.last else None
        except BadEffect:
            last = None
        return _told(standing(effect, last))


@routes.get("/effects/{id}/program")
def program(id: str, store: Store) -> m.Compile:
    """The program of an effect's newest revision."""
    try:
        return _told(standing(store.get(id).effect))
    except BadEffect as e:
        return m.Compile(problems=e.problems)


def _told(found: Standing) -> m.Compile:
    program = _program(found.plan) if found.plan else None
    return m.Compile(program=program, problems=found.problems, stood=found.stood)


def _program(plan: Planned) -> m.Compiled:
    finish = filters.described(filters.finish(plan.effect.stage))
    return m.Compiled.model_validate({**compiled(plan), **finish, "findings": of_plan(plan)})


@routes.post("/shape", response_class=Response)
def shape_data(stage: Stage) -> Response:
    """The mesh of a stage: counts of vertices and triangles, then of numbers of a vertex's colour, second UV and their
    gradients along u and v, each 0 where there are none (u32); then for each vertex, in this order, positions, normals,
    UVs, their gradients, which vertices share its place, their common normal, and what of the last four there is; then
    the triangles. Coarser ones for small pictures follow, each after the most pixels that a unit may have there (f32).
    """
    try:
        parts = [_packed(stage.mesh_of())]
    except NotKept:
        raise HTTPException(404, not_here(stage.mesh.name if stage.mesh else "a mesh")) from None
    for mesh in stage.coarser():
        parts += [struct.pack("<f", SMALL_EDGE / mesh.spacing), _packed(mesh)]
    return Response(b"".join(parts), media_type="application/octet-stream")


def _packed(mesh: Mesh) -> bytes:
    counts = (mesh.more[name].shape[1] if name in mesh.more else 0 for name in MORE)
    parts = [struct.pack(f"<{2 + len(MORE)}I", len(mesh.positions), len(mesh.triangles), *counts)]
    more = [mesh.more[name] for name in MORE if name in mesh.more]
    each = (mesh.positions, mesh.normals, mesh.uvs, mesh.gradients, mesh.together, mesh.shared_normals)
    parts += [np.ascontiguousarray(a).tobytes() for a in (*each, *more, mesh.triangles)]
    return b"".join(parts)


@routes.post("/frame.png", response_class=Response)
def frame_png(given: m.FrameRequest) -> Response:
    """One frame of a document, computed on the CPU; the program of the same, asked for together with it, goes first."""
    programs.wait()
    return _frame(read(given.document), given.phase, given.size, given.peek)


@routes.get("/effects/{id}/frame.png", response_class=Response)
def effect_frame(
    id: str,
    store: Store,
    phase: Annotated[float, Query(ge=0, le=1)] = 0.0,
    size: Annotated[int, Query(ge=16, le=2048)] = 256,
    revision: Annotated[int | None, Query(ge=1, le=2**31 - 1)] = None,
    variant: Annotated[str | None, Query(max_length=120)] = None,
) -> Response:
    """One frame of an effect, at its newest revision or another, as it stands or as a variant has its levers."""
    effect = store.get(id, revision).effect
    return _frame(applied(effect, variant_called(effect, variant)) if variant else effect, phase, size, None)


def _frame(effect: Effect, phase: float, size: int, peek: str | None) -> Response:
    from whorl.bake.png import png
    from whorl.stage.frame import picture

    plan = build(effect)
    node = plan.beads.get(peek) if peek else None
    if peek and node is None:
        raise BadEffect([Problem(place=f"strands/{peek}", words=f"there is no bead '{peek}' to look at")])
    made = picture(plan, phase, size, size, peek=node, threads=2)
    return Response(png(made, 3), media_type="image/png")


@routes.post("/signal")
def signal(given: m.SignalRequest) -> m.Signal | None:
    """How often each value comes into a bead; nothing where no value or colour does."""
    from whorl.stage.signal import histogram, incoming

    plan = build(read(given.document))
    node = incoming(plan, given.place)
    return None if node is None else m.Signal.model_validate(histogram(plan, node), from_attributes=True)


@routes.post("/over-turn")
def over_turn(given: m.SignalRequest) -> m.OverTurn | None:
    """How often each value comes out of a bead, moment by moment; nothing where it makes neither value nor colour."""
    from whorl.stage.signal import over_turn, results

    plan = build(read(given.document))
    node = results(plan, given.place)
    return None if node is None else m.OverTurn.model_validate(over_turn(plan, node), from_attributes=True)


@routes.post("/response")
def response(given: m.ResponseRequest) -> m.BeadResponse:
    """What a bead makes of values that rise evenly."""
    from whorl.stage.signal import response as respond

    document = {"format": "whorl-effect", "version": 1, "name": "response"}
    strand = {"id": "response", "name": "response", "beads": [given.bead]}
    effect = read({**document, "strands": [strand], "levers": given.levers})
    bead, levers = effect.strands[0].beads[0], effect.levers
    return m.BeadResponse(values=respond(bead, given.low, given.high, phase=given.phase, levers=levers))


@routes.post("/motion")
def begin_motion(given: m.MotionRequest) -> m.Begun:
    """What a motion of a number begins with."""
    effect = read(given.document) if given.document else None
    param = _number(given.place, given.bead, effect)
    if not param.moves:
        raise BadEffect([Problem(place=given.place, words=f"{param.label or param.name} does not move")])
    first = next((p for p in followable(effect) if p != given.place), "") if effect else ""
    known = {k["kind"]: k for k in motions()}
    if given.motion not in known:
        words = f"there is no motion called '{given.motion}'; there are {', '.join(known)}"
        raise BadEffect([Problem(place=given.place, words=words)])
    if known[given.motion]["follows"] and not first:
        words = "no other number moves yet, so there is none to follow; set another moving first"
        raise BadEffect([Problem(place=given.place, words=words)])
    if known[given.motion]["several"] and param.size == 1:
        raise BadEffect([Problem(place=given.place, words=f"{param.label or param.name} has one component")])
    try:
        made = begin(given.motion, param, tuple(given.now), first, others(effect) if effect else alone)
    except Unfollowed as e:
        raise BadEffect([Problem(place=given.place, words=e.words)]) from None
    return m.Begun(motion=made)


@routes.post("/rows")
def rows_of_motion(given: m.RowsRequest) -> m.Rows:
    """What a number in motion is at each frame, after the hand has done something with it; no program is made."""
    effect = read(given.document) if given.document else None
    param = _number(given.place, given.bead, effect)
    known = others(effect) if effect else alone
    try:
        motion, added = given.motion, ""
        if given.deed:
            asked = given.deed.model_dump() | {"names": tuple(given.deed.names)}
            motion, added = done(motion, param, given.turn, Deed(**asked), known)
        rows = Track(motion, param, given.turn.looping, known).rows(given.turn.phases)
    except ValueError as e:
        raise BadEffect([Problem(place=given.place, words=str(e))]) from None
    made = shape(motion, rows, param, given.turn, known)
    grips = [m.GripInfo.model_validate(g) for g in made.grips]
    short = Names(effect or Effect(name="none")).shown(motion)
    return m.Rows(
        motion=motion, rows=rows.tolist(), axis=made.axis, rounds=made.rounds, grips=grips, added=added, short=short
    )


@routes.post("/between")
def between(given: m.BetweenRequest) -> m.Between:
    """What all numbers in motion are between the frames as well, so that slow playback is as smooth as quick."""
    plan = build(read(given.document))
    turn = plan.effect.turn
    moving = [u for u in plan.uniforms if u.track is not None]
    most = MOST_BETWEEN // max(1, turn.frames * sum(u.param.size for u in moving))
    parts = max(1, min(given.parts, most))
    last = turn.frames if turn.looping else turn.steps
    phases = [f / parts / turn.steps for f in range(last * parts + (not turn.looping))]
    return m.Between(parts=parts, rows={u.name: u.track.rows(phases).tolist() for u in moving if u.track})


@routes.post("/measured")
def measured_of(given: m.CompileRequest) -> m.Measured:
    """What has to be found out from the shape, such as how a value is spread over it."""
    return m.Measured(rows=measured(build(read(given.document))))


@routes.post("/hits")
def rows_of_hits(given: m.HitsRequest) -> m.Measured:
    """The tables of hits: where each is, and how long ago it was at each frame."""
    made = ages(given.hits, given.turn, given.stage)
    return m.Measured(rows={PLACES: [list(places_of_hits(given.hits))], AGES: made.rows(given.turn.phases).tolist()})


@routes.post("/pick")
def pick(given: m.PickRequest) -> m.Picked:
    """The place of the shape that is seen at a place of the picture."""
    from whorl.stage.struck import below

    return m.Picked(position=below(given.stage, given.x, given.y))


@routes.post("/path")
def with_point(given: m.PathRequest) -> m.PathMade:
    """A path with one more point in the middle of a segment, which leaves it where it is."""
    segments = len(given.path) if given.closed else len(given.path) - 1
    if given.segment >= segments:
        words = f"there is no segment {given.segment}; they go from 0 to {segments - 1}"
        raise BadEffect([Problem(place="segment", words=words)])
    made = inserted(tuple(p.knot for p in given.path), given.segment, given.closed)
    return m.PathMade(path=[PathPoint.of(k) for k in made], closed=given.closed)


@routes.post("/path/drawn")
def path_drawn(given: m.DrawnRequest) -> m.PathMade:
    """A path along a line that was drawn by hand, with as few points as follow it."""
    made, closed = fitted(np.asarray(given.line, np.float64), given.radius, MOST_POINTS)
    return m.PathMade(path=[PathPoint.of(k) for k in made], closed=closed)


@routes.post("/scatter")
def scatter(given: m.ScatterRequest) -> m.Scattered:
    """Hits over the whole shape, evenly over the turn."""
    from whorl.stage.struck import scattered

    return m.Scattered(hits=scattered(given.stage, given.turn, given.count, given.seed))


@routes.post("/repeat")
def repeat_hit(given: m.RepeatRequest) -> m.Scattered:
    """Hits, with one of them again every so many frames."""
    from whorl.stage.struck import repeated

    return m.Scattered(hits=repeated(given.hits, given.id, given.every, given.turn))


@routes.post("/speed")
def speed_of(given: m.SpeedRequest) -> m.Speed | None:
    """How fast a number in motion goes, and what it moves on the picture; nothing where none moves there."""
    from whorl.stage.speed import speed

    found = speed(build(read(given.document)), given.place)
    return None if found is None else m.Speed.model_validate(found, from_attributes=True)


@routes.post("/retime")
def retime(given: m.RetimeRequest) -> m.Retimed:
    """How long a turn is to last so that its busiest motion moves as many pixels a frame as wanted."""
    from whorl.stage.speed import retimed

    seconds = retimed(build(read(given.document)), given.pixels)
    if seconds is None:
        raise BadEffect([Problem(place="turn/seconds", words="no motion moves a pattern over the picture")])
    return m.Retimed(seconds=seconds)


#: Numbers in an answer of what moves between frames.
MOST_BETWEEN = 1_000_000


def _number(place: str, bead: str | None, effect: Effect | None) -> Param:
    """The number at a place, or one component of it; a lever's range is its own. Raises BadEffect."""
    whole, _, axis = place.partition("/axes/")
    way = whole.split("/")
    for lever in effect.levers if effect else ():
        if way == ["levers", lever.id, "value"]:
            return param_of(lever)
    spec = CATALOGUE.get(bead or "")
    param = spec.param(whole.rsplit("/", 1)[-1]) if spec else places.param_at(whole)
    if param is None or (axis and not (axis.isdigit() and int(axis) < param.size)):
        raise BadEffect([Problem(place=place, words="there is no number here to set moving")])
    return component(param, int(axis)) if axis else param
