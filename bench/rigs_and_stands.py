"""Which rig tells which change, how soon the first pair is there under every rig and on every stand, and how many triangles still turn."""

from __future__ import annotations

import time
from dataclasses import replace

from fenrain.core import Material
from fenrain.core.checking.check import READ_EDGE, refine
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.geometry import sphere
from fenrain.core.rendering.pictures import PairShot
from fenrain.core.rendering.probe import load_engine
from fenrain.core.rendering.rigs.registry import rigs
from fenrain.core.rendering.stage import View
from fenrain.core.rendering.stands.registry import OPENED, stand_of, stands

PLASTIC = {"base_color": (0.5, 0.16, 0.08), "specular_roughness": 0.25}
METAL = {"base_color": (0.9, 0.7, 0.45), "base_metalness": 1.0, "specular_roughness": 0.05}
GLASS = {"transmission_weight": 1.0, "specular_roughness": 0.05, "transmission_color": (0.6, 0.9, 0.75), "transmission_depth": 1.0}
CHANGES = {
    "body, a tenth darker": (PLASTIC, {"base_color": (0.45, 0.144, 0.072)}),
    "plastic's roughness .25 → .35": (PLASTIC, {"specular_roughness": 0.35}),
    "plastic's index 1.5 → 1.7": (PLASTIC, {"specular_ior": 1.7}),
    "metal's roughness .05 → .10": (METAL, {"specular_roughness": 0.1}),
    "metal's tint": (METAL, {"specular_color": (0.7, 0.7, 0.7)}),
    "glass's roughness .05 → .12": (GLASS, {"specular_roughness": 0.12}),
    "glass's colour": (GLASS, {"transmission_color": (0.6, 0.85, 0.65)}),
    "glass's index 1.5 → 1.6": (GLASS, {"specular_ior": 1.6}),
    "coat 0 → .3": (PLASTIC, {"coat_weight": 0.3, "coat_roughness": 0.02}),
}
SAMPLES = 128
FACES = (16_000, 65_000, 260_000, 1_050_000)


def bench_rigs_and_stands() -> None:
    load_engine()
    for place, wanted in (("rig", rigs()), ("stand", stands())):
        print(f"difference as a multiple of what a match may read, by {place}; the reading")
        for name, (values, change) in CHANGES.items():
            print(f"  {name:30}", "  ".join(f"{one} {_told(values, change, place, one)}" for one in wanted))
    for name, values in (("plastic", PLASTIC), ("glass", GLASS)):
        print(f"first pair, {name}:", ", ".join(f"{one} {_first(values, 'soft_studio', one):.2f} s" for one in stands()))
        print(f"first pair, {name}:", ", ".join(f"{one} {_first(values, one, 'sphere'):.2f} s" for one in rigs()))
    for faces in FACES:
        print(f"a mesh of {faces:,} triangles: {_turns(faces):.1f} pairs a second at 128², turned each time")


def _told(values: dict[str, object], change: dict[str, object], place: str, one: str) -> str:
    """The deciding reading of pictures that is furthest beyond its limit."""
    original, changed = Material.of("a", "open_pbr", values), Material.of("b", "open_pbr", {**values, **change})
    rig, stand = (one, "sphere") if place == "rig" else ("soft_studio", one)
    *_, last = refine(original, changed, (rig,), stand, most_samples=SAMPLES, shown=False, enough=lambda _: False)
    metric, reading, limits = max(Tolerances().deciding(last.readings, rig), key=lambda held: held[1].value / held[2].match)
    return f"{reading.value / limits.match:.1f} ({metric.id})"


def _first(values: dict[str, object], rig: str, stand: str) -> float:
    original, changed = Material.of("a", "open_pbr", values), Material.of("b", "open_pbr", {**values, "specular_roughness": 0.3})
    how = {"size": 2 * READ_EDGE, "pilot_samples": 4}
    next(refine(original, changed, (rig,), stand, **how))  # type: ignore[arg-type]
    begun = time.perf_counter()
    next(refine(original, replace(changed, name="c"), (rig,), stand, turn=5.0, **how))  # type: ignore[arg-type]
    return time.perf_counter() - begun


def _turns(faces: int) -> float:
    rings = round((faces / 4) ** 0.5)
    fine = sphere(rings=rings, segments=2 * rings)
    stand = OPENED.keep(replace(stand_of("sphere"), id=f"sphere-{faces}", mesh=lambda: fine, convex=False)).id
    material = Material.of("a", "open_pbr", PLASTIC)
    shown = [PairShot(material, material, View("soft_studio", stand, turn, 128)) for turn in (0.0, 30.0, 60.0, 90.0)]
    shown[0].taken(4, 0, shared=True)
    begun = time.perf_counter()
    for shot in shown[1:]:
        shot.taken(4, 0, shared=True)
    return (len(shown) - 1) / (time.perf_counter() - begun)
