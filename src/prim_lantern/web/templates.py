"""Templates of Jinja2 that ask the viewer."""

from __future__ import annotations

from typing import Any

from jinja2 import Environment, pass_context
from jinja2.ext import Extension
from jinja2.nodes import Const, ContextReference, If, Node
from jinja2.parser import Parser
from jinja2.runtime import Context

from prim_lantern.errors import BadQuestion, UnknownItem
from prim_lantern.viewer import Viewer


class LanternExtension(Extension):
    """Lets templates ask the `viewer` in their context:

    - `{% if page.path is readable %}`, `{% if page.path is allowed("edit") %}`;
    - `{% shown page.path %} … {% otherwise %} … {% endshown %}`: what is between is there only for
      those who may read the item (`{% shown page.path to "edit" %}`: who may edit it).

    A path at which nothing stands is as hidden as any other.

    >>> from jinja2 import Environment
    >>> import prim_lantern as pl
    >>> from prim_lantern.web import LanternExtension
    >>> templates = Environment(extensions=[LanternExtension], autoescape=True)
    >>> page = templates.from_string(
    ...     "{% shown '/sign-in' %}Sign in{% otherwise %}Hello{% endshown %}")
    >>> site = pl.open_demo()
    >>> page.render(viewer=site.viewer(None)), page.render(viewer=site.viewer("kit.farrow"))
    ('Sign in', 'Hello')
    """

    tags = {"shown"}  # noqa: RUF012 - so it is asked for

    def __init__(self, environment: Environment) -> None:
        super().__init__(environment)
        environment.tests["readable"] = pass_context(_readable)
        environment.tests["allowed"] = pass_context(_allowed)

    def parse(self, parser: Parser) -> Node:
        """Read one block."""
        line = next(parser.stream).lineno
        path = parser.parse_expression()
        action: Any = Const("read")
        if parser.stream.skip_if("name:to"):
            action = parser.parse_expression()
        body = parser.parse_statements(("name:otherwise", "name:endshown"))
        otherwise: list[Node] = []
        if parser.stream.skip_if("name:otherwise"):
            otherwise = parser.parse_statements(("name:endshown",))
        next(parser.stream)
        asked = self.call_method("_shown", [ContextReference(), path, action], lineno=line)
        return If(asked, body, [], otherwise, lineno=line)

    @staticmethod
    def _shown(context: Context, path: str, action: str) -> bool:
        return _allowed(context, path, action)


def _viewer(context: Context) -> Viewer:
    found = context.get("viewer")
    if not isinstance(found, Viewer):
        raise BadQuestion("A template asks who looks: give it the viewer of the request.")
    return found


def _readable(context: Context, path: str) -> bool:
    return _allowed(context, path, "read")


def _allowed(context: Context, path: str, action: str) -> bool:
    try:
        return _viewer(context).allows(action, path)
    except UnknownItem:
        return False
