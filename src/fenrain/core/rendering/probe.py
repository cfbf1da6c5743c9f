"""Finds out, in a child process, whether the rendering engine runs here: a wrong LLVM aborts the process that loads it.

Where it ran once, with the same library on the same processor, it is not tried again: several processes begin with it.
"""

from __future__ import annotations

import importlib
import os
import subprocess
import sys
from contextlib import suppress
from dataclasses import dataclass
from functools import cache
from hashlib import sha256
from importlib.metadata import version
from pathlib import Path
from platform import platform
from types import ModuleType

from fenrain.core.errors import EngineError
from fenrain.core.rendering.llvm import find_llvm

PROBE = """
from fenrain.core.rendering import pictures
from fenrain.core.material import Material
picture = pictures.render(Material.of("probe", "spec_gloss", {"glossiness": 0.5}), pictures.View(size=8), 4, 0)
assert picture.shape == (8, 8, 3) and 0.0 < float(picture.mean()) < 10.0, picture.mean()
"""
PATIENCE = 120
PROCESSOR, ABOUT = Path("/proc/cpuinfo"), ("model name", "flags", "Features")
REMEDY = "Install Debian's libllvm19, or name an LLVM 19 library in DRJIT_LIBLLVM_PATH. Everything but pictures works without it."


@dataclass(frozen=True)
class EngineState:
    """Whether pictures can be made here, and if not, why."""

    runs: bool
    reason: str = ""


@cache
def engine_state() -> EngineState:
    """Try the engine once in a child process; remembered for the life of this one, and where it ran, for those that come later."""
    mark = _mark()
    if mark.exists():
        return EngineState(True)
    state = _tried()
    if state.runs:
        with suppress(OSError):  # a home that cannot be written to is tried again each time
            mark.parent.mkdir(parents=True, exist_ok=True)
            mark.touch()
    return state


def _mark() -> Path:
    """The file that says that this engine ran on this machine, by all that it depends on."""
    find_llvm()
    library = Path(os.environ.get("DRJIT_LIBLLVM_PATH", ""))
    stamp = (library.stat().st_size, library.stat().st_mtime_ns) if library.is_file() else ()
    processor = [line for line in PROCESSOR.read_text().splitlines() if line.startswith(ABOUT)][:2] if PROCESSOR.exists() else platform()
    told = repr((str(library), stamp, version("mitsuba"), version("drjit"), processor, PROBE))
    return Path.home() / ".cache" / "fenrain" / f"engine-{sha256(told.encode()).hexdigest()[:24]}"


def _tried() -> EngineState:
    try:
        tried = subprocess.run([sys.executable, "-c", PROBE], capture_output=True, text=True, timeout=PATIENCE, check=False)
    except subprocess.TimeoutExpired:
        return EngineState(False, f"The rendering engine did not answer within {PATIENCE} s.")
    if tried.returncode == 0:
        return EngineState(True)
    if tried.returncode < 0:
        return EngineState(False, f"The rendering engine was ended by signal {-tried.returncode}; its LLVM does not fit this processor.")
    if "LLVM shared library" in tried.stderr:
        return EngineState(False, "The rendering engine cannot start: the LLVM library that it compiles with is missing.")
    last = [line for line in tried.stderr.strip().splitlines() if line.strip()] or ["no reason given"]
    return EngineState(False, f"The rendering engine cannot start ({last[-1][:160]}).")


def load_engine() -> ModuleType:
    """The engine, loaded into this process. Raises EngineError where it would not run."""
    state = engine_state()
    if not state.runs:
        raise EngineError(state.reason, remedy=REMEDY)
    return importlib.import_module("fenrain.core.rendering.pictures")
