"""What stands in the report, as plain values: the page only lays it out."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from typing import Final, NamedTuple

from prim_lantern.change.record import Record
from prim_lantern.decide.clauses import rows_of
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import words
from prim_lantern.decide.views.grid import every_column
from prim_lantern.decide.views.place_view import place_view
from prim_lantern.decide.views.promises import check_promises
from prim_lantern.insight.finding import SEVERITIES, Finding
from prim_lantern.report.grid import GridPart, grid_part
from prim_lantern.sheets.where_page import areas_of
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import written
from prim_lantern.site.people import STATUSES
from prim_lantern.site.places import place
from prim_lantern.site.rights import Given
from prim_lantern.site.who import Who

# How many of each are told one by one; of more it is said how many there are.
_MEMBERS: Final = 20
_GROUPS: Final = 60
_ROLES: Final = 60
_PLACES: Final = 200
_FINDINGS: Final = 200
_CHANGES: Final = 200
_HEADINGS: Final = {SEVERITIES[0]: "Serious", SEVERITIES[1]: "Mistakes", SEVERITIES[2]: "Notes"}


class Entry(NamedTuple):
    """A group, a role, a place, a change …: what it is called, a line about it, and more lines."""

    called: str
    about: str
    lines: tuple[str, ...]


class PromiseLine(NamedTuple):
    """A promise, whether it holds, and else how it is broken."""

    says: str
    kept: bool
    broken: str


class Contents(NamedTuple):
    """All that the report says."""

    name: str
    made: str
    numbers: tuple[tuple[str, str], ...]
    owner: str
    all_access: tuple[tuple[str, str], ...]
    promises: tuple[PromiseLine, ...]
    findings: tuple[tuple[str, tuple[Finding, ...]], ...] | None
    accepted: tuple[Finding, ...]
    grid: GridPart
    groups: tuple[Entry, ...]
    roles: tuple[Entry, ...]
    places: tuple[Entry, ...]
    changes: tuple[Entry, ...]
    since: str
    summed: tuple[str, ...]


def contents(
    engine: Engine,
    findings: Sequence[Finding] | None,
    records: Iterable[Record],
    since: datetime | None,
) -> Contents:
    """What the report of a site says at the moment of an engine.

    `findings` are those of a checkup (None: none was made); `records` the history, of which the
    changes from `since` on are told. What is too much for a page is counted, and it is said so.
    """
    data, summed = engine.data, list[str]()
    areas, more = areas_of(data)
    if more:
        summed.append(f"The grid has the {len(areas):,} broad places; {more:,} more are left out.")
    columns = every_column(data)
    if len(columns) > _GROUPS + 2:
        summed.append(f"The grid has {_GROUPS} of {len(data.groups):,} groups.")
        columns = columns[: _GROUPS + 2]
    shown = [each for each in findings or () if not each.accepted]
    return Contents(
        name=data.name,
        made=written(engine.at),
        numbers=tuple(_numbers(data)),
        owner=data.users[data.owner].called,
        all_access=tuple(_all_access(engine)),
        promises=tuple(_promises(engine)),
        findings=tuple(_by_severity(shown, summed)) if findings is not None else None,
        accepted=tuple(each for each in findings or () if each.accepted),
        grid=grid_part(engine, areas, columns),
        groups=tuple(_some(_groups(engine), len(data.groups), _GROUPS, "groups", summed)),
        roles=tuple(_some(_roles(data), len(data.roles), _ROLES, "roles", summed)),
        places=tuple(_places(engine, summed)),
        changes=tuple(_changes(data, records, since, summed)),
        since=written(since) if since is not None else "",
        summed=tuple(summed),
    )


def _some(
    entries: Iterator[Entry], there: int, most: int, what: str, summed: list[str]
) -> Iterator[Entry]:
    """The first entries; of the rest it is noted how many there are."""
    if there > most:
        summed.append(f"{most} of {there:,} {what} are told one by one.")
    for _, entry in zip(range(most), entries, strict=False):
        yield entry


def _numbers(data: SiteData) -> Iterator[tuple[str, str]]:
    by_status = Counter(data.people.values_of("status"))
    told = [f"{each} {by_status[each]:,}" for each in STATUSES if by_status[each]]
    yield "People", f"{len(data.users):,} ({', '.join(told)})"
    yield "Groups", f"{len(data.groups):,}"
    yield "Roles", f"{len(data.roles):,}, given {len(data.given):,} times"
    yield "Readerships", f"{len(data.readerships):,}, at {len(data.readerships_at):,} places"
    yield "Rules", f"{len(data.rules):,}"
    by_kind = Counter(data.content.values_of("kind"))
    kinds = [f"{data.kind(name).called.lower()} {number:,}" for name, number in by_kind.items()]
    yield "Items", f"{len(data.content):,} ({', '.join(kinds)})"
    by_state = Counter(data.content.values_of("state"))
    yield "States", ", ".join(f"{state} {number:,}" for state, number in by_state.items())


def _all_access(engine: Engine) -> Iterator[tuple[str, str]]:
    """Who has all access to what, and by what."""
    data = engine.data
    for given in data.given:
        if data.roles[given.role].all_access and given.period.holds(engine.at):
            where = words.listed(words.where(each) for each in given.within_any)
            for who in given.to:
                yield words.who(data, who), f"{where}, by the role {data.roles[given.role].called}"


def _promises(engine: Engine) -> Iterator[PromiseLine]:
    for check in check_promises(engine):
        note = f" ({check.promise.note})" if check.promise.note else ""
        times = "once" if check.broken == 1 else f"{check.broken:,} times"
        example = f"{times}, for example at {check.example.path}" if check.example else times
        yield PromiseLine(f"{check.says}{note}", check.kept, "" if check.kept else example)


def _by_severity(
    found: Sequence[Finding], summed: list[str]
) -> Iterator[tuple[str, tuple[Finding, ...]]]:
    if len(found) > _FINDINGS:
        summed.append(f"{_FINDINGS} of {len(found):,} findings are told, the serious ones first.")
    for severity in SEVERITIES:
        some = tuple(each for each in found[:_FINDINGS] if each.severity == severity)
        if some:
            yield _HEADINGS[severity], some


def _groups(engine: Engine) -> Iterator[Entry]:
    data = engine.data
    for group in data.groups.values():
        members = engine.crowd.members(Who("group", group.name))
        names = [data.users[each].called for each in members[:_MEMBERS]]
        more = f" and {len(members) - _MEMBERS:,} more" if len(members) > _MEMBERS else ""
        count = "1 member" if len(members) == 1 else f"{len(members):,} members"
        lines = [f"{count}: {', '.join(names)}{more}" if names else "No members"]
        lines.append(f"How one joins: {words.how_joined(group)}")
        if group.counts_in:
            upper = words.listed(data.groups[each].called for each in group.counts_in)
            lines.append(f"Its members count in {upper} too")
        if group.stewards:
            stewards = words.listed(words.who(data, each) for each in group.stewards)
            lines.append(f"Looked after by {stewards}")
        who = Who("group", group.name)
        lines += [_given(data, each) for each in data.given if who in each.to]
        yield Entry(group.called, group.about, tuple(lines))


def _given(data: SiteData, given: Given) -> str:
    return words.given_name(data, given).rstrip(",")


def _roles(data: SiteData) -> Iterator[Entry]:
    for role in data.roles.values():
        lines = ["All access where it is given"] if role.all_access else []
        for source, row in rows_of(data, role.name):
            of = f" (from {data.roles[source].called})" if source != role.name else ""
            lines += [f"{text}{of}" for text in words.capability(row)]
        given = [_given(data, each) for each in data.given if each.role == role.name]
        lines += given or ["Given to nobody"]
        yield Entry(role.called, role.about, tuple(lines))


def _places(engine: Engine, summed: list[str]) -> Iterator[Entry]:
    """The places where words of their own stand."""
    data = engine.data
    names = [name for _, name in data.readerships_at]
    names += [each.place.name for each in data.rules]
    names += [spot.name for given in data.given for spot in given.within_any]
    names += data.rights_cut_at
    every = sorted({*names} - {"site"}, key=lambda each: each.split("/"))
    known = [each for each in every if not each.startswith("/") or data.tree.holds(each)]
    if len(known) > _PLACES:
        summed.append(f"{_PLACES} of {len(known):,} places with words of their own are told.")
    for name in known[:_PLACES]:
        view = place_view(engine, place(name))
        lines = [point.text for some in view.here.values() for point in some]
        yield Entry(name, view.title, tuple(lines))


def _changes(
    data: SiteData, records: Iterable[Record], since: datetime | None, summed: list[str]
) -> Iterator[Entry]:
    """The changes of some time, the newest first."""
    if since is None:
        return
    found = [each for each in records if each.at >= since and each.patches]
    if len(found) > _CHANGES:
        summed.append(f"The last {_CHANGES} of {len(found):,} changes are told.")
    for record in reversed(found[-_CHANGES:]):
        user = data.users.get(record.by)
        by = user.called if user is not None else record.by
        about = f"{written(record.at)}, {by}" + (f": {record.reason}" if record.reason else "")
        yield Entry(f"Change {record.number}", about, (*record.said, *record.effects))
