"""A site folder as it was last read, at hand for the next short question.

Reading the text of a folder takes longer than answering one question from it. So what was read is
put into the user's cache directory, beside all that a reading goes by: the files, the history, and
what tells the code that read them. Where any of these is not to the letter what it was, the folder
is read. It is JSON of values, checked when it is written and when it is read, and nobody's but the
user's.
"""

from __future__ import annotations

import json
import os
import stat
from collections.abc import Mapping
from datetime import datetime
from typing import Any, Final

from prim_lantern import __version__
from prim_lantern.formats.folder.files import FILES, HISTORY_FILE, LAST, PENDING_FILE
from prim_lantern.site import actions, content, findings, moments, people, rights
from prim_lantern.site.columns import Columns
from prim_lantern.site.data import SiteData
from prim_lantern.site.origin import Origin
from prim_lantern.site.places import Place
from prim_lantern.site.who import Who
from prim_lantern.values import names_of

DIRECTORY: Final = "PRIM_LANTERN_CACHE"
_MOST_BYTES: Final = 4_000_000  # of a folder; what is bigger takes long anyway
_MOST_KEPT: Final = 20  # sites
_ENDING: Final = ".kept"
_CODE: Final = ("site", "site/check", "formats", "formats/folder", "store")  # what reads a folder
_KINDS: Final[Mapping[str, type]] = {
    kind.__name__: kind
    for kind in (
        actions.Action, content.CategorySet, content.Kind, findings.Accepted, people.Enrolment,
        people.Group, people.Invitation, people.Membership, people.Plan, people.Test,
        moments.Duration, moments.Period, rights.Capability, rights.Given, rights.Limit,
        rights.PlaceSetting, rights.Promise, rights.Readership, rights.Role, rights.Rule,
        Origin, Place, Who,
    )
}  # fmt: skip
_KNOWN: Final = frozenset(_KINDS.values())
_ROWS: Final[Mapping[str, type]] = {"users": people.User, "items": content.Item}
_MOMENT, _LIST = "at", "all"


def site_in(folder: str) -> SiteData | None:
    """The site in a folder: at hand, or read and from now on at hand; None where it is not to be
    kept. Raises what reading raises."""
    seen = seen_in(folder)
    if seen is None:
        return None
    data = kept(folder, seen)
    if data is None:
        from prim_lantern.store.folder import FolderStore  # mostly not needed

        data = FolderStore(folder).read().data
        if seen == seen_in(folder):
            keep(folder, seen, data)
    return data


def seen_in(folder: str) -> bytes | None:
    """All that a reading of a folder goes by; None where the folder is too big to be kept, is just
    being changed, or was edited by hand since its last change."""
    try:
        if sum(map(_size, (f"{folder}/{name}" for name in (*FILES, HISTORY_FILE)))) > _MOST_BYTES:
            return None
        seen = _code().encode()
        for name in (*FILES, HISTORY_FILE):
            raw = _bytes(f"{folder}/{name}") or b""
            last = _bytes(f"{folder}/{LAST}/{name}")
            if last is not None and last != raw:
                return None
            seen += b"%d\n%b\n" % (len(raw), raw)
        return None if os.path.exists(f"{folder}/{PENDING_FILE}") else seen
    except OSError:
        return None


def kept(folder: str, seen: bytes) -> SiteData | None:
    """The site that was read from a folder when just this was seen in it; None where none is kept
    that can be trusted."""
    try:
        with open(_file_of(folder), "rb") as file:
            told = os.fstat(file.fileno())
            if os.name == "posix" and (told.st_uid != os.geteuid() or told.st_mode & 0o022):
                return None  # somebody else could have written it
            whole = file.read()
        return _site(json.loads(whole[len(seen) :])) if whole.startswith(seen) else None
    except (OSError, ValueError, LookupError, TypeError, AttributeError):
        return None


