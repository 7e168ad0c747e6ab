"""The page of roles and what they can do."""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.change.operations.roles import AddRole, ChangeRole
from prim_lantern.decide.engine import Engine
from prim_lantern.formats.workbook import Column, Sheet
from prim_lantern.sheets.making import Making, Row, bare, inherited, names_in
from prim_lantern.site.data import SiteData
from prim_lantern.site.names import folded, nearest
from prim_lantern.site.rights import Capability, Role

_ABOUT = (
    "What can each role do? yes: to anything; own: to what they wrote themselves; "
    "yes: post, page or own: post: to just these kinds.",
    "In brackets: it comes from a role that this one is built on. "
    "A cell that speaks of states (…, as draft) is changed with 'prim-lantern role change'.",
)
_FEW = ("role", "called", "built on")
_STATES = ", as "
_CELLS = ("yes", "own")


class RolesPage:
    """Roles down, actions across."""

    name = "Roles"

    def sheet(self, engine: Engine) -> Sheet:
        """The page as it is now."""
        data = engine.data
        actions = list(data.item_actions)
        columns = (
            Column("role", "Role"),
            Column("called", "What people call it"),
            Column("built on", "Built on"),
            *(Column(each, _label(data, each), _CELLS) for each in actions),
        )
        rows = tuple(
            (
                each.name,
                each.label,
                "; ".join(each.includes),
                *(_cell(data, each, action) for action in actions),
            )
            for each in data.roles.values()
        )
        return Sheet(self.name, _ABOUT, columns, rows)

    def now(self, engine: Engine, row: str, column: str) -> str:
        """What a role says that was not there."""
        role = engine.data.roles.get(folded(row))
        if role is None:
            return ""
        first = {"role": role.name, "called": role.label, "built on": "; ".join(role.includes)}
        return first.get(column) or _cell(engine.data, role, column)

    def make(self, making: Making, rows: list[Row]) -> None:
        """New roles, and what roles can do."""
        for row in rows:
            name = folded(row.name)
            told = [each for each in row.after if each not in _FEW]
            new = _rows_of([cap for each in told for cap in self._read(making, row, each)])
            role = making.data.roles.get(name)
            if role is None:
                on = tuple(names_in(row.text("built on")))
                making.do(row.spot(), AddRole(name, row.text("called"), includes=on))
            elif role.all_access and told:
                said = "cannot be changed: this role has all access."
                making.problem(row.spot(told[0]), row.after[told[0]] or None, said)
                continue
            else:
                self._change(making, row, role, told)
            if new and name in making.data.roles:
                steps = (ChangeRole(name, add=(each,)) for each in new)
                making.do(row.spot(told[0]), *steps)

    def _change(self, making: Making, row: Row, role: Role, told: list[str]) -> None:
        """What it is called, what it is built on, and what its own rows no longer say."""
        if "called" in row.after:
            making.do(row.spot("called"), ChangeRole(role.name, label=row.after["called"]))
        if "built on" in row.after:
            on = [folded(each) for each in names_in(row.after["built on"])]
            more = tuple(each for each in on if each not in role.includes)
            fewer = tuple(each for each in role.includes if each not in on)
            change = ChangeRole(role.name, build_on=more, no_longer_on=fewer)
            making.do(row.spot("built on"), change)
        own = {action for cap in role.capabilities for action in (*cap.can, *cap.own)}
        drop = tuple(each for each in told if each in own)
        for each in told:
            if not row.after[each] and each not in own:
                said = "comes from a role that this one is built on; it cannot be taken away here."
                making.problem(row.spot(each), row.before[each], said)
        if drop:
            making.do(row.spot(drop[0]), ChangeRole(role.name, drop=drop))

    def _read(self, making: Making, row: Row, action: str) -> Iterator[Capability]:
        """What a cell gives."""
        text, spot = bare(row.after[action]), row.spot(action)
        if _STATES in text or _STATES in row.before.get(action, ""):
            said = "speaks of states: change that with 'prim-lantern role change'."
            making.problem(spot, text or row.before[action], said)
            return
        if action not in making.data.item_actions:
            near = nearest(action, making.data.item_actions)
            making.problem(spot, action, "is no action of this site.", tuple(near))
            return
        kinds_known = {folded(each): each for each in making.data.all_kinds}
        for part in filter(None, (each.strip() for each in text.split(";"))):
            word, _, listed = part.partition(":")
            kinds = tuple(folded(each) for each in names_in(listed))
            unknown = [each for each in kinds if each not in kinds_known]
            if folded(word) not in _CELLS or unknown:
                value = unknown[0] if unknown else part
                said = "is no kind." if unknown else "is nothing a role has: write yes or own."
                making.problem(spot, value, said)
                return
            mine = folded(word) == "own"
            yield Capability(kinds, () if mine else (action,), (action,) if mine else ())


def _rows_of(some: list[Capability]) -> list[Capability]:
    """The same in a row for each set of kinds."""
    found: dict[tuple[str, ...], Capability] = {}
    for each in some:
        row = found.get(each.kinds, Capability(each.kinds))
        found[each.kinds] = row._replace(can=(*row.can, *each.can), own=(*row.own, *each.own))
    return list(found.values())


def _label(data: SiteData, action: str) -> str:
    label: str = data.actions[action].label if action in data.actions else ""
    return label or action.replace("-", " ")


def _cell(data: SiteData, role: Role, action: str) -> str:
    """What a role can do, as its cell says it."""
    if role.all_access:
        return inherited("yes")
    own = _said(role, action)
    if own:
        return own
    above = [_said(data.roles[each], action) for each in _below(data, role)]
    all_access = any(data.roles[each].all_access for each in _below(data, role))
    found = [*dict.fromkeys(part for text in above for part in text.split("; ") if part)]
    if all_access or "yes" in found:
        return inherited("yes")
    return inherited("; ".join(found))


def _said(role: Role, action: str) -> str:
    parts = []
    for each in role.capabilities:
        for word, actions in (("yes", each.can), ("own", each.own)):
            if action in actions:
                kinds = f": {', '.join(each.kinds)}" if each.kinds else ""
                states = f"{_STATES}{', '.join(each.in_state)}" if each.in_state else ""
                parts.append(f"{word}{kinds}{states}")
    return "; ".join(dict.fromkeys(parts))


def _below(data: SiteData, role: Role) -> list[str]:
    """All roles that one is built on."""
    found: list[str] = []
    waiting = [*role.includes]
    while waiting:
        name = waiting.pop(0)
        if name not in found:
            found.append(name)
            waiting += data.roles[name].includes
    return found
