"""How names are spelled, and which known name is nearest to an unknown one."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Iterator

from prim_lantern.errors import BadValue

RESERVED = frozenset({"everyone", "guest", "guests", "signed-in", "authors", "site"})
"""Words that mean somebody, or the site, wherever a name may stand."""

KEY_PATTERN = r"[a-z0-9._-]+"
_LOGIN = r"[^\s;:,/\"'@]+(@[^\s;:,/\"'@]+)?"
_CONTROL = re.compile(r"[\x00-\x1f\x7f\ufffe\uffff]")
_LONGEST_PATH = 16_000
PLAIN_PATH = re.compile(rf"(?=.{{2,{_LONGEST_PATH}}}\Z)(?:/[\w-][\w.-]*)+")
"""Most paths, which are seen to be proper at once; any other is looked at in parts."""


def key(text: str) -> str:
    """`text` when it is a proper key; else `BadValue`.

    >>> key("field-writer")
    'field-writer'
    """
    if not re.fullmatch(KEY_PATTERN, text):
        raise BadValue(
            text, "is no proper name here: use lower-case letters, digits, '-', '.' and '_'."
        )
    return text


def free(text: str) -> str:
    """`text` when it is no word that means somebody else already; else `BadValue`."""
    if folded(text) in RESERVED:
        raise BadValue(text, "has a meaning of its own here; take another name.")
    return text


def who_key(text: str) -> str:
    """`text` when it can be the name of a group or a role; else `BadValue`."""
    return free(key(text))


def login(text: str) -> str:
    """`text` when it can be a login; else `BadValue`."""
    free(text)
    if not re.fullmatch(_LOGIN, text):
        raise BadValue(
            text, "cannot be a login: use letters, digits and marks, no spaces, none of ; : , / \"'"
        )
    return text


def path(text: str) -> str:
    """`text` when it is a proper path; else `BadValue`.

    >>> path("/stations/fennick")
    '/stations/fennick'
    """
    if PLAIN_PATH.fullmatch(text) or text == "/":
        return text
    if not text.startswith("/"):
        raise BadValue(text, "is no path: a path starts with '/'.")
    if len(text) > _LONGEST_PATH:
        raise BadValue(text, f"is too long for a path ({_LONGEST_PATH} letters at most).")
    for segment in text[1:].split("/"):
        if not segment or segment in (".", "..") or segment != segment.strip():
            raise BadValue(
                text, "is no proper path: between two '/' stands a name, and none at the end."
            )
    if _CONTROL.search(text):
        raise BadValue(text, "is no proper path: it holds a control character, U+FFFE or U+FFFF.")
    return text


def folded(text: str) -> str:
    """The form in which logins, group names and values of tests are compared."""
    return text.strip().casefold()


def nearest(name: str, known: Collection[str], most: int = 2) -> tuple[str, ...]:
    """The known names nearest to `name`, best first, else those of which a word is near; none when
    nothing is.

    >>> nearest("volunters", ["keepers", "volunteers"])
    ('volunteers',)
    >>> nearest("kitt", ["kit.farrow", "volunteers"])
    ('kit.farrow',)
    """
    from difflib import get_close_matches  # only when something is wrong

    wanted = folded(name)
    spelled: dict[str, str] = {folded(each): each for each in _plausible(wanted, known)}
    if wanted in spelled:  # the same but for case
        return (spelled[wanted],)
    close = get_close_matches(wanted, spelled, n=most, cutoff=0.62)
    if close:
        return tuple(spelled[each] for each in close)
    by_word: dict[str, str] = {}
    for each in spelled:
        for word in re.split(r"[^\w]+", each):
            by_word.setdefault(word, each)
    near = get_close_matches(wanted, by_word, n=most, cutoff=0.75)
    return tuple(dict.fromkeys(spelled[by_word[word]] for word in near))


class Near:
    """The known names nearest to one, found when they are first looked at; `known` may be a way to
    come by them.

    >>> list(Near("volunters", lambda: ["keepers", "volunteers"]))
    ['volunteers']
    """

    def __init__(self, name: str, known: Collection[str] | Callable[[], Collection[str]]) -> None:
        self._name = folded(name)  # a text it has to be, at once
        self._known = known

    def __iter__(self) -> Iterator[str]:
        return iter(nearest(self._name, self._known() if callable(self._known) else self._known))


def _plausible(wanted: str, known: Collection[str]) -> Iterable[str]:
    """All of a short list; of a long one only what starts alike, so that it stays quick."""
    if len(known) <= 2_000:
        return known
    return [each for each in known if each[:3].casefold() == wanted[:3]]
