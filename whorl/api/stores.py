"""What routes ask the application for."""

from typing import Annotated

from fastapi import Depends
from starlette.requests import HTTPConnection

from whorl.api.checking import Checker
from whorl.signals.port import Port
from whorl.store.bakes import Bakes
from whorl.store.effects import Effects
from whorl.store.room import Room
from whorl.store.splices import Splices


def effects(request: HTTPConnection) -> Effects:
    """The shelf."""
    store: Effects = request.app.state.effects
    return store


def bakes(request: HTTPConnection) -> Bakes:
    """The bakes."""
    store: Bakes = request.app.state.bakes
    return store


def room(request: HTTPConnection) -> Room:
    """The room that the data folder takes."""
    kept: Room = request.app.state.room
    return kept


def port(request: HTTPConnection) -> Port:
    """Where signals come in."""
    kept: Port = request.app.state.port
    return kept


def splices(request: HTTPConnection) -> Splices:
    """The splices."""
    store: Splices = request.app.state.splices
    return store


def checker(request: HTTPConnection) -> Checker:
    """What looks at pictures behind everything else."""
    kept: Checker = request.app.state.checker
    return kept


Looking = Annotated[Checker, Depends(checker)]
Space = Annotated[Room, Depends(room)]
Store = Annotated[Effects, Depends(effects)]
Jobs = Annotated[Bakes, Depends(bakes)]
Kept = Annotated[Splices, Depends(splices)]
Signals = Annotated[Port, Depends(port)]
#: What is named by its content never changes.
FOR_GOOD = {"Cache-Control": "max-age=31536000, immutable"}
