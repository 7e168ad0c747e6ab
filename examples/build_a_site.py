"""Build a site in code instead of a folder, write it down, and ask it."""

from pathlib import Path
from tempfile import TemporaryDirectory

import prim_lantern as pl
from prim_lantern.formats.folder.writer import write_folder
from prim_lantern.site.content import Item
from prim_lantern.site.people import User
from prim_lantern.site.places import place
from prim_lantern.site.rights import Rule
from prim_lantern.site.who import who


def main() -> None:
    """Two people, one page, one rule."""
    data = pl.SiteData(
        name="Boathouse",
        owner="mo.tarn",
        users={login: User(login) for login in ("mo.tarn", "ada.reef")},
        items={"/tides": Item("/tides", "page", "Tides", state="draft")},
        rules=(Rule(True, ("edit",), (who("user:ada.reef"),), place("/tides")),),
    )
    print(pl.Site(data).may("ada.reef", "edit", "/tides").reason)
    with TemporaryDirectory() as folder:
        write_folder(data, folder)
        print((Path(folder) / "site.toml").read_text(encoding="utf-8"))


if __name__ == "__main__":
    main()
