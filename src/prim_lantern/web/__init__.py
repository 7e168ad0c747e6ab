"""Prim Lantern in Python web frameworks: who looks, on every request.

`AsgiViewers` and `WsgiViewers` put a `Viewer` on each request; `requires` guards a view by it;
`LanternExtension` lets templates of Jinja2 ask it; `cache_headers` says who may keep a page. How
they go together is told in docs/in-a-website.md, and shown in examples/website.
"""

from prim_lantern.web.asgi import AsgiViewers
from prim_lantern.web.caching import cache_headers
from prim_lantern.web.guarding import requires
from prim_lantern.web.templates import LanternExtension
from prim_lantern.web.wsgi import WsgiViewers

__all__ = ["AsgiViewers", "LanternExtension", "WsgiViewers", "cache_headers", "requires"]
