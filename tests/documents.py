"""The documents and the commands in them, each with what it answers."""

from __future__ import annotations

import re
import shlex
from pathlib import Path

from conftest import run

ROOT = Path(__file__).parent.parent
DOCUMENTS = [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]
_CONSOLE = re.compile(r"^```console\n(.*?)^```$", re.DOTALL | re.MULTILINE)


def with_answers(text: str, folder: Path) -> str:
    """The text, each console block with what its commands answer in a folder that has the demo
    site as `site`."""
    return _CONSOLE.sub(lambda block: f"```console\n{_answered(block[1], folder)}```", text)


def _answered(block: str, folder: Path) -> str:
    commands = [line for line in block.splitlines() if line.startswith("$ prim-lantern ")]
    answers = []
    for line in commands:
        done = run(*shlex.split(line)[2:], site=None, cwd=folder)
        answer = "\n".join(each.rstrip() for each in done.stdout.strip("\n").splitlines())
        answers.append(f"{line}\n{answer}\n{done.stderr}")
    return "\n".join(answers)
