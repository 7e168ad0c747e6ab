"""What all tests share: small sites from text, the demo site, the command as a process."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import HealthCheck, Phase, settings

import prim_lantern as pl

settings.register_profile(
    "quick",
    max_examples=60,
    deadline=None,
    suppress_health_check=list(HealthCheck),
    phases=[phase for phase in Phase if phase is not Phase.explain],
)
settings.register_profile("long", parent=settings.get_profile("quick"), max_examples=20_000)
settings.load_profile("quick")


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--long", action="store_true", help="try the properties on far more sites")


def pytest_configure(config: pytest.Config) -> None:
    if config.getoption("--long"):
        settings.load_profile("long")


HEAD = '[site]\nname = "Harbour"\nowner = "mo"\n'
PEOPLE = "login,name,email,status,groups,roles_elsewhere,joined"
CONTENT = (
    "path,kind,title,authors,changed_by,state,categories,readership,public_from,"
    "public_until,links_to"
)

MakeFolder = Callable[..., Path]


@pytest.fixture
def make_folder(tmp_path: Path) -> MakeFolder:
    """Write a site folder: `site` is what follows [site]; rows are comma-separated text."""

    def make(site: str = "", people: str = "", content: str = "", head: str = HEAD) -> Path:
        folder = tmp_path / "site"
        folder.mkdir(exist_ok=True)
        (folder / "site.toml").write_text(head + site, encoding="utf-8")
        rows = f"{PEOPLE}\nmo,Mo Tarn,,,,,\n{people}"
        (folder / "people.csv").write_text(rows, encoding="utf-8")
        (folder / "content.csv").write_text(f"{CONTENT}\n{content}", encoding="utf-8")
        return folder

    return make


@pytest.fixture
def make_site(make_folder: MakeFolder) -> Callable[..., pl.Site]:
    """Open a site written as for `make_folder`."""
    return lambda *args, **more: pl.open_site(make_folder(*args, **more))


@pytest.fixture(scope="session")
def demo() -> pl.Site:
    """The demo site."""
    return pl.open_demo()


def run(*arguments: str, site: Path | str | None = pl.DEMO_FOLDER, **more: object) -> Result:
    """Run the command line as a process."""
    environment = {**os.environ, "COLUMNS": "100", "PYTHONIOENCODING": "utf-8"}
    environment.pop("PRIM_LANTERN_SITE", None)
    if site is not None:
        environment["PRIM_LANTERN_SITE"] = str(site)
    return subprocess.run(
        [sys.executable, "-c", "from prim_lantern.cli.main import run; run()", *arguments],
        capture_output=True,
        text=True,
        encoding="utf-8",
        env=environment,
        stdin=subprocess.DEVNULL,
        timeout=120,
        check=False,
        **more,  # type: ignore[call-overload]
    )


Result = subprocess.CompletedProcess
