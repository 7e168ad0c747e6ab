"""The page of people and the groups they are in."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Final
from zoneinfo import ZoneInfo

from prim_lantern.change.operations.base import Operation
from prim_lantern.change.operations.groups import AddMembers, RemoveMembers
from prim_lantern.change.operations.people import AddUser, ChangeUser
from prim_lantern.decide.engine import Engine
from prim_lantern.errors import BadValue
from prim_lantern.formats.workbook import Column, Sheet
from prim_lantern.sheets.making import Making, Row, bare, inherited
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import ALWAYS, Period, moment, written
from prim_lantern.site.names import folded

MOST_CELLS: Final = 200_000
_GROUP: Final = "group:"
_FEW: Final = ("login", "name", "status")
_PERIOD: Final = re.compile(r"(?:yes,? )?(?:from (\S+))?(?: ?until (\S+))?")
_ABOUT = (
    "Who is in which group? yes; until 2027-12-31; from 2027-01-01 until 2027-12-31. "
    "In brackets: by a condition, a plan, another system or another group, not by hand.",
)
_TOO_MANY = (
    "There are more people and groups than a page holds: 'prim-lantern sheet out' takes some "
    "groups (--who), and 'export people' has all people."
)


class PeoplePage:
    """People down, groups across."""

    name = "People"

    def __init__(self, groups: Sequence[str]) -> None:
        """Take the groups that are shown."""
        self._groups = tuple(groups)

    def sheet(self, engine: Engine) -> Sheet:
        """The page as it is now."""
        data = engine.data
        columns = (
            Column("login", "Login"),
            Column("name", "Name"),
            Column("status", "Status"),
            *(Column(f"{_GROUP}{e}", data.groups[e].called, ("yes",)) for e in self._groups),
        )
        if len(data.users) * max(1, len(self._groups)) > MOST_CELLS:
            return Sheet(self.name, (*_ABOUT, _TOO_MANY), columns, (), fixed=2)
        by_hand = _by_hand(data)
        rows = []
        for user in data.users.values():
            ways = engine.reference.belonging.ways(user.login)
            cells = (_cell(by_hand.get((user.login, e)), e in ways) for e in self._groups)
            rows.append((user.login, user.name, user.status, *cells))
        return Sheet(self.name, _ABOUT, columns, tuple(rows), fixed=2)

    def now(self, engine: Engine, row: str, column: str) -> str:
        """What a cell says that was not there."""
        user = engine.data.users.get(row)
        if user is None:
            return ""
        if column in _FEW:
            return str(getattr(user, column))
        group = column.removeprefix(_GROUP)
        if group not in engine.data.groups:
            return ""
        listed = user.login in engine.data.groups[group].members
        found = ALWAYS if listed else None
        found = next((each.period for each in user.memberships if each.group == group), found)
        return _cell(found, group in engine.reference.belonging.ways(user.login))

    def make(self, making: Making, rows: list[Row]) -> None:
        """New people, and who is in which group."""
        for row in rows:
            known = {folded(each): each for each in making.data.people.names}
            login = known.get(folded(row.name))
            if login is None:
                login = row.name
                making.do(row.spot(), AddUser(login, row.text("name")))
                if login not in making.data.users:
                    continue
            elif "name" in row.after:
                making.do(row.spot("name"), ChangeUser(login, name=row.after["name"]))
            for column, text in row.after.items():
                if column.startswith(_GROUP):
                    self._put(making, row, login, column, text)
                elif column == "status" and text and not row.new:
                    said = "is changed by 'user suspend', 'bring-back' and 'invite'."
                    making.problem(row.spot(column), text, said)
                elif column not in _FEW:
                    said = f"heads a column, and is no group: write {_GROUP}NAME."
                    making.problem(row.spot(column), column, said)

    def _put(self, making: Making, row: Row, login: str, column: str, text: str) -> None:
        group, spot = folded(column.removeprefix(_GROUP)), row.spot(column)
        was_in = making.data.groups.get(group) is not None and (
            any(each.group == group for each in making.data.users[login].memberships)
            or login in making.data.groups[group].members
        )
        if not bare(text):
            if not was_in and row.before.get(column):
                said = "is not by hand, so that it cannot be taken away here: see 'why', and 'who'."
                making.problem(spot, row.before[column], said)
            elif was_in:
                making.do(spot, RemoveMembers(group, (login,)))
            return
        try:
            period = _period(bare(text), making.data.zone)
        except BadValue as error:
            making.problem(spot, error.value, error.expected)
            return
        steps: list[Operation] = [RemoveMembers(group, (login,))] if was_in else []
        steps.append(AddMembers(group, (login,), *(each and written(each) for each in period)))
        making.do(spot, *steps)


def _by_hand(data: SiteData) -> dict[tuple[str, str], Period]:
    found = {
        (login, group.name): ALWAYS for group in data.groups.values() for login in group.members
    }
    for user in data.users.values():
        found |= {(user.login, each.group): each.period for each in user.memberships}
    return found


def _cell(by_hand: Period | None, member: bool) -> str:
    if by_hand is not None:
        return str(by_hand) or "yes"
    return inherited("yes") if member else ""


def _period(text: str, zone: ZoneInfo | None) -> Period:
    fit = _PERIOD.fullmatch(folded(text))
    if folded(text) in ("yes", "x"):
        return ALWAYS
    if fit is None or not any(fit.groups()):
        raise BadValue(text, "is no time in a group: write yes, or until 2027-12-31.")
    since, until = (moment(each, zone) if each else None for each in fit.groups())
    found = Period(since, until)
    if found.empty:
        raise BadValue(text, "holds no moment: until is not after from.")
    return found