def keep(folder: str, seen: bytes, data: SiteData) -> None:
    """Keep the site that was read from a folder when this was seen in it; where that cannot be
    done, nothing is."""
    try:
        told = _parts(data)
        text = json.dumps(told, ensure_ascii=False, separators=(",", ":"))
        if _parts(_site(json.loads(text))) != told:
            return
        whole, file = seen + text.encode(), _file_of(folder)
        os.makedirs(os.path.dirname(file), mode=stat.S_IRWXU, exist_ok=True)
        beside = f"{file}.{os.getpid()}"
        with open(os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as new:
            new.write(whole)
        os.replace(beside, file)
        _leave_the_newest(os.path.dirname(file))
    except (OSError, ValueError, LookupError, TypeError):  # JSON cannot say all
        return


def _file_of(folder: str) -> str:
    """The file in which a folder is kept; `OSError` where none is to be.

    It is in the user's directory for what can be made anew, unless the environment names another,
    or says that there is none.
    """
    directory = os.environ.get(DIRECTORY)
    if directory is None:
        above = os.environ.get("XDG_CACHE_HOME") or os.environ.get("LOCALAPPDATA")
        directory = above or os.path.expanduser("~/.cache")
    if not os.path.isabs(directory):
        raise OSError(directory)
    name = os.path.abspath(folder)
    for mark in "%/\\:":
        name = name.replace(mark, f"%{ord(mark):02X}")
    return f"{directory}/prim-lantern/{name}{_ENDING}"


def _size(path: str) -> int:
    return os.stat(path).st_size if os.path.exists(path) else 0


def _bytes(path: str) -> bytes | None:
    try:
        with open(path, "rb") as file:
            return file.read()
    except FileNotFoundError:
        return None


def _leave_the_newest(directory: str) -> None:
    with os.scandir(directory) as found:
        ours = [each for each in found if _ENDING in each.name]
        files = sorted((each.stat().st_mtime, each.path) for each in ours)
    for _, path in files[:-_MOST_KEPT]:
        os.unlink(path)


def _code() -> str:
    """What tells the code that reads a folder from an older or a newer one."""
    package = os.path.dirname(os.path.dirname(__file__))
    found = [__version__]
    for part in _CODE:
        with os.scandir(f"{package}/{part}") as files:
            told = sorted((e.name, e.stat().st_size, e.stat().st_mtime_ns) for e in files)
        found += [f"{name} {size} {at}" for name, size, at in told if name.endswith(".py")]
    return "\n".join((*found, ""))


# In and out of JSON -------------------------------------------------------------------------------


def _parts(data: SiteData) -> dict[str, Any]:
    rows: dict[str, Columns[Any]] = {"users": data.people, "items": data.content}
    told = {
        name: [_plain(rows[name].columns), rows[name].file, list(rows[name].lines)]
        if name in rows
        else _plain(getattr(data, name))
        for name in names_of(SiteData)
    }
    if any(each.changed for each in rows.values()):
        raise TypeError(data)  # it is no site as it was read
    return told


def _plain(value: Any) -> Any:
    if value is None or isinstance(value, str | int):
        return value
    if isinstance(value, datetime):
        return [_MOMENT, value.isoformat()]
    kind: Any = type(value)
    if kind in (tuple, list):
        return [_LIST, *map(_plain, value)]
    if isinstance(value, Mapping):
        return {name: _plain(each) for name, each in value.items()}
    if kind not in _KNOWN:
        raise TypeError(value)
    return [kind.__name__, *(_plain(getattr(value, name)) for name in names_of(kind))]


def _site(told: Mapping[str, Any]) -> SiteData:
    name = told["timezone"]
    read = _Reader(moments.zone_of(name) if name is not None else None)
    parts: dict[str, Any] = {}
    for part, value in told.items():
        if part in _ROWS:
            columns, file, lines = value
            made = {column: read.value(each) for column, each in columns.items()}
            parts[part] = Columns(_ROWS[part], made, file, lines)
        else:
            parts[part] = read.value(value)
    return SiteData(**parts)


class _Reader:
    """Values from JSON; the moments in them are told in the zone of their site."""

    def __init__(self, zone: Any) -> None:
        self._zone = zone

    def value(self, told: Any) -> Any:
        """The value of what JSON says."""
        if isinstance(told, list):
            kind, *rest = told
            if kind == _LIST:
                return tuple(map(self.value, rest))
            if kind == _MOMENT:
                return self._moment(*rest)
            return _KINDS[kind](*map(self.value, rest))
        if isinstance(told, dict):
            return {name: self.value(each) for name, each in told.items()}
        return told

    def _moment(self, text: str) -> datetime:
        at = moments.told_in(datetime.fromisoformat(text), self._zone)
        if at.isoformat() != text:
            raise ValueError(text)  # the clocks of the zone are set otherwise now
        return at
