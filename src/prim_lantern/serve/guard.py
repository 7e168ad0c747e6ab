"""What stands before everything that is served: tokens, limits, request ids, logs, metrics."""

from __future__ import annotations

import json
import logging
import re
from collections import OrderedDict
from collections.abc import MutableMapping
from time import monotonic, perf_counter
from typing import Any, Final
from uuid import uuid4

from prometheus_client import CollectorRegistry, Counter, Gauge, Histogram
from starlette.types import ASGIApp, Receive, Scope, Send

from prim_lantern.errors import PrimLanternError
from prim_lantern.live import Site
from prim_lantern.serve.problems import Problem
from prim_lantern.serve.tokens import Token, Tokens

OPEN: Final = ("/-/alive", "/-/ready")
_FAIRLY: Final = 5  # failed tries a second from one address before it has to wait
_PEOPLE: Final = 10_000  # callers whose rate is remembered
_REQUEST_ID: Final = re.compile(r"[\x21-\x7e]{1,128}")
_log = logging.getLogger("prim_lantern.serve")


class Rate:
    """So many calls a second for each caller, with as many at once."""

    def __init__(self, a_second: float) -> None:
        self._a_second = a_second
        self._left: OrderedDict[str, tuple[float, float]] = OrderedDict()

    def takes(self, caller: str, *, count: bool = True) -> bool:
        """Whether there is room for one more call."""
        now = monotonic()
        left, at = self._left.get(caller, (self._a_second, now))
        left = min(self._a_second, left + (now - at) * self._a_second)
        taken = left >= 1
        self._left[caller] = (left - 1 if taken and count else left), now
        self._left.move_to_end(caller)
        if len(self._left) > _PEOPLE:
            self._left.popitem(last=False)
        return taken


class Metrics:
    """What is counted, for Prometheus."""

    def __init__(self, site: Site) -> None:
        self.registry = CollectorRegistry()
        labels = ["endpoint", "status"]
        self.requests = Counter(
            "prim_lantern_requests", "Requests answered.", labels, registry=self.registry
        )
        self.seconds = Histogram(
            "prim_lantern_request_seconds",
            "How long an answer took.",
            ["endpoint"],
            registry=self.registry,
            buckets=(0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.5, 1, 5),
        )
        self.decisions = Counter(
            "prim_lantern_decisions", "Decisions.", ["decision"], registry=self.registry
        )
        version = Gauge(
            "prim_lantern_site_version", "The number of the last change.", registry=self.registry
        )
        version.set_function(lambda: site.version)
        age = Gauge(
            "prim_lantern_site_confirmed_seconds",
            "How long ago the store last said that this is the newest.",
            registry=self.registry,
        )
        age.set_function(lambda: site.freshness.age)


class Guard:
    """Lets a request through to the application, with its token in the scope."""

    def __init__(self, app: ASGIApp, tokens: Tokens, metrics: Metrics, rate: float) -> None:
        self.app, self._tokens, self._metrics = app, tokens, metrics
        self._rate, self._tries = Rate(rate), Rate(_FAIRLY)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer a request."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        began = perf_counter()
        headers = dict(scope["headers"])
        asked = headers.get(b"x-request-id", b"").decode("latin-1")
        scope["request_id"] = asked if _REQUEST_ID.fullmatch(asked) else str(uuid4())
        status = 500

        async def noted(message: MutableMapping[str, Any]) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                message["headers"] = [*message.get("headers", ()), *_always(scope)]
            await send(message)

        try:
            scope["token"] = self._token(scope, headers)
            await self.app(scope, receive, noted)
        except Problem as problem:
            await problem.response()(scope, receive, noted)
        except PrimLanternError as error:
            await Problem.of(error).response()(scope, receive, noted)
        except Exception:  # it is answered already: what is left is to tell whoever looks after it
            _log.exception(json.dumps({"id": scope["request_id"], "status": 500}))
        finally:
            self._note(scope, status, perf_counter() - began)

    def _token(self, scope: Scope, headers: dict[bytes, bytes]) -> Token | None:
        if scope["path"] in OPEN:
            return None
        address = (scope.get("client") or ("unknown",))[0]
        if not self._tries.takes(address, count=False):
            raise Problem(429, "Too many tries with a wrong token.", {"Retry-After": "1"})
        kind, _, said = headers.get(b"authorization", b"").decode("latin-1").partition(" ")
        found = self._tokens.find(said.strip()) if kind.lower() == "bearer" and said else None
        if found is None:
            self._tries.takes(address)
            said = "A token is needed: Authorization: Bearer …."
            raise Problem(401, said, {"WWW-Authenticate": "Bearer"})
        if not self._rate.takes(found.name):
            raise Problem(429, "Too many requests; wait a moment.", {"Retry-After": "1"})
        return found

    def _note(self, scope: Scope, status: int, seconds: float) -> None:
        route = scope.get("route")
        endpoint = getattr(route, "path", "none")  # never what was asked for: that is endless
        self._metrics.requests.labels(endpoint, status).inc()
        self._metrics.seconds.labels(endpoint).observe(seconds)
        token: Token | None = scope.get("token")
        if _log.isEnabledFor(logging.INFO) and scope["path"] not in OPEN:
            line = {
                "id": scope["request_id"],
                "method": scope["method"],
                "endpoint": endpoint,
                "status": status,
                "ms": round(seconds * 1000, 2),
                "token": token.name if token is not None else None,
            }
            _log.info(json.dumps(line))


def _always(scope: Scope) -> list[tuple[bytes, bytes]]:
    """The headers of every answer."""
    return [
        (b"x-request-id", scope["request_id"].encode("latin-1")),
        (b"cache-control", b"no-store"),
        (b"x-content-type-options", b"nosniff"),
    ]


def token_for(scope: MutableMapping[str, Any], what: str) -> Token:
    """The token of a request, which has to be for this."""
    token: Token | None = scope.get("token")
    if token is None or not token.allows(what):
        raise Problem(403, f"This token is not for {what}.")
    return token
