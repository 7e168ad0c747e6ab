"""The pieces of a site in plain words."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime

from prim_lantern.decide.belonging import Way
from prim_lantern.decide.clauses import Clause
from prim_lantern.decide.stand_ins import name_of
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period
from prim_lantern.site.people import Group
from prim_lantern.site.places import ONLY_BELOW, ONLY_HERE, Place
from prim_lantern.site.rights import Capability, Given, Readership, Rule
from prim_lantern.site.who import Who
from prim_lantern.wording import with_article

_DOING = {
    "see-drafts": "see drafts of",
    "file-under": "file",
    "comment": "comment on",
    "upload": "upload to",
    "send-back": "send back",
    "see-versions": "see versions of",
    "restore-version": "restore a version of",
    "manage-rights": "manage rights at",
    "manage-people": "manage people on",
    "manage-roles": "manage roles on",
    "look-as": "look as somebody else at",
}
_AUDIENCES = {"everyone": "everyone", "guests": "guests", "signed-in": "everybody signed in"}


def doing(data: SiteData, action: str) -> str:
    """An action as a verb that takes an item: "comment on", "send back"."""
    own = data.actions.get(action)
    if own is not None:
        return f"{action} on"
    return _DOING.get(action, action)


def doings(data: SiteData, actions: Iterable[str], kind: str | None = None) -> str:
    """Some actions as verbs, any of which is meant: "edit or comment on"; `kind` is of what would
    be created."""
    new = with_article(data.kind(kind).called) if kind is not None else "something"
    told = {"create": f"create {new} below"}
    return listed([told.get(each) or doing(data, each) for each in actions], "or")


def in_short(actions: Sequence[str], every: Sequence[str]) -> list[str]:
    """Some actions; "everything" in the place of all that there are."""
    if len(every) > 1 and set(every) <= set(actions):
        return ["everything", *(each for each in actions if each not in every)]
    return list(actions)


def right(action: str) -> str:
    """The right to an action, as something that can be missing: "the right to publish here"."""
    what = {
        "create": "create this here",
        "file-under": "file under this category",
        "see-drafts": "see drafts here",
        "send-back": "send back here",
        "see-versions": "see versions here",
        "restore-version": "restore versions here",
        "manage-rights": "manage rights here",
        "manage-people": "manage people",
        "manage-roles": "manage roles",
        "look-as": "look at the site as somebody else",
    }
    return f"the right to {what.get(action, f'{action} here')}"


def listed(words: Iterable[str], last: str = "and") -> str:
    """Words in a row: "a, b and c"."""
    words = list(words)
    return f" {last} ".join(filter(None, [", ".join(words[:-1]), words[-1]])) if words else ""


def counts(numbers: Mapping[str, int]) -> str:
    """How many there are of each thing, by its plural: "1 person, 3 groups"."""
    ones = {"people": "person"}
    return ", ".join(
        f"1 {ones.get(what) or what.removesuffix('s')}" if count == 1 else f"{count:,} {what}"
        for what, count in numbers.items()
    )


def in_state(state: str) -> str:
    """What an item in a state is."""
    return {"draft": "a draft", "in-review": "in review"}.get(state, state)


def some(names: Sequence[str], most: int = 4) -> str:
    """The first few of some names in a row, and how many more there are."""
    more = [f"{len(names) - most:,} more"] if len(names) > most else []
    return listed([*names[:most], *more])


def person(data: SiteData, login: str | None) -> str:
    """The name of a user, or of somebody pictured; "a guest" for nobody."""
    return name_of(data, login)


def opening(data: SiteData, login: str | None) -> str:
    """The same at the start of a sentence; a login stays as it is spelled."""
    name = person(data, login)
    return name if login == name else name[:1].upper() + name[1:]


def who(data: SiteData, each: Who) -> str:
    """Who a word speaks of: "Sam Whitlock", "group Keepers", "everybody signed in"."""
    match each.kind:
        case "user":
            return person(data, each.name)
        case "group":
            return f"group {data.groups[each.name].called}"
        case "role":
            return f"whoever has the role {data.roles[each.name].called}"
        case "authors":
            return "its authors"
        case _:
            return _AUDIENCES[each.name]


def readers(data: SiteData, readership: Readership) -> str:
    """Who is in a readership: "group Patrons or group Staff, but not group Friends"."""

    def named(some: Iterable[Who], last: str) -> str:
        return listed((who(data, each) for each in some), last)

    text = named(readership.readers, "or") or "nobody"
    if readership.all_of:
        text += f", who is in all of {named(readership.all_of, 'and')}"
    if readership.but_not:
        text += f", but not {named(readership.but_not, 'or')}"
    return text + (", no exceptions" if readership.no_exceptions else "")


def where(place: Place) -> str:
    """A place as the end of a sentence: "at /log and below"."""
    if place.kind == "site":
        return "on the whole site"
    if place.kind == "category":
        return f"in {place.name}"
    if place.name == "/":
        return "at / (the home page)"
    return {
        ONLY_HERE: f"at {place.name} only",
        ONLY_BELOW: f"below {place.name}",
    }.get(place.reach, f"at {place.name} and below")


def rule_name(rule: Rule) -> str:
    """How a rule is called."""
    if rule.id:
        return f"The rule {rule.id}"
    return "A rule without a name" if rule.allow else "A deny without a name"


def given_name(data: SiteData, given: Given) -> str:
    """How a given role is called: the role, to whom, within what, for how long."""
    to = listed(who(data, each) for each in given.to)
    within = listed(map(where, given.within_any), "or")
    return (
        f"The role {data.roles[given.role].called}, given to {to} {within}{period(given.period)},"
    )


def clause(data: SiteData, each: Clause, action: str) -> str:
    """What a clause says about one action."""
    states = f" while {listed(sorted(each.states), 'or')}" if each.states else ""
    comes_with = f" (it comes with {listed(each.named)})" if each.brought else ""
    what = f"{doing(data, action)} {_items(each)}{states}"
    source = each.source
    if source.given is not None:
        row_of = data.roles[source.row_of]
        by = f" by its role {row_of.called}" if source.row_of != source.given.role else ""
        return f"{given_name(data, source.given)} lets them {what}{by}{comes_with}"
    name = rule_name(source.rule) if source.rule else "A rule"
    verb = "lets" if each.allow else "does not let"
    final = ", without exceptions" if each.no_exceptions else ""
    note = f" ({source.rule.note})" if source.rule and source.rule.note else ""
    to, at = who(data, each.who), where(each.place)
    return f"{name} {verb} {to} {what} {at}{period(each.period)}{final}{comes_with}{note}"


def rule(data: SiteData, each: Rule) -> str:
    """What a rule says: "The rule press-freeze: Newsroom may not edit in topic:press"."""
    to = listed(who(data, one) for one in each.to)
    verb = "may" if each.allow else "may not"
    kinds = f" {with_article(listed(each.kinds, 'or'))}" if each.kinds else ""
    states = f" while {listed(each.in_state, 'or')}" if each.in_state else ""
    whose = {"own": " of their own", "others": " of others"}.get(each.whose, "")
    final = ", without exceptions" if each.no_exceptions else ""
    actions = listed(each.actions, "and" if each.allow else "or")
    what = f"{actions}{kinds}{whose}{states} {where(each.place)}"
    return f"{rule_name(each)}: {to} {verb} {what}{period(each.period)}{final}"


def _items(each: Clause) -> str:
    kinds = listed(sorted(each.kinds), "or") if each.kinds else ""
    match each.whose:
        case "own":
            return f"{with_article(kinds)} of their own" if kinds else "what is their own"
        case "others":
            return f"{with_article(kinds)} of others" if kinds else "what others wrote"
        case _:
            return f"any {kinds}" if kinds else "anything"


def period(each: Period) -> str:
    """A period behind a comma, or nothing."""
    return f", {each}" if str(each) else ""


def way(data: SiteData, login: str | None, each: Way, at: datetime) -> str:
    """How somebody is in a group: by hand, mapped, enrolled, by condition, through another."""
    first = data.groups[each.through[0]]
    how = {
        "by hand": "listed by hand",
        "mapped": f"has {each.by} elsewhere",
        "enrolled": f"enrolled in {each.by}",
        "fits": f"fits {each.by}",
    }[each.how]
    upper = [data.groups[name].called for name in each.through[1:]]
    nested = f", which counts in {', and that in '.join(upper)}" if upper else ""
    until = each.period.until
    verb = "is" if each.period.holds(at) else "was" if until and until <= at else "will be"
    called = person(data, login)
    return f"{called} {verb} in group {first.called}{nested}: {how}{period(each.period)}"


def how_joined(group: Group) -> str:
    """How people come into a group, but by hand or by a plan, which all can."""
    ways = []
    if group.when:
        conditions = [" and ".join(map(str, row)) for row in group.when]
        ways.append(f"whose {' or '.join(conditions)}")
    if group.mapped_from:
        ways.append(f"has {' or '.join(group.mapped_from)} elsewhere")
    return "; ".join(ways) or "by hand, or by a plan"


def capability(row: Capability) -> list[str]:
    """What a row of a role can do, a line each for anybody's items and for one's own."""
    kinds = listed(row.kinds, "or") if row.kinds else ""
    states = f" while {listed(row.in_state, 'or')}" if row.in_state else ""
    texts = []
    if row.can:
        texts.append(f"{listed(row.can)}: any{f' {kinds}' if kinds else 'thing'}{states}")
    if row.own:
        whose = f"{with_article(kinds)} of their own" if kinds else "what is their own"
        texts.append(f"{listed(row.own)}: {whose}{states}")
    return texts
