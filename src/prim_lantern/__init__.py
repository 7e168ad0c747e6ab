"""Prim Lantern: who may read, edit and publish what on a website, and why.

Open a site and ask:

>>> import prim_lantern as pl
>>> site = pl.open_site(pl.DEMO_FOLDER)
>>> bool(site.may("hana.okafor", "publish", "/log/seal-count"))
True
"""

from typing import TYPE_CHECKING, Any

from prim_lantern.change.record import Record
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
from prim_lantern.live import Site
from prim_lantern.opening import open_demo, open_site
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import Membership
from prim_lantern.site.rights import Capability

if TYPE_CHECKING:
    from prim_lantern.change.effects.effects import Effect, Effects
    from prim_lantern.changing import Change

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
    "Change",
    "ChangedMeanwhile",
    "Decision",
    "Effect",
    "Effects",
    "Explanation",
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
    "UnknownAction",
    "UnknownCategory",
    "UnknownItem",
    "UnknownKind",
    "UnknownName",
    "UnknownUser",
    "UnknownWho",
    "WhoMay",
    "open_demo",
    "open_site",
]


if not TYPE_CHECKING:  # a mistyped name is found by type checkers

    def __getattr__(name: str) -> Any:
        """What only changing needs is loaded when it is asked for."""
        if name == "Change":
            from prim_lantern.changing import Change

            return Change
        if name in ("Effect", "Effects"):
            from prim_lantern.change.effects import effects

            return getattr(effects, name)
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
