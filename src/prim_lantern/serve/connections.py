"""Connections as the service takes them: the head of a request has to be short, and come soon."""

from __future__ import annotations

from asyncio import BaseTransport, TimerHandle
from typing import ClassVar

from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol


class Connection(HttpToolsProtocol):
    """One connection. Whoever sends an endless head, or part of one and then nothing, is cut off
    before that costs anything."""

    longest: ClassVar[int] = 64_000
    """How many bytes a head may have."""
    soon: ClassVar[float] = 20.0
    """How many seconds it may take to come."""

    _size = 0
    _timer: TimerHandle | None = None

    def connection_made(self, transport: BaseTransport) -> None:
        """Somebody is there: the first head should come soon."""
        super().connection_made(transport)  # type: ignore[arg-type]
        self._expect()

    def connection_lost(self, exc: Exception | None) -> None:
        """They are gone."""
        self._arrived()
        super().connection_lost(exc)

    def data_received(self, data: bytes) -> None:
        """Some bytes: of a head, a body, or both."""
        super().data_received(data)
        if self._timer is not None:  # still in a head
            self._size += len(data)
            if self._size > self.longest:
                self._cut("The head of this request is too long.")

    def on_message_begin(self) -> None:
        """A head begins."""
        self._expect()
        super().on_message_begin()

    def on_headers_complete(self) -> None:
        """It is whole."""
        self._arrived()
        super().on_headers_complete()

    def _expect(self) -> None:
        self._arrived()
        self._timer = self.loop.call_later(self.soon, self._cut, "This took too long.")

    def _arrived(self) -> None:
        if self._timer is not None:
            self._timer.cancel()
        self._timer, self._size = None, 0

    def _cut(self, why: str) -> None:
        self._arrived()
        if not self.transport.is_closing():
            self.send_400_response(why)
