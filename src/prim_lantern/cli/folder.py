"""`folder`: the site folder as text files."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from prim_lantern.change.effects.effects import Effects
from prim_lantern.change.effects.later import later_effects
from prim_lantern.change.effects.nothing import why_nothing
from prim_lantern.change.effects.second_thoughts import cautions_of
from prim_lantern.change.effects.summary import lines_later, lines_of
from prim_lantern.cli.changing import How, carry_out, changing
from prim_lantern.cli.common import json_option, print_json, print_lines, print_text, site_option
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import words
from prim_lantern.errors import BadQuestion, BadSite, NoSite, NotOverwritten
from prim_lantern.formats.folder.files import FILES
from prim_lantern.formats.folder.reader import read_folder
from prim_lantern.formats.folder.schema import site_schema
from prim_lantern.show.changes import (
    caution_lines,
    effect_lines,
    effects_dict,
    piece_lines,
    record_dict,
)
from prim_lantern.show.reading import ReadingProgress
from prim_lantern.show.terminal import styled, wrapped
from prim_lantern.site.moments import now
from prim_lantern.store.folder import FolderStore

if TYPE_CHECKING:
    from prim_lantern.store.database import DatabaseStore


@click.group(short_help="The site folder: check it; into a database and out.")
def folder() -> None:
    """The site folder: check it, help editors with it, into a database and out again."""


@folder.command()
@click.argument("path", required=False)
@site_option
@json_option
def check(path: str | None, where: str, as_json: bool) -> int:
    """Is the folder at PATH in order? Names every mistake at once (exit code 2)."""
    try:
        data = read_folder(path or where, ReadingProgress())
    except BadSite as error:
        if as_json:
            problems = [problem.to_dict() for problem in error.problems]
            print_json({"folder": path or where, "in_order": False, "problems": problems})
            return 2
        count = len(error.problems)
        click.echo(f"{path or where}: {count} mistake{'s' if count > 1 else ''}.")
        for problem in error.problems:
            print_lines(wrapped(str(problem), "  ", "  "))
        return 2
    counts = {
        "people": len(data.users),
        "groups": len(data.groups),
        "roles": len(data.roles),
        "readerships": len(data.readerships),
        "rules": len(data.rules),
        "items": len(data.items),
    }
    if as_json:
        print_json({"folder": path or where, "in_order": True, **counts})
    else:
        click.echo(f"{path or where}: {styled('in order', 'yes')}.")
        click.echo(f"  {words.counts(counts)}")
    return 0


@folder.command()
@click.argument("path", required=False)
@site_option
@json_option
def changes(path: str | None, where: str, as_json: bool) -> int:
    """What was edited by hand in the folder at PATH since the last change: what differs, who gains
    and who loses by it, and what is worth a second thought. The next change puts it into the
    history."""
    store = FolderStore(path or where)
    read_folder(store.folder)  # which says what is wrong with it
    work = store.hand_work()
    if work is None:
        if as_json:
            print_json({"edited_by_hand": False})
        else:
            click.echo("Nothing was edited by hand since the last change.")
        return 0
    record, before = work.record, Engine(work.before, now())
    effects = Effects(before, before.after(work.after, before.at))
    pieces = list(record.patches[0].pieces)
    lines, cautions = lines_of(effects), cautions_of(effects, pieces)
    if as_json:
        told = record_dict(record)
        print_json(
            {
                "edited_by_hand": True,
                "pieces": told["pieces"],
                "effects": effects_dict(effects, lines),
                "cautions": cautions,
            }
        )
        return 0
    click.echo(styled("Edited by hand", "strong"))
    print_lines(line for piece in pieces for line in piece_lines(piece))
    later = lines_later(effects, later_effects(before, work.after, (), pieces))
    nothing = not (lines or effects.not_counted)
    because = why_nothing(before, effects.after, pieces) if nothing else []
    print_lines(effect_lines(lines, later, because, effects))
    print_lines(caution_lines(cautions))
    return 0


@folder.command()
def schema() -> None:
    """Print a JSON Schema for site.toml, so that editors complete and check it."""
    print_json(site_schema())


@folder.command("in")
@click.argument("path")
@changing
def folder_in(path: str, how: How) -> int:
    """Put the folder at PATH into the database at --site, with its history.

    A database that is not there yet, or empty, is made. Where there is a site already, what
    differs becomes one change of it (with --by), shown first as with every change.

    \b
    prim-lantern folder in site --site sqlite:///site.db
    """
    _needs_database(how.where)
    from prim_lantern.store.connecting import without_password  # takes long to load

    where = without_password(how.where)
    data = read_folder(path, ReadingProgress())
    if _holds_a_site(how):
        return carry_out(how, lambda change: change.replace_with(data, f"take over {path}"))
    texts = FolderStore(path).whole_history()
    told = {"people": len(data.users), "items": len(data.items), "changes": len(texts)}
    if not how.trying:
        _database(how.where, make=True).fill(data, texts)
    if how.as_json:
        print_json({"made": not how.trying, **told})
    elif how.trying:
        print_text(
            f"There is no site in {where} yet. All of {path} would go into it: "
            f"{words.counts(told)}. Nothing was changed."
        )
    else:
        click.echo(f"{path} is in {where} now: {words.counts(told)}.")
    return 0


@folder.command("out")
@click.argument("path")
@click.option("--yes", is_flag=True, help="Overwrite what is there, its history too.")
@site_option
@json_option
def folder_out(path: str, yes: bool, where: str, as_json: bool) -> None:
    """Write the site in the database at --site as a folder at PATH, with its history.

    Comments and layout of a site.toml that is there are kept.
    """
    there = [name for name in FILES if (Path(path) / name).exists()]
    if there and not yes:
        raise NotOverwritten(
            str(Path(path) / there[0]), "Choose another folder, or say --yes to overwrite."
        )
    store = _database(where, make=False)
    texts, data = store.snapshot(ReadingProgress())
    FolderStore(path).fill(data, texts)
    told = {"people": len(data.users), "items": len(data.items), "changes": len(texts)}
    if as_json:
        print_json({"folder": path, **told})
    else:
        click.echo(f"{store.where} is in {path} now: {words.counts(told)}.")


def _holds_a_site(how: How) -> bool:
    """Whether a site is in the database already; one that is only tried is not made for that."""
    try:
        return not _database(how.where, make=not how.trying).empty
    except NoSite:
        if how.trying:
            return False
        raise


def _needs_database(where: str) -> None:
    if "://" not in where:
        raise BadQuestion(
            f"{where!r} is a folder: name the database with --site, as in sqlite:///site.db."
        )


def _database(where: str, *, make: bool) -> DatabaseStore:
    _needs_database(where)
    from prim_lantern.store.database import DatabaseStore  # takes long to load

    return DatabaseStore(where, make=make)


COMMANDS = {"folder": folder}
