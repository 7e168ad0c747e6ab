"""Check the whole project in a fresh virtual environment: style, types, tests (import rules
among them).

Needs Python 3.11 or later and nothing else. The environment is built from the project's own
files, so that no step of the installation can be missing; the tests run on what was installed.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import venv
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
HOME = ROOT / ".venv-check"
BIN = HOME / ("Scripts" if os.name == "nt" else "bin")

ONE_MORE = str((os.cpu_count() or 1) + 1)  # than processors, as some tests wait for other processes
BESIDE = ("-n", ONE_MORE, "--dist", "worksteal")  # who is done takes from others
SLOW = "--durations=30"  # what to look at where it takes long
CHECKS = (
    ("style", ["ruff", "check", "."]),
    ("layout", ["ruff", "format", "--check", "."]),
    ("tests", ["python", "-m", "pytest", "-q", *BESIDE, SLOW, "--pyargs", "prim_lantern", "tests"]),
)
TYPES = "mypy"  # beside the others, as it keeps one processor busy for a good while


def main() -> int:
    """Run every check; the exit code is 0 when all passed."""
    venv.create(HOME, clear=True, with_pip=True)
    python = str(BIN / "python")
    install = [python, "-m", "pip", "install", "--quiet", "--disable-pip-version-check"]
    install += ["--no-compile", ".[dev]"]  # most of it is never loaded
    subprocess.run(install, cwd=ROOT, check=True)
    failed = []
    with tempfile.TemporaryFile("w+") as told:
        types = subprocess.Popen([str(BIN / TYPES)], cwd=ROOT, stdout=told, stderr=told)
        for name, (command, *arguments) in CHECKS:
            print(f"== {name}", flush=True)
            if subprocess.run([str(BIN / command), *arguments], cwd=ROOT, check=False).returncode:
                failed.append(name)
        print("== types", flush=True)
        if types.wait():
            failed.append("types")
        told.seek(0)
        print(told.read(), end="")
    print(f"== failed: {', '.join(failed)}" if failed else "== all passed")
    return 1 if failed else 0


if __name__ == "__main__":
    sys.exit(main())
