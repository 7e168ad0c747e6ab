"""Take the pictures in docs/screenshots: each main command in a real terminal window, and what is
written as pages: the workbook, the report, figures.

Needs the Debian packages xvfb, xterm, imagemagick, fonts-dejavu, libreoffice-calc, poppler-utils
and chromium, and no monitor.
"""

from __future__ import annotations

import os
import shlex
import shutil
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING

import prim_lantern as pl

if TYPE_CHECKING:
    from playwright.sync_api import Page

SCREENSHOTS = Path(__file__).resolve().parent.parent / "docs" / "screenshots"
DISPLAY = ":87"
PAPER = "#fbfaf6"
SCREEN = "1280x1100x24"
AT = "--at 2027-05-10"

CLOCK = {"PRIM_LANTERN_NOW": "2027-05-10", "PRIM_LANTERN_BY": "hana.okafor"}

COMMANDS = {
    "why": f"why sam publish /log/seal-count {AT}",
    "look-as": f"look-as sam --by tomasz.reeve {AT}",
    "grid": f"grid --who guests --who friends --who volunteers --who log-approvers "
    f"--action read --action create --action edit {AT}",
    "what": f"what bo.lind {AT}",
    "who": f"who any /visit --below {AT}",
    "promises": f"promises {AT}",
    "checkup": f"checkup {AT}",
    "compare": f"compare kit sam --why {AT}",
    "suggest": "suggest gwen edit /visit/prices",
    "help": "--help",
    "folder-check": "folder check broken",
    "try": "allow everyone edit,comment /visit --try",
    "history": "history --site season",
}


_SEASON: tuple[tuple[str, str, Callable[[pl.Change], object]], ...] = (
    ("hana.okafor", "Guides for the boat trips", lambda c: c.add_group("guides", "Guides")),
    ("hana.okafor", "", lambda c: c.add_members("guides", ["gwen.tarrow"], until="2027-10-01")),
    ("hana.okafor", "The season", lambda c: c.give("news-writer", "group:guides", "/news")),
    ("anneke.sorley", "", lambda c: c.take_step("/log/terns", "publish")),
    ("hana.okafor", "Not everything", lambda c: c.undo(3)),
)

_LONGEST = 20  # seconds for a command; one that asks something does not end


def main(wanted: list[str]) -> None:
    """Take the pictures named, or all."""
    os.environ.update(CLOCK)
    SCREENSHOTS.mkdir(parents=True, exist_ok=True)
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", SCREEN], stderr=subprocess.DEVNULL)
    try:
        time.sleep(1)
        with TemporaryDirectory() as folder:
            _lay_out(Path(folder))
            for name, command in COMMANDS.items():
                if name in wanted or not wanted:
                    _take(SCREENSHOTS / f"{name}.png", command, Path(folder))
            for name, draw in PAGES.items():
                if name in wanted or not wanted:
                    draw(pl.open_demo(), Path(folder), SCREENSHOTS / f"{name}.png")
    finally:
        screen.terminate()
        screen.wait()


def _lay_out(folder: Path) -> None:
    """The demo site, and a copy of it with a few slips of the pen."""
    shutil.copytree(pl.DEMO_FOLDER, folder / "site")
    shutil.copytree(pl.DEMO_FOLDER, folder / "broken")
    shutil.copytree(pl.DEMO_FOLDER, folder / "season")
    site = pl.open_site(folder / "season")
    for by, reason, make in _SEASON:
        with site.change(by, reason) as change:
            make(change)
    for file, right, wrong in (
        ("site.toml", 'role = "news-writer"', 'role = "news-wirter"'),
        ("site.toml", 'where = "topic:press"\nkinds', 'where = "topic:pres"\nkinds'),
        ("people.csv", "trustees;plan:patron@2026-10-01", "trustees;plan:patron"),
        ("content.csv", "/log/terns,post", "/log/terns,pots"),
    ):
        path = folder / "broken" / file
        text = path.read_text(encoding="utf-8").replace(right, wrong)
        path.write_text(text, encoding="utf-8")


def _of_sheet(site: pl.Site, folder: Path, picture: Path) -> None:
    """The grid of the workbook, as an office program shows it on paper."""
    file = folder / "grid.xlsx"
    site.write_sheets(file, ["guests", "signed-in", *_SOME_GROUPS])
    office = f"-env:UserInstallation=file://{folder}/office"
    command = ["soffice", office, "--headless", "--convert-to", "pdf", "--outdir", str(folder)]
    subprocess.run([*command, str(file)], check=True, capture_output=True)
    page = str(folder / "page")
    command = ["pdftoppm", "-r", "110", "-png", "-f", _GRID_PAGE, "-l", _GRID_PAGE]
    subprocess.run([*command, str(folder / "grid.pdf"), page], check=True)
    (drawn,) = folder.glob("page-*.png")
    _trimmed(drawn, picture)


