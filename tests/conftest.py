"""What all tests share: small sites from text, the demo site, the command as a process."""

from __future__ import annotations

import atexit
import contextlib
import gc
import io
import itertools
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import cache
from pathlib import Path
from typing import Any
from unittest import mock

import pytest
from hypothesis import HealthCheck, Phase, settings

import prim_lantern as pl
from forking import Forking
from prim_lantern.formats.folder.writer import write_folder
from prim_lantern.store.database import DatabaseStore

settings.register_profile(
    "quick",
    max_examples=24,
    deadline=None,
    derandomize=True,  # the same sites each time; --long tries ever new ones
    suppress_health_check=list(HealthCheck),
    phases=[phase for phase in Phase if phase is not Phase.explain],
)
settings.register_profile(
    "long", parent=settings.get_profile("quick"), max_examples=20_000, derandomize=False
)
settings.load_profile("quick")
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)  # programs that tests start are compiled once
SAID = [f"PRIM_LANTERN_{name}" for name in ("SITE", "BY", "NOW")]
for _name in SAID:  # by whoever runs the tests
    os.environ.pop(_name, None)
_AT_HAND = tempfile.TemporaryDirectory(prefix="pl-at-hand-")
os.environ["PRIM_LANTERN_CACHE"] = _AT_HAND.name


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--long", action="store_true", help="try the properties on far more sites")
    parser.addoption("--retell", action="store_true", help="write anew what is told to people")


