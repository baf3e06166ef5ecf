"""Routes of bakes."""

import asyncio
from collections.abc import AsyncIterator

from fastapi import APIRouter
from fastapi.responses import FileResponse, StreamingResponse
from sse_starlette import EventSourceResponse
from starlette.concurrency import run_in_threadpool

from whorl.api import models as m
from whorl.api.stores import Jobs, Store
from whorl.api.zipping import zipped
from whorl.bake.bake import ready
from whorl.bake.options import BakeOptions
from whorl.bake.sheet import Grid, SheetOptions, grid, nth
from whorl.store.bakes import ENDED
from whorl.store.database import Busy
from whorl.store.effects import Missing

routes = APIRouter()


@routes.post("/bakes", status_code=201)
def start_bake(wanted: m.BakeRequest, store: Store, jobs: Jobs) -> m.BakeJob:
    """Starts a bake."""
    kept = store.get(wanted.effect)
    ready(kept.effect, wanted.options)
    return m.BakeJob.of(jobs.add(kept.id, kept.effect, wanted.options))


def _grid(options: BakeOptions, frames: int) -> Grid:
    assert options.sheet is not None
    last = frames if options.last is None else min(options.last, frames)
    count = len(nth(range(options.first, last, options.every), options.sheet))
    return grid(count, options.width, options.height, options.sheet)


@routes.post("/sheet")
def measures_of_sheet(wanted: m.SheetRequest) -> Grid:
    """How a sheet of so many frames is laid out."""
    options = wanted.options
    if options.sheet is None:
        options = options.model_copy(update={"sheet": SheetOptions()})
    return _grid(options, wanted.frames)


@routes.get("/bakes")
def all_bakes(jobs: Jobs, effect: str | None = None) -> list[m.BakeJob]:
    """Bakes, the newest first."""
    return [m.BakeJob.of(j) for j in jobs.all(effect)]


@routes.get("/bakes/{id}")
def one_bake(id: str, jobs: Jobs) -> m.BakeJob:
    """One bake as it stands."""
    return m.BakeJob.of(jobs.get(id))


@routes.get("/bakes/{id}/events", response_class=EventSourceResponse)
async def bake_events(id: str, jobs: Jobs) -> EventSourceResponse:
    """The bake each time it changes, as server-sent events, until it has ended."""
    # What comes while it is read is another change: counted after that, the last one of all would be missed for good.
    before = jobs.changes
    first = await run_in_threadpool(jobs.get, id)

    async def events() -> AsyncIterator[dict[str, str]]:
        # Watching holds no thread: it looks whether anything changed, and asks the database only then.
        job, seen = first, before
        yield {"data": m.BakeJob.of(job).model_dump_json()}
        while job.state not in ENDED and not jobs.closing.is_set():
            await asyncio.sleep(0.1)
            count = jobs.changes
            if count == seen:
                continue
            told = job
            try:
                job = await run_in_threadpool(jobs.get, id)
            except Busy:
                continue
            except Missing:
                return
            seen = count
            if job != told:
                yield {"data": m.BakeJob.of(job).model_dump_json()}

    return EventSourceResponse(events())


@routes.post("/bakes/{id}/cancel")
def cancel_bake(id: str, jobs: Jobs) -> m.BakeJob:
    """Stops a bake; its files go."""
    return m.BakeJob.of(jobs.cancel(id))


@routes.delete("/bakes/{id}", status_code=204)
def remove_bake(id: str, jobs: Jobs) -> None:
    """Removes a bake and its files."""
    jobs.remove(id)


@routes.get("/bakes/{id}/files/{name:path}", response_class=FileResponse)
def bake_file(id: str, name: str, jobs: Jobs) -> FileResponse:
    """One file of a bake that is done."""
    if name not in jobs.get(id).files:
        raise Missing
    return FileResponse(jobs.place(id) / name, filename=name)


@routes.get("/bakes/{id}/all.zip", response_class=StreamingResponse)
def bake_zip(id: str, jobs: Jobs) -> StreamingResponse:
    """All files of a bake that is done."""
    job = jobs.get(id)
    if not job.files:
        raise Missing
    headers = {"Content-Disposition": f'attachment; filename="{job.effect_id}.zip"'}
    return StreamingResponse(zipped(jobs.place(id), job.files), media_type="application/zip", headers=headers)
