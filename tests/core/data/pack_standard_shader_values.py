"""Packs the reference values of the standard's shader code for the tests: python pack_standard_shader_values.py VALUES.json.

VALUES.json holds `nodes`, and of each its `materials`: name, group, inputs that are set, `pairs` of directions (rows of wi and wo) and
`rgb`, the outgoing radiance for one light of unit irradiance. They were made by rendering the shader text that MaterialX 1.39.5 generates
(EsslShaderGenerator) to floats in a browser, with wi and wo of each pixel taken from a texture.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import numpy as np

PACKED = Path(__file__).with_name("standard_shader_values.npz")


def packed(nodes: dict[str, Any]) -> dict[str, np.ndarray]:
    """Arrays by name: of each node its sets as JSON, its pairs (sets, pairs, 6) and its values (sets, pairs, 3)."""
    found: dict[str, np.ndarray] = {}
    for node, stated in nodes.items():
        materials = stated["materials"]
        found[f"{node}_sets"] = np.array(json.dumps([{key: m[key] for key in ("name", "group", "inputs")} for m in materials]))
        # The generated values are single precision; the directions are exact in it.
        found[f"{node}_pairs"] = np.array([m["pairs"] for m in materials], dtype=np.float32)
        found[f"{node}_rgb"] = np.array([m["rgb"] for m in materials], dtype=np.float32)
    return found


if __name__ == "__main__":
    np.savez_compressed(PACKED, **packed(json.loads(Path(sys.argv[1]).read_text())["nodes"]))  # type: ignore[arg-type]
