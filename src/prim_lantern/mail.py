"""Invitations that go out by mail, through whatever sends it."""

from __future__ import annotations

from datetime import datetime
from email.message import EmailMessage
from email.utils import format_datetime
from pathlib import Path
from typing import NamedTuple, Protocol

from prim_lantern.errors import BadValue
from prim_lantern.site.moments import now, written


class Mailer(Protocol):
    """Whatever can send a mail (RFC 5322). A website gives its own."""

    def send(self, mail: EmailMessage) -> object:
        """Send a mail; an error it raises is for whoever called."""


class Invitation(NamedTuple):
    """What the mail of an invitation says: the site, whom it is for, the link and its end."""

    site: str
    name: str
    email: str
    link: str
    until: datetime


class FileMailer:
    """Writes each mail to a file of its own in a folder, for trying out and for tests."""

    def __init__(self, folder: str | Path) -> None:
        self._folder = Path(folder)

    def send(self, mail: EmailMessage) -> Path:
        """Write a mail, and return where it is."""
        self._folder.mkdir(parents=True, exist_ok=True)
        number = len(list(self._folder.glob("*.eml"))) + 1
        while True:
            file = self._folder / f"{number:04}.eml"
            try:
                with file.open("xb") as opened:
                    opened.write(bytes(mail))
                return file
            except FileExistsError:
                number += 1


def invitation_mail(invitation: Invitation) -> EmailMessage:
    """The mail of an invitation, in plain text. Raises `BadValue` where no mail could go to the
    address.

    >>> from prim_lantern.site.moments import moment
    >>> until = moment("2027-05-24")
    >>> mail = invitation_mail(Invitation("Harbour", "Mo", "mo@x.example", "https://…", until))
    >>> mail["To"], "until 2027-05-24" in mail.get_content()
    ('Mo <mo@x.example>', True)
    """
    mail = EmailMessage()
    mail["Subject"] = f"You are invited to {_on_one_line(invitation.site)}"
    if invitation.email:
        mail["To"] = mailbox(invitation.name, invitation.email)
    mail["Date"] = format_datetime(now())
    mail.set_content(
        f"Hello {invitation.name},\n\n"
        f"you are invited to {invitation.site}. Accept here, until {written(invitation.until)}:\n\n"
        f"  {invitation.link}\n\n"
        "The link is for you alone. If you did not expect it, do nothing: it ends by itself.\n"
    )
    return mail


def mailbox(name: str, email: str) -> str:
    """Somebody as mails are addressed to them (RFC 5322, section 3.4), the domain in the letters of
    IDNA. Raises `BadValue` for what is no address.

    >>> mailbox("Mo", "mo@bücher.example")
    'Mo <mo@xn--bcher-kva.example>'
    """
    from email.errors import MessageError
    from email.headerregistry import Address

    mine, _, domain = email.rpartition("@")
    try:
        written_out = f"{mine}@{domain.encode('idna').decode()}"
        return str(Address(_on_one_line(name), addr_spec=written_out))
    except (ValueError, IndexError, MessageError):
        raise BadValue(email, "is no address that a mail could go to.") from None


def _on_one_line(text: str) -> str:
    return " ".join(text.split())
