"""The web application: routes and nothing else."""

import io
import json
import struct
import zipfile
from collections.abc import AsyncIterator, Iterator
from contextlib import asynccontextmanager
from importlib.resources import files
from pathlib import Path
from typing import Annotated, Any, get_args

import numpy as np
from fastapi import APIRouter, Depends, FastAPI, Query, Request, Response, UploadFile
from fastapi.exceptions import RequestValidationError
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse, StreamingResponse
from fastapi.staticfiles import StaticFiles
from sse_starlette import EventSourceResponse
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException

from whorl import demo
from whorl.api import models as m
from whorl.api.guard import Guard
from whorl.beads.catalogue import described, described_param
from whorl.checks import of_plan
from whorl.effect import BadEffect, Effect, read, write_text
from whorl.effect.document import Shape, Stage
from whorl.effect.problems import Problem
from whorl.images import BadImage, library
from whorl.images.bundle import files_of, read_file, write_bundle
from whorl.images.pyramid import shown_within
from whorl.images.solid import BadSolid
from whorl.plan.build import build
from whorl.plan.compile import compiled
from whorl.plan.surface import SURFACE_PARAMS
from whorl.stage import filters
from whorl.stage.ready import READY
from whorl.stage.shapes import of_stage
from whorl.store.bakes import Bakes
from whorl.store.database import open_database
from whorl.store.effects import Effects, Missing, Stale

api = APIRouter(prefix="/api", responses={404: {"model": m.Told}, 409: {"model": m.Told}, 422: {"model": m.Told}})


def effects(request: Request) -> Effects:
    store: Effects = request.app.state.effects
    return store


def bakes(request: Request) -> Bakes:
    store: Bakes = request.app.state.bakes
    return store


Store = Annotated[Effects, Depends(effects)]
Jobs = Annotated[Bakes, Depends(bakes)]


@api.get("/catalogue")
def catalogue() -> m.Catalogue:
    """Every kind of bead, the numbers of the surface and its light, the ready stages, and the shapes."""
    numbers = [described_param(p) for p in SURFACE_PARAMS]
    return m.Catalogue.model_validate(
        {"beads": described(), "surface": numbers, "stages": READY, "shapes": list(get_args(Shape))}
    )


@api.get("/schema")
def schema() -> dict[str, Any]:
    """The JSON Schema of a `.whorl.json` document."""
    return Effect.model_json_schema()


# --- the shelf --------------------------------------------------------------------------


@api.get("/effects")
def shelf(store: Store) -> list[m.ShelfEffect]:
    """What is on the shelf."""
    return [
        m.ShelfEffect(
            id=k.id,
            name=k.effect.name,
            revision=k.revision,
            changed=k.changed,
            seconds=k.effect.turn.seconds,
            fps=k.effect.turn.fps,
        )
        for k in store.all()
    ]


@api.post("/effects", status_code=201)
def add(new: m.New, store: Store) -> m.KeptEffect:
    """A new effect."""
    effect = read(new.document) if new.document is not None else Effect(name=new.name or "New effect")
    return m.KeptEffect.of(store.add(effect))


@api.post("/effects/import", status_code=201)
async def bring_in(file: UploadFile, store: Store) -> m.KeptEffect:
    """A new effect from a `.whorl.json` file, or a `.whorl.zip` with its pictures."""
    data = await file.read()
    return m.KeptEffect.of(await run_in_threadpool(lambda: store.add(read_file(data, library))))


@api.get("/effects/{id}")
def get(id: str, store: Store) -> m.KeptEffect:
    """One effect at its newest revision."""
    kept = store.get(id)
    if kept.deleted:
        raise Missing
    return m.KeptEffect.of(kept)


@api.put("/effects/{id}")
def save(id: str, new: m.Save, store: Store) -> m.KeptEffect:
    """A new revision. Refused with 409 when another was saved since `base`; nothing is lost."""
    return m.KeptEffect.of(store.save(id, read(new.document), new.base))


@api.delete("/effects/{id}")
def delete(id: str, store: Store) -> m.KeptEffect:
    """Takes an effect off the shelf; `restore` puts it back."""
    return m.KeptEffect.of(store.delete(id))


