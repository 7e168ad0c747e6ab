"""Files that were packed with gzip (RFC 1952)."""

from __future__ import annotations

import gzip
import io
import zlib
from typing import Final

from prim_lantern.errors import BadSite
from prim_lantern.site.origin import Problem

_MOST: Final = 500_000_000  # bytes; ten times what a sitemap may have
_MAGIC: Final = b"\x1f\x8b"


def unpacked(raw: bytes, file: str) -> bytes:
    """A file as it was before gzip; any other as it is."""
    if not raw.startswith(_MAGIC):
        return raw
    try:
        with gzip.open(io.BytesIO(raw)) as packed:
            found = packed.read(_MOST + 1)
    except (OSError, EOFError, zlib.error):
        said = "is packed with gzip, but broken; get it anew."
        raise BadSite([Problem(None, None, file, said)], file) from None
    if len(found) > _MOST:
        said = "comes to more than 500 MB when unpacked; it was not read."
        raise BadSite([Problem(None, None, file, said)], file)
    return found
