"""What every request passes first: its origin, how much it may bring and how long that may take, security headers."""

from __future__ import annotations

import asyncio
from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from lowhiss.api import errors
from lowhiss.api.json_requests import UnreadableError

MAX_BODY_BYTES = 2 * 1024 * 1024
MAX_PHOTO_BYTES = 8 * 1024 * 1024
MAX_RECORDING_BYTES = 24 * 1024 * 1024
MAX_BATCH_BYTES = 4 * 1024**3
"""A file that is read beside everything else, in pieces."""
BODY_PIECE_S = 10.0
"""How long a request may leave its next piece of body awaited."""
BODY_S = 30.0
"""How long a whole body may take to arrive."""
LARGE_BODY_S = 3600.0
"""The same of a file that is read in pieces."""
_HEADERS = {
    # everything ships with the app: nothing may be loaded from anywhere else
    "Content-Security-Policy": "default-src 'self'; "
    # the judge for devices without contact is WebAssembly
    "script-src 'self' 'wasm-unsafe-eval'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; "
    "object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'",
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Permissions-Policy": "camera=(), microphone=(), geolocation=(), payment=()",
}


def _most(scope: Scope) -> int:
    """How many bytes a request may bring: a photograph and a recording are larger than anything else."""
    if _is_large(scope):
        return MAX_BATCH_BYTES
    if scope["path"].startswith("/api/photos/"):
        return MAX_PHOTO_BYTES
    return MAX_RECORDING_BYTES if scope["path"] in ("/api/traces", "/api/imports") else MAX_BODY_BYTES


def _is_large(scope: Scope) -> bool:
    path: str = scope["path"]
    return scope["method"] == "PUT" and path.startswith("/api/trace-batches/")


def _too_large(most: int) -> str:
    return f"At most {most // 1024**2} MB are accepted at once"


class Guard:
    """Refuses writes from other origins, bodies that are too large or never come, and adds the security headers."""

    def __init__(self, app: ASGIApp, *, secure: bool = False) -> None:
        self.app = app
        self._headers = {**_HEADERS, **({"Strict-Transport-Security": "max-age=31536000"} if secure else {})}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on, or answer it here."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return

        async def answer(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in self._headers.items():
                    headers.setdefault(name, value)
                if scope["path"].startswith("/api/"):
                    headers.setdefault("Cache-Control", "no-store")
                if message["status"] == 408:
                    headers["Connection"] = "close"  # what never came is not waited for
            await send(message)

        refusal = _refusal(scope)
        if refusal is not None:
            await refusal(scope, receive, answer)
        else:
            whole_s = LARGE_BODY_S if _is_large(scope) else BODY_S
            await self.app(scope, _Bounded(receive, _most(scope), whole_s), answer)


def _refusal(scope: Scope) -> ASGIApp | None:
    headers = Headers(scope=scope)
    origin = headers.get("origin")
    if scope["method"] not in ("GET", "HEAD") and origin and urlsplit(origin).netloc != headers.get("host"):
        return errors.answer(403, "foreign_origin", "This request came from another site and was rejected.")
    length = headers.get("content-length", "0")
    if not length.isdigit() or int(length) > _most(scope):
        return errors.answer(413, "too_large", f"{_too_large(_most(scope))}.", "body")
    return None


class _Bounded:
    """A request's body, bounded in size and in the time it may take, however it is cut into pieces."""

    def __init__(self, receive: Receive, most: int, whole_s: float) -> None:
        self._receive, self._most, self._whole_s = receive, most, whole_s
        self._taken = 0
        self._whole = False
        self._until: float | None = None

    async def __call__(self) -> Message:
        """The next piece. Raises UnreadableError."""
        if self._whole:
            return await self._receive()  # whether the client has gone is nobody's hurry
        now = asyncio.get_running_loop().time()
        self._until = self._until or now + self._whole_s
        try:
            async with asyncio.timeout(max(0.0, min(BODY_PIECE_S, self._until - now))):
                message = await self._receive()
        except TimeoutError:
            raise UnreadableError(408, "too_slow", "The rest of the request never arrived. Send it again") from None
        self._taken += len(message.get("body", b""))
        if self._taken > self._most:
            raise UnreadableError(413, "too_large", _too_large(self._most))
        self._whole = message["type"] == "http.disconnect" or not message.get("more_body", False)
        return message
