"""Generated sites of a second shape: what the first one leaves out.

300 groups, a fifth of them by condition, nested up to 6 deep; 2,000 words, a third about single
users, one in twenty-five about whoever has a role, roles given within categories as well, a fifth
with periods; 60 readerships with `all_of`, `but_not` and `authors`; parts below pages, links,
2,000 categories of which an item has none to four, three authors on average.
"""

from __future__ import annotations

from datetime import timedelta
from random import Random
from typing import Any

from shape import NOON, columns

from prim_lantern.site.columns import Columns
from prim_lantern.site.content import CategorySet, Item, Kind
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import ALWAYS, Period
from prim_lantern.site.people import Group, Membership, Test, User
from prim_lantern.site.places import REACHES, SITE, Place
from prim_lantern.site.rights import Capability, Given, PlaceSetting, Readership, Role, Rule
from prim_lantern.site.who import AUTHORS, SIGNED_IN, Who

LEVELS = (8, 20, 40, 60, 80, 92)  # groups by how deep they are nested
BY_CONDITION, WORDS, ABOUT_ROLES, READERSHIPS, LINKS = 60, 2_000, 40, 60, 1_000
ROOTS, IN_A_ROOT = (
    100,
    20,
)  # categories: a root, four below it, three below each of those, and spare
TRADES = ("cook", "diver", "driver", "joiner", "mason", "painter", "sailor", "weaver")
TOWNS = tuple(f"town {number}" for number in range(40))
DEEPEST = 8


def site_of(users: int, items: int, seed: int = 2) -> SiteData:
    """A site with so many users and items."""
    return _Second(users, items, Random(seed)).site()


