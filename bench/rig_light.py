"""Makes the table of light that falls along directions under the standing rigs: python -m bench.rig_light."""

from __future__ import annotations

import numpy as np

from fenrain.core.checking.fitting.rig_light import TABLE, TABLE_EVERY, compute_light_along
from fenrain.core.rendering.rigs.registry import standing_rigs


def make_table() -> None:
    np.savez_compressed(TABLE, **{rig: compute_light_along(rig, TABLE_EVERY).astype(np.float32) for rig in standing_rigs()})


if __name__ == "__main__":
    make_table()
    print(f"{TABLE.name}: {TABLE.stat().st_size:,} bytes")
