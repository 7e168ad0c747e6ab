"""People from directories: LDIF (RFC 2849) and vCard 4.0 (RFC 6350)."""

from __future__ import annotations

import io
from collections import defaultdict
from collections.abc import Iterable, Mapping
from typing import Any, Final

from prim_lantern.errors import BadSite
from prim_lantern.formats.incoming.table import IncomingTable
from prim_lantern.site.names import folded
from prim_lantern.site.origin import Origin, Problem

_LDIF_HEADER: Final = ["login", "name", "email", "groups"]
_CARD_HEADER: Final = ["name", "email", "groups"]
_MEMBERS: Final = ("member", "uniquemember", "memberuid")


def read_ldif(raw: bytes, file: str) -> IncomingTable:
    """The people of an export of a directory (those with a `uid` or an address), with the groups
    that have them as members. Records that change something are refused."""
    from ldif import LDIFParser  # few need it

    parser = LDIFParser(io.BytesIO(raw.replace(b"\r\n", b"\n")))
    people: list[tuple[int, str, dict[str, list[str]]]] = []
    groups = defaultdict[str, list[str]](list)
    try:
        for number, (dn, entry) in enumerate(parser.parse(), 1):
            values = {folded(name): list(map(_text, each)) for name, each in entry.items()}
            if "changetype" in values:
                said = "changes something: export entries, not changes."
                raise BadSite([Problem(None, f"{file}, entry {number}", dn, said)], file)
            members = [each for name in _MEMBERS for each in values.get(name, ())]
            if members:
                for each in members:
                    groups[folded(each)].append(_first(values, "cn", "ou"))
            elif "uid" in values or "mail" in values:
                people.append((number, dn or "", values))
    except (ValueError, UnicodeError) as error:
        said = f"is no proper LDIF: {error}"
        line = max(1, parser.line_counter)
        raise BadSite([Problem(Origin(file, line), None, file, said)], file) from None
    rows = []
    for number, dn, values in people:
        login = _first(values, "uid")
        named = dict.fromkeys((*groups.get(folded(dn), ()), *groups.get(folded(login), ())))
        name = _first(values, "displayname", "cn")
        rows.append((number, [login, name, _first(values, "mail"), "; ".join(filter(None, named))]))
    return IncomingTable(file, _LDIF_HEADER, rows, counted="entry")


def _first(values: Mapping[str, list[str]], *names: str) -> str:
    return next((values[each][0] for each in names if values.get(each)), "")


def _text(value: Any) -> str:
    return value.decode("utf-8", "replace") if isinstance(value, bytes) else str(value)


def read_vcards(raw: bytes, file: str) -> IncomingTable:
    """The people of a file of cards: name, address, and as groups their categories and the cards of
    groups that have them as members. A card has no login: it is made, by --login-from."""
    import vobject  # few need it
    from vobject.base import ParseError

    try:
        cards = list(vobject.readComponents(raw.decode("utf-8-sig")))
    except (ParseError, UnicodeDecodeError) as error:
        line = getattr(error, "lineNumber", None) or 1
        said = f"is no proper vCard: {error}"
        raise BadSite([Problem(Origin(file, line), None, file, said)], file) from None
    groups = defaultdict[str, list[str]](list)
    people = []
    for number, card in enumerate(cards, 1):
        contents: Mapping[str, list[Any]] = card.contents
        values = {name: [each.value for each in some] for name, some in contents.items()}
        if folded(str(_one(values, "kind"))) == "group":
            for member in values.get("member", ()):
                groups[folded(str(member))].append(str(_one(values, "fn")))
        else:
            people.append((number, values))
    rows = []
    for number, values in people:
        email = str(_one(values, "email")).removeprefix("mailto:")
        names: Iterable[str] = (
            name for each in values.get("categories", ()) for name in _listed(each)
        )
        known = (folded(str(_one(values, "uid"))), folded(f"mailto:{email}"))
        named = dict.fromkeys((*names, *(n for key in known for n in groups.get(key, ()))))
        rows.append((number, [str(_one(values, "fn")), email, "; ".join(filter(None, named))]))
    return IncomingTable(file, _CARD_HEADER, rows, counted="entry")


def _one(values: Mapping[str, list[Any]], name: str) -> Any:
    return next(iter(values.get(name, ())), "")


def _listed(value: Any) -> list[str]:
    return list(map(str, value)) if isinstance(value, list) else str(value).split(",")
