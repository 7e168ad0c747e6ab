"""What the documents show is what happens; the examples run."""

from __future__ import annotations

import doctest
import re
import shutil
import subprocess
import sys

import pytest

import prim_lantern as pl
from documents import DOCUMENTS, ROOT, with_answers

EXAMPLES = sorted((ROOT / "examples").glob("*.py"))
_PYTHON = re.compile(r"^```python\n(.*?)^```$", re.DOTALL | re.MULTILINE)
_LINK = re.compile(r"\]\(([^)#:]+)\)")


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda each: each.name)
def test_commands_answer_as_written(document, tmp_path):
    text = document.read_text(encoding="utf-8")
    assert with_answers(document, tmp_path / "documents") == text


_REFUSED = re.compile(r"^\$ (.*)\n(?:(?!\$ |```).*\n)*?prim-lantern: ", re.MULTILINE)


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda each: each.name)
def test_what_is_refused_in_a_document_is_meant_to_be(document):
    """A command whose answer is an error says so itself: `# refused`."""
    for command in _REFUSED.findall(document.read_text(encoding="utf-8")):
        assert command.endswith("# refused"), command


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda each: each.name)
def test_python_answers_as_written(document, tmp_path, monkeypatch):
    shutil.copytree(pl.DEMO_FOLDER, tmp_path / "site")
    monkeypatch.chdir(tmp_path)
    code = "\n".join(_PYTHON.findall(document.read_text(encoding="utf-8")))
    examples = doctest.DocTestParser().get_doctest(code, {}, document.name, str(document), 0)
    assert doctest.DocTestRunner().run(examples, clear_globs=False).failed == 0
    if "engine" in examples.globs:  # its connections end with it
        examples.globs["engine"].dispose()


@pytest.mark.parametrize("document", DOCUMENTS, ids=lambda each: each.name)
def test_links_lead_somewhere(document):
    for link in _LINK.findall(document.read_text(encoding="utf-8")):
        assert (document.parent / link).exists(), link


def test_the_first_code_of_the_readme_comes_within_sixty_words():
    before = (ROOT / "README.md").read_text(encoding="utf-8").partition("```")[0]
    assert len(before.split()) <= 60


@pytest.mark.parametrize("example", EXAMPLES, ids=lambda each: each.stem)
def test_an_example_runs(example, tmp_path):
    done = subprocess.run(
        [sys.executable, "-W", "error", str(example)],
        cwd=tmp_path, capture_output=True, text=True, check=False, timeout=300,
    )  # fmt: skip
    assert (done.returncode, done.stderr) == (0, "")
    assert done.stdout
