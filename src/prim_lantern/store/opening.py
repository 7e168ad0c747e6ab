"""Which store stands at an address."""

from __future__ import annotations

from pathlib import Path

from prim_lantern.store.base import Store
from prim_lantern.store.folder import FolderStore


def store_at(where: str | Path) -> Store:
    """The store at the path of a folder, or at the URL of a database."""
    if "://" not in str(where):
        return FolderStore(where)
    from prim_lantern.store.database import DatabaseStore  # takes long to load

    return DatabaseStore(str(where))
