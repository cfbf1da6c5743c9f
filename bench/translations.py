"""The translations that the MaterialX standard ships, run on random production-like surfaces, to measure ours against.

55 % bodies, 25 % metals, 10 % glass and 10 % subsurface, half of the first two coated.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from bench.translation_graphs import translated
from fenrain.core import Material
from fenrain.core.models.registry import model_of

GRAPHS = {
    ("standard_surface", "metal_rough"): "NG_standard_surface_to_gltf_pbr",
    ("standard_surface", "preview"): "NG_standard_surface_to_UsdPreviewSurface",
    ("standard_surface", "open_pbr"): "NG_standard_surface_to_open_pbr_surface",
    ("open_pbr", "standard_surface"): "NG_open_pbr_surface_to_standard_surface",
}
PLAIN_NAMES = (
    "color", "metal", "rough", "ior", "coat", "coat_rough", "coat_color", "clear", "inside", "inside_color", "weight", "diffuse_rough",
    "stretch",
)  # fmt: skip
NAMES = {
    "standard_surface": (
        "base_color", "metalness", "specular_roughness", "specular_IOR", "coat", "coat_roughness", "coat_color", "transmission",
        "subsurface", "subsurface_color", "specular", "diffuse_roughness", "specular_anisotropy",
    ),
    "open_pbr": (
        "base_color", "base_metalness", "specular_roughness", "specular_ior", "coat_weight", "coat_roughness", "coat_color",
        "transmission_weight", "subsurface_weight", "subsurface_color", "specular_weight", "base_diffuse_roughness",
        "specular_roughness_anisotropy",
    ),
}  # fmt: skip


def production_like(model: str, count: int) -> list[Material]:
    random, names = np.random.default_rng(101), dict(zip(PLAIN_NAMES, NAMES[model], strict=True))
    found = []
    for index in range(count):
        kind = random.choice(["body", "metal", "glass", "inside"], p=[0.55, 0.25, 0.1, 0.1])
        said: dict[str, Any] = {
            "color": tuple(random.uniform(0.02, 0.8, 3) if kind != "metal" else random.uniform(0.4, 0.95, 3)),
            "metal": float(kind == "metal"),
            "rough": float(random.uniform(0.05, 0.8)),
            "ior": float(random.uniform(1.4, 1.6)),
        }
        if random.random() < 0.4:
            said["diffuse_rough"] = float(random.uniform(0.1, 0.6))
        if random.random() < 0.3:
            said["weight"] = float(random.uniform(0.5, 1.0))
        if kind == "metal" and random.random() < 0.3:
            said["stretch"] = float(random.uniform(0.2, 0.8))
        if kind == "glass":
            said |= {"clear": 1.0, "rough": float(random.uniform(0.02, 0.3))}
        elif kind == "inside":
            said |= {"inside": 1.0, "inside_color": tuple(random.uniform(0.1, 0.8, 3))}
        elif random.random() < 0.5:
            said |= {"coat": float(random.uniform(0.3, 1.0)), "coat_rough": float(random.uniform(0.02, 0.3))}
            said["coat_color"] = tuple(random.uniform(0.6, 1.0, 3))
        found.append(Material.of(f"{kind} {index}", model, {names[key]: value for key, value in said.items()}))
    return found


def standards(material: Material, target: str) -> Material:
    """What the standard's translation graph makes of it."""
    outputs = translated(GRAPHS[material.model, target], material.parameters())
    known = model_of(target).by_name
    values = {name: value for name, value in outputs.items() if name in known and value is not None}
    finite = {name: value for name, value in values.items() if np.all(np.isfinite(np.asarray(value, dtype=float)))}
    limited = {name: _within(known[name], value) for name, value in finite.items()}
    return Material.of(material.name, target, limited)


def _within(parameter: Any, value: Any) -> Any:
    if parameter.kind not in ("number", "colour"):
        return value
    clipped = np.clip(np.asarray(value, dtype=float), parameter.low, parameter.high)
    return tuple(float(part) for part in clipped) if clipped.ndim else float(clipped)
