"""What type checkers see of the package: an ignored error that is none is an error for them."""

from __future__ import annotations

from typing import assert_type

import prim_lantern as pl


def names() -> None:
    """A mistyped name is an error; what a call gives back is known."""
    pl.opn_site("x")  # type: ignore[attr-defined]
    assert_type(pl.open_demo(), pl.Site)
    assert_type(pl.open_demo().allows("sam.whitlock", "read", "/log"), bool)
