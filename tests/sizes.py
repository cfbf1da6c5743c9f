"""How large a test is: small and always the same in `make test`, large in `make test-long`.

What measures populations, damages files at random, kills processes or asks a second viewer has a marker (see `pyproject.toml`). It runs in
both suites, as the same test with other numbers; each file says what its small version would miss.
"""

from __future__ import annotations

import os
from typing import TypeVar

import pytest

T = TypeVar("T")
LONG = os.environ.get("FENRAIN_TESTS") == "long"
long_only = pytest.mark.skipif(not LONG, reason="of the long suite, whose short form would tell nothing")


def sized(small: T, large: T) -> T:
    """The first in the short suite, the second in the long one."""
    return large if LONG else small
