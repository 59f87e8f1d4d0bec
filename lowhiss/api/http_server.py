"""How the web server itself is set up: whoever does not finish what they began to send is not waited for."""

from __future__ import annotations

import asyncio
from asyncio import constants
from typing import Any

import h11
from uvicorn.protocols.http.h11_impl import H11Protocol, RequestResponseCycle

HEAD_S = 10.0
"""How long a connection may take to send the head of a request, its first byte included."""
RUN_OUT_S = 5.0
"""How long the rest of a body is still taken in, and dropped, after its request was refused."""
HANDSHAKE_S = 10.0
"""The same for TLS."""
_MAX_SOCKET_MESSAGE = 256 * 1024

# what asyncio takes where a server says nothing of it, as uvicorn does; its minute would hold a thousand half-done ones
constants.SSL_HANDSHAKE_TIMEOUT = HANDSHAKE_S


class PatientProtocol(H11Protocol):
    """HTTP/1.1 as uvicorn speaks it, with an end to its patience while a request's head is awaited."""

    _head_timer: asyncio.TimerHandle | None = None

    def connection_made(self, transport: Any) -> None:
        """Begin to wait for a request."""
        super().connection_made(transport)
        self._wait_for_head()

    def data_received(self, data: bytes) -> None:
        """Take what came; the clock runs on until a head is whole."""
        super().data_received(data)
        self._wait_for_head()

    def connection_lost(self, exc: Exception | None) -> None:
        """Nothing is awaited any more."""
        self._stop_waiting()
        super().connection_lost(exc)

    def on_response_complete(self) -> None:
        """Between two requests uvicorn's own limit holds, until the first byte of the next has come."""
        super().on_response_complete()
        self._stop_waiting()
        # answered before all of it was here: the rest is let run out, so that the answer is heard, but not for ever
        if self.conn.their_state is h11.SEND_BODY:
            self.loop.call_later(RUN_OUT_S, self._cut_off, self.cycle)

    def _cut_off(self, refused: RequestResponseCycle) -> None:
        # the connection may be at a later request by now, whose body has all the time that it needs
        if self.cycle is refused and self.conn.their_state is h11.SEND_BODY and not self.transport.is_closing():
            self.transport.close()

    def _wait_for_head(self) -> None:
        if self.conn.their_state is not h11.IDLE:
            self._stop_waiting()
        elif self._head_timer is None:
            self._head_timer = self.loop.call_later(HEAD_S, self._give_up)

    def _stop_waiting(self) -> None:
        if self._head_timer is not None:
            self._head_timer.cancel()
            self._head_timer = None

    def _give_up(self) -> None:
        self._head_timer = None
        if self.conn.their_state is h11.IDLE and not self.transport.is_closing():
            self.transport.close()


def web_options(proxy: str | None = None, *, tls: bool = False) -> dict[str, Any]:
    """Uvicorn's settings. proxy : the one address whose word on where a request comes from is taken."""
    return {
        # the quicker loop has a patience of its own with TLS that nobody can set
        "loop": "asyncio" if tls else "uvloop",
        "http": PatientProtocol,
        "log_level": "warning",
        "server_header": False,
        "ws_max_size": _MAX_SOCKET_MESSAGE,
        "proxy_headers": proxy is not None,
        "forwarded_allow_ips": proxy or "",
    }
