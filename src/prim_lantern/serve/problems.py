"""Errors as other programs get them: problem details (RFC 9457)."""

from __future__ import annotations

from http import HTTPStatus

from starlette.responses import JSONResponse

from prim_lantern.errors import (
    ChangedMeanwhile,
    NotAllowed,
    PrimLanternError,
    StoreTrouble,
    UnknownName,
)


class Problem(Exception):
    """A request that is not answered."""

    def __init__(self, status: int, detail: str, headers: dict[str, str] | None = None) -> None:
        self.status, self.detail, self.headers = status, detail, headers or {}
        super().__init__(detail)

    @classmethod
    def of(cls, error: PrimLanternError) -> Problem:
        """The problem that one of our errors is."""
        if isinstance(error, StoreTrouble):
            return cls(503, "The site is not to be reached just now.", {"Retry-After": "1"})
        if isinstance(error, UnknownName):
            return cls(404, plainly(error))
        status = 403 if isinstance(error, NotAllowed) else 409
        return cls(status if isinstance(error, NotAllowed | ChangedMeanwhile) else 400, str(error))

    def response(self) -> JSONResponse:
        """What is sent."""
        title = HTTPStatus(self.status).phrase
        body = {"type": "about:blank", "title": title, "status": self.status, "detail": self.detail}
        return JSONResponse(body, self.status, self.headers, "application/problem+json")


def plainly(error: PrimLanternError) -> str:
    """What an error says, without the nearest names: whoever gets it may not know of them."""
    if isinstance(error, UnknownName):
        return f"{error.name!r} is not known on this site."
    return str(error)
