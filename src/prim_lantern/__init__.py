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
    "AlreadyThere",
    "BadChange",
    "BadQuestion",
    "BadSite",
    "BadValue",
    "BrokenHistory",
    "Capability",
    "Chain",
    "Change",
    "ChangedMeanwhile",
    "Compared",
    "Decision",
    "Edited",
    "Effect",
    "Effects",
    "Explanation",
    "Finding",
    "Grid",
    "LookingAs",
    "Membership",
    "NoSite",
    "NoSuchChange",
    "NotAllowed",
    "NotConfirmed",
    "NotOverwritten",
    "NothingToChange",
    "Offer",
    "Point",
    "PrimLanternError",
    "Record",
    "Seen",
    "SeveralUsers",
    "Site",
    "SiteData",
    "StoreTrouble",
    "Suggestion",
    "Suggestions",
    "Tidied",
    "UnknownAction",
    "UnknownCategory",
    "UnknownItem",
    "UnknownKind",
    "UnknownName",
    "UnknownUser",
    "UnknownWho",
    "WhoMay",
    "Wish",
    "frame_of",
    "open_demo",
    "open_site",
]

TYPE_CHECKING = False  # what type checkers take for true; typing itself need not be loaded

if TYPE_CHECKING:
    from prim_lantern.change.effects.effects import Effect, Effects
    from prim_lantern.change.record import Record
    from prim_lantern.changing import Change
    from prim_lantern.decide.decision import Decision, WhoMay
    from prim_lantern.decide.explain import Explanation, Point
    from prim_lantern.decide.views.grid import Grid
    from prim_lantern.decide.views.looking import LookingAs, Offer, Seen
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
    from prim_lantern.insight.comparing.compare import Compared
    from prim_lantern.insight.finding import Finding
    from prim_lantern.insight.gaining.could_gain import Chain
    from prim_lantern.insight.tidy import Tidied
    from prim_lantern.insight.wishes.suggest import Suggestion, Suggestions
    from prim_lantern.insight.wishes.wish import Wish
    from prim_lantern.live import Site
    from prim_lantern.opening import open_demo, open_site
    from prim_lantern.sheets.book import Edited
    from prim_lantern.show.frames import frame_of
    from prim_lantern.site.data import SiteData
    from prim_lantern.site.people import Membership
    from prim_lantern.site.rights import Capability
else:
    # What is asked for is loaded then, so that importing the package costs next to nothing.
    _WHERE = {  # every other name is that of an error
        "Capability": "site.rights",
        "Chain": "insight.gaining.could_gain",
        "Change": "changing",
        "Compared": "insight.comparing.compare",
        "DEMO_FOLDER": "demo",
        "Decision": "decide.decision",
        "Edited": "sheets.book",
        "Effect": "change.effects.effects",
        "Effects": "change.effects.effects",
        "Explanation": "decide.explain",
        "Finding": "insight.finding",
        "Grid": "decide.views.grid",
        "LookingAs": "decide.views.looking",
        "Membership": "site.people",
        "Offer": "decide.views.looking",
        "Point": "decide.explain",
        "Record": "change.record",
        "Seen": "decide.views.looking",
        "Site": "live",
        "SiteData": "site.data",
        "Suggestion": "insight.wishes.suggest",
        "Suggestions": "insight.wishes.suggest",
        "Tidied": "insight.tidy",
        "WhoMay": "decide.decision",
        "Wish": "insight.wishes.wish",
        "frame_of": "show.frames",
        "open_demo": "opening",
        "open_site": "opening",
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