@api.post("/effects/{id}/restore")
def restore(id: str, store: Store) -> m.KeptEffect:
    """Puts a deleted effect back on the shelf."""
    return m.KeptEffect.of(store.delete(id, deleted=False))


@api.post("/effects/{id}/duplicate", status_code=201)
def duplicate(id: str, store: Store) -> m.KeptEffect:
    """A copy under a name of its own."""
    effect = store.get(id).effect
    return m.KeptEffect.of(store.add(effect.model_copy(update={"name": f"{effect.name[:110]} copy"})))


@api.get("/effects/{id}/revisions")
def revisions(id: str, store: Store) -> list[m.Revision]:
    """All saved states, the newest first."""
    return [m.Revision(number=n, saved=saved) for n, saved in store.revisions(id)]


@api.get("/effects/{id}/revisions/{number}")
def revision(id: str, number: int, store: Store) -> m.KeptEffect:
    """One saved state."""
    return m.KeptEffect.of(store.get(id, number))


@api.get("/effects/{id}/export")
def export(id: str, store: Store) -> Response:
    """The effect as a file: its document, or a zip of that and its pictures where it has any."""
    effect = store.get(id).effect
    bundled = bool(files_of(effect))
    ending = "zip" if bundled else "json"
    headers = {"Content-Disposition": f'attachment; filename="{id}.whorl.{ending}"'}
    made = write_bundle(effect, library) if bundled else write_text(effect)
    return Response(made, media_type=f"application/{ending}", headers=headers)


#: What is named by its content never changes.
FOR_GOOD = {"Cache-Control": "max-age=31536000, immutable"}


# --- pictures that effects bring in -------------------------------------------------------


@api.post("/assets", status_code=201)
async def keep_picture(request: Request) -> m.StoredPicture:
    """Keeps a picture: the body is its file."""
    data = await request.body()
    try:
        digest, made = await run_in_threadpool(library.add, data)
    except BadImage as e:
        raise HTTPException(422, str(e)) from None
    return m.StoredPicture(hash=digest, width=made.width, height=made.height, channels=made.channels)


@api.post("/meshes", status_code=201)
async def keep_mesh(request: Request) -> m.StoredMesh:
    """Keeps a mesh: the body is its file, OBJ, PLY, STL or binary glTF."""
    data = await request.body()
    try:
        digest, made = await run_in_threadpool(library.add_solid, data)
    except BadSolid as e:
        raise HTTPException(422, str(e)) from None
    has_uv = made.uvs is not None
    return m.StoredMesh(hash=digest, vertices=len(made.positions), triangles=len(made.triangles), uv=has_uv)


@api.get("/assets/{digest}/levels", response_class=Response)
def levels(digest: str, srgb: bool = False) -> Response:
    """A picture for a GPU: the number of levels, each one's width and height (u32), then half floats."""
    try:
        made = library.pyramid(digest, srgb)
    except KeyError:
        raise Missing from None
    head = struct.pack("<I", len(made.shapes)) + made.shapes[:, :2].astype("<u4").tobytes()
    body = made.texels.astype("<f2").tobytes()
    return Response(head + body, media_type="application/octet-stream", headers=FOR_GOOD)


@api.get("/assets/{digest}/small.png", response_class=Response)
def small_picture(digest: str) -> Response:
    """A picture within 128 × 128, as it looks."""
    from whorl.bake.png import png

    try:
        made = library.pyramid(digest, True)
    except KeyError:
        raise Missing from None
    return Response(
        png(shown_within(made, 128), 3), media_type="image/png", headers={"Cache-Control": "max-age=31536000"}
    )


# --- programs and pictures --------------------------------------------------------------


@api.post("/compile")
def compile_document(given: m.Document) -> m.Compile:
    """The program of a document, or all that is wrong with it."""
    try:
        return m.Compile(program=_compiled(read(given.document)))
    except BadEffect as e:
        return m.Compile(problems=e.problems)


@api.get("/effects/{id}/program")
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


