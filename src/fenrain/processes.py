"""Processes that are begun beside others."""

from __future__ import annotations

import os
import threading
from multiprocessing import parent_process


def end_with_parent() -> None:
    """Let this process end where the one that began it does, however that ended: what waits in a pool for work holds the pool's pipe open
    itself, and would wait for ever. To be called in a process that `multiprocessing` has begun."""
    parent = parent_process()
    assert parent is not None

    def wait() -> None:
        parent.join()
        os._exit(1)

    threading.Thread(target=wait, name="ends with its parent", daemon=True).start()
