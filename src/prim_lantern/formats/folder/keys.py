"""Which keys site.toml has, and what each holds.

The reader and the JSON Schema for editors both follow this one list.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final, NamedTuple

from prim_lantern.site.content import STATES
from prim_lantern.site.places import REACHES
from prim_lantern.site.rights import WHOSE

# What a key can hold.
TEXT: Final = "text"
FLAG: Final = "flag"
WHOLE: Final = "whole number"
TEXTS: Final = "list of texts"
MOMENT: Final = "day or time"
CAPABILITIES: Final = "list of capability rows"
CONDITIONS: Final = "list of condition rows"

# How often a table stands in the file.
ONCE: Final = "once"
BY_NAME: Final = "by name"
LISTED: Final = "listed"


class Key(NamedTuple):
    """One key: what it holds, what it says, and the words it chooses from, if few."""

    holds: str
    about: str
    required: bool = False
    choices: tuple[str, ...] = ()


class Table(NamedTuple):
    """One sort of table, how it stands in the file, and its keys."""

    stands: str
    about: str
    keys: Mapping[str, Key]


_LABEL: Final = Key(TEXT, "The name that people see.")
_ABOUT: Final = Key(TEXT, "What it is for, in a sentence or two.")
_SINCE: Final = Key(MOMENT, "In force from this day or time on.")
_UNTIL: Final = Key(MOMENT, "In force until this day or time; then no more.")
_NOTE: Final = Key(TEXT, "Why it is there; explanations show it.")
_STATES: Final = Key(TEXTS, "Only while in one of these states; left out: all.", False, STATES)

CAPABILITY_KEYS: Final[Mapping[str, Key]] = {
    "kinds": Key(TEXTS, "Kinds of items; left out: all."),
    "can": Key(TEXTS, "What may be done to anybody's items."),
    "own": Key(TEXTS, "What may be done to one's own items."),
    "in_state": _STATES,
}

TABLES: Final[Mapping[str, Table]] = {
    "site": Table(
        ONCE,
        "The site itself.",
        {
            "name": Key(TEXT, "The name of the site.", True),
            "owner": Key(TEXT, "The login of the owner, an active user.", True),
            "default_readership": Key(TEXT, "Who may view what nothing else closes."),
            "sign_up_groups": Key(TEXTS, "Groups that people join who sign up by themselves."),
            "timezone": Key(TEXT, "Where times are meant that say no zone; left out: UTC."),
        },
    ),
    "kinds": Table(
        BY_NAME,
        "A kind of item, beside page, post, event, file, screen, panel and link.",
        {
            "label": _LABEL,
            "part": Key(FLAG, "A part of a page, such as a panel."),
            "link": Key(FLAG, "A menu entry that leads to a path."),
            "four_eyes": Key(FLAG, "Nobody publishes what they wrote or changed."),
            "filed_under": Key(TEXTS, "Category sets it may use; left out: all."),
            "must_be_filed": Key(FLAG, "It needs at least one category."),
        },
    ),
    "actions": Table(
        BY_NAME,
        "A further action of this site.",
        {
            "label": _LABEL,
            "brings": Key(TEXTS, "Actions that it cannot be done without."),
            "risky": Key(FLAG, "Say so when it is given to many."),
        },
    ),
    "groups": Table(
        BY_NAME,
        "A group of people.",
        {
            "label": _LABEL,
            "about": _ABOUT,
            "counts_in": Key(TEXTS, "Groups in which its members are members too."),
            "stewards": Key(TEXTS, "Who looks after its members: user:… or group:…"),
            "members": Key(TEXTS, "Logins of members, beside the groups column of people.csv."),
            "when": Key(CONDITIONS, "Whoever fits one of these rows of tests is a member."),
            "mapped_from": Key(TEXTS, "Roles elsewhere whose holders are members."),
            "external_id": Key(TEXT, "What a directory knows it by."),
        },
    ),
    "plans": Table(
        BY_NAME,
        "A plan that people enrol in.",
        {
            "label": _LABEL,
            "groups": Key(TEXTS, "Groups that those enrolled are members of."),
            "lasts": Key(TEXT, "How long: '30 days', '6 months', '1 year'; left out: no end."),
        },
    ),
    "invitations": Table(
        LISTED,
        "A link sent to somebody invited; commands write it.",
        {
            "login": Key(TEXT, "The login of the one invited.", True),
            "token_hash": Key(TEXT, "SHA-256 of the link's token, as sha256:…", True),
            "until": Key(MOMENT, "When the link ends.", True),
        },
    ),
    "roles": Table(
        BY_NAME,
        "A role: a named set of capabilities.",
        {
            "label": _LABEL,
            "about": _ABOUT,
            "includes": Key(TEXTS, "Roles whose capabilities it has as well."),
            "capabilities": Key(CAPABILITIES, "What it can do, a row each."),
            "all_access": Key(FLAG, "May do everything where it is given."),
        },
    ),
    "given": Table(
        LISTED,
        "A role given to people.",
        {
            "role": Key(TEXT, "The role.", True),
            "to": Key(TEXTS, "user:…, group:…, everyone, guests or signed-in.", True),
            "within_any": Key(TEXTS, "Places within which it is given; left out: the site."),
            "since": _SINCE,
            "until": _UNTIL,
        },
    ),
    "readerships": Table(
        BY_NAME,
        "A readership: who may view.",
        {
            "label": _LABEL,
            "readers": Key(TEXTS, "user:…, group:…, role:…, an audience or authors.", True),
            "all_of": Key(TEXTS, "Who must be each of these as well."),
            "but_not": Key(TEXTS, "Who must be none of these."),
            "no_exceptions": Key(FLAG, "Passed only by being in it; no yes lets past it."),
        },
    ),
    "places": Table(
        LISTED,
        "What is set at a path or a category.",
        {
            "where": Key(TEXT, "The path or category.", True),
            "reach": Key(TEXT, "What the readership covers.", False, REACHES),
            "readership": Key(TEXT, "The readership that stands here."),
            "readership_from_above": Key(FLAG, "false: readerships from above do not count here."),
            "rights_from_above": Key(FLAG, "false: what is allowed above does not reach in."),
        },
    ),
    "rules": Table(
        LISTED,
        "A rule: these people may, or may not.",
        {
            "id": Key(TEXT, "A name for the rule."),
            "allow": Key(TEXTS, "Actions they may do; this or deny."),
            "deny": Key(TEXTS, "Actions they may not do; this or allow."),
            "to": Key(TEXTS, "user:…, group:…, role:… or an audience.", True),
            "where": Key(TEXT, "A path, a category or site; left out: site."),
            "reach": Key(TEXT, "For a path: what it covers.", False, REACHES),
            "kinds": Key(TEXTS, "Kinds of items; left out: all."),
            "whose": Key(TEXT, "Anybody's items, one's own, or others'.", False, WHOSE),
            "in_state": _STATES,
            "since": _SINCE,
            "until": _UNTIL,
            "no_exceptions": Key(FLAG, "Of a deny: nothing nearer lifts it."),
            "note": _NOTE,
        },
    ),
    "limits": Table(
        LISTED,
        "How many items of a kind may stand directly below a path.",
        {
            "kind": Key(TEXT, "The kind.", True),
            "where": Key(TEXT, "The path.", True),
            "at_most": Key(WHOLE, "How many.", True),
        },
    ),
    "promises": Table(
        LISTED,
        "What must stay true.",
        {
            "who": Key(TEXTS, "Who it speaks of.", True),
            "may": Key(TEXTS, "Actions they must be able to do; this or may_not."),
            "may_not": Key(TEXTS, "Actions they must not be able to do; this or may."),
            "where": Key(TEXT, "A place, with all below it.", True),
            "note": _NOTE,
        },
    ),
    "accepted": Table(
        LISTED,
        "A finding of the checkup that is right as it is.",
        {
            "finding": Key(TEXT, "Its key, as the checkup shows it.", True),
            "says": Key(TEXT, "What it says."),
            "because": Key(TEXT, "Why it is right as it is."),
            "until": Key(MOMENT, "Accepted until then, this moment not included."),
        },
    ),
}

CATEGORY_SETS: Final = "category_sets"  # its tables map categories to labels

PEOPLE_COLUMNS: Final = ("login", "name", "email", "status", "groups", "roles_elsewhere", "joined")
CONTENT_COLUMNS: Final = (
    "path",
    "kind",
    "title",
    "authors",
    "changed_by",
    "state",
    "categories",
    "readership",
    "public_from",
    "public_until",
    "links_to",
)
NEEDED_CONTENT_COLUMNS: Final = ("path", "kind")
