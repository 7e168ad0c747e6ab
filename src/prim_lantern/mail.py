"""Invitations that go out by mail, through whatever sends it."""

from __future__ import annotations

from datetime import datetime
from email.message import EmailMessage
from email.utils import format_datetime
from pathlib import Path
from typing import NamedTuple, Protocol

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
    """The mail of an invitation, in plain text.

    >>> from prim_lantern.site.moments import moment
    >>> until = moment("2027-05-24")
    >>> mail = invitation_mail(Invitation("Harbour", "Mo", "mo@x.example", "https://…", until))
    >>> mail["To"], "until 2027-05-24" in mail.get_content()
    ('Mo <mo@x.example>', True)
    """
    mail = EmailMessage()
    mail["Subject"] = f"You are invited to {invitation.site}"
    if invitation.email:
        from email.headerregistry import Address

        mail["To"] = str(Address(invitation.name, addr_spec=invitation.email))
    mail["Date"] = format_datetime(now())
    mail.set_content(
        f"Hello {invitation.name},\n\n"
        f"you are invited to {invitation.site}. Accept here, until {written(invitation.until)}:\n\n"
        f"  {invitation.link}\n\n"
        "The link is for you alone. If you did not expect it, do nothing: it ends by itself.\n"
    )
    return mail
