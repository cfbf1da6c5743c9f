"""Starts the rendering engine in this process, once, with the LLVM that it compiles with. Import it before anything of the engine.

Only a process that may render imports this (see `probe`): never the web server, nor is the engine used from two threads.
"""

from __future__ import annotations

import os

from fenrain.core.rendering.library import find_llvm

find_llvm()

import drjit as dr  # noqa: E402
import mitsuba as mi  # noqa: E402

mi.set_variant("llvm_ad_rgb")
mi.set_log_level(mi.LogLevel.Error)
dr.set_thread_count(int(os.environ.get("FENRAIN_ENGINE_THREADS", os.cpu_count() or 1)))

__all__ = ["dr", "mi"]
