"""An example of each step of a change on the demo site: the call, and what it says of itself.

They end up in the docstrings of the steps, where `help()` shows them and the tests run them.
"""

from __future__ import annotations

from typing import Final

EXAMPLES: Final[dict[str, tuple[str, str]]] = {
    "add_role": ('add_role("helper", includes="commenter")', "add the role helper on commenter"),
    "copy_role": ('copy_role("field-writer", "cub")', "copy the role field-writer to cub"),
    "change_role": (
        'change_role("station-keeper", label="Keeper of a station")',
        "change the role station-keeper",
    ),
    "remove_role": ('remove_role("event-desk")', "remove the role event-desk"),
    "add_user": ('add_user("mo.tarn", groups=["friends"])', "add mo.tarn"),
    "import_people": (
        'import_people(({"login": "wren.hale", "groups": ["friends"]},))',
        "import 1 person",
    ),
    "change_user": (
        'change_user("dag.hollis", attributes={"position": "keeper", "station": "Tansy"})',
        "change dag.hollis",
    ),
    "cancel_invitation": ('cancel_invitation("levin.holt")', "cancel the invitation of levin.holt"),
    "suspend": ('suspend("leif.aronsen")', "suspend leif.aronsen"),
    "bring_back": ('bring_back("theo.marsh")', "bring back theo.marsh"),
    "remove_user": ('remove_user("gwen.tarrow")', "remove gwen.tarrow"),
    "release_user": (
        'release_user("mirela.kos", hand_to="sam.whitlock")',
        "take away all that mirela.kos has, and hand what they wrote to sam.whitlock",
    ),
    "hand_over": ('hand_over("ruth.adeyemi")', "hand over the ownership to ruth.adeyemi"),
    "set_timezone": ('set_timezone("Europe/Oslo")', "set the time zone Europe/Oslo"),
    "add_group": ('add_group("night", counts_in=["staff"])', "add the group night"),
    "change_group": (
        'change_group("friends", count_in=["patrons"])',
        "change the group friends, counting in patrons",
    ),
    "rename_group": (
        'rename_group("friends", "companions")',
        "rename the group friends to companions",
    ),
    "remove_group": ('remove_group("ticket-desk")', "remove the group ticket-desk"),
    "add_members": (
        'add_members("trustees", ["gwen.tarrow"], until="2098-01-01")',
        "add gwen.tarrow to group:trustees, until 2098-01-01",
    ),
    "remove_members": (
        'remove_members("volunteers", ["sam.whitlock", "carys.venn"])',
        "take sam.whitlock, carys.venn out of group:volunteers",
    ),
    "set_stewards": (
        'set_stewards("friends", add=["user:ruth.adeyemi"])',
        "change the stewards of group:friends",
    ),
    "set_sign_up": (
        'set_sign_up(groups=["patrons", "friends"])',
        "let people sign up into patrons, friends",
    ),
    "set_condition": (
        'set_condition("relief-keepers", rows=["position is relief keeper"])',
        "let group:relief-keepers take in everybody whose position is relief keeper by condition",
    ),
    "map_group": (
        'map_group("staff", add=["Directory:Teacher"])',
        "map Directory:Teacher to staff",
    ),
    "add_plan": ('add_plan("month", ["friends"], lasts="1 month")', "add the plan month"),
    "change_plan": ('change_plan("patron", lasts="3 years")', "change the plan patron"),
    "remove_plan": ('remove_plan("patron")', "remove the plan patron"),
    "enrol": ('enrol("patron", ["kit.farrow"])', "enrol kit.farrow in patron"),
    "renew_enrolment": (
        'renew_enrolment("patron", ["wendel.achter"])',
        "renew the enrolment of wendel.achter in patron",
    ),
    "end_enrolment": (
        'enrol("patron", ["kit.farrow"]).end_enrolment("patron", ["kit.farrow"])',
        "end the enrolment of kit.farrow in patron",
    ),
    "add_readership": (
        'add_readership("desk", ["group:office", "authors"], but_not=["user:lena.osgood"])',
        "add the readership desk",
    ),
    "change_readership": (
        'change_readership("patrons", add=["group:friends"])',
        "change the readership patrons",
    ),
    "remove_readership": (
        'remove_readership("grown-keepers")',
        "remove the readership grown-keepers",
    ),
    "set_readership": ('set_readership("/log", "friends")', "set the readership friends at /log"),
    "clear_readership": ('clear_readership("/patrons")', "clear the readership at /patrons"),
    "hide": ('hide("/visit")', "hide /visit"),
    "show": ('hide("/visit/winter").show("/visit/winter")', "show /visit/winter again"),
    "give": (
        'give("timetable-desk", "user:sam.whitlock", within_any="/visit/sailings")',
        "give timetable-desk to user:sam.whitlock within /visit/sailings",
    ),
    "take_back": (
        'take_back("event-desk", ["user:ruth.adeyemi"])',
        "take event-desk back from user:ruth.adeyemi",
    ),
    "allow": (
        'allow("edit", to="user:gwen.tarrow", where="/news")',
        "allow edit to user:gwen.tarrow at /news",
    ),
    "deny": ('deny("comment", to="guests", where="/news")', "deny comment to guests at /news"),
    "remove_rule": ('remove_rule("pavel-storm")', "remove the rule pavel-storm"),
    "add_promise": ('add_promise("guests", ["edit"])', "promise that guests may not edit"),
    "remove_promise": (
        'remove_promise("guests", ["comment"])',
        "no longer promise that guests may not comment",
    ),
    "accept_finding": (
        'accept_finding("over-b817fc", "Kept as a record", until="2098-01-01")',
        "accept the finding over-b817fc, until 2098-01-01",
    ),
    "reopen_finding": (
        'accept_finding("over-b817fc", because="Kept").reopen_finding("over-b817fc")',
        "accept the finding over-b817fc no longer",
    ),
    "stop_from_above": (
        'stop_from_above("/log/storm-watch")',
        "stop rights from above at /log/storm-watch",
    ),
    "set_limit": ('set_limit("page", "/visit", 1)', "limit page below /visit to 1"),
    "add_item": (
        'add_item("/visit/boats", "page", authors=["hana.okafor"])',
        "add a page at /visit/boats",
    ),
    "import_items": ('import_items(({"path": "/news/fog", "kind": "notice"},))', "import 1 item"),
    "remove_item": ('remove_item("/learn/packs")', "remove /learn/packs and all below it"),
    "move_item": (
        'move_item("/visit/prices", "/about", name="costs")',
        "move /visit/prices under /about as costs",
    ),
    "change_item": (
        'change_item("/log/terns", file_under=["topic:press"])',
        "change /log/terns",
    ),
    "take_step": ('take_step("/log/terns", "publish")', "publish /log/terns"),
    "add_category": ('add_category("topic:moths")', "add the category topic:moths"),
    "remove_category": (
        'add_category("topic:boats").remove_category("topic:boats")',
        "remove the category topic:boats",
    ),
    "rename_role": (
        'rename_role("field-writer", "Log-Writer")',
        "rename the role field-writer to Log-Writer",
    ),
    "rename_readership": (
        'rename_readership("patrons", "supporters")',
        "rename the readership patrons to supporters",
    ),
    "rename_user": ('rename_user("Sam.Whitlock", "sammy")', "rename Sam.Whitlock to sammy"),
    "rename_category": (
        'rename_category("topic:wildlife", "topic:animals")',
        "rename the category topic:wildlife to topic:animals",
    ),
    "add_kind": (
        'add_kind("leaflet", label="Leaflet", four_eyes=True)',
        "add the kind leaflet",
    ),
    "change_kind": ('change_kind("post", label="Entry of the log")', "change the kind post"),
    "remove_kind": ('remove_kind("event")', "remove the kind event"),
    "add_action": ('add_action("lend", brings=["comment"], risky=True)', "add the action lend"),
    "change_action": ('change_action("sell", label="Sell")', "change the action sell"),
    "remove_action": ('add_action("lend").remove_action("lend")', "remove the action lend"),
}


def described(name: str, doc: str | None) -> str:
    """The docstring of a step."""
    call, said = EXAMPLES[name]
    return f"""{doc}

    Returns the change, to go on with. Raises an unknown name (`UnknownUser` …), or `BadChange`
    where the step cannot be made; it is not added then.

    >>> import prim_lantern as pl
    >>> change = pl.open_demo().change(by="hana.okafor")
    >>> change.{call}.said[-1]
    {said!r}
    """
