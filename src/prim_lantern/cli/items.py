"""`item` and `category`: content added, moved, filed, hidden, and taken along its states."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import islice
from typing import Any

import click

from prim_lantern.changeable import Changeable
from prim_lantern.changing import Change
from prim_lantern.cli.changing import How, carry_out, changing, logins_of
from prim_lantern.cli.common import complete_place, opened, person, person_or_anybody
from prim_lantern.cli.listing import As, list_at, list_of_site, show_list
from prim_lantern.decide.explain import words
from prim_lantern.decide.subject import with_above
from prim_lantern.decide.views.access import access_to
from prim_lantern.show.terminal import wrapped
from prim_lantern.site.actions import STEPS
from prim_lantern.site.content import STATES
from prim_lantern.site.places import place

_MANY = 200  # items below a place that are looked through by the way


@click.group(short_help="Items: add, move, change, hide, publish …")
def item() -> None:
    """Items: pages, posts, parts of pages, menu links, screens."""


@item.command("list")
@click.option("--state", type=click.Choice(STATES), help="Only in this state, as it is now.")
@click.option("--kind", help="Only of this kind.")
@click.option("--filed", metavar="CATEGORY", help="Only filed there or below.")
@click.option("--author", metavar="WHO", help="Only by this author.")
@click.option("--in", "within", metavar="PATH", shell_complete=complete_place, help="At or below.")
@click.option("--own-words", is_flag=True, help="Only where a rule, role or readership stands.")
@click.option("--for", "reader", metavar="WHO", help="Only what this person may read.")
@list_at
def list_items(
    state: str | None,
    kind: str | None,
    filed: str | None,
    author: str | None,
    within: str | None,
    own_words: bool,
    reader: str | None,
    at: str | None,
    where: str,
    shown: As,
) -> None:
    """Items in tree order, with what is known of each; options narrow it down."""
    from prim_lantern.show.records import Column

    site = opened(where)
    found = site.find_items(
        state=state,
        kind=kind,
        category=filed,
        author=person(site, author) if author else None,
        within=within,
        own_words=own_words,
        at=at,
    )
    if reader is not None:
        may = set(site.items_for(person_or_anybody(site, reader), "read", at))
        found = [each for each in found if each.path in may]
    columns = [
        Column("path", "Path", whole=True),
        Column("title", "Title"),
        Column("kind", "Kind", shed=2),
        Column("state", "State"),
        Column("authors", "Authors", shed=3),
        Column("categories", "Filed under", shed=4),
        Column("words", "Own words", shed=1),
    ]
    if not (shown.as_json or shown.to_csv):
        count = f"{len(found):,} item{'s' if len(found) != 1 else ''}"
        click.echo(f"{count} of {len(site.data.items):,}.")
    show_list(shown, columns, [each.to_dict() for each in found], "No item fits.")


@item.command()
@click.argument("path")
@click.argument("kind")
@click.option("--title", default="", help="The title.")
@click.option("--author", "authors", multiple=True, help="An author; left out: who adds it.")
@click.option("--filed", multiple=True, metavar="CATEGORY", help="File it under this.")
@click.option("--links-to", metavar="PATH", help="For a link: where it leads.")
@click.option("--publish", is_flag=True, help="Publish it at once.")
@changing
def add(
    path: str,
    kind: str,
    title: str,
    authors: tuple[str, ...],
    filed: tuple[str, ...],
    links_to: str | None,
    publish: bool,
    how: How,
) -> int:
    """Add an item of KIND at PATH: a draft, unless --publish makes it public."""

    def build(change: Change) -> None:
        wrote = logins_of(change.site, authors) or _maker(change)
        change.add_item(path, kind, title, wrote, filed, links_to)
        if publish:
            change.take_step(path, "publish")

    return carry_out(how, build)


def _maker(change: Change) -> tuple[str, ...]:
    return (change.by,)


@item.command()
@click.argument("path", shell_complete=complete_place)
@click.option("--title", help="The title.")
@click.option(
    "--filed", "file_under", multiple=True, metavar="CATEGORY", help="File it under this."
)
@click.option(
    "--not-filed", "not_under", multiple=True, metavar="CATEGORY", help="Take it out of this."
)
@click.option("--add-author", multiple=True, metavar="WHO", help="An author more.")
@click.option("--drop-author", multiple=True, metavar="WHO", help="No longer an author.")
@click.option("--links-to", metavar="PATH", help="For a link: where it leads.")
@click.option("--public-from", metavar="WHEN", help="Public from then on ('never': at once).")
@click.option("--public-until", metavar="WHEN", help="Public until then ('never': no end).")
@changing
def change(path: str, how: How, **said: Any) -> int:
    """Change an item's title, categories, authors, or from when until when it is public."""

    def build(change: Change) -> None:
        change.change_item(
            path,
            said["title"],
            said["file_under"],
            said["not_under"],
            logins_of(change.site, said["add_author"]),
            logins_of(change.site, said["drop_author"]),
            said["links_to"],
            said["public_from"],
            said["public_until"],
        )

    return carry_out(how, build)


