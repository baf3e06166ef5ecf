"""Routes of handing over: what becomes of an effect in each form, and the forms that are made at once."""

import tempfile
from pathlib import Path
from typing import Annotated, Literal

from fastapi import APIRouter, Query, Response
from pydantic import StringConstraints

from whorl.api import models as m
from whorl.api.guard import APART
from whorl.api.stores import Store
from whorl.api.zipping import zipped
from whorl.bake.handed import HANDED, Wanted, estimate
from whorl.bake.maps import CHANNELS, MapsOptions, Unrolled, picture_of
from whorl.bake.options import MAP_FRAMES, MAP_SIDE, fit_for_maps
from whorl.bake.page import page_of
from whorl.bake.scene import SceneOptions
from whorl.effect import BadEffect
from whorl.effect.problems import Problem
from whorl.plan.build import build
from whorl.plan.print.code import code
from whorl.plan.print.languages import LANGUAGES

routes = APIRouter()
Word = Annotated[str, StringConstraints(max_length=20)]


@routes.get("/effects/{id}/handed")
def told(id: str, store: Store) -> dict[str, m.Carried]:
    """What each form carries of an effect, what it carries nearly, and what is lost in it."""
    effect = store.get(id).effect
    return {h.key: m.Carried.model_validate(h.told(effect)) for h in HANDED.values()}


@routes.post("/estimate")
def estimated(wanted: m.BakeRequest, store: Store) -> m.Estimate:
    """What a bake would come to: frames, seconds on this machine, bytes of its stills."""
    return m.Estimate.model_validate(estimate(store.get(wanted.effect).effect, wanted.options))


@routes.get("/effects/{id}/handed/{form}.zip", response_class=Response)
def form_of(
    id: str,
    form: Word,
    store: Store,
    size: Annotated[int, Query(ge=MAP_SIDE[0], le=MAP_SIDE[1], description="The side of each map.")] = 512,
    frames: Annotated[
        int, Query(ge=MAP_FRAMES[0], le=MAP_FRAMES[1], description="At how many phases of the turn.")
    ] = 1,
    over: Literal["shape", "tile"] = "shape",
    green: Literal["up", "down"] = "up",
    kind: Literal["png", "exr"] = "png",
    language: Annotated[list[Word] | None, Query(max_length=len(LANGUAGES))] = None,
) -> Response:
    """An effect in a form that is made at once: maps, code, a page, a scene; in a zip with what is said of it."""
    made = HANDED.get(form)
    if made is None or made.write is None:
        known = ", ".join(h.key for h in HANDED.values() if h.write)
        words = f"there is no form '{form}' that is made at once; there are {known}"
        raise BadEffect([Problem(place="form", words=words)])
    fit_for_maps(size, frames)
    wanted = Wanted(
        MapsOptions(size=size, frames=frames, over=over, green=green, kind=kind),
        SceneOptions(size=size, frames=frames),
        language or list(LANGUAGES),
    )
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder)
        made.write(store.get(id).effect, root, wanted)
        names = sorted(p.relative_to(root).as_posix() for p in root.rglob("*") if p.is_file())
        packed = b"".join(zipped(root, names))
    headers = {"Content-Disposition": f'attachment; filename="{id}-{form}.zip"'}
    return Response(packed, media_type="application/zip", headers=headers)


@routes.get("/effects/{id}/page.html", response_class=Response)
def page(id: str, store: Store, shown: bool = False) -> Response:
    """One HTML file that plays the effect with its levers, without a network; `shown` at once, or saved."""
    made = page_of(store.get(id).effect)
    headers = {"Content-Security-Policy": APART}
    if not shown:
        headers["Content-Disposition"] = f'attachment; filename="{id}.html"'
    return Response(made.text, media_type="text/html; charset=utf-8", headers=headers)


@routes.get("/effects/{id}/code.txt", response_class=Response)
def text_of(id: str, language: Word, store: Store) -> Response:
    """The code of an effect in one language, to be looked at."""
    shell = LANGUAGES.get(language)
    if shell is None:
        words = f"there is no language '{language}'; there are {', '.join(LANGUAGES)}"
        raise BadEffect([Problem(place="language", words=words)])
    text = code(build(store.get(id).effect), shell).text
    return Response(text, media_type="text/plain; charset=utf-8")


@routes.get("/effects/{id}/map.png", response_class=Response)
def map_of(
    id: str,
    store: Store,
    channel: Annotated[str | None, Query(max_length=20)] = None,
    over: Literal["shape", "tile"] = "shape",
    size: Annotated[int, Query(ge=16, le=512)] = 128,
) -> Response:
    """One channel as a map, to be looked at: the one named, or the first that strands feed."""
    options = MapsOptions(size=size, over=over, packed={})
    unrolled = Unrolled(store.get(id).effect, options)
    fed = [name for name in CHANNELS if unrolled.fed(name)]
    if channel is not None and channel not in CHANNELS:
        words = f"there is no channel '{channel}'; there are {', '.join(CHANNELS)}"
        raise BadEffect([Problem(place="channel", words=words)])
    name = channel or (fed[0] if fed else "base")
    return Response(picture_of(unrolled.values(name, 0.0), CHANNELS[name], options), media_type="image/png")
