"""Generated sites of one shape and any size, to measure on.

500 groups, each user in 5; a tree up to 6 deep; 200 categories, none to two an item; 2,000
rules and given roles, one in ten for a single user; 50 readerships on sections and
categories. The same size and seed give the same site.
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from random import Random
from typing import Any

from prim_lantern.site.columns import Columns
from prim_lantern.site.content import CategorySet, Item, Kind
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import ALWAYS, Period
from prim_lantern.site.people import Group, Membership, User
from prim_lantern.site.places import SITE, Place
from prim_lantern.site.rights import Capability, Given, PlaceSetting, Readership, Role, Rule
from prim_lantern.site.who import SIGNED_IN, Who

NOON = datetime(2027, 5, 10, 12, tzinfo=UTC)
GROUPS, CATEGORIES, WORDS, READERSHIPS, DEEPEST = 500, 200, 2_000, 50, 6


def site_of(users: int, items: int, seed: int = 1) -> SiteData:
    """A site with so many users and items."""
    return _Shape(users, items, Random(seed)).site()


class _Shape:
    def __init__(self, users: int, items: int, rng: Random) -> None:
        self.rng = rng
        self.logins = [f"user{number}" for number in range(users)]
        self.size = items
        self.groups = [f"g{number}" for number in range(GROUPS)]
        tops = [f"c{number}" for number in range(CATEGORIES // 5)]
        below = [f"{top}/s{number}" for top in tops for number in range(4)]
        self.categories = [f"topic:{each}" for each in (*tops, *below)]
        self.sections = self._sections()

    def site(self) -> SiteData:
        """The whole site."""
        keys = [each.partition(":")[2] for each in self.categories]
        return SiteData(
            name="A generated site",
            owner="user0",
            kinds={"post": Kind("post", four_eyes=True)},
            category_sets={"topic": CategorySet("topic", {key: key for key in keys})},
            groups={name: Group(name, counts_in=self._upper(name)) for name in self.groups},
            roles=self._roles(),
            given=tuple(self._given() for _ in range(WORDS // 2)),
            readerships={f"r{n}": self._readership(n) for n in range(READERSHIPS)},
            places=self._settings(),
            rules=tuple(self._rule() for _ in range(WORDS // 2)),
            users=self._users(),
            items=self._items(),
        )

    # People -------------------------------------------------------------------------

    def _upper(self, name: str) -> tuple[str, ...]:
        number = int(name[1:])
        return (f"g{number // 10}",) if number >= 450 else ()

    def _users(self) -> Columns[User]:
        rng, plain = self.rng, [Membership(name) for name in self.groups]
        memberships = [tuple(rng.sample(plain, 5)) for _ in self.logins]
        for number in range(0, len(self.logins), 20):  # one in twenty for a year
            first, *rest = memberships[number]
            since = NOON + timedelta(days=rng.randrange(-500, 100))
            year = Period(since, since + timedelta(days=365))
            memberships[number] = (Membership(first.group, year), *rest)
        statuses = rng.choices(["active", "invited", "suspended"], [97, 2, 1], k=len(self.logins))
        statuses[0] = "active"
        return columns(
            User,
            login=self.logins,
            name=[f"User {login[4:]}" for login in self.logins],
            status=statuses,
            memberships=memberships,
        )

    def _who(self) -> Who:
        kind = self.rng.random()
        if kind < 0.1:
            return Who("user", self.rng.choice(self.logins))
        return SIGNED_IN if kind < 0.12 else Who("group", self.rng.choice(self.groups))

    # Rights -------------------------------------------------------------------------

    def _place(self) -> Place:
        kind = self.rng.random()
        if kind < 0.1:
            return SITE
        if kind < 0.4:
            return Place("category", self.rng.choice(self.categories))
        reach = "only-here" if kind < 0.5 else "here-and-below"
        return Place("path", self.rng.choice(self.sections), reach)

    def _roles(self) -> dict[str, Role]:
        writes = Capability(("post", "event"), can=("create", "file-under"), own=("edit", "submit"))
        drafts = Capability(own=("edit", "delete"), in_state=("draft",))
        rows = {
            "reads": [Capability(can=("read",))],
            "comments": [Capability(can=("comment",))],
            "writes": [writes],
            "drafts": [drafts],
            "edits": [Capability(can=("edit", "upload"))],
            "pages": [Capability(("page",), can=("edit", "create", "delete"))],
            "approves": [Capability(can=("send-back", "publish"), in_state=("in-review",))],
            "publishes": [Capability(can=("edit", "publish", "withdraw", "archive"))],
        }
        roles = {name: Role(name, capabilities=tuple(each)) for name, each in rows.items()}
        return {**roles, "all": Role("all", all_access=True)}

    def _given(self) -> Given:
        rng = self.rng
        if rng.random() < 0.01:
            return Given("all", (Who("group", rng.choice(self.groups)),), (self._section(),))
        names = ["reads", "comments", "writes", "drafts", "edits", "pages", "approves", "publishes"]
        return Given(rng.choice(names), (self._who(),), (self._place(),), self._period())

    def _section(self) -> Place:
        return Place("path", self.rng.choice(self.sections))

    def _period(self) -> Period:
        if self.rng.random() < 0.9:
            return ALWAYS
        since = NOON + timedelta(days=self.rng.randrange(-400, 100))
        return Period(since, since + timedelta(days=300))

    def _rule(self) -> Rule:
        rng = self.rng
        allow = rng.random() < 0.7
        place = self._place()
        actions = ["edit", "publish", "comment", "delete", "create", "upload", "see-versions"]
        if place.kind != "site":
            actions += ["read", "read"]
        who = self._who()
        return Rule(
            allow,
            tuple({rng.choice(actions) for _ in range(2)}),
            (who,) if rng.random() < 0.8 else (who, Who("group", rng.choice(self.groups))),
            place,
            kinds=(rng.choice(["page", "post", "event"]),) if rng.random() < 0.25 else (),
            whose="own" if allow and rng.random() < 0.1 else "any",
            in_state=("draft", "in-review") if rng.random() < 0.1 else (),
            period=self._period(),
            no_exceptions=not allow and rng.random() < 0.1,
        )

    def _readership(self, number: int) -> Readership:
        readers = [Who("group", name) for name in self.rng.sample(self.groups, 20)]
        return Readership(f"r{number}", tuple(readers), no_exceptions=number % 10 == 9)

    def _settings(self) -> tuple[PlaceSetting, ...]:
        middle = [path for path in self.sections if path.count("/") <= 3]
        paths = self.rng.sample(middle, min(READERSHIPS * 4 // 5, len(middle)))
        filed = self.rng.sample(self.categories, READERSHIPS - len(paths))
        places = [*(Place("path", each) for each in paths), *(Place("category", e) for e in filed)]
        return tuple(
            PlaceSetting(
                place,
                f"r{number}",
                readership_from_above=place.kind != "path" or self.rng.random() < 0.9,
                rights_from_above=place.kind != "path" or self.rng.random() < 0.95,
            )
            for number, place in enumerate(places)
        )

    # Content ------------------------------------------------------------------------

    def _sections(self) -> list[str]:
        found = [f"/s{number}" for number in range(20)]
        for number in range(20, max(60, self.size // 25)):
            parent = self.rng.choice(found)
            while parent.count("/") >= DEEPEST - 1:
                parent = self.rng.choice(found)
            found.append(f"{parent}/s{number}")
        return found

    def _items(self) -> Columns[Item]:
        rng, sections = self.rng, self.sections
        leaves = range(self.size - len(sections))
        kinds = rng.choices(
            ["page", "post", "event", "file", "panel"], [30, 45, 10, 10, 5], k=len(leaves)
        )
        paths = [*sections, *(f"{rng.choice(sections)}/i{number}" for number in leaves)]
        kinds = [*("page" for _ in sections), *kinds]
        parts = {row for row, kind in enumerate(kinds) if kind == "panel"}
        names = ["published", "draft", "in-review", "scheduled", "archived"]
        states = rng.choices(names, [85, 8, 3, 2, 2], k=self.size)
        filed = [(), *((each,) for each in self.categories)]
        twice = [tuple(rng.sample(self.categories, 2)) for _ in range(20_000)]
        one = [(login,) for login in self.logins]
        authors: list[Any] = rng.choices(one, k=self.size)
        categories: list[Any] = [self._filed(filed, twice) for _ in range(self.size)]
        changed: list[Any] = [()] * self.size
        public_from: list[Any] = [None] * self.size
        for row in range(self.size):
            if row in parts:
                authors[row], categories[row], states[row] = (), (), "published"
            elif states[row] == "scheduled" or rng.random() < 0.01:
                public_from[row] = NOON + timedelta(hours=rng.randrange(-2_000, 2_000))
            if row not in parts and rng.random() < 0.05:
                changed[row] = (rng.choice(self.logins),)
        order = sorted(range(self.size), key=lambda row: paths[row].replace("/", "\x00"))
        return columns(
            Item,
            path=[paths[row] for row in order],
            kind=[kinds[row] for row in order],
            title=[f"Item {row}" for row in order],
            authors=[authors[row] for row in order],
            changed_by=[changed[row] for row in order],
            state=[states[row] for row in order],
            categories=[categories[row] for row in order],
            public_from=[public_from[row] for row in order],
        )

    def _filed(self, filed: list[Any], twice: list[Any]) -> Any:
        number = self.rng.randrange(3)
        return filed[0] if not number else self.rng.choice(filed[1:] if number == 1 else twice)


def columns(make: Any, **values: list[Any]) -> Columns[Any]:
    """Columns, those left out filled with what a field has when nothing is said."""
    size = len(next(iter(values.values())))
    empty: dict[str, Any] = {
        "memberships": (), "enrolments": (), "roles_elsewhere": (), "attributes": {},
        "authors": (), "changed_by": (), "categories": (), "state": "published",
        "status": "active", "title": "", "name": "", "email": "",
    }  # fmt: skip
    names = [name for name in make.__dataclass_fields__ if name != "origin"]
    return Columns(make, {n: values.get(n) or [empty.get(n)] * size for n in names})
