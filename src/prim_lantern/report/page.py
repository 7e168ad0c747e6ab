"""The report as one page of HTML that needs nothing else: no network, no script."""

from __future__ import annotations

from importlib.resources import files

from jinja2 import Environment, FunctionLoader, StrictUndefined
from markupsafe import Markup

from prim_lantern.report.contents import Contents


def _read(name: str) -> str:
    return files("prim_lantern.report").joinpath(name).read_text(encoding="utf-8")


def page(it: Contents) -> str:
    """The page (HTML). Every text of the site is escaped."""
    environment = Environment(
        loader=FunctionLoader(_read),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    template = environment.get_template("page.html.j2")
    return template.render(it=it, css=Markup(_read("page.css")))  # noqa: S704 our own file
