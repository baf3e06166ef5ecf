"""The web application: its routes, over a data folder."""

import json
import threading
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from http import HTTPStatus
from pathlib import Path
from typing import Any

from fastapi import APIRouter, FastAPI
from starlette.concurrency import run_in_threadpool

from whorl import demo
from whorl.api import assets, bakes, catalogue, checks, handed, levers, programs, second, shelf, signals, splices
from whorl.api import models as m
from whorl.api.checking import Checker
from whorl.api.errors import tell_errors
from whorl.api.guard import Guard
from whorl.api.pages import serve_pages
from whorl.images import library
from whorl.plan.print.levered import page_script
from whorl.shade.script import SCRIPT
from whorl.signals.port import Port
from whorl.store.bakes import Bakes
from whorl.store.database import open_database
from whorl.store.effects import Effects
from whorl.store.room import Room
from whorl.store.splices import Splices

# The model once, and a reference to it elsewhere: a model is made ready anew for every code of every route, which took
# two fifths of the time that an application takes to make.
TOLD = {"application/json": {"schema": {"$ref": "#/components/schemas/Told"}}}
REFUSED: dict[int | str, dict[str, Any]] = {
    code: {"model": m.Told} if code == 422 else {"content": TOLD, "description": HTTPStatus(code).phrase}
    for code in (400, 403, 404, 405, 409, 413, 422, 503)
}
api = APIRouter(prefix="/api", responses=REFUSED)
for part in (catalogue, shelf, assets, programs, levers, splices, second, signals, bakes, handed, checks):
    api.include_router(part.routes)


def create_app(
    data: Path,
    demo_effects: bool = False,
    hosts: tuple[str, ...] = (),
    port: Port | None = None,
    cluster: str | None = None,
) -> FastAPI:
    """The application over a data folder. `demo_effects` fills a shelf that never held anything; `port` is where
    signals come in, once somebody asks for them, and `cluster` the scheduler whose workers draw what is baked."""

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        app.state.bakes.start()
        threading.Thread(target=app.state.room.free, name="room", daemon=True).start()
        yield
        await run_in_threadpool(app.state.checker.stop)
        await run_in_threadpool(app.state.port.close)
        await run_in_threadpool(app.state.bakes.stop)

    app = FastAPI(
        title="Whorl", version="0.1.0", lifespan=lifespan, docs_url=None, redoc_url=None, webhooks=signals.lines
    )
    engine = open_database(data / "whorl.db")
    library.folder = data / "assets"
    app.state.effects = Effects(engine)
    app.state.splices = Splices(engine)
    app.state.bakes = Bakes(engine, data / "bakes", cluster)
    app.state.room = Room(engine, data)
    app.state.port = port or Port()
    app.state.checker = Checker()
    if demo_effects and app.state.effects.count() == 0:
        for slug in demo.slugs():
            app.state.effects.add(demo.demo(slug), shipped=True)
    app.include_router(api)
    tell_errors(app)
    serve_pages(app)
    app.add_middleware(Guard, hosts=["127.0.0.1", "localhost", "[::1]", *hosts])
    return app


def levers_text() -> str:
    """What a lever makes of a number and where a camera goes, for a page that has to know it."""
    head = "/** Made by ./run types from whorl/fields: what a lever makes of a number, and where a camera goes. */\n"
    return head + page_script(SCRIPT, "export const")


def openapi_text() -> str:
    """The API's schema, from which the client's types are made."""
    app = FastAPI(title="Whorl", version="0.1.0", webhooks=signals.lines)
    app.include_router(api)
    return json.dumps(app.openapi(), indent=2, ensure_ascii=False) + "\n"
