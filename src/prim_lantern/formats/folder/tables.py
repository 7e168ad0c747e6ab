"""The tables of a site as its parts: each value checked, what is wrong noted."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import UTC, datetime
from typing import Any, Protocol

from prim_lantern.errors import BadValue
from prim_lantern.formats.folder.files import SITE_FILE
from prim_lantern.formats.folder.keys import BY_NAME, CAPABILITY_KEYS, CATEGORY_SETS, ONCE, TABLES
from prim_lantern.formats.folder.source import Problems
from prim_lantern.formats.folder.table import Logins, Table
from prim_lantern.site.actions import Action
from prim_lantern.site.content import BUILT_IN_KINDS, CategorySet, Kind
from prim_lantern.site.findings import Accepted
from prim_lantern.site.moments import Duration, moment, written
from prim_lantern.site.names import folded
from prim_lantern.site.origin import Origin
from prim_lantern.site.people import OPERATORS, Group, Invitation, Plan, Row, Test
from prim_lantern.site.places import SITE
from prim_lantern.site.rights import (
    ANY,
    Capability,
    Given,
    Limit,
    PlaceSetting,
    Promise,
    Readership,
    Role,
    Rule,
)

_NEVER = datetime.max.replace(tzinfo=UTC)  # stands in for a moment that cannot be read


class Lines(Protocol):
    """Where tables and keys were written."""

    def of(self, *where: str | int) -> int:
        """The line of a table, a key or an entry of its list."""

    def below(self, *where: str | int) -> Mapping[str, int]:
        """The lines of all keys of a table."""


class SiteTables:
    """The tables of site.toml, or of another store of the same, as the parts of a site.

    `lines` tells where each was written, in `file`.
    """

    def __init__(
        self,
        values: Mapping[str, Any],
        lines: Lines,
        logins: Logins,
        problems: Problems,
        file: str = SITE_FILE,
    ) -> None:
        self._values = values
        self._lines = lines
        self._logins = logins
        self._problems = problems
        self._file = file

    def parts(self) -> dict[str, Any]:
        """What the file says, by the fields of `SiteData`."""
        for name in self._values:
            if name not in (*TABLES, CATEGORY_SETS):
                known = (*TABLES, CATEGORY_SETS)
                expected = "is no table of site.toml."
                self._problems.wrong(self._origin(name), None, name, expected, known)
        site = next(self._tables("site"))[1]
        return {
            "name": site.text("name"),
            "owner": self._logins.spelled(site.text("owner")),
            "default_readership": site.text("default_readership") or "public",
            "sign_up_groups": site.folded("sign_up_groups"),
            "timezone": site.text("timezone") or None,
            "kinds": {name: _kind(name, table) for name, table in self._tables("kinds")},
            "actions": {name: _action(name, table) for name, table in self._tables("actions")},
            "category_sets": dict(self._category_sets()),
            "groups": {name: self._group(name, table) for name, table in self._tables("groups")},
            "plans": {name: self._plan(name, table) for name, table in self._tables("plans")},
            "invitations": {
                each.login: each
                for each in (self._invitation(table) for _, table in self._tables("invitations"))
            },
            "roles": {name: self._role(name, table) for name, table in self._tables("roles")},
            "given": tuple(self._given(table) for _, table in self._tables("given")),
            "readerships": {
                name: self._readership(name, table) for name, table in self._tables("readerships")
            },
            "places": tuple(filter(None, (_place(table) for _, table in self._tables("places")))),
            "rules": tuple(self._rule(table) for _, table in self._tables("rules")),
            "limits": tuple(_limit(table) for _, table in self._tables("limits")),
            "promises": tuple(
                filter(None, (self._promise(table) for _, table in self._tables("promises")))
            ),
            "accepted": tuple(_accepted(table) for _, table in self._tables("accepted")),
            "origin": site.origin,
        }

    def _origin(self, *where: str | int) -> Origin:
        return Origin(self._file, self._lines.of(*where), self._lines.below(*where))

    def _tables(self, sort: str) -> Iterator[tuple[str, Table]]:
        """The tables of one sort, with their names ("" where they have none)."""
        shape, found = TABLES[sort], self._values.get(sort)
        if shape.stands == ONCE:
            yield "", Table(found or {}, shape.keys, self._origin(sort), self._problems)
        elif shape.stands == BY_NAME:
            for name, values in self._named(sort, f"[{sort}.name]").items():
                yield name, Table(values, shape.keys, self._origin(sort, name), self._problems)
        elif isinstance(found, list):
            for number, values in enumerate(found):
                yield "", Table(values, shape.keys, self._origin(sort, number), self._problems)
        elif found is not None:
            expected = f"must stand in double brackets: [[{sort}]]."
            self._problems.wrong(self._origin(sort), None, sort, expected)

    def _named(self, sort: str, written_as: str) -> Mapping[str, Any]:
        found = self._values.get(sort, {})
        if isinstance(found, dict):
            return found
        expected = f"must be tables with names: {written_as}."
        self._problems.wrong(self._origin(sort), None, sort, expected)
        return {}

    def _category_sets(self) -> Iterator[tuple[str, CategorySet]]:
        for name, values in self._named(CATEGORY_SETS, f"[{CATEGORY_SETS}.name]").items():
            origin = self._origin(CATEGORY_SETS, name)
            categories = {}
            for category, label in values.items() if isinstance(values, dict) else [(name, values)]:
                if isinstance(label, str) and isinstance(values, dict):
                    categories[category] = label
                else:
                    expected = 'needs a label: "category" = "Label".'
                    self._problems.wrong(origin, category, category, expected)
            yield name, CategorySet(name, categories, origin)

    def _group(self, name: str, table: Table) -> Group:
        return Group(
            name=name,
            label=table.text("label"),
            about=table.text("about"),
            counts_in=table.folded("counts_in"),
            stewards=table.whos("stewards", self._logins),
            members=tuple(map(self._logins.spelled, table.texts("members"))),
            when=tuple(self._conditions(table)),
            mapped_from=tuple(each.strip() for each in table.texts("mapped_from")),
            external_id=table.text("external_id"),
            origin=table.origin,
        )

    def _conditions(self, table: Table) -> Iterator[Row]:
        for number, row in enumerate(table.rows("when")):
            key = f"when[{number}]"
            if not isinstance(row, dict) or not row:
                expected = 'is no row of tests, such as { position = { is = "keeper" } }.'
                self._problems.wrong(table.origin, key, row, expected)
                continue
            tests = tuple(self._tests(table.origin, key, row))
            if tests:
                yield tests

    def _tests(self, origin: Origin, key: str, row: Mapping[str, Any]) -> Iterator[Test]:
        for attribute, asked in row.items():
            if not isinstance(asked, dict) or not asked:
                expected = f'tests nothing: write {attribute} = {{ is = "…" }}.'
                self._problems.wrong(origin, key, asked, expected)
                continue
            for operator, value in asked.items():
                if operator not in OPERATORS:
                    expected = f"is no test: use one of {', '.join(OPERATORS)}."
                    self._problems.wrong(origin, key, operator, expected, OPERATORS)
                    continue
                test = _test(attribute, operator, value)
                if test is None:
                    expected = f"cannot be the value of {operator}: write {_VALUE_OF[operator]}."
                    self._problems.wrong(origin, key, value, expected)
                else:
                    yield test

    def _plan(self, name: str, table: Table) -> Plan:
        lasts = None
        if table.has("lasts"):
            lasts = self._problems.attempt(
                table.origin, "lasts", Duration.read, table.text("lasts"), None
            )
        return Plan(name, table.text("label"), table.folded("groups"), lasts, table.origin)

    def _invitation(self, table: Table) -> Invitation:
        until = table.period().until or _NEVER
        login = self._logins.spelled(table.text("login"))
        return Invitation(login, table.text("token_hash"), until, table.origin)

    def _role(self, name: str, table: Table) -> Role:
        rows = [
            Table(row, CAPABILITY_KEYS, table.origin, self._problems, f"capabilities[{number}]")
            for number, row in enumerate(table.rows("capabilities"))
        ]
        return Role(
            name=name,
            label=table.text("label"),
            about=table.text("about"),
            includes=table.texts("includes"),
            capabilities=tuple(
                Capability(
                    row.texts("kinds"), row.texts("can"), row.texts("own"), row.texts("in_state")
                )
                for row in rows
            ),
            all_access=table.flag("all_access"),
            origin=table.origin,
        )

    def _given(self, table: Table) -> Given:
        return Given(
            role=table.text("role"),
            to=table.whos("to", self._logins),
            within_any=table.places("within_any") or (SITE,),
            period=table.period(),
            origin=table.origin,
        )

    def _readership(self, name: str, table: Table) -> Readership:
        return Readership(
            name=name,
            readers=table.whos("readers", self._logins),
            label=table.text("label"),
            all_of=table.whos("all_of", self._logins),
            but_not=table.whos("but_not", self._logins),
            no_exceptions=table.flag("no_exceptions"),
            origin=table.origin,
        )

    def _rule(self, table: Table) -> Rule:
        allow, deny = table.texts("allow"), table.texts("deny")
        if allow and deny:
            expected = "stands beside deny: a rule has one of the two."
            self._problems.wrong(table.origin, "allow", "allow", expected)
        return Rule(
            allow=bool(allow) or not table.has("deny"),
            actions=allow or deny,
            to=table.whos("to", self._logins),
            place=table.place("where", "reach") or SITE,
            kinds=table.texts("kinds"),
            whose=table.text("whose") or ANY,
            in_state=table.texts("in_state"),
            period=table.period(),
            no_exceptions=table.flag("no_exceptions"),
            id=table.text("id") or None,
            note=table.text("note"),
            origin=table.origin,
        )

    def _promise(self, table: Table) -> Promise | None:
        may, may_not = table.texts("may"), table.texts("may_not")
        if may and may_not:
            expected = "stands beside may_not: a promise has one of the two."
            self._problems.wrong(table.origin, "may", "may", expected)
        where = table.place("where")
        if where is None:
            return None
        return Promise(
            who=table.whos("who", self._logins),
            may=bool(may) or not table.has("may_not"),
            actions=may or may_not,
            where=where,
            note=table.text("note"),
            origin=table.origin,
        )


def _accepted(table: Table) -> Accepted:
    said = table.text("says"), table.text("because")
    return Accepted(table.text("finding"), *said, table.period().until, table.origin)


def _kind(name: str, table: Table) -> Kind:
    built_in = BUILT_IN_KINDS.get(name, Kind(name))
    return Kind(
        name=name,
        label=table.text("label"),
        part=table.flag("part", built_in.part),
        link=table.flag("link", built_in.link),
        four_eyes=table.flag("four_eyes"),
        filed_under=table.texts("filed_under"),
        must_be_filed=table.flag("must_be_filed"),
        origin=table.origin,
    )


def _action(name: str, table: Table) -> Action:
    label, brings, risky = table.text("label"), table.texts("brings"), table.flag("risky")
    return Action(name, label, brings, risky, table.origin)


def _place(table: Table) -> PlaceSetting | None:
    where = table.place("where", "reach")
    if where is None:
        return None
    return PlaceSetting(
        place=where,
        readership=table.text("readership") or None,
        readership_from_above=table.flag("readership_from_above", True),
        rights_from_above=table.flag("rights_from_above", True),
        origin=table.origin,
    )


def _limit(table: Table) -> Limit:
    return Limit(table.text("kind"), table.text("where"), table.whole("at_most"), table.origin)


_VALUE_OF = {
    "is": 'a text ("…")',
    "is_not": 'a text ("…")',
    "contains": 'a text ("…")',
    "one_of": 'a list of texts (["…", "…"])',
    "none_of": 'a list of texts (["…", "…"])',
    "before": "a day (2027-01-31)",
    "after": "a day (2027-01-31)",
    "filled": "true or false",
}


def _test(attribute: str, operator: str, value: object) -> Test | None:
    """A test, or None where the value is not of the sort that the operator takes."""
    match operator:
        case "filled":
            values = (str(value).lower(),) if isinstance(value, bool) else None
        case "one_of" | "none_of":
            texts = isinstance(value, list) and all(isinstance(each, str) for each in value)
            values = tuple(value) if isinstance(value, list) and value and texts else None
        case "before" | "after":
            values = _moment_text(value)
        case _:
            values = (value,) if isinstance(value, str) and folded(value) else None
    return Test(attribute, operator, values) if values else None


def _moment_text(value: Any) -> tuple[str] | None:
    try:
        return (written(moment(value)),)
    except BadValue:
        return None
