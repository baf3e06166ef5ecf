"""Routes of levers and variants."""

from fastapi import APIRouter

from whorl.api import models as m
from whorl.effect import BadEffect, read
from whorl.effect import levers as core
from whorl.effect.document import Variant
from whorl.effect.problems import Change, Problem

routes = APIRouter()


@routes.post("/levers/publish")
def publish(given: m.LeverRequest) -> m.Published:
    """A lever for the number at a place, or one that is there set to move it too."""
    try:
        lever, value = core.published(read(given.document), given.place, given.lever)
    except KeyError:
        words = "there is no number here that a lever could move"
        raise BadEffect([Problem(place=given.place, words=words)]) from None
    return m.Published(lever=lever, value=value)


@routes.post("/levers/without")
def without(given: m.LeverNamed) -> m.Changes:
    """What puts the present value of a lever into all that it moves, so that it can go."""
    return _changes(core.without(read(given.document), given.lever))


@routes.post("/variants/keep")
def keep(given: m.VariantNamed) -> Variant:
    """How the levers stand, as a variant under a name; one of that name is brought up to date."""
    return core.kept(read(given.document), given.variant)


@routes.post("/variants/apply")
def apply(given: m.VariantNamed) -> m.Changes:
    """The levers as a variant has them."""
    effect = read(given.document)
    return _changes(core.puts(effect, core.held(effect, core.variant_called(effect, given.variant))))


@routes.post("/variants/between")
def between(given: m.BetweenVariants) -> m.Changes:
    """The levers part of the way from one variant to another."""
    effect = read(given.document)
    first, second = (core.variant_called(effect, name) for name in (given.first, given.second))
    return _changes(core.puts(effect, core.between(effect, first, second, given.part)))


@routes.post("/variants/deal")
def deal(given: m.DealRequest) -> m.Dealt:
    """Random ways for the levers to stand, around where they are."""
    effect = read(given.document)
    return m.Dealt(deals=[_changes(core.puts(effect, values)) for values in core.dealt(effect, given.seed)])


def _changes(puts: list[core.Put]) -> m.Changes:
    return m.Changes(changes=[Change(place=p.place, value=p.value) for p in puts])
