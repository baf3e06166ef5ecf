"""Routes of the pictures and meshes that effects bring in."""

import struct
from collections.abc import Iterator
from typing import Annotated, get_args

from fastapi import APIRouter, Query, Request, Response
from starlette.concurrency import run_in_threadpool
from starlette.exceptions import HTTPException

from whorl.api import models as m
from whorl.api.stores import FOR_GOOD
from whorl.effect.mapped import with_maps
from whorl.effect.problems import not_here
from whorl.images import BadImage, decode, library, sheet_of
from whorl.images.library import NotKept
from whorl.images.maps import Use, proposed, unpacked
from whorl.images.sequence import MOST_FRAMES, Played, gathered, name_of_all, taken
from whorl.images.sheet import Reading, shown_within
from whorl.images.solid import BadSolid
from whorl.panoramas import PANORAMAS
from whorl.store.effects import Missing

routes = APIRouter()


@routes.post("/assets", status_code=201)
async def keep_picture(request: Request) -> m.StoredPicture:
    """Keeps a picture: the body is its file. A video, an animation or a zip of numbered pictures is a sequence."""
    return await run_in_threadpool(_kept, await request.body())


def _kept(data: bytes) -> m.StoredPicture:
    try:
        digest, made = library.add_played(data)
    except BadImage as e:
        raise HTTPException(422, str(e)) from None
    size = {"width": made.width, "height": made.height, "channels": made.channels}
    return m.StoredPicture(hash=digest, frames=made.frames if isinstance(made, Played) else 1, **size)


@routes.post("/sequences", status_code=201)
def keep_sequence(given: m.SequenceRequest) -> m.StoredPicture:
    """Keeps numbered pictures, each of which was kept as a picture, as a sequence in the order of their numbers."""

    def files() -> Iterator[tuple[str, bytes]]:
        for file in given.files:
            data = library.data(file.hash)
            if data is None:
                raise HTTPException(404, not_here(file.name))
            if taken(data) is not None:
                raise BadImage(f"{file.name} is a sequence already; bring it in by itself")
            yield file.name, data

    try:
        return _kept(gathered(files())).model_copy(update={"name": name_of_all([f.name for f in given.files])})
    except BadImage as e:
        raise HTTPException(422, str(e)) from None


@routes.post("/maps", status_code=201)
async def keep_map(request: Request, name: str) -> m.MapsProposed:
    """Keeps a picture of a set of maps, or all pictures of a zip, and says what each is likely for."""
    data = await request.body()
    return await run_in_threadpool(_proposed, name[:200], data)


def _proposed(name: str, data: bytes) -> m.MapsProposed:
    maps, refused = [], []
    for called, file in unpacked(name, data):
        try:
            digest, made = library.add(file)
        except BadImage as e:
            refused.append(f"{called}: {e}")
            continue
        is_for = proposed(called, made)
        told = {"name": called[-120:], "hash": digest, "width": made.width, "height": made.height}
        maps.append(m.MapProposed(**told, use=is_for.use, why=is_for.why, flip_green=is_for.flip_green))
    return m.MapsProposed(maps=maps, refused=refused, uses=list(get_args(Use)))


@routes.post("/maps/wired")
def wire_maps(given: m.MapsRequest) -> m.MapsMade:
    """An effect with a set of maps: strands that share their coordinates, wired to their channels."""
    return m.MapsMade(document=with_maps(given.document, given.maps))


@routes.post("/meshes", status_code=201)
async def keep_mesh(request: Request) -> m.StoredMesh:
    """Keeps a mesh: the body is its file, OBJ, PLY, STL or binary glTF."""
    data = await request.body()
    try:
        digest, made = await run_in_threadpool(library.add_solid, data)
    except BadSolid as e:
        raise HTTPException(422, str(e)) from None
    has_uv = made.uvs is not None
    return m.StoredMesh(
        hash=digest,
        vertices=len(made.positions),
        triangles=len(made.triangles),
        uv=has_uv,
        colours=made.colours is not None,
        second_uv=made.second_uvs is not None,
        parts=list(made.parts),
    )


@routes.get("/assets/{digest}/levels", response_class=Response)
def levels(digest: str, read: Reading = "data", frame: Annotated[int, Query(ge=0, lt=MOST_FRAMES)] = 0) -> Response:
    """A picture, or a frame of a sequence, for a GPU, all levels in one sheet: width and height of the sheet, the four
    numbers that a lookup in it needs (u32; see `images.sheet.Sheet`), then half floats.
    """
    try:
        made = library.sheet(digest, read, frame)
    except NotKept:
        raise Missing from None
    laid = made.image.pixels
    head = struct.pack("<6I", laid.shape[1], laid.shape[0], *made.size)
    return Response(head + laid.astype("<f2").tobytes(), media_type="application/octet-stream", headers=FOR_GOOD)


@routes.get("/assets/{digest}/small.png", response_class=Response)
def small_picture(digest: str) -> Response:
    """A picture within 128 × 128, as it looks."""
    from whorl.bake.png import png

    try:
        made = library.sheet(digest, "colour")
    except NotKept:
        raise Missing from None
    return Response(
        png(shown_within(made, 128), 3), media_type="image/png", headers={"Cache-Control": "max-age=31536000"}
    )


@routes.get("/panoramas")
def panoramas() -> list[m.PanoramaInfo]:
    """The panoramas that come with Whorl."""
    return [m.PanoramaInfo(slug=p.slug, name=p.name, words=p.words) for p in PANORAMAS.values()]


@routes.post("/panoramas/{slug}", status_code=201)
def take_panorama(slug: str) -> m.StoredPicture:
    """Keeps one of them as a picture that effects can bring in."""
    if slug not in PANORAMAS:
        raise Missing
    digest, made = library.add(PANORAMAS[slug].data)
    return m.StoredPicture(hash=digest, width=made.width, height=made.height, channels=made.channels)


@routes.get("/panoramas/{slug}/small.png", response_class=Response)
def small_panorama(slug: str) -> Response:
    """One of them within 128 × 128, as it looks."""
    from whorl.bake.png import png

    if slug not in PANORAMAS:
        raise Missing
    made = sheet_of(decode(PANORAMAS[slug].data), False)
    return Response(png(shown_within(made, 128), 3), media_type="image/png", headers=FOR_GOOD)
