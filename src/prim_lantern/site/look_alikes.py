"""Logins that people would take for others: letters that look alike, or that cannot be seen.

Whoever picks a login themselves could else pass for somebody who has rights.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable, Mapping
from typing import Final

from prim_lantern.errors import AlreadyThere, BadValue
from prim_lantern.site import names

# Of these categories of Unicode nothing is seen, or nobody can say what: controls, joiners and
# marks of direction, halves of letters, private and unassigned ones, blanks.
_UNSEEN: Final = frozenset({"Cc", "Cf", "Cs", "Co", "Cn", "Zs", "Zl", "Zp"})
_UNSEEN_TOO: Final = frozenset(  # fillers, joiners and variants, by category letters or marks
    chr(code)
    for first, last in (
        (0x34F, 0x34F), (0x115F, 0x1160), (0x17B4, 0x17B5), (0x180B, 0x180F), (0x3164, 0x3164),
        (0xFE00, 0xFE0F), (0xFFA0, 0xFFA0), (0xE0100, 0xE01EF),
    )
    for code in range(first, last + 1)
)  # fmt: skip

# Letters of other alphabets, and marks, that look like those of the Latin one.
_CAPITALS: Final = str.maketrans(
    "АВЕЅІЈКМНОРСТУХԌԚԜҺӀ" "ΑΒΕΖΗΙΚΜΝΟΡΤΥΧ" "ՍՏՕԼ",
    "ABESIJKMHOPCTYXGQWHI" "ABEZHIKMNOPTYX" "USOL",
)  # fmt: skip
_SMALL: Final = str.maketrans(
    "авеѕіјкмнорстухԁԛԝһӏѵґ" "αγεικνορτυχωϲϳ" "ոսօհզցյ" "ıɡɑɩǀ"
    "ᴀʙᴄᴅᴇɢʜɪᴊᴋʟᴍɴᴏᴘʀꜱᴛᴜᴠᴡʏᴢ" "‐‑‒–—−․·•",
    "abesijkmhopctyxdqwhlvr" "ayeikvoptuxwcj" "nuohqgj" "igail"
    "abcdeghijklmnoprstuvwyz" "------...",
)  # fmt: skip


def unseen_in(text: str) -> str | None:
    """The first letter that cannot be seen, in words; None where all can be.

    >>> unseen_in("ines\\u200b")
    'U+200B ZERO WIDTH SPACE'
    """
    for letter in text:
        if unicodedata.category(letter) in _UNSEEN or letter in _UNSEEN_TOO:
            return _told(letter)
    return None


def looks_of(login: str) -> str:
    """What a login looks like: those that share it could be taken for one another.

    >>> looks_of("іnes") == looks_of("ines")  # the first begins with a Cyrillic letter
    True
    """
    if login.isascii():
        return login.casefold()
    seen = "".join(letter for letter in login if unseen_in(letter) is None)
    plain = unicodedata.normalize("NFKC", seen).translate(_CAPITALS).casefold().translate(_SMALL)
    return unicodedata.normalize("NFKC", plain).replace("i\u0307", "i")


def by_looks(logins: Iterable[str]) -> dict[str, str]:
    """Logins by what they look like, and by what they are compared by: a capital may look like
    another letter than the small one does."""
    return {key: each for each in logins for key in (looks_of(each), names.folded(each))}


def odd_letter(text: str) -> str | None:
    """The first letter outside the Latin alphabet's plain ones, in words.

    >>> odd_letter("іnes")
    'U+0456 CYRILLIC SMALL LETTER BYELORUSSIAN-UKRAINIAN I'
    """
    return next((_told(letter) for letter in text if not letter.isascii()), None)


def new_login(text: str, there: Mapping[str, str]) -> str:
    """`text` when it can be the login of somebody new beside others, by their looks; else
    `BadValue` or `AlreadyThere`."""
    names.login(text)
    unseen = unseen_in(text)
    if unseen is not None:
        raise BadValue(text, f"cannot be a login: it holds what cannot be seen ({unseen}).")
    twin = there.get(names.folded(text)) or there.get(looks_of(text))
    if twin is not None and names.folded(twin) == names.folded(text):
        raise AlreadyThere("user", text)
    if twin is not None:
        raise BadValue(
            text,
            f"looks like {twin!r}, which is somebody else's login ({odd_letter(text + twin)}): "
            "take one that nobody takes for theirs.",
        )
    return text


def _told(letter: str) -> str:
    return f"U+{ord(letter):04X} {unicodedata.name(letter, '')}".strip()
