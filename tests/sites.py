"""Generated whole sites that use every feature of the folder format.

`random_site` builds a site from any source of random choices; `sites()` is the hypothesis
strategy over it, small enough to shrink and to compare everything with everything.
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from random import Random

from hypothesis import strategies as st

from prim_lantern.site.actions import BUILT_IN_ACTIONS, MANAGING_ACTIONS, Action
from prim_lantern.site.content import BUILT_IN_KINDS, STATES, CategorySet, Item, Kind
from prim_lantern.site.data import SiteData
from prim_lantern.site.findings import Accepted
from prim_lantern.site.moments import ALWAYS, Duration, Period
from prim_lantern.site.people import (
    STATUSES,
    Enrolment,
    Group,
    Invitation,
    Membership,
    Plan,
    Test,
    User,
)
from prim_lantern.site.places import ONLY_BELOW, ONLY_HERE, REACHES, SITE, Place, tree_order
from prim_lantern.site.rights import (
    BUILT_IN_READERSHIPS,
    WHOSE,
    Capability,
    Given,
    Limit,
    PlaceSetting,
    Promise,
    Readership,
    Role,
    Rule,
)
from prim_lantern.site.who import AUTHORS, EVERYONE, GUESTS, SIGNED_IN, Who

NOON = datetime(2027, 5, 10, 12, tzinfo=UTC)
MOMENTS = [NOON + timedelta(days=days) for days in (-400, -40, 0, 40, 400)]
LOGINS = ["ada", "Bea.Holm", "cyd", "dov", "eli", "fay@post.example"]
CATEGORIES = ["topic:sea", "topic:sea/gulls", "topic:land", "series:talks"]
SEGMENTS = ["a", "b", "c", "Öl & salt"]
ACCEPTED = ["over-b817fc", "same-twice-237dda"]
_WORDS = ["", "Plain", 'With "quotes", a comma; and ünï', "line\nbreak"]


def sites(**wanted: object) -> st.SearchStrategy[SiteData]:
    """Whole sites; `wanted` replaces fields of each.

    Each comes from a seed: choices drawn one by one would mostly be the simplest, and hardly
    ever put together a site in which words meet.
    """
    from dataclasses import replace

    built = st.integers(0, 2**32).map(Random).map(random_site)
    return built.map(lambda site: replace(site, **wanted)) if wanted else built


def random_site(rng: Random) -> SiteData:
    """A site that makes sense as a whole."""
    return Maker(rng).site()


class Maker:
    def __init__(self, rng: Random) -> None:
        self.rng = rng
        self.groups = ["crew", "crew-north", "guild", "night"]
        self.roles = ["hand", "mate", "chief"]

    def site(self) -> SiteData:
        rng = self.rng
        items, users = self.items(), self.users()
        return SiteData(
            name=rng.choice(_WORDS[1:]),
            owner="ada",
            default_readership=self.readership_name(often="public"),
            sign_up_groups=self.some(self.groups),
            timezone=rng.choice([None, None, "Europe/Oslo", "America/St_Johns"]),
            kinds={
                "post": Kind("post", self.word(), four_eyes=self.maybe(), filed_under=("topic",)),
                "panel": Kind("panel", self.word(), part=True),
                "banner": Kind("banner", part=True, four_eyes=self.maybe(0.2)),
            },
            actions={
                "sell": Action("sell", self.word(), self.some(["edit", "stamp"]), self.maybe()),
                "stamp": Action("stamp"),
            },
            category_sets={
                "topic": CategorySet("topic", {"sea": "Sea", "sea/gulls": "", "land": "Land"}),
                "series": CategorySet("series", {"talks": "Talks"}),
            },
            groups=self.all_groups(),
            plans={
                "year": Plan("year", self.word(), self.some(self.groups), Duration(1, "year")),
                "open": Plan("open", "", self.some(self.groups)),
            },
            roles=self.all_roles(),
            given=self.times(5, self.given),
            readerships={name: self.readership(name) for name in ("inner", "outer")},
            places=self.places(items),
            rules=tuple(self.rule(number) for number in range(rng.randrange(8))),
            limits=tuple(
                Limit("page", path, rng.randrange(3)) for path in {"/", self.path()} if self.maybe()
            ),
            promises=self.times(2, self.promise),
            accepted=tuple(
                Accepted(key, self.word(), "It is meant so", self.rng.choice([None, MOMENTS[3]]))
                for key in ACCEPTED
                if self.maybe(0.3)
            ),
            attributes=("position", "Start day"),
            invitations={
                user.login: Invitation(user.login, f"sha256:{number:064x}", NOON)
                for number, user in enumerate(users.values())
                if user.status == "invited" and self.maybe()
            },
            users=users,
            items={item.path: item for item in items},
        )

    # Choices ----------------------------------------------------------------------

    def maybe(self, chance: float = 0.5) -> bool:
        return self.rng.random() < chance

    def word(self) -> str:
        return self.rng.choice(_WORDS)

    def some(self, values: list[str], least: int = 0) -> tuple[str, ...]:
        size = self.rng.randrange(least, min(len(values), 2) + 1)
        return tuple(self.rng.sample(values, size))

    def times(self, most: int, make):  # type: ignore[no-untyped-def]
        return tuple(make() for _ in range(self.rng.randrange(most + 1)))

    def period(self) -> Period:
        if self.maybe(0.7):
            return ALWAYS
        since, until = sorted(self.rng.sample(range(-300, 300), 2))
        start, end = NOON + timedelta(days=since), NOON + timedelta(days=until)
        return self.rng.choice([Period(start, end), Period(start, None), Period(None, end)])

    def path(self) -> str:
        if self.maybe(0.1):
            return "/"
        return "/" + "/".join(self.rng.choice(SEGMENTS) for _ in range(self.rng.randrange(1, 4)))

    def place(self, *, reach: bool = True) -> Place:
        kind = self.rng.random()
        if kind < 0.25:
            return SITE
        if kind < 0.45:
            return Place("category", self.rng.choice(CATEGORIES))
        path = self.path()
        if path == "/":
            return Place("path", "/", ONLY_HERE)
        return Place("path", path, self.rng.choice(REACHES)) if reach else Place("path", path)

    def who(self, *, role: bool = False, authors: bool = False) -> Who:
        choices = [EVERYONE, GUESTS, SIGNED_IN]
        choices += [Who("user", login) for login in LOGINS[1:4]]
        choices += [Who("group", name) for name in self.groups]
        choices += [Who("role", name) for name in self.roles] * role
        choices += [AUTHORS] * (2 * authors)
        return self.rng.choice(choices)

    def actions(self, *, managing: bool) -> tuple[str, ...]:
        common = ["read", "read", "edit", "publish", "create", "file-under", "see-drafts"]
        rare = ["all", "sell", "comment", "submit", "withdraw", "delete"]
        known = [*common, *common, *rare, *(MANAGING_ACTIONS if managing else ())]
        return tuple({self.rng.choice(known) for _ in range(self.rng.randrange(1, 4))})

    # People ------------------------------------------------------------------------

    def users(self) -> dict[str, User]:
        owner = User("ada", "Ada", joined=NOON, attributes={"position": "chief"})
        return {"ada": owner, **{login: self.user(login) for login in LOGINS[1:]}}

    def user(self, login: str) -> User:
        status = self.rng.choice(STATUSES) if self.maybe(0.3) else "active"
        return User(
            login,
            self.word().replace("\n", " "),
            status=status,
            memberships=tuple(Membership(name, self.period()) for name in self.some(self.groups)),
            enrolments=tuple(self._enrolment(name) for name in self.some(["year", "open"])),
            roles_elsewhere=self.some(["Hall:Porter", "hall:cook"]),
            joined=NOON if self.maybe() else None,
            attributes={
                name: value
                for name, value in (
                    ("position", self.rng.choice(["", "Keeper", "keeper; cook"])),
                    ("Start day", self.rng.choice(["", "2027-01-01", "soon"])),
                )
                if value
            },
        )

    def _enrolment(self, plan: str) -> Enrolment:
        """One from some day on; some were ended early."""
        since = NOON + timedelta(days=self.rng.randrange(-500, 100))
        until = since + timedelta(days=self.rng.randrange(1, 300)) if self.maybe(0.3) else None
        return Enrolment(plan, since, until)

    def all_groups(self) -> dict[str, Group]:
        lower, upper = self.groups[:2], self.groups[2:]
        groups = {}
        for name in self.groups:
            groups[name] = Group(
                name,
                self.word(),
                self.word(),
                counts_in=self.some(upper) if name in lower else (),
                stewards=(Who("user", "cyd"), Who("group", "night")) if self.maybe() else (),
                members=self.some(LOGINS[1:]),
                when=self.times(2, lambda: self.times(1, self.test) or (self.test(),)),
                mapped_from=self.some(["hall:porter", "hall:nobody"]),
                external_id=f"{name}; 7",
            )
        return groups

    def test(self) -> Test:
        return self.rng.choice(
            [
                Test("position", "is", ("KEEPER ",)),
                Test("position", "is_not", ("keeper",)),
                Test("position", "one_of", ("cook", "chief")),
                Test("position", "none_of", ("cook", "keeper")),
                Test("position", "contains", ("eep",)),
                Test("Start day", "before", ("2027-02-01",)),
                Test("Start day", "after", ("2027-02-01T12:00:00Z",)),
                Test("Start day", "filled", (self.rng.choice(["true", "false"]),)),
                Test("login", "is", ("dov",)),
            ]
        )

    # Rights ------------------------------------------------------------------------

    def all_roles(self) -> dict[str, Role]:
        return {
            "hand": Role("hand", self.word(), capabilities=self.times(2, self.capability)),
            "mate": Role(
                "mate", includes=self.some(["hand"]), capabilities=self.times(2, self.capability)
            ),
            "chief": Role("chief", "", self.word(), all_access=True),
        }

    def capability(self) -> Capability:
        can = self.actions(managing=False) if self.maybe(0.7) else ()
        own = self.actions(managing=False) if self.maybe() or not can else ()
        return Capability(self.kinds(), can, own, self.states())

    def kinds(self) -> tuple[str, ...]:
        return self.some(["page", "post", "panel", "banner"]) if self.maybe(0.3) else ()

    def states(self) -> tuple[str, ...]:
        return self.some(list(STATES)) if self.maybe(0.3) else ()

    def given(self) -> Given:
        role = self.rng.choice(self.roles if self.maybe(0.3) else self.roles[:2])
        to = tuple({self.who() for _ in range(self.rng.randrange(1, 3))})
        within = tuple({self.place(reach=False) for _ in range(self.rng.randrange(1, 3))})
        return Given(role, to, within, self.period())

    def readership(self, name: str) -> Readership:
        return Readership(
            name,
            tuple({self.who(role=True, authors=True) for _ in range(self.rng.randrange(1, 4))}),
            self.word(),
            all_of=self.times(1, lambda: self.who(role=True)) if self.maybe(0.3) else (),
            but_not=self.times(1, lambda: self.who(authors=True)) if self.maybe(0.3) else (),
            no_exceptions=self.maybe(0.2),
        )

    def readership_name(self, often: str = "inner") -> str:
        if self.maybe():
            return often
        return self.rng.choice([*BUILT_IN_READERSHIPS, "inner", "outer"])

    def places(self, items: list[Item]) -> tuple[PlaceSetting, ...]:
        named = {item.path for item in items if item.readership}
        found: dict[tuple[str, str], PlaceSetting] = {}
        for _ in range(self.rng.randrange(9)):
            place = self.place()
            if place.kind == "site":
                continue
            name = None if place.name in named or self.maybe(0.2) else self.readership_name()
            has_one = name is not None or place.name in named
            if name is None and place.kind == "path" and place.name != "/":
                place = Place("path", place.name)
            is_path = place.kind == "path"
            found[place.spot] = PlaceSetting(
                place,
                name,
                readership_from_above=not (is_path and has_one and self.maybe(0.4)),
                rights_from_above=not (is_path and place.name != "/" and self.maybe(0.4)),
            )
        return tuple(found.values())

    def rule(self, number: int) -> Rule:
        managing = self.maybe(0.15)
        allow = self.maybe(0.6)
        return Rule(
            allow,
            self.actions(managing=managing),
            tuple({self.who(role=True) for _ in range(self.rng.randrange(1, 3))}),
            self.place(),
            kinds=() if managing else self.kinds(),
            whose="any" if managing or self.maybe(0.7) else self.rng.choice(WHOSE),
            in_state=() if managing else self.states(),
            period=self.period(),
            no_exceptions=not allow and self.maybe(0.25),
            id=f"rule-{number}" if self.maybe() else None,
            note=self.word(),
        )

    def promise(self) -> Promise:
        whos = tuple({self.who(role=True) for _ in range(2)})
        place = self.place(reach=False)
        return Promise(whos, self.maybe(), self.actions(managing=False), place, self.word())

    # Content -----------------------------------------------------------------------

    def items(self) -> list[Item]:
        paths = sorted({self.path() for _ in range(self.rng.randrange(3, 12))}, key=tree_order)
        found: dict[str, Item] = {}
        for path in paths:
            above = [
                item for each, item in found.items() if path.startswith(each.rstrip("/") + "/")
            ]
            parent = path.rpartition("/")[0] or "/"
            if any(item.kind == "link" for item in above):
                continue
            below_part = any(item.kind in ("panel", "banner") for item in above if item.path != "/")
            if below_part and parent not in found:
                continue
            found[path] = self.item(path, parent in found and path != "/", below_part, list(found))
        return list(found.values())

    def item(self, path: str, has_parent: bool, part: bool, before: list[str]) -> Item:
        if part or (has_parent and self.maybe(0.3)):
            kind = self.rng.choice(["panel", "banner"])
            return Item(path, kind, self.word(), readership=self.own_readership())
        kind = self.rng.choice(["page", "post", "event", "page", "link" if path != "/" else "page"])
        target = self.rng.choice([*before, "/nowhere"]) if kind == "link" else None
        state = self.rng.choice(STATES) if self.maybe() else "published"
        start = NOON + timedelta(days=self.rng.randrange(-60, 60))
        dated = state == "scheduled" or self.maybe(0.2)
        categories = CATEGORIES[:3] if kind == "post" else CATEGORIES
        return Item(
            path,
            kind,
            self.word().replace("\n", " "),
            authors=self.some(LOGINS),
            changed_by=self.some(LOGINS) if self.maybe(0.3) else (),
            state=state,
            categories=self.some(categories),
            readership=self.own_readership(),
            public_from=start if dated else None,
            public_until=start + timedelta(days=30, hours=5) if self.maybe(0.2) else None,
            links_to=target,
        )

    def own_readership(self) -> str | None:
        return self.readership_name() if self.maybe(0.2) else None


ITEM_ACTIONS = [each for each in BUILT_IN_ACTIONS if each not in ("create", "file-under")]
KINDS = [*BUILT_IN_KINDS, "banner"]
__all__ = ["ITEM_ACTIONS", "KINDS", "MOMENTS", "NOON", "ONLY_BELOW", "random_site", "sites"]
