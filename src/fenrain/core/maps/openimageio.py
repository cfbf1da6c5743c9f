"""OpenImageIO, loaded when the first image is looked at: what has no images does not wait for it."""

from __future__ import annotations

from typing import Any


def __getattr__(name: str) -> Any:
    import OpenImageIO

    return getattr(OpenImageIO, name)
