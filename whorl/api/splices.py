"""Routes of splices: kept, put into effects, and brought up to date."""

from fastapi import APIRouter, Response, UploadFile
from starlette.concurrency import run_in_threadpool

from whorl.api import models as m
from whorl.api.stores import Kept
from whorl.bundle import files_of, read_spliced, write_spliced
from whorl.effect import read
from whorl.effect import splices as core
from whorl.images import library
from whorl.refused import Refused
from whorl.store.effects import Missing

routes = APIRouter()


@routes.get("/splices")
def splices(store: Kept) -> list[m.SpliceInfo]:
    """Own splices, the newest first, then those that ship."""
    return [m.SpliceInfo.of(k) for k in store.listed()]


@routes.post("/splices/needed")
def needed(given: m.Needed) -> list[str]:
    """The strands that some depend on and that are not among them."""
    return core.needed(read(given.document), given.strands)


@routes.post("/splices/cut", status_code=201)
def cut(given: m.CutRequest, store: Kept) -> m.SpliceInfo:
    """Keeps strands as a splice."""
    splice = core.cut(read(given.document), given.strands, given.name, given.words)
    return m.SpliceInfo.of(store.keep(splice, given.id))


@routes.post("/splices/import", status_code=201)
async def bring_in(file: UploadFile, store: Kept) -> m.SpliceInfo:
    """A splice from a `.whorl-splice.json` file, or a zip with its pictures."""
    data = await file.read()
    return m.SpliceInfo.of(await run_in_threadpool(lambda: store.keep(read_spliced(data, library))))


@routes.post("/splices/renew")
def renew(given: m.SplicedIn, store: Kept) -> m.WithSplice:
    """Brings what came as a splice up to what that is now; what was changed here stays."""
    effect = read(given.document)
    origin = next((s.origin for s in effect.splices if s.id == given.id), None)
    if origin is None:
        raise Refused(f"there is no splice '{given.id}' here")
    try:
        kept = store.get(origin)
    except Missing:
        raise Refused("the splice that this is a copy of is gone") from None
    made = core.renewed(effect, given.id, kept.splice)
    return m.WithSplice(document=made.effect, id=given.id, kept=made.kept)


@routes.post("/splices/scale")
def scale(given: m.ScaleRequest) -> m.WithSplice:
    """Makes the patterns and lengths of a splice so many times as large."""
    return m.WithSplice(document=core.scaled(read(given.document), given.id, given.times), id=given.id)


@routes.post("/splices/apart")
def take_apart(given: m.SplicedIn) -> m.WithSplice:
    """Makes the strands of a splice strands like any other."""
    return m.WithSplice(document=core.apart(read(given.document), given.id), id=given.id)


@routes.get("/splices/{id}")
def get(id: str, store: Kept) -> m.SpliceInfo:
    """One splice."""
    return m.SpliceInfo.of(store.get(id))


@routes.post("/splices/{id}/fits")
def fits(id: str, given: m.Document, store: Kept) -> list[m.FitInfo]:
    """What of a document could be joined to each inlet."""
    return [m.FitInfo.of(f) for f in core.fits(read(given.document), store.get(id).splice)]


@routes.post("/splices/{id}/put")
def put(id: str, given: m.PutRequest, store: Kept) -> m.WithSplice:
    """Puts a splice into a document."""
    splice = store.get(id).splice
    made, own = core.put(read(given.document), splice, given.joins, id, given.surface, given.row)
    return m.WithSplice(document=made, id=own)


@routes.get("/splices/{id}/export")
def export(id: str, store: Kept) -> Response:
    """The splice as a file: its document, or a zip of that and its pictures where it has any."""
    splice = store.get(id).splice
    bundled = bool(files_of(splice.effect))
    ending = "zip" if bundled else "json"
    headers = {"Content-Disposition": f'attachment; filename="{id}.whorl-splice.{ending}"'}
    made = write_spliced(splice, library) if bundled else core.write_splice(splice)
    return Response(made, media_type=f"application/{ending}", headers=headers)


@routes.delete("/splices/{id}")
def delete(id: str, store: Kept) -> m.SpliceInfo:
    """Takes a splice away; `restore` puts it back, and copies in effects stay."""
    return m.SpliceInfo.of(store.delete(id))


@routes.post("/splices/{id}/restore")
def restore(id: str, store: Kept) -> m.SpliceInfo:
    """Puts a splice back that was taken away."""
    return m.SpliceInfo.of(store.delete(id, deleted=False))
