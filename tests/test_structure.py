"""The shape of the code: imports run downwards, and a quick answer loads little."""

from __future__ import annotations

import ast
import json
import subprocess
import sys
from pathlib import Path

import pytest
from alembic.config import Config
from alembic.script import ScriptDirectory

import prim_lantern as pl
from conftest import put
from prim_lantern.store import migrations
from prim_lantern.store.upgrading import NEWEST

ROOT = Path(__file__).parent.parent


def loaded_by(statement: str) -> set[str]:
    code = f"import sys, json\n{statement}\nprint(json.dumps(sorted(sys.modules)))"
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, check=True, timeout=300
    )
    return set(json.loads(done.stdout.splitlines()[-1]))


def test_importing_the_package_loads_no_heavy_or_interface_package():
    loaded = loaded_by("import prim_lantern")
    slow = {"pandas", "numpy", "rich", "click", "tomlkit", "matplotlib", "sqlalchemy", "difflib"}
    assert not slow & loaded
    third_party = {n.partition(".")[0] for n in loaded} - set(sys.stdlib_module_names)
    assert {n for n in third_party if not n.startswith(("_", "sitecustomize"))} == {"prim_lantern"}


def test_a_database_that_is_up_to_date_loads_nothing_that_brings_older_ones_up(tmp_path):
    place = put(pl.open_demo().data, f"sqlite:///{tmp_path}/site.db")
    loaded = loaded_by(
        f"import prim_lantern as pl; pl.open_site({place!r}).may('hana.okafor', 'read', '/')"
    )
    assert "sqlalchemy" in loaded
    assert "alembic" not in loaded


def test_the_newest_tables_are_those_of_the_last_migration():
    config = Config()
    config.set_main_option("script_location", str(Path(migrations.__file__).parent))
    assert ScriptDirectory.from_config(config).get_current_head() == NEWEST


def test_a_single_answer_loads_no_tables():
    ask = "from prim_lantern.cli.main import main; main(['may','hana','read','/','--site',%r], standalone_mode=False)"
    loaded = loaded_by(ask % str(pl.DEMO_FOLDER))
    assert "click" in loaded
    assert not {"rich", "pandas", "tomlkit"} & loaded


def test_the_imports_run_downwards():
    command = [sys.executable, "-c", "from importlinter.cli import lint_imports_command as c; c()"]
    done = subprocess.run(
        command, cwd=ROOT, capture_output=True, text=True, check=False, timeout=300
    )
    assert done.returncode == 0, done.stdout


def test_no_file_and_no_function_is_too_long_to_be_read_at_once():
    for path in sorted((ROOT / "src").rglob("*.py")):
        text = path.read_text(encoding="utf-8")
        assert text.count("\n") <= 400, path
        for node in ast.walk(ast.parse(text)):
            if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                assert (node.end_lineno or 0) - node.lineno < 50, f"{path}: {node.name}"


def test_the_public_names_are_there_and_documented():
    for name in pl.__all__:
        assert getattr(pl, name, None) is not None
        assert name == "DEMO_FOLDER" or getattr(pl, name).__doc__


def test_importing_the_package_loads_next_to_nothing():
    loaded = loaded_by("import prim_lantern")
    assert {name for name in loaded if name.startswith("prim_lantern")} == {"prim_lantern"}
    assert "dataclasses" not in loaded


def test_a_mistyped_name_is_an_error():
    """For Python; for type checkers see `typed.py`."""
    with pytest.raises(AttributeError, match="has no attribute 'opn_site'"):
        _ = pl.opn_site
    assert {"Site", "open_site", "NotAllowed"} <= set(dir(pl))


def test_the_demo_that_is_shipped_has_its_three_files_and_no_history():
    """Whoever asks it in place leaves a look in its history, which all would start with."""
    there = {path.name for path in pl.DEMO_FOLDER.iterdir()}
    assert there == {"site.toml", "people.csv", "content.csv"}
