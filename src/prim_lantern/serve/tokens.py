"""The tokens by which other programs prove who they are."""

from __future__ import annotations

import hmac
import json
import os
import secrets
from collections.abc import Iterable
from dataclasses import asdict, dataclass
from hashlib import sha256
from pathlib import Path
from threading import Lock
from typing import Final

from filelock import FileLock

from prim_lantern.errors import AlreadyThere, BadSite, BadValue, UnknownName
from prim_lantern.formats.json_text import read_json
from prim_lantern.formats.whole import written_whole
from prim_lantern.hints import misfit
from prim_lantern.site import moments, names

SCOPES: Final = ("asking", "reading", "provisioning")
"""What a token may be for: asking what somebody may; reading people, groups and reasons; and
changing people and groups as a user does."""

_PREFIX: Final = "lantern_"  # so that one that was left lying about is known for what it is


@dataclass(frozen=True)
class Token:
    """A token as it is kept: of the token itself only a hash is."""

    name: str
    hash: str
    scopes: tuple[str, ...]
    acts_as: str | None = None
    made: str = ""
    until: str | None = None

    def allows(self, scope: str) -> bool:
        """Whether it is for this; whoever may change may read."""
        return scope in self.scopes or (scope == "reading" and "provisioning" in self.scopes)

    @property
    def ended(self) -> bool:
        """Whether its time is over."""
        return self.until is not None and moments.now() >= moments.moment(self.until)


class Tokens:
    """The tokens in a file, which only its owner may read."""

    def __init__(self, file: str | Path) -> None:
        """Take the file; there need be none yet."""
        self.file = Path(file)
        self._known: tuple[object, tuple[Token, ...]] = (None, ())
        self._lock = Lock()

    def all(self) -> tuple[Token, ...]:
        """All tokens, by name. What another process withdraws is gone here at once."""
        try:
            told = os.stat(self.file)
        except FileNotFoundError:
            return ()
        mark = (told.st_mtime_ns, told.st_size, told.st_ino)
        with self._lock:
            if mark != self._known[0]:
                self._known = mark, self._read()
            return self._known[1]

    def _read(self) -> tuple[Token, ...]:
        try:
            found = read_json(self.file.read_bytes())
            tokens = tuple(Token(**{**each, "scopes": (*each["scopes"],)}) for each in found)
            if wrong := misfit(tokens, tuple[Token, ...]):
                raise ValueError(wrong.says)
            return tokens
        except (ValueError, TypeError, KeyError):
            from prim_lantern.site.origin import Problem

            said = "is no file of tokens: it was damaged. Make new ones in another file."
            raise BadSite([Problem(None, None, str(self.file), said)]) from None

    def make(
        self,
        name: str,
        scopes: Iterable[str],
        acts_as: str | None = None,
        until: str | None = None,
    ) -> str:
        """Make a token, and return it: it is to be had only now.

        `acts_as` is the login of the user as whom a token for provisioning changes people.
        Raises `AlreadyThere`, and `BadValue` for what no token can be for.

        >>> import tempfile
        >>> with tempfile.TemporaryDirectory() as folder:
        ...     tokens = Tokens(f"{folder}/tokens.json")
        ...     token = tokens.make("website", ["asking"], until="2099-01-01")
        ...     found = tokens.find(token)
        ...     tokens.withdraw("website")
        ...     found.name, found.allows("asking"), found.allows("reading"), tokens.find(token)
        ('website', True, False, None)
        """
        scopes = tuple(dict.fromkeys(scopes))
        for each in scopes:
            if each not in SCOPES:
                raise BadValue(each, f"is nothing that a token is for: {', '.join(SCOPES)}.")
        if not scopes:
            raise BadValue(name, f"needs what it is for: {', '.join(SCOPES)}.")
        if "provisioning" in scopes and acts_as is None:
            raise BadValue(name, "is for provisioning: say as whom it changes people and groups.")
        if "provisioning" not in scopes and acts_as is not None:
            raise BadValue(name, "acts as somebody only where it is for provisioning.")
        names.key(name)
        end = moments.written(moments.moment(until)) if until is not None else None
        token = _PREFIX + secrets.token_urlsafe(32)
        with self._changing():
            kept = self.all()
            if any(each.name == name for each in kept):
                raise AlreadyThere("token", name)
            made = moments.written(moments.now().replace(microsecond=0))
            new = Token(name, _hash(token), scopes, acts_as, made, end)
            self._write([*kept, new])
        return token

    def withdraw(self, name: str) -> None:
        """Take a token back; it is of no use from now on. Raises `UnknownName`."""
        with self._changing():
            kept = self.all()
            if all(each.name != name for each in kept):
                near = names.nearest(name, [each.name for each in kept])
                raise UnknownName("The token", name, near)
            self._write([each for each in kept if each.name != name])

    def _changing(self) -> FileLock:
        return FileLock(self.file.with_name(f"{self.file.name}.lock"), timeout=20, mode=0o600)

    def _write(self, tokens: list[Token]) -> None:
        text = json.dumps([asdict(each) for each in tokens], indent=2) + "\n"

        def write(beside: Path) -> None:
            """Nobody else may read it at any moment, a process that is killed or not."""
            beside.unlink(missing_ok=True)
            handle = os.open(beside, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600)
            with open(handle, "w", encoding="utf-8") as file:
                file.write(text)

        written_whole(self.file, write)

    def find(self, presented: str) -> Token | None:
        """The token that somebody presents, if it is one and its time is not over. It takes as long
        whichever it is."""
        wanted, found = _hash(presented), None
        for each in self.all():
            if hmac.compare_digest(each.hash, wanted):
                found = each
        return found if found is not None and not found.ended else None


def _hash(token: str) -> str:
    return sha256(token.encode("utf-8", "surrogateescape")).hexdigest()