class _Second:
    def __init__(self, users: int, items: int, rng: Random) -> None:
        self.rng = rng
        self.size = items
        self.logins = [f"user{number}" for number in range(users)]
        self.groups = [f"g{number}" for number in range(sum(LEVELS))]
        self.categories = _categories()
        self.sections = self._sections()

    def site(self) -> SiteData:
        """The whole site."""
        keys = [each.partition(":")[2] for each in self.categories]
        names = ("reads", "comments", "writes", "edits", "pages", "approves", "publishes")
        given = [self._given(names) for _ in range(WORDS // 2)]
        given += [Given(f"team{n % 4}", (self._who(),), (SITE,)) for n in range(32)]
        return SiteData(
            name="A second generated site",
            owner="user0",
            kinds={"post": Kind("post", four_eyes=True)},
            category_sets={"topic": CategorySet("topic", {key: key for key in keys})},
            groups=self._all_groups(),
            roles=_roles(),
            given=tuple(given),
            readerships={f"r{n}": self._readership(n) for n in range(READERSHIPS)},
            places=self._settings(),
            rules=tuple(self._rule(number) for number in range(WORDS // 2)),
            attributes=("trade", "town", "since"),
            users=self._users(),
            items=self._items(),
        )

    # People -------------------------------------------------------------------------

    def _all_groups(self) -> dict[str, Group]:
        found, start, above = {}, 0, list[str]()
        for count in LEVELS:
            here = self.groups[start : start + count]
            for name in here:
                upper = (self.rng.choice(above),) if above else ()
                found[name] = Group(name, counts_in=upper)
            start, above = start + count, here
        for name in self.groups[-BY_CONDITION:]:
            rows = tuple(self._row() for _ in range(self.rng.choice((1, 1, 2))))
            found[name] = Group(name, counts_in=found[name].counts_in, when=rows)
        return found

    def _row(self) -> tuple[Test, ...]:
        rng = self.rng
        year = f"20{rng.randrange(8, 26):02d}-01-01"
        tests = (
            Test("trade", rng.choice(("is", "is_not")), (rng.choice(TRADES),)),
            Test("town", "one_of", tuple(rng.sample(TOWNS, 3))),
            Test("since", rng.choice(("before", "after")), (year,)),
        )
        return tuple(rng.sample(tests, rng.choice((1, 2, 2, 3))))

    def _users(self) -> Columns[User]:
        rng, by_hand = self.rng, self.groups[:-BY_CONDITION]
        plain = [Membership(name) for name in by_hand]
        memberships: list[Any] = []
        for _ in self.logins:
            some = rng.sample(plain, rng.choice((1, 1, 2, 2, 3, 4, 8)))
            if rng.random() < 0.3:
                some[0] = Membership(some[0].group, self._period(365))
            memberships.append(tuple(some))
        values: list[Any] = [
            {
                "trade": rng.choice(TRADES),
                "town": rng.choice(TOWNS),
                "since": f"20{rng.randrange(5, 26):02d}-0{rng.randrange(1, 10)}-11",
            }
            for _ in self.logins
        ]
        statuses = rng.choices(["active", "invited", "suspended"], [95, 3, 2], k=len(self.logins))
        statuses[0] = "active"
        return columns(
            User,
            login=self.logins,
            name=self.logins,
            status=statuses,
            memberships=memberships,
            attributes=values,
        )

    def _period(self, days: int) -> Period:
        """A time around now: one begins or ends every day or so."""
        since = NOON + timedelta(days=self.rng.randrange(-days, 60))
        return Period(since, since + timedelta(days=days))

    def _who(self) -> Who:
        kind = self.rng.random()
        if kind < 0.35:
            return Who("user", self.rng.choice(self.logins))
        return SIGNED_IN if kind < 0.37 else Who("group", self.rng.choice(self.groups))

    # Rights -------------------------------------------------------------------------

    def _place(self) -> Place:
        kind = self.rng.random()
        if kind < 0.06:
            return SITE
        if kind < 0.5:
            return Place("category", self.rng.choice(self.categories))
        return Place("path", self.rng.choice(self.sections), self.rng.choice(REACHES))

    def _time(self) -> Period:
        return self._period(200) if self.rng.random() < 0.2 else ALWAYS

    def _given(self, names: tuple[str, ...]) -> Given:
        if self.rng.random() < 0.01:
            below = Place("path", self.rng.choice(self.sections))
            return Given("all", (Who("group", self.rng.choice(self.groups)),), (below,))
        places = tuple({self._place() for _ in range(self.rng.choice((1, 1, 2, 3)))})
        return Given(self.rng.choice(names), (self._who(),), places, self._time())

    def _rule(self, number: int) -> Rule:
        rng, place = self.rng, self._place()
        actions = ["edit", "publish", "comment", "delete", "create", "upload", "see-drafts"]
        actions += ["read", "read"] if place.kind != "site" else []
        allow = rng.random() < 0.7
        to = (Who("role", f"team{rng.randrange(4)}"),) if number < ABOUT_ROLES else (self._who(),)
        return Rule(
            allow,
            tuple(sorted({rng.choice(actions) for _ in range(2)})),
            to,
            place,
            kinds=(rng.choice(["page", "post", "event", "panel"]),) if rng.random() < 0.25 else (),
            whose=rng.choice(("own", "others")) if rng.random() < 0.15 else "any",
            in_state=("draft", "in-review") if rng.random() < 0.15 else (),
            period=self._time(),
            no_exceptions=not allow and rng.random() < 0.1,
        )

    def _readership(self, number: int) -> Readership:
        rng, some = self.rng, [Who("group", name) for name in self.rng.sample(self.groups, 20)]
        readers, all_of, but_not = tuple(some[:10]), (), ()
        match number % 4:
            case 0:
                readers = (*readers, AUTHORS)
            case 1:
                readers, all_of = (SIGNED_IN,), tuple(some[10:12])
            case 2:
                but_not = tuple(some[10:13])
        sealed = rng.random() < 0.1
        return Readership(f"r{number}", readers, "", all_of, but_not, no_exceptions=sealed)

    def _settings(self) -> tuple[PlaceSetting, ...]:
        paths = self.rng.sample(self.sections, READERSHIPS * 2 // 3)
        filed = self.rng.sample(self.categories, READERSHIPS - len(paths))
        places = [*(Place("path", p) for p in paths), *(Place("category", c) for c in filed)]
        return tuple(
            PlaceSetting(
                place,
                f"r{number}",
                readership_from_above=place.kind != "path" or self.rng.random() < 0.85,
                rights_from_above=place.kind != "path" or self.rng.random() < 0.9,
            )
            for number, place in enumerate(places)
        )

    # Content ------------------------------------------------------------------------

    def _sections(self) -> list[str]:
        found = [f"/s{number}" for number in range(30)]
        for number in range(30, max(80, self.size // 15)):
            parent = self.rng.choice(found)
            while parent.count("/") >= DEEPEST:
                parent = self.rng.choice(found)
            found.append(f"{parent}/s{number}")
        return found

    def _items(self) -> Columns[Item]:
        rng = self.rng
        parts = self.size // 10
        pages = max(0, self.size - len(self.sections) - parts - min(LINKS, self.size // 20))
        paths = [*self.sections, *(f"{rng.choice(self.sections)}/i{n}" for n in range(pages))]
        kinds = ["page"] * len(self.sections)
        kinds += rng.choices(["page", "post", "event", "file"], [25, 55, 10, 10], k=pages)
        plain = len(paths)
        hosts = rng.choices(paths, k=parts)
        paths += [f"{host}/part{n}" for n, host in enumerate(hosts)]
        kinds += ["panel"] * parts
        links = self.size - len(paths)
        paths += [f"{rng.choice(self.sections)}/link{n}" for n in range(links)]
        kinds += ["link"] * links
        targets = paths[:plain]
        rows = [self._row_of(kind, targets) for kind in kinds]
        order = sorted(range(self.size), key=lambda row: paths[row].replace("/", "\x00"))
        names = ("authors", "changed_by", "state", "categories", "public_from", "links_to")
        return columns(
            Item,
            path=[paths[row] for row in order],
            kind=[kinds[row] for row in order],
            title=[f"Item {row}" for row in order],
            **{name: [rows[row][at] for row in order] for at, name in enumerate(names)},
        )

    def _row_of(self, kind: str, targets: list[str]) -> tuple[Any, ...]:
        """Authors, changers, state, categories, when it becomes public, where it leads."""
        rng = self.rng
        if kind == "panel":
            return (), (), "published", (), None, None
        if kind == "link":
            return (rng.choice(self.logins),), (), "published", (), None, rng.choice(targets)
        states = ("published", "draft", "in-review", "scheduled", "archived")
        state = rng.choices(states, (80, 10, 4, 3, 3))[0]
        authors = tuple(dict.fromkeys(rng.choices(self.logins, k=rng.choice((1, 2, 3, 3, 4, 5)))))
        changed = (rng.choice(self.logins),) if rng.random() < 0.08 else ()
        filed = tuple(rng.sample(self.categories, rng.choice((0, 1, 1, 2, 2, 3, 4))))
        soon = state == "scheduled" or rng.random() < 0.03
        public = NOON + timedelta(hours=rng.randrange(-3_000, 3_000)) if soon else None
        return authors, changed, state, filed, public, None


def _categories() -> list[str]:
    found = []
    for root in range(ROOTS):
        below = [f"c{root}/s{number}" for number in range(4)]
        lowest = [f"{each}/d{number}" for each in below for number in range(3)]
        spare = [f"c{root}/x{number}" for number in range(IN_A_ROOT - 17)]
        found += [f"topic:{each}" for each in (f"c{root}", *below, *lowest, *spare)]
    return found


def _roles() -> dict[str, Role]:
    writes = Capability(("post", "event"), can=("create", "file-under"), own=("edit", "submit"))
    rows = {
        "reads": Capability(can=("read",)),
        "comments": Capability(can=("comment",)),
        "writes": writes,
        "edits": Capability(can=("edit", "upload")),
        "pages": Capability(("page", "panel"), can=("edit", "create", "delete")),
        "approves": Capability(can=("send-back", "publish"), in_state=("in-review",)),
        "publishes": Capability(can=("edit", "publish", "withdraw", "archive")),
    }
    roles = {name: Role(name, capabilities=(row,)) for name, row in rows.items()}
    teams = {f"team{n}": Role(f"team{n}", capabilities=(rows["comments"],)) for n in range(4)}
    return {**roles, **teams, "all": Role("all", all_access=True)}
