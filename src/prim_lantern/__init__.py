"""Prim Lantern: who may read, edit and publish what on a website, and why.

Open a site and ask:

>>> import prim_lantern as pl
>>> site = pl.open_site(pl.DEMO_FOLDER)
>>> bool(site.may("hana.okafor", "publish", "/log/seal-count"))
True
"""

__version__ = "0.1.0"

__all__ = [
    "DEMO_FOLDER",
    "Access",
    "Action",
    "AlreadyThere",
    "BadChange",
    "BadQuestion",
    "BadSite",
    "BadValue",
    "BrokenHistory",
    "Capability",
    "CategorySet",
    "Chain",
    "Change",
    "ChangedMeanwhile",
    "Compared",
    "Content",
    "Decision",
    "Edited",
    "Effect",
    "Effects",
    "Enrolled",
    "Enrolment",
    "Explanation",
    "Finding",
    "FoundItem",
    "Freshness",
    "Gains",
    "Given",
    "Grid",
    "Group",
    "Invitation",
    "Item",
    "Kind",
    "Limit",
    "Line",
    "LookingAs",
    "Membership",
    "Move",
    "Naming",
    "NoSite",
    "NoSuchChange",
    "NotAllowed",
    "NotConfirmed",
    "NotOverwritten",
    "NothingToChange",
    "Offer",
    "Operation",
    "Origin",
    "Period",
    "Place",
    "PlaceSetting",
    "PlaceView",
    "Plan",
    "Point",
    "Powers",
    "PrimLanternError",
    "Problem",
    "Promise",
    "PromiseCheck",
    "Question",
    "Queue",
    "Readership",
    "ReadershipView",
    "Record",
    "Refused",
    "Role",
    "Rule",
    "Rung",
    "Seen",
    "SeveralUsers",
    "Site",
    "SiteData",
    "StoreTrouble",
    "Suggestion",
    "Suggestions",
    "Taken",
    "Thing",
    "Tidied",
    "UnknownAction",
    "UnknownCategory",
    "UnknownItem",
    "UnknownKind",
    "UnknownName",
    "UnknownUser",
    "UnknownWho",
    "User",
    "Viewer",
    "Way",
    "Who",
    "WhoMay",
    "Wish",
    "frame_of",
    "open_demo",
    "open_site",
    "pictured",
    "place",
    "put_site",
    "read_folder",
    "who",
    "write_folder",
]

TYPE_CHECKING = False  # what type checkers take for true; typing itself need not be loaded

if TYPE_CHECKING:
    from prim_lantern.change.effects.effects import Effect, Effects
    from prim_lantern.change.effects.summary import Line
    from prim_lantern.change.operations.base import Operation
    from prim_lantern.change.record import Record
    from prim_lantern.changing import Change
    from prim_lantern.content import Content, Taken
    from prim_lantern.decide.belonging import Way
    from prim_lantern.decide.decision import Decision, WhoMay
    from prim_lantern.decide.explain import Explanation, Point
    from prim_lantern.decide.question import Question
    from prim_lantern.decide.views.access import Access
    from prim_lantern.decide.views.enrolments import Enrolled
    from prim_lantern.decide.views.found import FoundItem
    from prim_lantern.decide.views.grid import Grid
    from prim_lantern.decide.views.looking import LookingAs, Offer, Seen
    from prim_lantern.decide.views.naming import Naming
    from prim_lantern.decide.views.place_view import PlaceView
    from prim_lantern.decide.views.powers import Powers
    from prim_lantern.decide.views.promises import PromiseCheck
    from prim_lantern.decide.views.queue import Queue
    from prim_lantern.decide.views.readership_view import ReadershipView
    from prim_lantern.demo import DEMO_FOLDER
    from prim_lantern.errors import (
        AlreadyThere,
        BadChange,
        BadQuestion,
        BadSite,
        BadValue,
        BrokenHistory,
        ChangedMeanwhile,
        NoSite,
        NoSuchChange,
        NotAllowed,
        NotConfirmed,
        NothingToChange,
        NotOverwritten,
        PrimLanternError,
        Refused,
        SeveralUsers,
        StoreTrouble,
        UnknownAction,
        UnknownCategory,
        UnknownItem,
        UnknownKind,
        UnknownName,
        UnknownUser,
        UnknownWho,
    )
    from prim_lantern.formats.folder.reader import read_folder
    from prim_lantern.formats.folder.writer import write_folder
    from prim_lantern.freshness import Freshness
    from prim_lantern.insight.comparing.compare import Compared
    from prim_lantern.insight.comparing.difference import Thing
    from prim_lantern.insight.finding import Finding
    from prim_lantern.insight.gaining.could_gain import Chain, Gains, Move
    from prim_lantern.insight.ladder import Rung
    from prim_lantern.insight.tidying.tidy import Tidied
    from prim_lantern.insight.wishes.suggest import Suggestion, Suggestions
    from prim_lantern.insight.wishes.wish import Wish
    from prim_lantern.live import Site
    from prim_lantern.opening import open_demo, open_site, put_site
    from prim_lantern.sheets.book import Edited
    from prim_lantern.show.frames import frame_of
    from prim_lantern.site.actions import Action
    from prim_lantern.site.content import CategorySet, Item, Kind
    from prim_lantern.site.data import SiteData
    from prim_lantern.site.moments import Period
    from prim_lantern.site.origin import Origin, Problem
    from prim_lantern.site.people import Enrolment, Group, Invitation, Membership, Plan, User
    from prim_lantern.site.places import Place, place
    from prim_lantern.site.rights import (
        Capability,
        Given,
        Limit,
        PlaceSetting,
        Promise,
        Readership,
        Role,
        Rule,
    )
    from prim_lantern.site.who import Who, who
    from prim_lantern.state import pictured
    from prim_lantern.viewer import Viewer
