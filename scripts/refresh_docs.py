"""Run the commands that the documents show, and write down what they answer now."""

from __future__ import annotations

import sys
from pathlib import Path
from tempfile import TemporaryDirectory

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT / "tests"))

from documents import DOCUMENTS, with_answers  # noqa: E402


def main(wanted: list[str]) -> None:
    """Refresh the documents named, or every one that shows commands."""
    with TemporaryDirectory() as folder:
        for document in DOCUMENTS:
            if wanted and document.stem not in wanted:
                continue
            text = document.read_text(encoding="utf-8")
            fresh = with_answers(document, Path(folder) / "documents")
            if fresh != text:
                document.write_text(fresh, encoding="utf-8")
                print(f"refreshed {document.relative_to(ROOT)}")


if __name__ == "__main__":
    main(sys.argv[1:])
