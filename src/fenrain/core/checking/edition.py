"""Names the code that draws and measures, by its content: a check made by other code is made again."""

from __future__ import annotations

import hashlib
from functools import cache
from importlib.metadata import version
from pathlib import Path

CORE = Path(__file__).parents[1]
DRAWS = (
    "rendering/**/*.py",
    "lobes/*.py",
    "optics/*",
    "maps/*.py",
    "checking/*.py",
    "checking/metrics/*.py",
    "surfaces.py",
    "geometry.py",
    "colour.py",
)
SAYS_SURFACES = ("models/**/*.py", "rules/*.py", "steps.py", "values.py")


@cache
def drawing_edition() -> str:
    """Sixteen hexadecimal digits of everything that a reading hangs on beside the two materials."""
    digest = hashlib.sha256(version("mitsuba").encode())
    for pattern in (*DRAWS, *SAYS_SURFACES):
        for path in sorted(file for file in CORE.glob(pattern) if file.is_file() and file.suffix in (".py", ".npy", ".npz")):
            digest.update(path.relative_to(CORE).as_posix().encode() + path.read_bytes())
    return digest.hexdigest()[:16]
