"""What the files of a site folder are called."""

from __future__ import annotations

from typing import Final

SITE_FILE: Final = "site.toml"
PEOPLE_FILE: Final = "people.csv"
CONTENT_FILE: Final = "content.csv"
FILES: Final = (SITE_FILE, PEOPLE_FILE, CONTENT_FILE)

HISTORY_FILE: Final = "history.jsonl"
PENDING_FILE: Final = ".pending.json"
LAST: Final = ".last"
"""The folder with the files as the last change left them."""
WITH_LAST: Final = (*FILES, *(f"{LAST}/{name}" for name in FILES))
"""The files, and beside each what it held after the last change."""
PAST: Final = ".past"
"""The folder with the site as it was now and then."""