else:
    # What is asked for is loaded then, so that importing the package costs next to nothing.
    _WHERE = {  # every other name is that of an error
        "DEMO_FOLDER": "demo",
        "Access": "decide.views.access",
        "Action": "site.actions",
        "Capability": "site.rights",
        "CategorySet": "site.content",
        "Chain": "insight.gaining.could_gain",
        "Change": "changing",
        "Compared": "insight.comparing.compare",
        "Content": "content",
        "Taken": "content",
        "Decision": "decide.decision",
        "Edited": "sheets.book",
        "Effect": "change.effects.effects",
        "Effects": "change.effects.effects",
        "Enrolled": "decide.views.enrolments",
        "Enrolment": "site.people",
        "Explanation": "decide.explain",
        "Finding": "insight.finding",
        "Freshness": "freshness",
        "FoundItem": "decide.views.found",
        "Gains": "insight.gaining.could_gain",
        "Given": "site.rights",
        "Grid": "decide.views.grid",
        "Group": "site.people",
        "Invitation": "site.people",
        "Item": "site.content",
        "Kind": "site.content",
        "Limit": "site.rights",
        "Line": "change.effects.summary",
        "LookingAs": "decide.views.looking",
        "Membership": "site.people",
        "Move": "insight.gaining.could_gain",
        "Naming": "decide.views.naming",
        "Offer": "decide.views.looking",
        "Operation": "change.operations.base",
        "Origin": "site.origin",
        "Period": "site.moments",
        "Place": "site.places",
        "PlaceSetting": "site.rights",
        "PlaceView": "decide.views.place_view",
        "Plan": "site.people",
        "Point": "decide.explain",
        "Powers": "decide.views.powers",
        "Problem": "site.origin",
        "Promise": "site.rights",
        "PromiseCheck": "decide.views.promises",
        "Question": "decide.question",
        "Queue": "decide.views.queue",
        "Readership": "site.rights",
        "ReadershipView": "decide.views.readership_view",
        "Record": "change.record",
        "Role": "site.rights",
        "Rule": "site.rights",
        "Rung": "insight.ladder",
        "Seen": "decide.views.looking",
        "Site": "live",
        "SiteData": "site.data",
        "Suggestion": "insight.wishes.suggest",
        "Suggestions": "insight.wishes.suggest",
        "Thing": "insight.comparing.difference",
        "Tidied": "insight.tidying.tidy",
        "User": "site.people",
        "Viewer": "viewer",
        "Way": "decide.belonging",
        "Who": "site.who",
        "WhoMay": "decide.decision",
        "Wish": "insight.wishes.wish",
        "frame_of": "show.frames",
        "open_demo": "opening",
        "open_site": "opening",
        "put_site": "opening",
        "pictured": "state",
        "place": "site.places",
        "read_folder": "formats.folder.reader",
        "who": "site.who",
        "write_folder": "formats.folder.writer",
    }

    def __getattr__(name):
        from importlib import import_module

        if name not in __all__:
            raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
        module = import_module(f"prim_lantern.{_WHERE.get(name, 'errors')}")
        found = globals()[name] = getattr(module, name)
        return found

    def __dir__():
        return sorted({*globals(), *__all__})
