"""Build the menu and a list of posts for whoever is looking, as a website does."""

import prim_lantern as pl


def main() -> None:
    """Show the menu and the newest posts to a guest and to a friend."""
    site = pl.open_demo()
    newest = ["/log/film-crew", "/log/terns", "/log/first-puffins", "/log/storm-watch"]
    for who in (None, "pavel.ostrow"):
        menu = site.menu(who, at="2027-05-10")
        print(f"For {who or 'a guest'}: {', '.join(link.title for link in menu)}")
        print(f"  posts: {', '.join(site.filter(who, 'read', newest, at='2027-05-10'))}")


if __name__ == "__main__":
    main()