MUTATED = "MUTANT_UNDER_TEST" in os.environ  # whether this is a run of the mutation tester
LONG = (
    "told",
    "documents",
    "insight",
    "sheets",
    "stores",
    "killed",
    "engine",
    "scim",
    "service",
    "gate",
)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What takes long comes first, so that no processor waits for it at the end."""
    if MUTATED:  # one failure is enough there: what is quick comes first
        return
    longest = [f"test_{name}.py" for name in LONG]
    items.sort(key=lambda each: longest.index(each.path.name) if each.path.name in longest else 99)


def pytest_collection_finish() -> None:
    """What is loaded now stays: the garbage collector need not go through it again and again."""
    gc.freeze()


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


@pytest.fixture
def demo_folder(tmp_path: Path) -> Path:
    """A copy of the demo site that may be changed."""
    folder = tmp_path / "demo"
    shutil.copytree(pl.DEMO_FOLDER, folder)
    return folder


@pytest.fixture
def site(demo_folder: Path) -> pl.Site:
    """The demo site in a folder of its own."""
    return pl.open_site(demo_folder)


@pytest.fixture
def tokens(tmp_path: Path) -> Any:
    """Tokens for a service."""
    from prim_lantern.serve import Tokens  # few tests need it

    return Tokens(tmp_path / "tokens.json")


@pytest.fixture
def client_for(site: pl.Site, tokens: Any) -> Iterator[Callable[..., Any]]:
    """What makes a client of a service, with a token for something."""
    from serving import Clients

    with Clients(site, tokens) as clients:
        yield clients.client


def run(
    *arguments: str,
    site: Path | str | None = pl.DEMO_FOLDER,
    variables: Mapping[str, str] | None = None,
    anew: bool = False,
    here: bool = MUTATED,
    **more: object,
) -> Result:
    """Run the command line as a process: forked off one that has loaded it, or begun `anew`; `here`
    it is run in this one, as a test has patched it."""
    environment = {**os.environ, "COLUMNS": "100", "PYTHONIOENCODING": "utf-8"}
    for name in SAID:
        environment.pop(name, None)
    environment.update(variables or {})
    if site is not None:
        environment["PRIM_LANTERN_SITE"] = str(site)
    if not anew and set(more) <= {"cwd"}:
        cwd = str(Path(str(more.get("cwd", "."))).resolve())
        run_one = _run_here if here else _forking().run
        return Result(arguments, *run_one(arguments, environment, cwd, timeout=300))
    return subprocess.run(
        [sys.executable, "-c", "from prim_lantern.cli.start import run; run()", *arguments],
        capture_output=True,
        text=True,
        encoding="utf-8",
        env=environment,
        stdin=subprocess.DEVNULL,
        timeout=300,
        check=False,
        **more,  # type: ignore[call-overload]
    )


def _run_here(
    arguments: Sequence[str], environment: Mapping[str, str], cwd: str, **_: float
) -> tuple[int | str | None, str, str]:
    """The same in this process: a mutation tester sees nothing of another."""
    from prim_lantern.cli.start import run

    out, err = io.StringIO(), io.StringIO()
    with (
        pytest.MonkeyPatch.context() as patch,
        mock.patch.dict(os.environ, environment, clear=True),
        contextlib.redirect_stdout(out),
        contextlib.redirect_stderr(err),
    ):
        patch.chdir(cwd)
        patch.setattr("sys.argv", ["prim-lantern", *map(str, arguments)])
        with pytest.raises(SystemExit) as ended:
            run()
    return ended.value.code, out.getvalue(), err.getvalue()


@cache
def _forking() -> Forking:
    found = Forking()
    atexit.register(found.stop)
    return found


Result = subprocess.CompletedProcess


# PostgreSQL -----------------------------------------------------------------------------------

_SERVERS = [
    *sorted(Path("/usr/lib/postgresql").glob("*/bin")),
    *map(Path, os.environ["PATH"].split(os.pathsep)),
]


class Server:
    """A server of PostgreSQL of the tests' own, in a temporary folder, that can be stopped."""

    def __init__(self) -> None:
        found = next((each for each in _SERVERS if (each / "initdb").exists()), None)
        if found is None:
            pytest.skip("PostgreSQL is not installed (Debian: apt-get install postgresql)")
        self.folder = Path(tempfile.mkdtemp(prefix="pl-pg-", dir="/tmp"))  # sockets: short paths
        self._options = {"cwd": self.folder, "stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}  # fmt: skip
        if os.geteuid() == 0:  # the server refuses to run as root
            self._options["user"] = "postgres"
            shutil.chown(self.folder, "postgres")
        data = self.folder / "data"
        subprocess.run(
            [found / "initdb", "-D", data, "-A", "trust", "-U", "tester", "-E", "UTF8", "--locale=C.UTF-8"],
            check=True, **self._options,
        )  # fmt: skip
        settings = ["-c", "listen_addresses=", "-c", "fsync=off"]
        self._command = [found / "postgres", "-D", data, "-k", self.folder, *settings]
        self._names = itertools.count()
        self.start()

    def start(self) -> None:
        self._running = subprocess.Popen(self._command, **self._options)

    def stop(self) -> None:
        self._running.send_signal(signal.SIGINT)  # at once, whoever is connected
        self._running.wait()

    def database(self) -> str:
        """The URL of a fresh database."""
        import psycopg

        name, host = f"site_{next(self._names)}", str(self.folder)
        for _ in range(600):
            try:
                with psycopg.connect(
                    host=host, user="tester", dbname="postgres", autocommit=True
                ) as connection:
                    connection.execute(f"CREATE DATABASE {name}")
                return f"postgresql+psycopg://tester@/{name}?host={host}"
            except psycopg.OperationalError:
                time.sleep(0.1)
        raise AssertionError("the server does not answer")

    def remove(self) -> None:
        self.stop()
        shutil.rmtree(self.folder, ignore_errors=True)


@pytest.fixture(scope="session")
def postgresql():
    """Give the URL of a fresh database; skipped where PostgreSQL is not installed."""
    server = Server()
    yield server.database
    server.remove()


# Stores ----------------------------------------------------------------------------------------


@pytest.fixture(params=["folder", "sqlite", "postgresql"])
def kind(request):
    return request.param


@pytest.fixture
def place(kind, tmp_path, request):
    """Where a store of the kind can be: nothing is there yet."""
    if kind == "folder":
        return str(tmp_path / "kept")
    if kind == "sqlite":
        return f"sqlite:///{tmp_path}/kept.db"
    return request.getfixturevalue("postgresql")()


def put(data, place):
    if "://" in place:
        DatabaseStore(place, make=True).fill(data)
    else:
        write_folder(data, place)
    return place


@pytest.fixture
def where(place):
    """The demo site in a store of each kind."""
    return put(pl.open_demo().data, place)
