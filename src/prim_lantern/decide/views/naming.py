"""Everything that names one person: what they are in, what is said of them, what is theirs."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from prim_lantern.decide.explain import words
from prim_lantern.decide.views.promises import says
from prim_lantern.site.data import SiteData
from prim_lantern.site.origin import Origin
from prim_lantern.site.who import Who


class Naming(NamedTuple):
    """One thing that names a person: its sort, its name, what it says, and where it is written."""

    what: str
    name: str
    says: str
    written: str

    def to_dict(self) -> dict[str, object]:
        """The same for programs."""
        return self._asdict()


def naming(data: SiteData, login: str) -> list[Naming]:
    """All that names a person, whatever their status: memberships by hand, enrolments, rules, given
    roles, readerships, promises, stewardships, items they wrote, and four-eyes items that they had
    a hand in."""
    return list(_all(data, login))


def _all(data: SiteData, login: str) -> Iterator[Naming]:
    yield from _belonging(data, login)
    yield from _words(data, Who("user", login))
    yield from _items(data, login)


def _belonging(data: SiteData, login: str) -> Iterator[Naming]:
    """What they are in, and what they look after."""
    user, who = data.users[login], Who("user", login)
    for each in user.memberships:
        period = f", {each.period}" if str(each.period) else ""
        called = data.groups[each.group].called
        yield _of("membership", each.group, f"in group {called}{period}", user.origin)
    for group in data.groups.values():
        if login in group.members:
            yield _of("membership", group.name, f"in group {group.called}", group.origin)
        if who in group.stewards:
            yield _of("steward", group.name, f"looks after group {group.called}", group.origin)
    for enrolment in user.enrolments:
        time = data.plans[enrolment.plan].period_of(enrolment)
        yield _of("enrolment", enrolment.plan, f"enrolled {time}", user.origin)
    for elsewhere in user.roles_elsewhere:
        yield _of("role elsewhere", elsewhere, "given by another system", user.origin)


def _words(data: SiteData, who: Who) -> Iterator[Naming]:
    """What is said of them by name."""
    for rule in data.rules:
        if who in rule.to:
            yield _of("rule", rule.id or "", words.rule(data, rule), rule.origin)
    for given in data.given:
        if who in given.to:
            name = words.given_name(data, given).rstrip(",")
            yield _of("given role", given.role, name, given.origin)
    for readership in data.readerships.values():
        for field in ("readers", "all_of", "but_not"):
            if who in getattr(readership, field):
                yield _of("readership", readership.name, f"named in {field}", readership.origin)
    for promise in data.promises:
        if who in promise.who:
            yield _of("promise", str(promise.where), says(data, promise), promise.origin)


def _items(data: SiteData, login: str) -> Iterator[Naming]:
    content = data.content
    wrote = {r for r, authors in content.filled("authors").items() if login in authors}
    changed = {r for r, hands in content.filled("changed_by").items() if login in hands}
    for row in sorted(wrote | changed):
        item = content.at(row)
        if row in wrote:
            yield _of("author", item.path, f"wrote “{item.title}”", item.origin)
        elif data.all_kinds[item.kind].four_eyes:
            text = f"changed “{item.title}”, and may not publish it"
            yield _of("hand", item.path, text, item.origin)


def _of(what: str, name: str, says_so: str, origin: Origin | None) -> Naming:
    return Naming(what, name, says_so, str(origin or ""))
