"""Routes of a second surface: a whole effect taken as one, and both exchanged."""

from fastapi import APIRouter

from whorl.api import models as m
from whorl.api.stores import Store
from whorl.effect import Effect, read
from whorl.effect import second as core
from whorl.effect.value import Feed
from whorl.store.effects import Missing

routes = APIRouter()


@routes.post("/second/take")
def take(given: m.TakeRequest, store: Store) -> m.WithSplice:
    """The document with an effect of the shelf as its second surface."""
    kept = store.get(given.effect)
    if kept.deleted:
        raise Missing
    mask = Feed(strand=given.strand, bead=given.bead) if given.strand else None
    made, own = core.taken(read(given.document), kept.effect, mask)
    return m.WithSplice(document=made, id=own)


@routes.post("/second/exchange")
def exchange(given: m.Document) -> Effect:
    """The document with its two materials in each other's place."""
    return core.exchanged(read(given.document))
