"""A view that only those reach who may."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from inspect import iscoroutinefunction
from typing import Any, TypeVar

from prim_lantern.errors import BadQuestion
from prim_lantern.viewer import Viewer

_View = TypeVar("_View", bound=Callable[..., Any])


def requires(
    action: str,
    path: str | Callable[..., str],
    *,
    viewer: Callable[[], Viewer] | None = None,
) -> Callable[[_View], _View]:
    """A decorator: the view is reached only by those who may do `action` to the item at `path`.

    Parameters: `path` is the path, with names of the view's arguments in braces
    ("/log/{slug}"), or a function of the same arguments that tells it. `viewer` tells who looks,
    where the view gets no request (Flask:
    `lambda: request.environ["prim_lantern.viewer"]`).
    Others get `Refused`, which the application answers in its own way: its `status` is 404 where
    they may not even know that something is there, else 403.

    >>> import prim_lantern as pl
    >>> from prim_lantern.web import requires
    >>> guest = pl.open_demo().viewer(None)
    >>> @requires("read", "/{section}", viewer=lambda: guest)
    ... def page(section):
    ...     return f"This is {section}."
    >>> page(section="visit")
    'This is visit.'
    >>> page(section="trustees")
    Traceback (most recent call last):
    prim_lantern.errors.Refused: There is nothing at '/trustees' that a guest may read.
    """

    def check(args: tuple[Any, ...], values: dict[str, Any]) -> None:
        request = _request_of((*args, *values.values()))
        who = viewer() if viewer is not None else _viewer_of(request)
        named = {**getattr(request, "path_params", {}), **values}
        where = path(*args, **values) if callable(path) else _filled_in(path, named)
        who.require(action, where)

    def guard(view: _View) -> _View:
        @wraps(view)
        def plain(*args: Any, **values: Any) -> Any:
            check(args, values)
            return view(*args, **values)

        @wraps(view)
        async def waiting(*args: Any, **values: Any) -> Any:
            check(args, values)
            return await view(*args, **values)

        return waiting if iscoroutinefunction(view) else plain  # type: ignore[return-value]

    return guard


def _filled_in(path: str, named: dict[str, Any]) -> str:
    try:
        return path.format_map(named)
    except (LookupError, ValueError, AttributeError, TypeError):
        names = ", ".join(sorted(named)) or "none"
        raise BadQuestion(
            f"The path {path!r} cannot be filled in: the view's arguments with names are {names}."
        ) from None


def _request_of(some: tuple[Any, ...]) -> Any:
    """The request among the arguments of a view (a method has itself before it)."""
    return next((e for e in some if hasattr(e, "scope") or hasattr(e, "environ")), None)


def _viewer_of(request: Any) -> Viewer:
    scope = getattr(request, "scope", None)
    environ = getattr(request, "environ", None)
    found = (scope or {}).get("viewer") or (environ or {}).get("prim_lantern.viewer")
    if not isinstance(found, Viewer):
        raise BadQuestion(
            "No viewer is on this request: put AsgiViewers or WsgiViewers around the application, "
            "or say who looks with viewer=…."
        )
    return found
