"""Names the code that draws and measures, and that which converts, by its content: a check made by other code is made again."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from functools import cache
from importlib.metadata import distributions, version
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
CONVERTS = (
    "aims/*.py",
    "checking/**/*.py",
    "models/**/*.py",
    "rules/*.py",
    "conversion/**/*",
    "formats/**/*.py",
    "maps/*.py",
    "optics/*",
    "tables/**/*",
    "lobes/*.py",
    "colour.py",
    "corrections.py",
    "geometry.py",
    "material.py",
    "steps.py",
    "surfaces.py",
    "values.py",
)
GROUP = "fenrain."
"""What the groups of entry points begin with, by which installed packages add models, formats, profiles and more."""


@cache
def drawing_version() -> str:
    """Sixteen hexadecimal digits of everything that a reading depends on beside the two materials."""
    return _digest((*DRAWS, *SAYS_SURFACES), (".py", ".npy", ".npz"), f"{version('mitsuba')} {_packages()}")


@cache
def rules_version() -> str:
    """Sixteen hexadecimal digits of everything that a converted value depends on beside the original and the target profile."""
    return _digest(CONVERTS, (".py", ".yaml", ".npy", ".npz", ".csv"), _packages())


def _packages() -> str:
    """Names and versions of the installed packages that add something of their own."""
    added = {
        f"{package.name} {package.version}"
        for package in distributions()
        if any(entry.group.startswith(GROUP) for entry in package.entry_points)
    }
    return " ".join(sorted(added))


def _digest(patterns: Sequence[str], suffixes: Sequence[str], beside: str) -> str:
    digest = hashlib.sha256(beside.encode())
    for pattern in patterns:
        for path in sorted(file for file in CORE.glob(pattern) if file.is_file() and file.suffix in suffixes):
            digest.update(path.relative_to(CORE).as_posix().encode() + path.read_bytes())
    return digest.hexdigest()[:16]
