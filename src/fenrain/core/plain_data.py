"""Numbers of JSON and YAML that people upload: an integer that no float can hold is infinite, so that whoever reads it says so."""

from __future__ import annotations

import json
import math
from typing import Any

LONGEST = 308
"""Decimal digits of the largest integer that is sure to be held."""


def load_json(text: str) -> Any:
    """What the text holds. Raises json.JSONDecodeError, RecursionError."""
    return json.loads(text, parse_int=_integer)


def within_floats(value: Any) -> Any:
    """The same data, its integers as `load_json` gives them."""
    if isinstance(value, dict):
        return {key: within_floats(child) for key, child in value.items()}
    if isinstance(value, list):
        return [within_floats(child) for child in value]
    return _integer(str(value)) if isinstance(value, int) and not isinstance(value, bool) and abs(value) >= 1 << 62 else value


def _integer(digits: str) -> int | float:
    if len(digits) <= LONGEST:
        return int(digits)
    return -math.inf if digits.startswith("-") else math.inf
