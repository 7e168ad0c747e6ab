"""A viewer on every request of an ASGI application (Starlette, FastAPI, Django …)."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable, MutableMapping
from inspect import isawaitable
from typing import Any

from prim_lantern.live import Site
from prim_lantern.viewer import Viewer
from prim_lantern.web.caching import made_safe
from prim_lantern.web.versions import catch_up, cookie_after, is_behind, seen_before

Scope = MutableMapping[str, Any]
Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
App = Callable[[Scope, Receive, Send], Awaitable[None]]
WhoLooks = Callable[[Scope], str | Awaitable[str | None] | None]


class AsgiViewers:
    """Puts a `Viewer` on each request: as `request.state.viewer` of Starlette and FastAPI, and as
    `scope["viewer"]`.

    A login that is not known (any more) sees what guests see. Answers that say nothing of caches
    are for one person alone. Whoever has changed something finds it changed on every process.
    What could take long (a site that has just changed, or is to be caught up with) is done in a
    thread, so that nobody else waits.
    """

    def __init__(self, app: App, site: Site, who: WhoLooks) -> None:
        """Take the application, the site, and what tells who is signed in: it gets the scope of the
        request and returns a login, or None for a guest (or what is awaited for that)."""
        self.app, self.site, self._who = app, site, who

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer a request."""
        if scope["type"] not in ("http", "websocket"):
            await self.app(scope, receive, send)
            return
        viewer = await self._viewer(scope)
        scope["viewer"] = viewer
        scope.setdefault("state", {})["viewer"] = viewer
        method = scope.get("method", "GET")

        async def safely(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = made_safe(message.get("headers", ()))
                cookie = cookie_after(self.site, viewer.version, method)
                if cookie is not None:
                    headers.append((b"set-cookie", cookie.encode()))
                message["headers"] = headers
            await send(message)

        await self.app(scope, receive, safely)

    async def _viewer(self, scope: Scope) -> Viewer:
        who = self._who(scope)
        login = await who if isawaitable(who) else who
        version = seen_before(_cookies(scope))
        if is_behind(self.site, version):
            await asyncio.to_thread(catch_up, self.site, version)
        if self.site.ready:
            return self.site.viewer(login, unknown="guest")
        return await asyncio.to_thread(self.site.viewer, login, unknown="guest")


def _cookies(scope: Scope) -> str:
    some = [value for name, value in scope.get("headers", ()) if name == b"cookie"]
    return b"; ".join(some).decode("latin-1")
