"""How a text file is encoded."""

from __future__ import annotations

import codecs
from functools import lru_cache
from pathlib import Path

FALLBACK_ENCODING = "cp1252"
"""What a text that is no UTF-8 is read as (common practice)."""
MARKS = ((codecs.BOM_UTF8, "utf-8-sig"), (codecs.BOM_UTF16_LE, "utf-16"), (codecs.BOM_UTF16_BE, "utf-16"))
CHUNK = 1 << 20


def encoding_of(path: Path) -> str:
    """By its byte order mark, else UTF-8, else what texts of one byte a character mostly are."""
    return _encoding_of(path, path.stat().st_mtime_ns, path.stat().st_size)


@lru_cache(maxsize=64)
def _encoding_of(path: Path, changed: int, size: int) -> str:
    """The same for a file of this time and size, so that a changed one is looked at again."""
    decoder = codecs.getincrementaldecoder("utf-8")()
    with path.open("rb") as stream:
        chunk = stream.read(CHUNK)
        for mark, encoding in MARKS:
            if chunk.startswith(mark):
                return encoding
        try:
            while chunk:
                decoder.decode(chunk)
                chunk = stream.read(CHUNK)
            decoder.decode(b"", final=True)
        except UnicodeDecodeError:
            return FALLBACK_ENCODING
    return "utf-8"
