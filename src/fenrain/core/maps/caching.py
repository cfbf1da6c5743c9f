"""Keeps what was computed of images, bounded by its bytes and found again by what the images hold, whatever they are called by."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable, Iterable
from typing import Any, ParamSpec, TypeVar, cast

import numpy as np
from cachetools import LRUCache, cached

from fenrain.core.values import Image, Value, images_of

P = ParamSpec("P")
R = TypeVar("R")
LARGEST_SMALL = 1024
"""Bytes that anything counts for which is no array."""


def kept(most_bytes: int, bytes_of: Callable[[Any], int] | None = None) -> Callable[[Callable[P, R]], Callable[P, R]]:
    """A decorator that keeps what a function gives, up to so many bytes in all. What it is given is looked up by itself, and by what its
    images hold now: a file that was written again is read again. bytes_of: of a result that is no array."""

    def decorate(function: Callable[P, R]) -> Callable[P, R]:
        cache: LRUCache[Hashable, R] = LRUCache(most_bytes, getsizeof=bytes_of or _bytes_of)
        return cast(Callable[P, R], cached(cache, key=_key, lock=threading.RLock())(function))

    return decorate


def _key(*given: Any, **named: Any) -> Hashable:
    every = (*given, *named.values())
    return (given, tuple(sorted(named.items())), tuple(content_of(image) for one in every for image in _images(one)))


def _images(given: Any) -> Iterable[Image]:
    if isinstance(given, Image):
        return given.files()
    return images_of(given) if isinstance(given, Value) else ()


def content_of(image: Image) -> Hashable:
    """What tells an image's content apart: for bytes their hash, for a file the disk's own number of it, its size and when it was
    written."""
    if image.data is not None or image.path is None:
        return hash(image.data)
    try:
        state = image.path.stat()
    except OSError:
        return None
    return state.st_dev, state.st_ino, state.st_size, state.st_mtime_ns


def _bytes_of(result: Any) -> int:
    return result.nbytes if isinstance(result, np.ndarray) else LARGEST_SMALL
