"""What the commands share: the site, the moment, JSON, and finding people."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Iterable, Sequence
from typing import TYPE_CHECKING, Any, TypeVar

import click
from click.shell_completion import CompletionItem

from prim_lantern.errors import BadQuestion, PrimLanternError, SeveralUsers, UnknownUser
from prim_lantern.live import Site
from prim_lantern.opening import open_site
from prim_lantern.show.reading import ReadingProgress
from prim_lantern.show.terminal import wrapped
from prim_lantern.site import names
from prim_lantern.site.people import User
from prim_lantern.site.who import AUDIENCES, GUEST_WORDS
from prim_lantern.state import Whom, pictured

if TYPE_CHECKING:
    from prim_lantern.changeable import Changeable  # asking does without it

_Command = TypeVar("_Command", bound=Callable[..., Any])
_OFFERED = 5  # people at most whom a text may have meant

site_option = click.option(
    "--site",
    "where",
    envvar="PRIM_LANTERN_SITE",
    default="site",
    metavar="SITE",
    help="The site folder or database URL (PRIM_LANTERN_SITE; else ./site).",
)
json_option = click.option("--json", "as_json", is_flag=True, help="Print JSON, for programs.")
_STOOD = "prim_lantern.stood"


def _remember_stood(ctx: click.Context, _: click.Parameter, value: str | None) -> None:
    ctx.meta[_STOOD] = value


def _at_or_stood(ctx: click.Context, _: click.Parameter, value: str | None) -> str | None:
    return value or ctx.meta.get(_STOOD)


stood_option = click.option(
    "--as-it-stood",
    metavar="WHEN",
    is_eager=True,
    expose_value=False,
    callback=_remember_stood,
    help="The site with the rules, people and content of a past moment, asked at that moment.",
)
at_option = click.option(
    "--at",
    metavar="WHEN",
    callback=_at_or_stood,
    help="The site as it is, with the clock set to 2027-05-10 or 2027-05-10T09:30Z; else now.",
)


def answering(command: _Command) -> _Command:
    """The options that every command has which answers from a site."""
    return site_option(at_option(stood_option(json_option(command))))


def print_json(value: object) -> None:
    """Print a value as JSON."""
    click.echo(json.dumps(value, ensure_ascii=False, indent=2))


def print_lines(lines: Iterable[str]) -> None:
    """Print lines of text."""
    for line in lines:
        click.echo(line)


def print_text(text: str) -> None:
    """Print a sentence or two, in lines that fit."""
    print_lines(wrapped(text))


def opened(where: str) -> Site:
    """The site at a place; how far the reading has come is shown where that takes long.

    With --as-it-stood it is the site of that moment.
    """
    site = open_site(where, ReadingProgress())
    ctx = click.get_current_context()
    stood = ctx.meta.get(_STOOD)
    if stood:
        return site.as_it_stood(stood)
    _tell_apart(site, ctx.params.get("at"))
    _tell_of_hand_work(site)
    return site


def _tell_of_hand_work(site: Site) -> None:
    """Say so where a folder was edited by hand; nobody's question fails because of that."""
    try:
        edited = site.store.by_hand()
    except (PrimLanternError, OSError):
        return  # 'history check' and 'folder changes' say what is wrong
    if edited:
        click.echo(
            "Note: the folder was edited by hand since the last change;\n"
            "      'prim-lantern folder changes' shows what it comes to.",
            err=True,
        )


def _tell_apart(site: Site, at: str | None) -> None:
    """Say so where a past moment is asked about, and the site was another then."""
    if at is None or not site.seen.number or site.moment(at) >= site.moment():
        return
    later = [each.number for each in site.history() if each.patches and each.at > site.moment(at)]
    if later:
        changes = f"change {later[0]}" if len(later) == 1 else f"changes {later[0]} to {later[-1]}"
        click.echo(
            f"Note: this asks the site as it is now, with the clock set; {changes} came later.\n"
            "      --as-it-stood asks the site as it was.",
            err=True,
        )


def person(site: Changeable, text: str) -> str | None:
    """The login of the one person whom a text fits, for a question; None for "guest".

    Raises `UnknownUser` when it fits nobody, `SeveralUsers` when it fits more than one.
    """
    return _one(text, _found(site, text)) if not _is_guest(text) else None


