"""What stands before every route: the Host and Origin headers, body sizes, and headers on every answer."""

import secrets
from ipaddress import ip_address

from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send

MIB = 1024 * 1024
MOST_BYTES = 8 * MIB
#: Where more is taken: a picture, and an effect that comes with its pictures.
MORE_BYTES = {
    "/api/assets": 128 * MIB,
    "/api/maps": 128 * MIB,
    "/api/meshes": 64 * MIB,
    "/api/effects/import": 512 * MIB,
    "/api/splices/import": 512 * MIB,
}
#: No address of Whorl's is longer.
MOST_PATH = 1024


def too_large(most: int) -> str:
    """What is said of a body of more than `most` bytes."""
    return f"that is more than the {most // MIB} MiB that Whorl takes at once"


class Guard:
    """Refuses strangers' Host headers and large bodies, answers HEAD as GET, and adds the security headers."""

    def __init__(self, app: ASGIApp, hosts: list[str]) -> None:
        self.app, self.hosts = app, hosts

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "websocket":
            headers = Headers(scope=scope)
            if self._known(headers.get("host", "")) and not _from_elsewhere(headers):
                await self.app(scope, receive, send)
            else:
                # Before it is accepted, which the caller sees as 403.
                await send({"type": "websocket.close", "code": 1008})
            return
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        nonce = secrets.token_urlsafe(16)
        scope.setdefault("state", {})["nonce"] = nonce

        async def guarded(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                headers.setdefault("Content-Security-Policy", policy(nonce))
                headers["X-Content-Type-Options"] = "nosniff"
                headers["Referrer-Policy"] = "no-referrer"
                headers["Cross-Origin-Opener-Policy"] = "same-origin"
                headers["Cross-Origin-Resource-Policy"] = "same-origin"
            elif bare and message["type"] == "http.response.body":
                message = {**message, "body": b""}
            await send(message)

        headers = Headers(scope=scope)
        bare = scope["method"] == "HEAD"
        if bare:
            scope = {**scope, "method": "GET"}
        if "\0" in scope["path"] or len(scope["path"]) > MOST_PATH:
            await _refuse(404, "there is nothing here by that name", scope, receive, guarded)
            return
        if not self._known(headers.get("host", "")):
            await _refuse(400, "this address is not one Whorl answers to", scope, receive, guarded)
            return
        if scope["method"] != "GET" and _from_elsewhere(headers):
            # Another port of this machine is another site.
            await _refuse(403, "another site's pages may not change effects", scope, receive, guarded)
            return
        most = MORE_BYTES.get(scope["path"], MOST_BYTES)
        length = headers.get("content-length") or "0"
        if not length.isdecimal() or len(length) > 15:
            await _refuse(400, "the length of what was sent is no number", scope, receive, guarded)
            return
        if int(length) > most:
            await _refuse(413, too_large(most), scope, receive, guarded)
            return
        taken = 0

        async def limited() -> Message:
            nonlocal taken
            message = await receive()
            taken += len(message.get("body", b""))
            if taken > most:
                raise HTTPException(413, too_large(most))
            return message

        await self.app(scope, limited, guarded)

    def _known(self, host: str) -> bool:
        name = host.rsplit(":", 1)[0] if not host.endswith("]") else host
        return name in self.hosts or ("0.0.0.0" in self.hosts and _is_address(name))


def _from_elsewhere(headers: Headers) -> bool:
    """Whether another site's page asks; what is no browser says nothing of where it is from."""
    origin = headers.get("origin")
    return bool(origin) and str(origin).split("://")[-1] != headers.get("host")


def _is_address(name: str) -> bool:
    """Whether a host is a number: a page elsewhere can lend itself only a name."""
    try:
        ip_address(name.strip("[]"))
    except ValueError:
        return False
    return True


async def _refuse(status: int, words: str, scope: Scope, receive: Receive, send: Send) -> None:
    await JSONResponse({"words": words}, status)(scope, receive, send)


#: Of a page that plays an effect, shown within the application: it runs by itself, and reaches nothing.
APART = (
    "sandbox allow-scripts; default-src 'none'; script-src 'unsafe-inline'; style-src 'unsafe-inline'; "
    "img-src data: blob:; base-uri 'none'; form-action 'none'; frame-ancestors 'self'"
)


def policy(nonce: str) -> str:
    """Only what the application ships; styles that scripts make carry the nonce."""
    return "; ".join(
        [
            "default-src 'none'",
            "script-src 'self'",
            f"style-src 'self' 'nonce-{nonce}'",
            "img-src 'self' data: blob:",
            "font-src 'self'",
            "connect-src 'self'",
            "frame-src 'self'",
            "base-uri 'none'",
            "form-action 'none'",
            "frame-ancestors 'none'",
        ]
    )
