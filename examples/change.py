"""Change a site: try it, make it, look back, take it back."""

from __future__ import annotations

import prim_lantern as pl


def main() -> None:
    """Give somebody a page to look after, for one season."""
    site = pl.open_demo()
    change = site.change(by="hana.okafor", reason="The works on the stairs")
    change.allow("edit", to="user:gwen.tarrow", where="/visit/access", until="2099-09-01")
    for line in change.in_short():
        print(line)
    print("Worth a thought:", change.cautions() or "nothing")
    record = change.make()
    print("May she?", bool(site.may("gwen.tarrow", "edit", "/visit/access")))
    print("And before?", bool(site.as_it_stood("2020-01-01").may("gwen.tarrow", "edit", "/visit")))
    with site.change(by="hana.okafor") as back:
        back.undo(record.number)
    for each in site.history():
        print(each.number, each.by, "; ".join(each.said))


if __name__ == "__main__":
    main()