@api.post("/shape", response_class=Response)
def shape_data(stage: Stage) -> Response:
    """The mesh of a stage: counts of vertices and triangles (u32), then for each vertex, in this order, positions,
    normals, UVs, their gradients, which vertices share its place and their common normal; then the triangles.
    """
    try:
        mesh = of_stage(stage)
    except KeyError:
        raise HTTPException(404, "the mesh's file is not here; bring it in once more") from None
    parts = [struct.pack("<II", len(mesh.positions), len(mesh.triangles))]
    each = (mesh.positions, mesh.normals, mesh.uvs, mesh.gradients, mesh.together, mesh.shared_normals)
    parts += [np.ascontiguousarray(a).tobytes() for a in (*each, mesh.triangles)]
    return Response(b"".join(parts), media_type="application/octet-stream")


@api.post("/frame.png", response_class=Response)
def frame_png(given: m.FrameRequest) -> Response:
    """One frame of a document, computed on the CPU."""
    return _frame(read(given.document), given.phase, given.size, given.peek)


@api.get("/effects/{id}/frame.png", response_class=Response)
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


@api.post("/signal")
def signal(given: m.SignalRequest) -> m.Signal | None:
    """How often each value comes into a bead; nothing where no value or colour does."""
    from whorl.stage.signal import histogram, incoming

    plan = build(read(given.document))
    node = incoming(plan, given.place)
    return None if node is None else m.Signal.model_validate(histogram(plan, node), from_attributes=True)


@api.post("/response")
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


# --- bakes ------------------------------------------------------------------------------


@api.post("/bakes", status_code=201)
def start_bake(wanted: m.BakeRequest, store: Store, jobs: Jobs) -> m.BakeJob:
    """Starts a bake."""
    kept = store.get(wanted.effect)
    build(kept.effect)
    frames, last = kept.effect.turn.frames, wanted.options.last
    if not wanted.options.first < (frames if last is None else last) <= frames:
        words = f"frames lie from 0 to {frames}"
        raise BadEffect([Problem(place="options/last", words=words)])
    return m.BakeJob.of(jobs.add(kept.id, kept.effect, wanted.options))


@api.get("/bakes")
def all_bakes(jobs: Jobs, effect: str | None = None) -> list[m.BakeJob]:
    """Bakes, the newest first."""
    return [m.BakeJob.of(j) for j in jobs.all(effect)]


@api.get("/bakes/{id}")
def one_bake(id: str, jobs: Jobs) -> m.BakeJob:
    """One bake as it stands."""
    return m.BakeJob.of(jobs.get(id))


@api.get("/bakes/{id}/events", response_class=EventSourceResponse)
async def bake_events(id: str, jobs: Jobs) -> EventSourceResponse:
    """The bake each time it changes, as server-sent events, until it has ended."""
    await run_in_threadpool(jobs.get, id)
    watching = jobs.watch(id)
    end = object()

    async def events() -> AsyncIterator[dict[str, str]]:
        while (job := await run_in_threadpool(next, watching, end)) is not end:
            yield {"data": m.BakeJob.model_validate(job).model_dump_json()}

    return EventSourceResponse(events())


@api.post("/bakes/{id}/cancel")
def cancel_bake(id: str, jobs: Jobs) -> m.BakeJob:
    """Stops a bake; its files go."""
    return m.BakeJob.of(jobs.cancel(id))


@api.delete("/bakes/{id}", status_code=204)
def remove_bake(id: str, jobs: Jobs) -> None:
    """Removes a bake and its files."""
    jobs.remove(id)


@api.get("/bakes/{id}/files/{name}", response_class=FileResponse)
def bake_file(id: str, name: str, jobs: Jobs) -> FileResponse:
    """One file of a bake that is done."""
    if name not in jobs.get(id).files:
        raise Missing
    return FileResponse(jobs.place(id) / name, filename=name)


@api.get("/bakes/{id}/all.zip", response_class=StreamingResponse)
def bake_zip(id: str, jobs: Jobs) -> StreamingResponse:
    """All files of a bake that is done."""
    job = jobs.get(id)
    if not job.files:
        raise Missing
    headers = {"Content-Disposition": f'attachment; filename="{job.effect_id}.zip"'}
    return StreamingResponse(_zipped(jobs.place(id), job.files), media_type="application/zip", headers=headers)


