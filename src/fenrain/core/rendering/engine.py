"""Starts the rendering engine in this process, once, with the LLVM that it compiles with. Import it before anything of the engine.

Only a process that may render imports this (see `probe`): never the web server, nor is the engine used from two threads.
"""

from __future__ import annotations

import os
from typing import Any

import numpy as np

from fenrain.core.rendering.llvm import find_llvm

find_llvm()

import drjit as dr  # noqa: E402
import mitsuba as mi  # noqa: E402

mi.set_variant("llvm_ad_rgb")
mi.set_log_level(mi.LogLevel.Error)
dr.set_thread_count(int(os.environ.get("FENRAIN_ENGINE_THREADS", os.cpu_count() or 1)))

__all__ = ["dr", "held", "held_table", "held_vector", "mi"]


def held(number: float) -> Any:
    """A number that a kernel takes as data, so that another one needs no new kernel."""
    value = mi.Float(float(number))
    dr.make_opaque(value)
    return value


def held_vector(vector: np.ndarray) -> Any:
    """The same for three numbers."""
    value = mi.Vector3f(*(float(part) for part in vector))
    dr.make_opaque(value)
    return value


def held_table(table: np.ndarray) -> Any:
    """The same for a row of numbers to gather from."""
    value = mi.Float(np.ascontiguousarray(table, dtype=np.float32))
    dr.make_opaque(value)
    return value
