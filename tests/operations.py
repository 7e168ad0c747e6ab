"""Random operations on generated sites."""

from __future__ import annotations

from collections.abc import Sequence
from random import Random

from prim_lantern.change.operations import OPERATIONS, Operation
from prim_lantern.change.operations.base import Made
from prim_lantern.change.proposal import Proposal
from prim_lantern.errors import PrimLanternError
from prim_lantern.site.data import SiteData
from prim_lantern.site.rights import Capability
from prim_lantern.site.rule_names import rule_names
from sites import ACCEPTED, CATEGORIES, LOGINS, NOON, Maker

_TESTS = ["position is keeper", "position is_not cook", "login is Bea.Holm", "email filled false"]


def random_operation(rng: Random, site: SiteData, some: Sequence[str] = ()) -> Operation:
    """One of all operations, or of some, with arguments that mostly make sense on the site."""
    maker = Maker(rng)
    path = rng.choice(list(site.items)) if site.items else "/"
    place = str(maker.place(reach=False)) if maker.maybe(0.3) else path
    login, other = rng.sample(LOGINS, 2)
    group, upper = rng.sample(maker.groups, 2)
    role, base = rng.sample(maker.roles, 2)
    to, actions = str(maker.who()), maker.actions(managing=False)
    row = Capability(maker.some(["page", "post"]), actions, (), ())
    category, readership = (
        rng.choice(CATEGORIES),
        rng.choice(["inner", "outer", "public", "nobody"]),
    )
    values = {
        "add-role": ("fresh", "", "", (base,), (row,)),
        "copy-role": (role, "copied"),
        "change-role": (role, "Called", None, (), (), (row,)),
        "remove-role": (role,),
        "add-user": ("zoe", "Zoe", "", rng.choice(["active", "byline"]), (group,), {"shoe": "9"}),
        "import-people": (
            (
                {"login": login, "name": "New", "groups": [group]},
                {"login": "yan", "status": rng.choice(["", "byline", "invited"])},
            ),
        ),
        "invite": (rng.choice(["zoe", login]), "sha256:0", "2099-01-01", "Zoe", "", (group,)),
        "accept": (login, rng.choice([f"sha256:{n:064x}" for n in range(6)])),
        "cancel-invitation": (login,),
        "change-user": (
            login,
            "New",
            None,
            {"position": rng.choice(["", "keeper", "cook"])},
            None,
            rng.choice([None, None, True, False]),
        ),
        "suspend": (login,),
        "bring-back": (login,),
        "remove-user": (login,),
        "release-user": (login, rng.choice([None, other])),
        "hand-over": (login,),
        "set-timezone": (rng.choice(["Europe/Oslo", "Pacific/Apia", "UTC"]),),
        "add-group": ("fresh", "", "", (upper,), (f"user:{login}",)),
        "change-group": (group, None, "About", (upper,), (), "G-7"),
        "rename-group": (group, "renamed"),
        "remove-group": (group,),
        "add-members": (group, (login, other), None, rng.choice([None, "2027-09-01"])),
        "remove-members": (group, (login,)),
        "rename-user": (login, rng.choice(["renamed", other])),
        "rename-role": (role, rng.choice(["renamed", base])),
        "rename-readership": (readership, rng.choice(["renamed", "outer"])),
        "rename-category": (
            category,
            rng.choice(["topic:renamed", "topic:sea/renamed", "place:x"]),
        ),
        "set-sign-up": (tuple(rng.sample(maker.groups, rng.randrange(3))),),
        "add-kind": (
            rng.choice(["fresh", "page"]),
            "Fresh",
            maker.maybe(0.2),
            False,
            maker.maybe(0.5),
            ("topic",),
        ),
        "change-kind": (
            rng.choice(["page", "post"]),
            None,
            maker.maybe(0.5),
            ("topic",),
            maker.maybe(0.3),
        ),
        "remove-kind": (rng.choice(["post", "fresh", "page"]),),
        "add-action": ("fresh", "Fresh", ("edit",), maker.maybe(0.5)),
        "change-action": (rng.choice(["sell", "edit"]), "Sell", rng.choice([("edit",), ()]), True),
        "remove-action": (rng.choice(["sell", "edit"]),),
        "set-stewards": (group, (f"user:{login}",)),
        "set-condition": (group, tuple(rng.sample(_TESTS, rng.randrange(3)))),
        "map-group": (group, ("hall:cook",)),
        "add-plan": ("month", (group,), "1 month"),
        "change-plan": ("year", None, rng.choice([None, "no end", "2 years"]), (group,)),
        "remove-plan": (rng.choice(["year", "open"]),),
        "enrol": (rng.choice(["year", "open"]), (login,), "2027-01-01"),
        "renew-enrolment": (rng.choice(["year", "open"]), (login,)),
        "end-enrolment": (rng.choice(["year", "open"]), (login,)),
        "add-readership": ("fresh", (to, "authors"), "", (), (f"group:{group}",)),
        "change-readership": ("inner", None, (to,)),
        "remove-readership": ("outer",),
        "set-readership": (place, readership, None, maker.maybe(0.3)),
        "clear-readership": (place,),
        "hide": (path,),
        "show": (path,),
        "give": (role, to, (place,), None, rng.choice([None, "2027-09-01"])),
        "take-back": (role, to),
        "allow": (actions, to, place),
        "deny": (actions, to, place),
        "remove-rule": (rng.choice([*rule_names(site.rules), "rule-1"]),),
        "add-promise": ((to,), actions, place, maker.maybe(), "note"),
        "remove-promise": ((to,), actions, place),
        "stop-from-above": (path, maker.maybe(0.3)),
        "set-limit": ("page", path, rng.choice([None, 3])),
        "add-item": (f"{path.rstrip('/')}/fresh", rng.choice(["page", "panel"]), "New", (login,)),
        "import-items": (({"path": path, "title": "T"}, {"path": "/new", "kind": "page"}),),
        "remove-item": (path,),
        "move-item": (path, rng.choice([*site.items, "/"]), rng.choice([None, "other"])),
        "change-item": (path, "Title", (category,), (), (login,)),
        "take-step": (path, rng.choice(["publish", "withdraw", "submit", "archive", "send-back"])),
        "add-category": (f"topic:{rng.choice(['new', 'sea/new'])}",),
        "remove-category": (category,),
        "accept-finding": (
            rng.choice(ACCEPTED),
            "It is meant so",
            maker.word(),
            rng.choice([None, "2027-09-01"]),
        ),
        "reopen-finding": (rng.choice(ACCEPTED),),
    }
    name = rng.choice([*some] or list(OPERATIONS))
    return OPERATIONS[name](*values[name])


def random_proposal(
    rng: Random, site: SiteData, by: str, steps: int = 2, some: Sequence[str] = ()
) -> Proposal:
    """Some steps that can be made on a site, of all sorts or of some."""
    proposal = Proposal(site, Made(by, NOON))
    for _ in range(40):
        try:
            proposal.do(random_operation(rng, proposal.data, some))
        except PrimLanternError:
            continue
        if len(proposal.steps) == steps:
            break
    return proposal
