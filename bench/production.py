"""Random materials as productions make them, for each shading model: mostly painted and plastic bodies, a quarter metals, some glass.

Values lie in the usual ranges of the trade; the shares are common practice. Benches measure over them, tests hold limits over them.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from fenrain.core import Material
from fenrain.core.tables import metals

Random = np.random.Generator
Values = dict[str, Any]


def production_like(model: str, count: int, seed: int = 23) -> list[Material]:
    """As many materials of the model, the same for the same seed."""
    random = np.random.default_rng(seed)
    return [MAKERS[model](random, f"{model} {index}") for index in range(count)]


def _kind(random: Random) -> str:
    return str(random.choice(["body", "metal", "glass"], p=[0.65, 0.25, 0.1]))


def _body(random: Random) -> tuple[float, ...]:
    return _colour(random, 0.02, 0.8)


def _metal(random: Random) -> tuple[float, ...]:
    return tuple(float(random.uniform(0.5, 0.95)) * part for part in _colour(random, 0.6, 1.0))


def _colour(random: Random, low: float, high: float) -> tuple[float, ...]:
    return tuple(float(part) for part in random.uniform(low, high, 3))


def _of(model: str, values: Callable[[Random], Values]) -> Callable[[Random, str], Material]:
    return lambda random, name: Material.of(name, model, values(random))


def _spec_gloss(random: Random) -> Values:
    gloss = float(random.uniform(0.2, 0.95))
    if _kind(random) == "metal":
        return {"diffuse": (0, 0, 0), "specular": _metal(random), "glossiness": gloss}
    return {"diffuse": _body(random), "specular": (float(random.uniform(0.03, 0.08)),) * 3, "glossiness": gloss}


def _exponent(random: Random) -> Values:
    exponent = float(10 ** random.uniform(0.7, 2.8))
    if _kind(random) == "metal":
        return {"diffuse": (0, 0, 0), "specular": _metal(random), "exponent": exponent, "illum": 2}
    return {"diffuse": _body(random), "specular": (float(random.uniform(0.05, 0.5)),) * 3, "exponent": exponent, "illum": 2}


def _gloss_pair(random: Random) -> Values:
    kind, gloss = _kind(random), float(random.uniform(0.4, 0.97))
    if kind == "metal":
        return {"diffuse": (0, 0, 0), "reflection": _metal(random), "reflection_glossiness": gloss, "angle_dependent": False}
    if kind == "glass":
        clear = float(random.uniform(0.85, 1.0))
        frosted = float(random.choice([1.0, random.uniform(0.7, 0.95)]))
        return {
            "diffuse": (0, 0, 0),
            "reflection": (0.97,) * 3,
            "refraction": (clear,) * 3,
            "reflection_glossiness": frosted,
            "refraction_glossiness": frosted,
            "ior": float(random.uniform(1.45, 1.6)),
            "volume_color": _colour(random, 0.4, 1.0),
            "volume_strength": float(random.uniform(0.1, 1.0)),
        }
    return {
        "diffuse": _body(random),
        "reflection": (float(random.uniform(0.3, 1.0)),) * 3,
        "reflection_glossiness": gloss,
        "lamps_apart": bool(random.random() < 0.3),
        "lamp_glossiness": float(np.clip(gloss + random.uniform(-0.2, 0.1), 0.3, 0.99)),
        "ior": float(random.uniform(1.4, 1.6)),
        "distribution": int(random.integers(2)),
    }


def _weighted(random: Random) -> Values:
    kind, rough = _kind(random), float(random.uniform(0.05, 0.7))
    if kind == "metal":
        return {
            "diffuse_weight": 0.0,
            "specular_weight": 1.0,
            "specular_color": _metal(random),
            "specular_roughness": rough,
            "angle_dependent": False,
        }
    if kind == "glass":
        return {
            "diffuse_weight": 0.0,
            "specular_weight": 1.0,
            "refraction_weight": float(random.uniform(0.85, 1.0)),
            "specular_roughness": rough * 0.4,
            "refraction_roughness": rough * 0.4,
            "transmittance": _colour(random, 0.5, 1.0),
        }
    return {
        "diffuse_weight": float(random.uniform(0.5, 1.0)),
        "diffuse_color": _body(random),
        "diffuse_roughness": float(random.uniform(0.0, 0.6)),
        "specular_weight": float(random.uniform(0.3, 1.0)),
        "specular_roughness": rough,
        "distribution": int(random.integers(2)),
    }


def _facing_grazing(random: Random) -> Values:
    rough = float(random.uniform(0.05, 0.6))
    shared = {"main_roughness": rough, "main_distribution": int(random.integers(2)), "main_falloff": float(random.uniform(3.0, 7.0))}
    if _kind(random) == "metal":
        return {**shared, "diffuse_gain": 0.0, "main_facing": _metal(random), "main_anisotropy": float(random.choice([0.0, 0.6, -0.6]))}
    broad = random.random() < 0.4
    top = random.random() < 0.3
    return {
        **shared,
        "diffuse": _body(random),
        "main_facing": (float(random.uniform(0.03, 0.08)),) * 3,
        "main_grazing": (float(random.uniform(0.6, 1.0)),) * 3,
        "broad_weight": float(random.uniform(0.2, 0.6)) if broad else 0.0,
        "broad_roughness": float(np.clip(rough + 0.3, 0, 1)),
        "top_weight": 1.0 if top else 0.0,
        "top_roughness": float(random.uniform(0.02, 0.1)),
    }


def _metal_switch(random: Random) -> Values:
    kind, rough = _kind(random), float(random.uniform(0.05, 0.8))
    coat = {"coat": float(random.uniform(0.5, 1.0)), "coat_finish": float(random.uniform(0.02, 0.2))} if random.random() < 0.3 else {}
    if kind == "metal":
        return {"metal": True, "base_color": _metal(random), "finish": rough, **coat}
    if kind == "glass":
        return {
            "refraction": 1.0,
            "finish": rough * 0.3,
            "refraction_finish": rough * 0.3,
            "absorption_color": _colour(random, 0.4, 1.0),
            "absorption_distance": float(random.uniform(0.5, 3.0)),
        }
    return {"base_color": _body(random), "finish": rough, "ior": float(random.uniform(1.4, 1.6)), **coat}


def _channels(random: Random) -> Values:
    values: Values = {
        "diffuse": _body(random),
        "diffuse_falloff": float(random.choice([1.0, random.uniform(0.7, 2.0)])),
        "specular": (float(random.uniform(0.0, 0.5)),) * 3,
        "exponent": float(10 ** random.uniform(0.7, 2.5)),
    }
    if random.random() < 0.15:
        values["bleed"] = _colour(random, 0.05, 0.3)
    return values


def _measured(random: Random) -> Values:
    chosen = list(metals().values())[int(random.integers(len(metals())))]
    return {"table": chosen.table, "roughness": float(random.uniform(3, 70)), "anisotropy": float(random.choice([0.0, 0.6]))}


def _percent(random: Random) -> Values:
    kind, rough = _kind(random), float(random.uniform(3, 80))
    if kind == "metal":
        return {"color": (0, 0, 0), "reflectance": float(random.uniform(50, 90)), "roughness": rough}
    if kind == "glass":
        return {"color": _colour(random, 0.6, 1.0), "reflectance": 4.0, "translucency": 100.0, "roughness": rough * 0.2}
    return {"color": _body(random), "reflectance": float(random.uniform(2, 8)), "roughness": rough}


def _surface(names: dict[str, str], metal: str) -> Callable[[Random], Values]:
    """A maker for the models that say metalness, by their names of what is varied."""

    def values(random: Random) -> Values:
        kind = _kind(random)
        found: Values = {names["color"]: _metal(random) if kind == "metal" else _body(random), metal: float(kind == "metal")}
        found[names["roughness"]] = float(random.uniform(0.05, 0.8))
        if "coat" in names and random.random() < 0.3:
            found |= {names["coat"]: float(random.uniform(0.5, 1.0)), names["coat_roughness"]: float(random.uniform(0.02, 0.2))}
        if kind == "glass" and "clear" in names:
            found |= {names["clear"]: 1.0, names["roughness"]: float(random.uniform(0.01, 0.3))}
        return found

    return values


def _mix(random: Random, name: str) -> Material:
    first, second = (MAKERS[str(random.choice(["spec_gloss", "weighted", "metal_switch"]))](random, f"{name}, part") for _ in range(2))
    values = {"amount": float(random.uniform(0.1, 0.9)), "blend_by": int(random.choice([0, 0, 1])), "falloff": float(random.uniform(1, 5))}
    return Material.of(name, "mix", values, parts=(first, second))


MAKERS: dict[str, Callable[[Random, str], Material]] = {
    "channels": _of("channels", _channels),
    "exponent": _of("exponent", _exponent),
    "facing_grazing": _of("facing_grazing", _facing_grazing),
    "gloss_pair": _of("gloss_pair", _gloss_pair),
    "measured": _of("measured", _measured),
    "metal_rough": _of(
        "metal_rough",
        _surface(
            {
                "color": "base_color",
                "roughness": "roughness",
                "coat": "clearcoat",
                "coat_roughness": "clearcoat_roughness",
                "clear": "transmission",
            },
            "metallic",
        ),
    ),
    "metal_switch": _of("metal_switch", _metal_switch),
    "mix": _mix,
    "open_pbr": _of(
        "open_pbr",
        _surface(
            {
                "color": "base_color",
                "roughness": "specular_roughness",
                "coat": "coat_weight",
                "coat_roughness": "coat_roughness",
                "clear": "transmission_weight",
            },
            "base_metalness",
        ),
    ),
    "percent": _of("percent", _percent),
    "preview": _of(
        "preview",
        _surface(
            {"color": "diffuseColor", "roughness": "roughness", "coat": "clearcoat", "coat_roughness": "clearcoatRoughness"}, "metallic"
        ),
    ),
    "spec_gloss": _of("spec_gloss", _spec_gloss),
    "standard_surface": _of(
        "standard_surface",
        _surface(
            {
                "color": "base_color",
                "roughness": "specular_roughness",
                "coat": "coat",
                "coat_roughness": "coat_roughness",
                "clear": "transmission",
            },
            "metalness",
        ),
    ),
    "weighted": _of("weighted", _weighted),
}
