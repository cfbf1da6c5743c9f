"""Finds the LLVM runtime that the engine compiles with."""

from __future__ import annotations

import os
from pathlib import Path

WANTED = ("libLLVM.so.19.1", "libLLVM-19.so.1", "libLLVM-19.so")
FOLDERS = ("/usr/lib/x86_64-linux-gnu", "/usr/lib/aarch64-linux-gnu", "/usr/lib/llvm-19/lib", "/usr/lib64", "/usr/local/lib")


ONE_THREAD = {"FENRAIN_ENGINE_THREADS": "1", "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}
"""The environment of a process that is one of several: threads of its own, which wait for each other by spinning, would only be in the
others' way."""


def find_llvm() -> None:
    """Point the engine at LLVM 19 unless the environment already names a library. Older ones abort the process on some CPUs."""
    if "DRJIT_LIBLLVM_PATH" in os.environ:
        return
    for folder in FOLDERS:
        for name in WANTED:
            if (Path(folder) / name).exists():
                os.environ["DRJIT_LIBLLVM_PATH"] = str(Path(folder) / name)
                return
