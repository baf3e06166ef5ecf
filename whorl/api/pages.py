"""The built front end."""

from importlib.resources import files
from pathlib import Path

from fastapi import FastAPI, Request, Response
from fastapi.responses import FileResponse, HTMLResponse
from fastapi.staticfiles import StaticFiles

from whorl.store.effects import Missing


def serve_pages(app: FastAPI) -> None:
    """The built front end; its one page carries the nonce that its styles need."""
    built = Path(str(files("whorl"))) / "web"
    index = built / "index.html"
    if not index.exists():
        return
    app.mount("/assets", StaticFiles(directory=built / "assets"), name="assets")

    @app.get("/{path:path}", include_in_schema=False)
    def page(path: str, request: Request) -> Response:
        file = (built / path).resolve()
        if path and file.is_relative_to(built.resolve()) and file.is_file():
            return FileResponse(file)
        if path.startswith("api/"):
            raise Missing
        return HTMLResponse(
            index.read_text(encoding="utf-8").replace("__NONCE__", request.state.nonce),
            headers={"Cache-Control": "no-store"},
        )
