"""Take the pictures in docs/screenshots: each main command in a real terminal window.

Needs the Debian packages xvfb, xterm, imagemagick and fonts-dejavu, and no monitor.
"""

from __future__ import annotations

import os
import shlex
import shutil
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

import prim_lantern as pl

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
    "show": f"show /trustees/minutes {AT}",
    "queue": f"queue anneke {AT}",
    "promises": f"promises {AT}",
    "checkup": f"checkup {AT}",
    "compare": f"compare kit sam --why {AT}",
    "suggest": "suggest gwen edit /visit/prices",
    "import": "import content pages.csv --map URL=path --map Headline=title "
    "--map 'Written by=authors' --map Status=state --map Section=categories "
    "--map 'Go live=public_from' "
    "--value state:Live=published --kind page --try",
    "help": "--help",
    "role": "role show field-writer",
    "plan": f"plan show patron {AT}",
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
    finally:
        screen.terminate()
        screen.wait()


def _lay_out(folder: Path) -> None:
    """The demo site, and a copy of it with a few slips of the pen."""
    shutil.copytree(pl.DEMO_FOLDER, folder / "site")
    shutil.copytree(pl.DEMO_FOLDER, folder / "broken")
    shutil.copytree(pl.DEMO_FOLDER, folder / "season")
    shutil.copy(SCREENSHOTS.parent.parent / "examples" / "incoming" / "pages.csv", folder)
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
