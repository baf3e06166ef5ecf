"""Routes of what is found by looking, what it costs, and the report."""

from collections.abc import AsyncIterator

from fastapi import APIRouter, Response
from fastapi.responses import StreamingResponse

from whorl.api import models as m
from whorl.api.stores import Looking
from whorl.checks import check, looked
from whorl.checks.cost import Cost, cost
from whorl.checks.report import report
from whorl.effect import read
from whorl.plan.build import build

routes = APIRouter()

LINES = "application/x-ndjson"


@routes.post(
    "/checks/look",
    response_class=StreamingResponse,
    responses={200: {"content": {LINES: {"schema": {"type": "string"}}}, "description": "A finding a line, as JSON."}},
)
async def look(given: m.LookRequest, checker: Looking) -> StreamingResponse:
    """What is found by looking at pictures, as it is found; all else goes first. It ends when nobody reads on."""
    effect = read(given.document)

    async def lines() -> AsyncIterator[str]:
        async for finding in checker.look(effect, given.everywhere, given.gently):
            yield finding.model_dump_json() + "\n"

    return StreamingResponse(lines(), media_type=LINES)


@routes.post("/checks/cost")
def costs(given: m.Document) -> Cost:
    """What each bead costs, measured and estimated."""
    return cost(build(read(given.document)))


@routes.post(
    "/checks/report.md",
    response_class=Response,
    responses={200: {"content": {"text/markdown": {"schema": {"type": "string"}}}, "description": "The report."}},
)
def reported(given: m.Document) -> Response:
    """A report of all that is found, flashes first."""
    effect = read(given.document)
    made = report(effect, [*check(effect), *looked(effect)])
    headers = {"Content-Disposition": 'attachment; filename="report.md"'}
    return Response(made, media_type="text/markdown; charset=utf-8", headers=headers)