@item.command()
@click.argument("path", shell_complete=complete_place)
@click.argument("new_parent", shell_complete=complete_place)
@click.option("--as", "name", metavar="NAME", help="The last part of the new path.")
@changing
def move(path: str, new_parent: str, name: str | None, how: How) -> int:
    """Move an item, with all below it and all that is set there, under NEW_PARENT."""
    return carry_out(how, lambda change: change.move_item(path, new_parent, name))


@item.command()
@click.argument("paths", nargs=-1, required=True, shell_complete=complete_place)
@click.argument("step", type=click.Choice(list(STEPS)))
@click.option("--from", "public_from", metavar="WHEN", help="For publish: public from then on.")
@click.option("--until", "public_until", metavar="WHEN", help="For publish: public until then.")
@changing
def step(
    paths: tuple[str, ...], step: str, public_from: str | None, public_until: str | None, how: How
) -> int:
    """Take items, one or several, one STEP along: submit, send-back, publish, withdraw, archive."""

    def build(change: Change) -> None:
        for path in dict.fromkeys(paths):
            change.take_step(path, step, public_from, public_until)

    return carry_out(how, build)


@item.command()
@click.argument("path", shell_complete=complete_place)
@click.option(
    "--with-words", is_flag=True, help="Also rules, readerships, limits that stand there."
)
@changing
def remove(path: str, with_words: bool, how: How) -> int:
    """Remove an item with all below it. What is said of those paths stays, for whatever comes there
    next, unless --with-words takes it away."""
    return carry_out(how, lambda change: change.remove_item(path, with_words))


@item.command()
@click.argument("path", shell_complete=complete_place)
@click.option("--with-words", is_flag=True, help="Take away every word that lets others past.")
@changing
def hide(path: str, with_words: bool, how: How) -> int:
    """Hide an item, with what is below it, from all but its authors and all-access people. Whoever
    is let past by a word that stands there or below still reads it: they are named, each with the
    line. With --with-words these rules, roles and settings go too; 'undo' brings them back."""
    return carry_out(
        how,
        lambda change: change.hide(path, with_words),
        before=lambda change: _still(change, path),
    )


