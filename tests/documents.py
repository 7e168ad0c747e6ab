"""The documents and the commands in them, each with what it answers."""

from __future__ import annotations

import re
import shlex
import shutil
from collections.abc import Iterator
from pathlib import Path

import prim_lantern as pl
from conftest import run

ROOT = Path(__file__).parent.parent
DOCUMENTS = [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]
NOW = "2027-05-10"
_CONSOLE = re.compile(r"^```console\n(.*?)^```$", re.DOTALL | re.MULTILINE)
_EXPORT = re.compile(r"^export (\w+)=(\S+)$", re.MULTILINE)
_SECTION = re.compile(r"^(?=## )", re.MULTILINE)
_TOKEN = re.compile(r"[\w-]{43}(?![\w-])")  # of an invitation: another each time


def with_answers(document: Path, folder: Path) -> str:
    """The text of a document, each console block with what its commands answer.

    They run in a folder that has the demo site as `site`, with the clock set to `NOW` and what the
    document exports; each recipe of the cookbook starts anew.
    """
    text = document.read_text(encoding="utf-8")
    variables = {"PRIM_LANTERN_NOW": NOW, **dict(_EXPORT.findall(text))}
    sections = _SECTION.split(text) if document.stem == "cookbook" else [text]
    return "".join(_answered(section, folder, variables) for section in sections)


def recipes(folder: Path) -> Iterator[tuple[str, Path]]:
    """The name of each recipe of the cookbook, with the folder in which its commands were run."""
    text = (ROOT / "docs" / "cookbook.md").read_text(encoding="utf-8")
    variables = {"PRIM_LANTERN_NOW": NOW, **dict(_EXPORT.findall(text))}
    for section in _SECTION.split(text):
        _answered(section, folder, variables)
        yield section.partition("\n")[0], folder


def _answered(text: str, folder: Path, variables: dict[str, str]) -> str:
    shutil.rmtree(folder, ignore_errors=True)
    shutil.copytree(pl.DEMO_FOLDER, folder / "site")
    for file in (ROOT / "examples" / "incoming").iterdir():
        shutil.copy(file, folder)
    return _CONSOLE.sub(lambda block: f"```console\n{_block(block[1], folder, variables)}```", text)


def _block(block: str, folder: Path, variables: dict[str, str]) -> str:
    commands = [line for line in block.splitlines() if line.startswith("$ prim-lantern ")]
    answers = []
    for line in commands:
        words = shlex.split(line, comments=True)[2:]
        done = run(*words, site=None, cwd=folder, variables=variables)
        answer = "\n".join(each.rstrip() for each in done.stdout.strip("\n").splitlines())
        said = f"{answer}\n{done.stderr}" if answer else done.stderr
        answers.append(f"{line}\n{_TOKEN.sub('TOKEN', said)}")
    return "\n".join(answers)