class _Passing(io.RawIOBase):
    """A place to write a zip to that gives away what it gets."""

    def __init__(self) -> None:
        self.parts: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        self.parts.append(bytes(data))
        return len(data)

    def taken(self) -> bytes:
        whole, self.parts = b"".join(self.parts), []
        return whole


def _zipped(folder: Path, names: list[str]) -> Iterator[bytes]:
    passing = _Passing()
    # Frames are compressed already.
    with zipfile.ZipFile(passing, "w", zipfile.ZIP_STORED) as archive:
        for name in names:
            archive.write(folder / name, name)
            yield passing.taken()
    yield passing.taken()


# --- the application --------------------------------------------------------------------


def create_app(data: Path, demo_effects: bool = False, hosts: tuple[str, ...] = ()) -> FastAPI:
    """The application over a data folder. `demo_effects` fills a shelf that never held anything."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        app.state.bakes.start()
        yield
        await run_in_threadpool(app.state.bakes.stop)

    app = FastAPI(title="Whorl", version="0.1.0", lifespan=lifespan, docs_url=None, redoc_url=None)
    engine = open_database(data / "whorl.db")
    library.folder = data / "assets"
    app.state.effects = Effects(engine)
    app.state.bakes = Bakes(engine, data / "bakes")
    if demo_effects and app.state.effects.count() == 0:
        for slug in demo.slugs():
            app.state.effects.add(demo.demo(slug))
    app.include_router(api)
    _errors(app)
    _pages(app)
    app.add_middleware(Guard, hosts=["127.0.0.1", "localhost", "[::1]", *hosts])
    return app


def _errors(app: FastAPI) -> None:
    def told(status: int, words: str, **more: Any) -> JSONResponse:
        return JSONResponse(m.Told(words=words, **more).model_dump(), status)

    @app.exception_handler(BadEffect)
    def bad(request: Request, e: BadEffect) -> JSONResponse:
        first = e.problems[0]
        words = f"{first.place}: {first.words}" if first.place else first.words
        return told(422, words, problems=e.problems)

    @app.exception_handler(Missing)
    def missing(request: Request, e: Missing) -> JSONResponse:
        return told(404, "there is nothing here by that name")

    @app.exception_handler(Stale)
    def stale(request: Request, e: Stale) -> JSONResponse:
        words = f"this effect was saved elsewhere in the meantime and is now at revision {e.head}"
        return told(409, words, head=e.head)

    @app.exception_handler(RequestValidationError)
    def invalid(request: Request, e: RequestValidationError) -> JSONResponse:
        error = e.errors()[0]
        where = "/".join(str(p) for p in error["loc"][1:])
        words = error["msg"].removeprefix("Value error, ")
        return told(422, f"{where}: {words}" if where else words)

    @app.exception_handler(HTTPException)
    def refused(request: Request, e: HTTPException) -> JSONResponse:
        return told(e.status_code, str(e.detail))

    @app.exception_handler(Exception)
    def unforeseen(request: Request, e: Exception) -> JSONResponse:
        return told(500, "Whorl stumbled over this; nothing was changed")


def _pages(app: FastAPI) -> None:
    """The built front end; its one page carries the nonce that its styles need."""
    built = Path(str(files("whorl"))) / "web"
    index = built / "index.html"
    if not index.exists():
        return
    app.mount("/assets", StaticFiles(directory=built / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str, request: Request) -> Response:
        file = (built / path).resolve()
        if path and file.is_relative_to(built.resolve()) and file.is_file():
            return FileResponse(file)
        if path.startswith("api/"):
            raise Missing
        return HTMLResponse(
            index.read_text(encoding="utf-8").replace("__NONCE__", request.state.nonce),
            headers={"Cache-Control": "no-store"},
        )


def openapi_text() -> str:
    """The API's schema, from which the client's types are made."""
    app = FastAPI(title="Whorl", version="0.1.0")
    app.include_router(api)
    return json.dumps(app.openapi(), indent=2, ensure_ascii=False) + "\n"