def person_exactly(site: Changeable, text: str) -> str | None:
    """The login of the one person whom a text names, for a change: by a whole login, name or e-mail
    address. None for "guest".

    Whom it fits only in part is asked about on a terminal, and offered else (`UnknownUser`).
    """
    if _is_guest(text):
        return None
    wanted, found = names.folded(text.removeprefix("user:")), _found(site, text)
    exactly = [u for u in found if wanted in map(names.folded, (u.login, u.name, u.email))]
    if exactly:
        return _one(text, exactly)
    if len(found) == 1 and sys.stdin.isatty() and sys.stdout.isatty():
        user = found[0]
        if click.confirm(
            f"{text!r} is nobody's whole name. Do you mean {user.called} ({user.login})?"
        ):
            return user.login
    raise UnknownUser(text, [user.login for user in found[:_OFFERED]])


def _is_guest(text: str) -> bool:
    return names.folded(text) in GUEST_WORDS


def _found(site: Changeable, text: str) -> list[User]:
    """The people whom a text may mean, at least one."""
    if _is_anybody(text):
        raise BadQuestion(f"{text!r} is no single person; 'what' and 'look-as' tell of it.")
    found = site.find_users(text.removeprefix("user:"))
    if not found:
        spelled = {user.name: user.login for user in site.data.users.values()}
        near = names.nearest(text, {**spelled, **{login: login for login in site.data.users}})
        raise UnknownUser(text, list(dict.fromkeys(spelled.get(e, e) for e in near)))
    return found


def _one(text: str, found: Sequence[User]) -> str:
    if len(found) > 1:
        raise SeveralUsers(text, [(user.login, user.name) for user in found])
    return found[0].login


def person_or_anybody(site: Site, text: str) -> Whom:
    """As `person`; `group:…`, `role:…` and `signed-in` are somebody of whom just that is known. For
    the bare name of a group or role, which is nobody's, that form is offered."""
    if _is_anybody(text):
        return pictured(text)
    try:
        return person(site, text)
    except UnknownUser as error:
        name, data = names.folded(text), site.data
        meant = [f"group:{name}"] * (name in data.groups) + [f"role:{name}"] * (name in data.roles)
        raise UnknownUser(text, (*meant, *error.suggestions)) from None


def _is_anybody(text: str) -> bool:
    return text.startswith(("group:", "role:")) or text == "signed-in"


def asked(named: str) -> Whom:
    """The one whom `whom` found, to be asked about."""
    return pictured(named) if _is_anybody(named) or named in AUDIENCES else named


def whom(site: Site, text: str) -> str:
    """A person's login, a group as `group:…`, a role as `role:…`, or an audience, for the grid and
    looking as."""
    if names.folded(text) in GUEST_WORDS:
        return "guests"
    if text in AUDIENCES or _is_anybody(text):
        return text
    if names.folded(text) in site.data.groups:
        return f"group:{names.folded(text)}"
    return person(site, text) or "guests"


def _of_sort(sort: str) -> Callable[..., Any]:
    """The argument that names a group or a role, with its sort in front of it or without."""
    prefix = f"{sort}:"
    return click.argument("name", callback=lambda *given: given[-1].removeprefix(prefix))


group_argument, role_argument = _of_sort("group"), _of_sort("role")


def texts(text: str | None) -> tuple[str, ...]:
    """The entries of a text with commas."""
    return tuple(each for each in map(str.strip, (text or "").split(",")) if each)


def gathered(
    into: Any, name: str, options: Sequence[Callable[[Any], Any]]
) -> Callable[[Callable[..., Any]], Any]:
    """Gives a command some options, which it gets together as one named tuple."""

    def decorate(command: Callable[..., Any]) -> Any:
        def with_it(**given: Any) -> Any:
            value = into(**{field: given.pop(field) for field in into._fields})
            return command(**{name: value}, **given)

        with_it.__doc__ = command.__doc__
        with_it.__name__ = command.__name__
        with_it.__click_params__ = getattr(command, "__click_params__", [])  # type: ignore[attr-defined]
        for option in reversed(options):
            with_it = option(with_it)
        return with_it

    return decorate


def completing(
    known: Callable[[Site], Iterable[str]],
) -> Callable[[click.Context, click.Parameter, str], list[CompletionItem]]:
    """Shell completion from the names of the site; none where it cannot be opened."""

    def complete(ctx: click.Context, _: click.Parameter, incomplete: str) -> list[CompletionItem]:
        try:
            site = open_site(ctx.params.get("where") or "site")
        except PrimLanternError:
            return []
        return [CompletionItem(each) for each in known(site) if each.startswith(incomplete)]

    return complete


complete_who = completing(lambda site: site.data.users)
complete_place = completing(lambda site: [*site.data.paths, *site.data.categories])
complete_action = completing(lambda site: [*site.data.item_actions, "move", "manage-rights"])
