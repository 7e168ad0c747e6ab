"""`export`: what the site says, for other systems."""

from __future__ import annotations

from pathlib import Path

import click

from prim_lantern.cli.common import (
    asked,
    at_option,
    complete_who,
    opened,
    site_option,
    whom,
)
from prim_lantern.errors import BadQuestion, NotOverwritten
from prim_lantern.formats.whole import write_whole

_FORMS = {".csv": "csv", ".json": "json"}

_overwrite = click.option(
    "--overwrite", is_flag=True, help="Take the place of a file that is there."
)
_base = click.option(
    "--base", required=True, metavar="URL", help="The address of the site: https://site.example"
)


@click.group(short_help="Content and people for other systems; sitemap and feed.")
def export() -> None:
    """What the site says, written to a file for other systems ('-': to the output)."""


@export.command()
@click.argument("file")
@_overwrite
@site_option
def content(file: str, overwrite: bool, where: str) -> None:
    """Write all items to FILE: .csv or .json, with the columns that 'import content' reads."""
    _write(file, opened(where).export("content", _form(file)), overwrite=overwrite)


@export.command()
@click.argument("file")
@click.option("--scim", "as_scim", is_flag=True, help="As SCIM 2.0 JSON, with all groups.")
@_overwrite
@at_option
@site_option
def people(file: str, as_scim: bool, overwrite: bool, at: str | None, where: str) -> None:
    """Write all people to FILE: .csv or .json, with the columns that 'import people' reads."""
    form = "scim" if as_scim else _form(file)
    _write(file, opened(where).export("people", form, at), overwrite=overwrite)


@export.command()
@click.argument("file")
@_base
@_overwrite
@at_option
@site_option
def sitemap(file: str, base: str, overwrite: bool, at: str | None, where: str) -> None:
    """Write what guests may read to FILE as a sitemap; over 50,000 pages, as an index and more
    files beside it.

    \b
    prim-lantern export sitemap sitemap.xml --base https://trust.example
    """
    site = opened(where)
    if file == "-":
        maps = site.sitemaps(base, at=at)
        if len(maps) > 1:
            raise BadQuestion("These are several files: name one, and they are put beside it.")
        _write(file, next(iter(maps.values())), overwrite=overwrite)
        return
    folder = Path(file).parent
    maps = site.sitemaps(base, Path(file).name, at)
    for name in maps:
        _check(folder / name, overwrite=overwrite)
    for name, text in maps.items():
        _write(str(folder / name), text, overwrite=True)


@export.command()
@click.argument("file")
@_base
@click.option(
    "--for", "who", default="guest", shell_complete=complete_who, metavar="WHO",
    help="Whose feed: a person, group:…, role:…; else a guest's.",
)  # fmt: skip
@click.option("--last", "most", type=click.IntRange(min=1), default=50, help="How many; else 50.")
@_overwrite
@at_option
@site_option
def feed(
    file: str, base: str, who: str, most: int, overwrite: bool, at: str | None, where: str
) -> None:
    """Write the newest items that WHO may read to FILE as an Atom feed.

    What is only for some people belongs at an address that only they know, or have to sign in for.

    \b
    prim-lantern export feed friends.atom --for group:friends --base https://trust.example
    """
    site = opened(where)
    text = site.feed(asked(whom(site, who)), base, at, most)
    _write(file, text, overwrite=overwrite)


def _form(file: str) -> str:
    if file == "-":
        return "csv"
    form = _FORMS.get(Path(file).suffix.lower())
    if form is None:
        raise BadQuestion(f"{file!r} says no form: end it with .csv or .json.")
    return form


def _check(file: Path, *, overwrite: bool) -> None:
    if file.exists() and not overwrite:
        raise NotOverwritten(str(file), "Say --overwrite, or name another file.")


def _write(file: str, text: str, *, overwrite: bool) -> None:
    if file == "-":
        click.echo(text, nl=False)
        return
    _check(Path(file), overwrite=overwrite)
    write_whole(Path(file), text)
    click.echo(f"Wrote {file}.")


COMMANDS = {"export": export}
