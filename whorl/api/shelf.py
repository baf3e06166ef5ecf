"""Routes of the shelf: effects and their revisions."""

from typing import Annotated

from fastapi import APIRouter, Response, UploadFile
from pydantic import Field
from starlette.concurrency import run_in_threadpool

from whorl import starters
from whorl.api import models as m
from whorl.api.stores import Space, Store
from whorl.bundle import files_of, read_file, write_bundle
from whorl.effect import Effect, read, write_text
from whorl.effect.changes import changes
from whorl.images import library
from whorl.store.effects import Missing

routes = APIRouter()
#: Of a revision.
Number = Annotated[int, Field(ge=1, le=2**31 - 1)]


@routes.get("/effects")
def shelf(store: Store) -> list[m.ShelfEffect]:
    """What is on the shelf."""
    return [m.ShelfEffect.model_validate(listed) for listed in store.listed()]


@routes.post("/effects", status_code=201)
def add(new: m.New, store: Store) -> m.KeptEffect:
    """A new effect."""
    if new.starter is not None:
        effect = _starter(new.starter)
    else:
        effect = read(new.document) if new.document is not None else Effect(name=new.name or "New effect")
    return m.KeptEffect.of(store.add(effect))


def _starter(slug: str) -> Effect:
    try:
        return starters.starter(slug)
    except KeyError:
        raise Missing from None


@routes.get("/starters")
def all_starters() -> list[m.Starter]:
    """What a new effect may begin from, with the documents."""
    found = [(slug, starters.starter(slug)) for slug in starters.slugs()]
    return [m.Starter(slug=slug, document=e) for slug, e in found]


@routes.post("/effects/import", status_code=201)
async def bring_in(file: UploadFile, store: Store) -> m.KeptEffect:
    """A new effect from a `.whorl.json` file, or a `.whorl.zip` with its pictures."""
    data = await file.read()
    return m.KeptEffect.of(await run_in_threadpool(lambda: store.add(read_file(data, library))))


@routes.get("/effects/{id}")
def get(id: str, store: Store) -> m.KeptEffect:
    """One effect at its newest revision."""
    kept = store.get(id)
    if kept.deleted:
        raise Missing
    return m.KeptEffect.of(kept)


@routes.put("/effects/{id}")
def save(id: str, new: m.Save, store: Store) -> m.KeptEffect:
    """A new revision. Refused with 409 when another was saved since `base`; nothing is lost."""
    return m.KeptEffect.of(store.save(id, read(new.document), new.base))


@routes.get("/room")
def room(space: Space) -> m.Room:
    """What files take that nothing refers to any more."""
    loose = space.loose()
    return m.Room(files=len(loose), bytes=sum(x.bytes for x in loose))


@routes.post("/room/free")
def free(space: Space) -> m.Room:
    """Takes those files away that have lain there for an hour; says what is gone."""
    gone = space.free(older=0.0)
    return m.Room(files=len(gone), bytes=sum(x.bytes for x in gone))


@routes.put("/effects/{id}/tags")
def tag(id: str, given: m.Tags, store: Store) -> m.ShelfEffect:
    """Words that an effect is found by."""
    return m.ShelfEffect.model_validate(store.tag(id, list(dict.fromkeys(given.tags))))


@routes.delete("/effects/{id}")
def delete(id: str, store: Store) -> m.KeptEffect:
    """Takes an effect off the shelf; `restore` puts it back."""
    return m.KeptEffect.of(store.delete(id))


@routes.post("/effects/{id}/restore")
def restore(id: str, store: Store) -> m.KeptEffect:
    """Puts a deleted effect back on the shelf."""
    return m.KeptEffect.of(store.delete(id, deleted=False))


@routes.post("/effects/{id}/duplicate", status_code=201)
def duplicate(id: str, store: Store) -> m.KeptEffect:
    """A copy under a name of its own."""
    effect = store.get(id).effect
    return m.KeptEffect.of(store.add(effect.model_copy(update={"name": f"{effect.name[:110]} copy"})))


@routes.get("/effects/{id}/revisions")
def revisions(id: str, store: Store, most: Number | None = None) -> list[m.Revision]:
    """All saved states, or so many, the newest first."""
    return [m.Revision(number=n, saved=saved) for n, saved in store.revisions(id, most)]


@routes.get("/effects/{id}/revisions/{number}")
def revision(id: str, number: Number, store: Store) -> m.KeptEffect:
    """One saved state."""
    return m.KeptEffect.of(store.get(id, number))


@routes.get("/effects/{id}/changes")
def changed(id: str, store: Store, before: Number, after: Number | None = None) -> list[m.Changed]:
    """What differs from one saved state to another, or to the newest, in words."""
    found = changes(store.get(id, before).effect, store.get(id, after).effect)
    return [m.Changed.model_validate(c) for c in found]


@routes.post("/changes")
def differences(given: m.Two) -> list[m.Changed]:
    """What differs from one document to another, in words."""
    return [m.Changed.model_validate(c) for c in changes(read(given.before), read(given.after))]


@routes.get("/effects/{id}/export")
def export(id: str, store: Store) -> Response:
    """The effect as a file: its document, or a zip of that and its pictures where it has any."""
    effect = store.get(id).effect
    bundled = bool(files_of(effect))
    ending = "zip" if bundled else "json"
    headers = {"Content-Disposition": f'attachment; filename="{id}.whorl.{ending}"'}
    made = write_bundle(effect, library) if bundled else write_text(effect)
    return Response(made, media_type=f"application/{ending}", headers=headers)