def _still(change: Change, path: str) -> Iterator[str]:
    """Who still reads what is hidden, beside authors and all-access people, where and by what."""
    after, data = change.effects().after, change.data
    below = len(list(islice(data.tree.below(path), _MANY + 1))) <= _MANY
    found: dict[tuple[str, tuple[str, ...], tuple[str, ...]], list[str]] = {}
    for each in access_to(after, ["read"], place(path), below=below):
        login = each.who
        places = tuple(
            at
            for at in each.places
            if login is None
            or not (
                login == data.owner
                or login in after.subject(at).authors
                or after.reference.all_access(login, after.subject(at)) is not None
            )
        )
        if places:
            name = data.users[login].called if login is not None else "Guests"
            found.setdefault((each.why, each.written, places), []).append(name)
    for (why, written, places), names in sorted(
        found.items(), key=lambda each: path not in each[0][2]
    ):
        some = words.listed(names) if len(names) <= 3 else _counted(names)
        where = "" if path in places else f" at {words.some(places)}"
        lines = f"  [{'; '.join(written)}]" if written else ""
        yield from wrapped(f"Still read{where} by {some}: {why}.{lines}", "", "  ")
    if not below:
        yield from wrapped(
            f"Much stands below {path}: 'who read {path} --below' says who still reads it.",
            "",
            "  ",
        )


def _counted(names: Sequence[str]) -> str:
    guests = names[0] == "Guests"
    return f"{'guests and ' if guests else ''}{len(names) - guests:,} people"


@item.command()
@click.argument("path", shell_complete=complete_place)
@changing
def unhide(path: str, how: How) -> int:
    """Show a hidden item again, with the readership that it had before."""
    return carry_out(how, lambda change: change.show(path, *_before_hiding(change.site, path)))


def _before_hiding(site: Changeable, path: str) -> tuple[str | None, str | None]:
    """The readership that stood at a path before it was hidden, and its reach, by the history."""
    for record in reversed(site.store.records()):
        for patch in record.patches:
            for piece in patch.pieces:
                setting = piece.part == "places" and piece.after
                if setting and setting.place.name == path and setting.readership == "authors-only":
                    own = next(
                        (p.before for p in patch.pieces if p.part == "items" and p.name == path),
                        None,
                    )
                    if piece.before:
                        return piece.before.readership, piece.before.place.reach
                    return own.readership if own else None, None
    return None, None


@click.group(short_help="Categories: add and remove.")
def category() -> None:
    """Categories, under which items are filed."""


@category.command("list")
@list_of_site
def list_categories(where: str, shown: As) -> None:
    """All categories, how many items are filed under each (those below included), and the words
    that stand there."""
    from prim_lantern.show.records import Column

    data = opened(where).data
    filed = Counter(
        name for some in data.content.values_of("categories") for name in with_above(some)
    )
    told = Counter(each.place.name for each in data.rules)
    told.update(each.name for given in data.given for each in given.within_any)
    readerships = {name: each.readership for (_, name), each in data.readerships_at.items()}
    records = [
        {
            "category": name,
            "label": label,
            "items": filed[name],
            "readership": readerships.get(name),
            "words": told[name],
        }
        for name, label in data.categories.items()
    ]
    columns = [
        Column("category", "Category", whole=True),
        Column("label", "Called", shed=1),
        Column("items", "Items"),
        Column("readership", "Readership"),
        Column("words", "Rules and roles"),
    ]
    show_list(shown, columns, records, "There is no category yet: 'category add' makes one.")


@category.command("add")
@click.argument("name")
@click.option("--label", default="", help="The name that people see.")
@changing
def add_category(name: str, label: str, how: How) -> int:
    """Add a category, as topic:wildlife/seals; a set that is new is made."""
    return carry_out(how, lambda change: change.add_category(name, label))


@category.command("remove")
@click.argument("name")
@changing
def remove_category(name: str, how: How) -> int:
    """Remove a category that nothing is filed under and where nothing is set."""
    return carry_out(how, lambda change: change.remove_category(name))


@category.command("rename")
@click.argument("name")
@click.argument("new_name")
@changing
def rename_category(name: str, new_name: str, how: How) -> int:
    """Give a category another name; everything that speaks of it goes along. Only the last part of
    its name changes, and so for all below it."""
    return carry_out(how, lambda change: change.rename_category(name, new_name))


COMMANDS = {"item": item, "category": category}
