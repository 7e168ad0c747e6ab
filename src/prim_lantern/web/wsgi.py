"""A viewer on every request of a WSGI application (Flask, Bottle, Django …)."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any, Final

from prim_lantern.live import Site
from prim_lantern.web.caching import made_safe
from prim_lantern.web.versions import catch_up, cookie_after, is_behind, seen_before

VIEWER: Final = "prim_lantern.viewer"
Environ = dict[str, Any]
StartResponse = Callable[..., Any]
App = Callable[[Environ, StartResponse], Iterable[bytes]]


class WsgiViewers:
    """Puts a `Viewer` on each request, as `environ["prim_lantern.viewer"]`; else as `AsgiViewers`.

    >>> import prim_lantern as pl
    >>> from prim_lantern.web import WsgiViewers
    >>> def app(environ, start_response):
    ...     start_response("200 OK", [])
    ...     return [environ["prim_lantern.viewer"].name.encode()]
    >>> guarded = WsgiViewers(app, pl.open_demo(), who=lambda environ: environ.get("REMOTE_USER"))
    >>> guarded({"REMOTE_USER": "kit.farrow"}, lambda status, headers, *_: print(headers[0]))
    ('cache-control', 'private, no-store')
    [b'Kit Farrow']
    """

    def __init__(self, app: App, site: Site, who: Callable[[Environ], str | None]) -> None:
        """Take the application, the site, and what tells who is signed in: it gets the environ of
        the request and returns a login, or None for a guest."""
        self.app, self.site, self._who = app, site, who

    def __call__(self, environ: Environ, start_response: StartResponse) -> Iterable[bytes]:
        """Answer a request."""
        version = seen_before(environ.get("HTTP_COOKIE", ""))
        if is_behind(self.site, version):
            catch_up(self.site, version)
        viewer = self.site.viewer(self._who(environ), unknown="guest")
        environ[VIEWER] = viewer
        method = environ.get("REQUEST_METHOD", "GET")

        def start(status: str, headers: list[tuple[str, str]], *more: Any) -> Any:
            raw = made_safe((n.encode("latin-1"), v.encode("latin-1")) for n, v in headers)
            found = [(name.decode("latin-1"), value.decode("latin-1")) for name, value in raw]
            cookie = cookie_after(self.site, viewer.version, method)
            if cookie is not None:
                found.append(("set-cookie", cookie))
            return start_response(status, found, *more)

        return self.app(environ, start)