def _of_report(site: pl.Site, folder: Path, picture: Path) -> None:
    """The report as a browser shows it, at the grid, with one cell opened."""
    from playwright.sync_api import sync_playwright

    file = folder / "board.html"
    file.write_text(site.report("2027-05-10", checkup=False), encoding="utf-8")
    with sync_playwright() as play:
        path = shutil.which("chromium")
        browser = play.chromium.launch(executable_path=path, args=["--no-sandbox"])
        view = browser.new_page(viewport={"width": 1280, "height": 860})
        view.goto(file.as_uri())
        view.evaluate("document.querySelector('#grid').scrollIntoView()")
        view.evaluate("document.querySelectorAll('td details')[3].open = true")
        view.screenshot(path=picture)
        browser.close()


def _of_figures(site: pl.Site, folder: Path, picture: Path) -> None:
    """Two of the figures, one above the other."""
    files = [str(folder / f"{sort}.png") for sort in ("grid", "roles")]
    for sort, file in zip(("grid", "roles"), files, strict=True):
        site.draw(sort, file, at="2027-05-10")
    wide = ["-background", "white", "-gravity", "west", "-append", "-resize", "1280x"]
    subprocess.run(["convert", *files, *wide, str(picture)], check=True)


@contextmanager
def _website(folder: Path) -> Iterator[Page]:
    """A page of a browser at the example website, on a day of the demo's."""
    from playwright.sync_api import sync_playwright

    app = SCREENSHOTS.parent.parent / "examples" / "website" / "app.py"
    (folder / "website").mkdir(exist_ok=True)
    variables = {**os.environ, **CLOCK, "PORT": PORT}
    with (
        subprocess.Popen(
            [sys.executable, str(app), str(folder / "website")], env=variables
        ) as site,
        sync_playwright() as play,
    ):
        time.sleep(6)
        path = shutil.which("chromium")
        browser = play.chromium.launch(executable_path=path, args=["--no-sandbox"])
        view = browser.new_page(viewport={"width": 1280, "height": 800})
        try:
            yield view
        finally:
            browser.close()
            site.terminate()


def _of_website(_: pl.Site, folder: Path, picture: Path) -> None:
    """The home page, as a guest sees it."""
    with _website(folder) as view:
        view.goto(f"http://127.0.0.1:{PORT}/")
        view.screenshot(path=picture)


def _of_looking(_: pl.Site, folder: Path, picture: Path) -> None:
    """A page as the owner sees it who looks as a friend."""
    with _website(folder) as view:
        view.goto(f"http://127.0.0.1:{PORT}/-/sign-in")
        view.select_option("#login", "hana.okafor")
        view.click("main button")
        view.goto(f"http://127.0.0.1:{PORT}/-/why?who=kit.farrow&action=edit&path=/trustees")
        view.select_option("#whom", "kit.farrow")
        view.click("text=Look")
        view.goto(f"http://127.0.0.1:{PORT}/friends")
        view.screenshot(path=picture)


PORT = "8997"
_SOME_GROUPS = ("group:volunteers", "group:log-approvers", "group:friends", "group:staff")
_GRID_PAGE = "5"  # after the introduction, and the pages of who and where
PAGES = {
    "sheet": _of_sheet,
    "report": _of_report,
    "figures": _of_figures,
    "website": _of_website,
    "website-look-as": _of_looking,
}


def _trimmed(drawn: Path, picture: Path) -> None:
    frame = ["-trim", "+repage", "-bordercolor", "white", "-border", "16"]
    subprocess.run(["convert", str(drawn), *frame, str(picture)], check=True)


def _take(picture: Path, command: str, folder: Path) -> None:
    shown = f"printf '\\033[?25l$ prim-lantern %s\\n' {shlex.quote(command)}"
    ended = folder / "ended"
    ended.unlink(missing_ok=True)
    script = f"{shown}; prim-lantern {command}; touch {ended}; sleep 60"
    long = command.startswith(("look-as", "checkup"))
    environment = {
        **os.environ,
        "DISPLAY": DISPLAY,
        "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}",
        "LANG": "C.UTF-8",
        "PRIM_LANTERN_SITE": "site",
        **CLOCK,
    }
    window = subprocess.Popen(
        ["xterm", "-u8", "-geometry", f"102x{74 if long else 40}+0+0", "-fa", "DejaVu Sans Mono",
         "-fs", "9" if long else "12", "-bg", PAPER, "-fg", "#1f2933", "-b", "12",
         "-xrm", "*color1: #b42318", "-xrm", "*color2: #1a7f37", "-xrm", "*color3: #8a5a00",
         "-xrm", "*color6: #0b6b78", "-e", "sh", "-c", script],
        env=environment, cwd=folder, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    try:
        deadline = time.monotonic() + _LONGEST
        while not ended.exists() and time.monotonic() < deadline:
            time.sleep(0.5)
        time.sleep(1)  # until it is drawn
        subprocess.run(["import", "-window", "root", str(picture)], env=environment, check=True)
        trim = ["-fill", PAPER, "-opaque", "black", "-fuzz", "2%", "-trim", "+repage"]
        frame = ["-bordercolor", PAPER, "-border", "16"]
        subprocess.run(["convert", str(picture), *trim, *frame, str(picture)], check=True)
    finally:
        window.terminate()
        window.wait()


if __name__ == "__main__":
    main(sys.argv[1:])
