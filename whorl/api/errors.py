"""What is said when something goes wrong."""

import errno
import logging
from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from starlette.exceptions import HTTPException

from whorl.api import models as m
from whorl.effect import BadEffect
from whorl.effect.read import HALF_A_CHARACTER
from whorl.refused import Refused
from whorl.store.database import Busy
from whorl.store.effects import Missing, Stale

LOG = logging.getLogger("whorl.api")


def tell_errors(app: FastAPI) -> None:
    """Answers each kind of error in words; what was not foreseen goes to the log with its trace."""

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

    @app.exception_handler(Refused)
    def unfit(request: Request, e: Refused) -> JSONResponse:
        return told(422, str(e))

    @app.exception_handler(Busy)
    def busy(request: Request, e: Busy) -> JSONResponse:
        answer = told(503, str(e))
        answer.headers["Retry-After"] = "1"
        return answer

    @app.exception_handler(OSError)
    def storage(request: Request, e: OSError) -> JSONResponse:
        if e.errno not in (errno.ENOSPC, errno.EDQUOT, errno.EROFS):
            return unforeseen(request, e)
        LOG.warning("%s %s: %s", request.method, request.url.path, e)
        words = "the disk cannot be written" if e.errno == errno.EROFS else "the disk is full"
        return told(503, f"{words}; nothing was changed")

    @app.exception_handler(RequestValidationError)
    def invalid(request: Request, e: RequestValidationError) -> JSONResponse:
        error = e.errors()[0]
        # What is wrong with all that was chosen needs no place.
        where = "/".join(str(p) for p in error["loc"][1:]) if error["type"] != "value_error" else ""
        half = error["type"] == "string_unicode"
        words = HALF_A_CHARACTER if half else error["msg"].removeprefix("Value error, ")
        return told(422, f"{where}: {words}" if where else words)

    @app.exception_handler(HTTPException)
    def refused(request: Request, e: HTTPException) -> JSONResponse:
        return told(e.status_code, str(e.detail))

    @app.exception_handler(Exception)
    def unforeseen(request: Request, e: Exception) -> JSONResponse:
        LOG.error("%s %s", request.method, request.url.path, exc_info=e)
        return told(500, "Whorl stumbled over this; nothing was changed")
