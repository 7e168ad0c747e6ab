"""Run the commands that the documents show, and write down what they answer now."""

from __future__ import annotations

import shutil
import sys
from pathlib import Path
from tempfile import TemporaryDirectory

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT / "tests"))

import prim_lantern as pl  # noqa: E402
from documents import DOCUMENTS, with_answers  # noqa: E402


def main() -> None:
    """Refresh every document that shows commands."""
    with TemporaryDirectory() as folder:
        shutil.copytree(pl.DEMO_FOLDER, Path(folder) / "site")
        for document in DOCUMENTS:
            text = document.read_text(encoding="utf-8")
            fresh = with_answers(text, Path(folder))
            if fresh != text:
                document.write_text(fresh, encoding="utf-8")
                print(f"refreshed {document.relative_to(ROOT)}")


if __name__ == "__main__":
    main()
