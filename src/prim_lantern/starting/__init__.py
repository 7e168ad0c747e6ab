"""Site folders to start from: a small one with ready roles, and an empty one."""

from __future__ import annotations

from pathlib import Path

from prim_lantern.errors import NotOverwritten
from prim_lantern.site.look_alikes import new_login
from prim_lantern.site.moments import zone_of

_TEXTS = Path(__file__).parent
_SITE_FILE = "site.toml"


def start_folder(
    folder: str | Path,
    *,
    name: str,
    owner: str,
    empty: bool = False,
    timezone: str | None = None,
) -> None:
    """Write a new site folder to start from.

    Parameters: the folder, made where it is missing; the name of the site; the login of
    its owner; whether to leave out the ready roles, groups and pages; the time zone in which days
    and times are meant (UTC when left out).
    Raises `BadValue` when the owner is no proper login or the zone is not known, and
    `NotOverwritten` when the folder holds anything.

    >>> import tempfile
    >>> import prim_lantern as pl
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     start_folder(folder, name="Harbour", owner="mo.tarn")
    ...     bool(pl.open_site(folder).may("mo.tarn", "edit", "/"))
    True
    """
    folder = Path(folder)
    new_login(owner, {})
    clock = f"[site]\ntimezone = {_toml_text(zone_of(timezone).key)}\n" if timezone else "[site]\n"
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise NotOverwritten(str(folder), "Choose a folder that is empty or not there yet.")
    filled = {
        _SITE_FILE: _text("empty" if empty else "small", _SITE_FILE)
        .replace("@NAME@", _toml_text(name))
        .replace("@OWNER@", _toml_text(owner))
        .replace("[site]\n", clock),
        "people.csv": _text("both", "people.csv").replace("@OWNER@", owner),
        "content.csv": _text("empty" if empty else "small", "content.csv"),
    }
    folder.mkdir(parents=True, exist_ok=True)
    for file, text in filled.items():
        (folder / file).write_text(text, encoding="utf-8", newline="")


def _text(variant: str, file: str) -> str:
    return (_TEXTS / variant / file).read_text(encoding="utf-8")


def _toml_text(text: str) -> str:
    import tomlkit  # only when a folder is written

    return tomlkit.string(text).as_string()
