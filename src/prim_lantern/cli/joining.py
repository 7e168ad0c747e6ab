"""`user invite`, `accept`, `sign-up`, `invitations`: how somebody comes in."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextlib import suppress
from typing import Any

import click

from prim_lantern.changing import Change
from prim_lantern.cli.changing import How, carry_out, changing, settings
from prim_lantern.cli.common import (
    json_option,
    opened,
    print_json,
    site_option,
)
from prim_lantern.cli.incoming import rows_of_people
from prim_lantern.cli.listing import As, list_of_site, show_list
from prim_lantern.decide.explain.words import listed
from prim_lantern.errors import UnknownUser
from prim_lantern.live import Site
from prim_lantern.mail import FileMailer, Invitation, invitation_mail, mailbox
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import written
from prim_lantern.site.people import INVITED


def about_somebody(command: Callable[..., Any]) -> Callable[..., Any]:
    """The options that say who somebody is."""
    for decorate in (
        click.option("--name", help="The name that people see."),
        click.option("--email", help="The e-mail address."),
        click.option(
            "--set",
            "values",
            multiple=True,
            metavar="NAME=VALUE",
            help="An attribute; more than once. NAME= takes it away.",
        ),
    ):
        command = decorate(command)
    return command


groups_option = click.option("--group", "groups", multiple=True, help="A group they join.")


@click.command()
@click.argument("login", required=False)
@about_somebody
@groups_option
@click.option("--from", "file", metavar="FILE", help="Many: CSV with login, name, email, groups.")
@click.option("--lasts", default="14 days", show_default=True, help="How long the link holds.")
@click.option(
    "--link", metavar="TEXT", help="The address of the link, with {token} where it belongs."
)
@click.option("--mail-to", metavar="FOLDER", help="Write the mail to a file in this folder.")
@changing
def invite(
    login: str | None,
    name: str | None,
    email: str | None,
    values: tuple[str, ...],
    groups: tuple[str, ...],
    file: str | None,
    lasts: str,
    link: str | None,
    mail_to: str | None,
    how: How,
) -> int:
    """Invite a person, or those in a file; until they accept they see what guests see.

    Prints the links, which are to be had only now. Somebody invited already gets a new link, and
    the one before ends; name, e-mail and groups can be changed so as well. A byline that is invited
    stays the author of what they wrote.
    """
    if (login is None) == (file is None):
        raise click.UsageError("Name one LOGIN, or a file of people with --from.")
    tokens: dict[str, str] = {}

    def build(change: Change) -> None:
        one: list[Mapping[str, Any]] = [{"login": login, "name": name or "", "email": email or ""}]
        for each in one if file is None else rows_of_people(file, change.site.data):
            if mail_to is not None:
                _check_address(each, change.site.data)
            tokens[each["login"]] = change.invite(
                each["login"],
                name=each.get("name", ""),
                email=each.get("email", ""),
                groups=tuple(dict.fromkeys((*each.get("groups", ()), *groups))),
                attributes={**each.get("attributes", {}), **settings(values)},
                lasts=lasts,
            )

    def send(site: Site) -> None:
        mails = []
        for invited, token in tokens.items():
            user = site.data.user(invited)
            until = site.data.invitations[user.login].until
            address = (link or "prim-lantern user accept {token}").replace("{token}", token)
            mails.append(Invitation(site.data.name, user.called, user.email, address, until))
            told = f"The link for {user.called}, until {written(until)}:\n  {address}"
            click.echo(told, err=how.as_json)
        for each in mails if mail_to is not None else ():  # all links are told before one fails
            sent = FileMailer(str(mail_to)).send(invitation_mail(each))
            click.echo(f"The mail is in {sent}.", err=how.as_json)

    return carry_out(how, build, after=send)


def _check_address(row: Mapping[str, Any], data: SiteData) -> None:
    """Raise `BadValue` where somebody in a row has, or gets, an address to which no mail can go."""
    address = row.get("email", "")
    if not address:
        with suppress(UnknownUser):
            address = data.user(row["login"]).email
    if address:
        mailbox(row["login"], address)


@click.command()
@click.argument("token")
@site_option
@json_option
def accept(token: str, where: str, as_json: bool) -> None:
    """Accept an invitation by the TOKEN of its link."""
    site = opened(where)
    login = site.accept(token)
    if as_json:
        print_json({"login": login, "status": "active"})
    else:
        click.echo(f"{site.data.users[login].called} is now active.")


@click.command("sign-up")
@click.argument("login")
@click.option("--name", default="", help="The name that people see.")
@click.option("--email", default="", help="The e-mail address.")
@click.option("--group", "groups", multiple=True, help="Only this group of those that are open.")
@site_option
@json_option
def sign_up(
    login: str, name: str, email: str, groups: tuple[str, ...], where: str, as_json: bool
) -> None:
    """Add somebody who signs up by themselves as LOGIN: 'group sign-up' says into which groups."""
    site = opened(where)
    site.sign_up(login, name=name, email=email, groups=groups)
    joined = [each.group for each in site.data.users[login].memberships]
    if as_json:
        print_json({"login": login, "status": "active", "groups": joined})
    else:
        called = [f"group {site.data.groups[each].called}" for each in joined]
        click.echo(f"{site.data.users[login].called} is now active, in {listed(called)}.")


@click.command()
@list_of_site
def invitations(where: str, shown: As) -> None:
    """Those who were invited and have not accepted yet, and until when their links hold."""
    from prim_lantern.show.records import Column

    site = opened(where)
    now = site.moment()
    records = []
    for each in site.data.users.values():
        if each.status == INVITED:
            link = site.data.invitations.get(each.login)
            state = "no link" if link is None else "holds" if now < link.until else "has ended"
            until = written(link.until) if link else None
            told = {"login": each.login, "name": each.name, "email": each.email}
            records.append({**told, "link": state, "until": until})
    columns = [
        Column("login", "Login", whole=True),
        Column("name", "Name", shed=1),
        Column("email", "E-mail", shed=2),
        Column("link", "Link"),
        Column("until", "Until"),
    ]
    show_list(shown, columns, records, "Nobody is invited just now.")
