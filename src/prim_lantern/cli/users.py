"""`user`: people listed and shown, added, invited, suspended, and the ownership handed over."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import click

from prim_lantern.change.effects.effects import Effects
from prim_lantern.change.effects.summary import lines_of
from prim_lantern.changing import Change
from prim_lantern.cli.changing import How, carry_out, changing, login_of, settings
from prim_lantern.cli.common import (
    answering,
    complete_who,
    opened,
    person,
    print_json,
    print_lines,
    site_option,
    stood_option,
    texts,
)
from prim_lantern.cli.joining import (
    about_somebody,
    accept,
    groups_option,
    invitations,
    invite,
    sign_up,
)
from prim_lantern.cli.listing import As, list_at, listing, show_list
from prim_lantern.cli.what import print_holdings, who_it_is
from prim_lantern.decide.explain.holdings import holdings as holdings_of
from prim_lantern.errors import BadQuestion
from prim_lantern.insight.returning import with_back
from prim_lantern.live import Site
from prim_lantern.show.changes import marked
from prim_lantern.show.records import cell_text
from prim_lantern.show.terminal import wrapped
from prim_lantern.site import names
from prim_lantern.site.moments import written
from prim_lantern.site.people import INVITED, STATUSES, SUSPENDED, User


@click.group(short_help="People: list, show, add, invite, suspend …")
def user() -> None:
    """The people of the site."""


@user.command("list")
@click.argument("text", default="")
@click.option("--newest", is_flag=True, help="Those who joined last come first.")
@click.option("--status", type=click.Choice(STATUSES), help="Only in this state.")
@list_at
def list_users(
    text: str, newest: bool, status: str | None, where: str, at: str | None, shown: As
) -> None:
    """The people whom TEXT fits (all, when left out), by name or by when they joined."""
    from prim_lantern.show.records import Column

    site = opened(where)
    people = site.find_users(text) if text else list(site.data.users.values())
    people = [each for each in people if status is None or each.status == status]
    people.sort(key=lambda each: names.folded(each.called))
    if newest:
        people.sort(key=lambda each: written(each.joined) if each.joined else "", reverse=True)
    records = [
        {
            "login": each.login,
            "name": each.name,
            "status": each.status,
            "joined": written(each.joined) if each.joined else None,
            "groups": sorted({way.group for way in site.memberships(each.login, at)}),
        }
        for each in people
    ]
    columns = [
        Column("login", "Login", whole=True),
        Column("name", "Name", shed=2),
        Column("status", "State"),
        Column("joined", "Joined", shed=3),
        Column("groups", "Groups"),
    ]
    owner = {"login": site.data.owner}
    short = [
        {**each, "status": f"{each['status']} (owner)"} if each["login"] == owner["login"] else each
        for each in records
    ]
    empty = f"Nobody fits {text!r}." if text else "Nobody is in this state."
    show_list(shown, columns, records, empty, short=short)


@user.command("show")
@click.argument("who", shell_complete=complete_who)
@answering
def show_user(who: str, where: str, at: str | None, as_json: bool) -> None:
    """One person: what is known of them, and the groups, roles and rules that reach them. What that
    lets them do says 'what WHO'."""
    site = opened(where)
    login = person(site, who)
    if login is None:
        raise BadQuestion("A guest is nobody by name; 'what guest' says what guests may do.")
    powers = site.powers_of(login, at)
    held = holdings_of(site.data, powers, site.moment(at))
    known, plans = _known_of(site, login), [e for e in site.enrolments(at) if e.login == login]
    if as_json:
        points = {name: [point.to_dict() for point in some] for name, some in held.items()}
        manages = {action: list(at) for action, at in powers.manages.items()}
        enrolled = [each.to_dict() for each in plans]
        print_json({**known, "enrolments": enrolled, **points, "manages": manages})
        return
    print_lines(who_it_is(site, login))
    for name, value in known.items():
        if value and name not in ("login", "name", "status", "owner"):
            print_lines(wrapped(f"{name.replace('_', ' ')}: {cell_text(value)}", "  ", "  "))
    for each in plans:
        called = site.data.plans[each.plan].called
        begins = {"now": "is", "later": "will be", "ended": "was"}[each.state]
        print_lines(wrapped(f"{begins} enrolled in {called} {each.period}", "  ", "  "))
    print_holdings(held, powers)
    print_lines(["", *wrapped(f"'prim-lantern what {login}' says what that lets them do.")])


def _known_of(site: Site, login: str) -> dict[str, Any]:
    user = site.data.users[login]
    return {
        "login": login,
        "name": user.name,
        "email": user.email,
        "status": user.status,
        "owner": login == site.data.owner,
        "joined": written(user.joined) if user.joined else None,
        "roles_elsewhere": list(user.roles_elsewhere),
        **user.attributes,
    }


@user.command()
@click.argument("who", shell_complete=complete_who)
@site_option
@stood_option
@listing
def holdings(who: str, where: str, shown: As) -> None:
    """Everything that names WHO: memberships by hand, enrolments, rules, given roles, readerships,
    stewardships, what they wrote and had a hand in; and for somebody suspended or invited, what
    would come back."""
    from prim_lantern.show.records import Column

    site = opened(where)
    login = person(site, who)
    if login is None:
        raise BadQuestion("A guest is nobody by name.")
    columns = [
        Column("what", "What", whole=True),
        Column("name", "Name", whole=True),
        Column("says", "Says", shed=1),
        Column("written", "Written at", shed=2),
    ]
    user = site.data.users[login]
    if not (shown.as_json or shown.to_csv):
        click.echo(f"{user.called} ({login}), {user.status}.")
    records = [each.to_dict() for each in site.naming(login)]
    show_list(shown, columns, records, "Nothing names them.")
    if user.status in (SUSPENDED, INVITED) and not (shown.as_json or shown.to_csv):
        print_lines(_coming_back(site, user))


def _coming_back(site: Site, user: User) -> Iterator[str]:
    """What somebody who does not act now would gain and lose, if they did."""
    engine = site.engine_for(site.data, site.moment())
    after = engine.after(with_back(site.data, [user]), engine.at)
    effects = Effects(engine, after)
    lines = lines_of(effects)
    nothing = "nothing that is counted here" if effects.not_counted else "nothing"
    yield "If they acted again:" if lines else f"If they acted again, {nothing} would change."
    yield from marked(lines)
    for each in effects.not_counted:
        yield from wrapped(each, "  ")


# Adding and changing ------------------------------------------------------------------------


@user.command()
@click.argument("login")
@about_somebody
@groups_option
@click.option("--byline", is_flag=True, help="A named author without an account.")
@changing
def add(
    login: str,
    name: str | None,
    email: str | None,
    values: tuple[str, ...],
    groups: tuple[str, ...],
    byline: bool,
    how: How,
) -> int:
    """Add an active person, or a byline."""
    status = "byline" if byline else "active"
    return carry_out(
        how,
        lambda change: change.add_user(
            login, name or "", email or "", status, groups, settings(values)
        ),
    )


@user.command()
@click.argument("who", shell_complete=complete_who)
@about_somebody
@click.option("--roles-elsewhere", metavar="ROLES", help="Roles another system gives, with commas.")
@click.option("--account/--byline", default=None, help="Make an account of a byline, or back.")
@changing
def change(
    who: str,
    name: str | None,
    email: str | None,
    values: tuple[str, ...],
    roles_elsewhere: str | None,
    account: bool | None,
    how: How,
) -> int:
    """Change a person's name, e-mail, attributes, or roles elsewhere. A byline can become an
    account, and an account a byline: the author of what they wrote, who acts no more."""
    elsewhere = texts(roles_elsewhere) if roles_elsewhere is not None else None
    return carry_out(
        how,
        lambda change: change.change_user(
            login_of(change.site, who), name, email, settings(values), elsewhere, account
        ),
    )


@user.command()
@click.argument("who", shell_complete=complete_who)
@click.argument("login")
@changing
def rename(who: str, login: str, how: How) -> int:
    """Give WHO another LOGIN; everything that names them goes along. Whoever comes to the website
    under the new login from now on is them."""
    return carry_out(how, lambda change: change.rename_user(login_of(change.site, who), login))


def _on_one(name: str, method: str, text: str) -> click.Command:
    """A command that does one thing to one person."""

    @click.argument("who", shell_complete=complete_who)
    @changing
    def command(who: str, how: How) -> int:
        return carry_out(how, lambda change: getattr(change, method)(login_of(change.site, who)))

    return click.command(name, help=text)(command)


for _name, _method, _text in (
    ("cancel", "cancel_invitation", "Cancel an invitation: its link ends, the person goes."),
    ("suspend", "suspend", "Suspend a person: they count as a guest until brought back."),
    ("bring-back", "bring_back", "Bring back somebody suspended, with all they had."),
    ("remove", "remove_user", "Remove a person, with the words that speak of them alone."),
    ("hand-over", "hand_over", "Hand over the ownership of the site to somebody active."),
):
    user.add_command(_on_one(_name, _method, _text))


@user.command()
@click.argument("who")
@click.option("--hand-to", metavar="WHO", help="Who is the author of what they wrote from now on.")
@changing
def release(who: str, hand_to: str | None, how: How) -> int:
    """Take away all that reaches WHO by name, in one change: memberships, enrolments, rules, given
    roles, readerships, stewardships ('user holdings' lists it). They stay as they are, and the
    author of what they wrote unless --hand-to names another."""

    def build(change: Change) -> None:
        heir = login_of(change.site, hand_to) if hand_to else None
        change.release_user(login_of(change.site, who), heir)

    return carry_out(how, build)


for _command in (invite, accept, sign_up, invitations):
    user.add_command(_command)

COMMANDS = {"user": user}
