"""Routes of what is drawn: programs, shapes, frames, and what a bead is like."""

import struct
from typing import Annotated

import numpy as np
from fastapi import APIRouter, Query, Response
from starlette.exceptions import HTTPException

from whorl.api import models as m
from whorl.api.stores import Store
from whorl.beads.catalogue import CATALOGUE
from whorl.checks import of_plan
from whorl.effect import BadEffect, Effect, places, read
from whorl.effect.problems import Problem, not_here
from whorl.effect.stage import Stage
from whorl.motion.begin import begin
from whorl.plan.build import build
from whorl.plan.print.compiled import compiled
from whorl.stage import filters

routes = APIRouter()


@routes.post("/compile")
def compile_document(given: m.Document) -> m.Compile:
    """The program of a document, or all that is wrong with it."""
    try:
        return m.Compile(program=_compiled(read(given.document)))
    except BadEffect as e:
        return m.Compile(problems=e.problems)


@routes.get("/effects/{id}/program")
def program(id: str, store: Store) -> m.Compile:
    """The program of an effect's newest revision."""
    try:
        return m.Compile(program=_compiled(store.get(id).effect))
    except BadEffect as e:
        return m.Compile(problems=e.problems)


def _compiled(effect: Effect) -> m.Compiled:
    stage = effect.stage
    passes = filters.described(filters.finish(stage))
    plan = build(effect)
    return m.Compiled.model_validate({**compiled(plan), "findings": of_plan(plan), "passes": passes})


@routes.post("/shape", response_class=Response)
def shape_data(stage: Stage) -> Response:
    """The mesh of a stage: counts of vertices and triangles (u32), then for each vertex, in this order, positions,
    normals, UVs, their gradients, which vertices share its place and their common normal; then the triangles.
    """
    try:
        mesh = stage.mesh_of()
    except KeyError:
        raise HTTPException(404, not_here(stage.mesh.name if stage.mesh else "a mesh")) from None
    parts = [struct.pack("<II", len(mesh.positions), len(mesh.triangles))]
    each = (mesh.positions, mesh.normals, mesh.uvs, mesh.gradients, mesh.together, mesh.shared_normals)
    parts += [np.ascontiguousarray(a).tobytes() for a in (*each, mesh.triangles)]
    return Response(b"".join(parts), media_type="application/octet-stream")


@routes.post("/frame.png", response_class=Response)
def frame_png(given: m.FrameRequest) -> Response:
    """One frame of a document, computed on the CPU."""
    return _frame(read(given.document), given.phase, given.size, given.peek)


@routes.get("/effects/{id}/frame.png", response_class=Response)
def effect_frame(
    id: str,
    store: Store,
    phase: Annotated[float, Query(ge=0, le=1)] = 0.0,
    size: Annotated[int, Query(ge=16, le=2048)] = 256,
) -> Response:
    """One frame of an effect's newest revision."""
    return _frame(store.get(id).effect, phase, size, None)


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


@routes.post("/response")
def response(given: m.ResponseRequest) -> m.BeadResponse:
    """What a bead makes of values that rise evenly."""
    from whorl.stage.signal import response as respond

    document = {"format": "whorl-effect", "version": 1, "name": "response"}
    bead = (
        read({**document, "strands": [{"id": "response", "name": "response", "beads": [given.bead]}]})
        .strands[0]
        .beads[0]
    )
    return m.BeadResponse(values=respond(bead, given.low, given.high, phase=given.phase))


@routes.post("/motion")
def begin_motion(given: m.MotionRequest) -> m.Begun:
    """What a motion of a number begins with."""
    last = given.place.rsplit("/", 1)[-1]
    spec = CATALOGUE.get(given.bead or "")
    param = spec.param(last) if spec else places.param_at(given.place)
    if param is None:
        raise BadEffect([Problem(place=given.place, words="there is no number here to set moving")])
    if not param.moves:
        raise BadEffect([Problem(place=given.place, words=f"{param.label or param.name} does not move")])
    return m.Begun(motion=begin(given.motion, param, tuple(given.now)))
