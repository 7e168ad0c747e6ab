"""What databases complain of, in words that help."""

from __future__ import annotations

import errno
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from prim_lantern.errors import StoreTrouble
from prim_lantern.formats.disk import COMPLAINTS
from prim_lantern.store.holder import busy

_LOCKED = ("database is locked", "lock timeout")
_DATABASES = {
    "database or disk is full": COMPLAINTS[errno.ENOSPC],
    "readonly database": COMPLAINTS[errno.EROFS],
    "read-only transaction": COMPLAINTS[errno.EROFS],
    "permission denied": COMPLAINTS[errno.EACCES],
    "file is not a database": "it is no database of SQLite.",
    "disk image is malformed": "the database is damaged; bring back a copy.",
    "unable to open database file": "the file cannot be opened.",
    "password authentication failed": "the database refuses the name or the password.",
    "Connection refused": "no database answers there.",
    "does not exist": "the database has no such thing; is the address right?",
}
_LOST = (
    "the connection was lost while it worked. 'prim-lantern history' tells whether the change was "
    "made; it is there whole or not at all."
)


@contextmanager
def of_database(where: str, held_by: Callable[[], str]) -> Iterator[None]:
    """Turn what a database and its driver say into `StoreTrouble`; where one's turn did not come,
    `held_by` tells who writes."""
    from sqlalchemy import exc

    try:
        yield
    except exc.DBAPIError as error:
        said = str(error.orig)
        if any(sign in said for sign in _LOCKED):
            raise StoreTrouble(where, busy(held_by())) from None
        known = (text for sign, text in _DATABASES.items() if sign in said)
        first = said.strip().partition("\n")[0]
        text = next(known, None) or (_LOST if error.connection_invalidated else first)
        raise StoreTrouble(where, text) from None
    except exc.SQLAlchemyError as error:
        raise StoreTrouble(where, str(error).partition("\n")[0]) from None
