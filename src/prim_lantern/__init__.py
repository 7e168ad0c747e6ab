"""Prim Lantern: who may read, edit and publish what on a website, and why.

Open a site and ask:

>>> import prim_lantern as pl
>>> site = pl.open_site(pl.DEMO_FOLDER)
>>> bool(site.may("hana.okafor", "publish", "/log/seal-count"))
True
"""

from prim_lantern.decide.explain import Explanation, Point
from prim_lantern.decide.grid import Grid
from prim_lantern.decide.looking import LookingAs, Offer, Seen
from prim_lantern.demo import DEMO_FOLDER
from prim_lantern.errors import (
    BadQuestion,
    BadSite,
    BadValue,
    NoSite,
    NotOverwritten,
    PrimLanternError,
    SeveralUsers,
    UnknownAction,
    UnknownCategory,
    UnknownItem,
    UnknownKind,
    UnknownName,
    UnknownUser,
    UnknownWho,
)
from prim_lantern.live import Decision, Site, WhoMay, open_demo, open_site
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import Membership

__version__ = "0.1.0"

__all__ = [
    "DEMO_FOLDER",
    "BadQuestion",
    "BadSite",
    "BadValue",
    "Decision",
    "Explanation",
    "Grid",
    "LookingAs",
    "Membership",
    "NoSite",
    "NotOverwritten",
    "Offer",
    "Point",
    "PrimLanternError",
    "Seen",
    "SeveralUsers",
    "Site",
    "SiteData",
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
