"""The first ten materials of Heron Lode: a GLB of the engine house, and an OBJ with MTL of the sluice yard.

Everything is invented and made here from fixed seeds, so that every run gives the same files.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

from fenrain.core.files import write_whole
from fenrain.core.formats.gltf.glb_file import GlbFile
from fenrain.core.geometry import Mesh, revolved
from fenrain.core.optics.bump import normals_from_height
from fenrain.demo.patterns import bricks, cells, mixed, noise, save, smoothstep, weave

SIZE = 512
ENGINE_HOUSE, SLUICE_YARD = "heron_lode_engine_house.glb", "heron_lode_sluice_yard.obj"
SPEC_GLOSS = "KHR_materials_pbrSpecularGlossiness"


def write_heron_lode(folder: Path) -> list[Path]:
    """Write both assets; returns the files to upload, the material files first."""
    folder.mkdir(parents=True, exist_ok=True)
    return [write_engine_house(folder / ENGINE_HOUSE), *write_sluice_yard(folder)]


# The engine house: specular-glossiness in a GLB


def write_engine_house(path: Path) -> Path:
    glb = GlbFile({"asset": {"version": "2.0", "generator": "Heron Lode demo, invented"}})
    maps = path.parent / "engine_house_maps"
    maps.mkdir(exist_ok=True)
    entries = [make(glb, maps) for make in (_enamel, _brass, _cast_iron, _brick, _lamp, _belt)]
    glb.document["materials"] = entries
    shapes = (_knob, _ring, _knob, _drum, _dome, _drum)
    glb.add_meshes(
        [
            (shape(str(entry["name"])), index, (2.6 * (index % 3), 0.0, 2.6 * (index // 3)))
            for index, (shape, entry) in enumerate(zip(shapes, entries, strict=True))
        ]
    )
    glb.used |= {SPEC_GLOSS}
    glb.state_extensions()
    write_whole(path, glb.packed())
    for file in maps.iterdir():
        file.unlink()
    maps.rmdir()
    return path


def _texture(glb: GlbFile, file: Path) -> dict[str, int]:
    return {"index": glb.texture(file.read_bytes(), "image/png", file.stem)}


def _spec_gloss(name: str, block: dict[str, object], **rest: object) -> dict[str, object]:
    return {"name": name, "extensions": {SPEC_GLOSS: block}, **rest}


def _enamel(glb: GlbFile, maps: Path) -> dict[str, object]:
    wear = smoothstep(0.86, 0.93, noise(SIZE, 11, 1.3, 3))
    colour = mixed((0.018, 0.085, 0.042), (0.03, 0.11, 0.06), noise(SIZE, 12, 2.0))
    colour = colour * (1 - wear[..., None]) + np.array([0.05, 0.045, 0.04]) * wear[..., None]
    specular = mixed((0.05, 0.05, 0.05), (0.3, 0.29, 0.28), wear)
    gloss = 0.84 - 0.12 * noise(SIZE, 13, 1.2, 6) - 0.32 * wear
    return _spec_gloss(
        "engine-green enamel",
        {
            "diffuseTexture": _texture(glb, save(maps / "enamel_diffuse.png", colour)),
            "specularGlossinessTexture": _texture(glb, save(maps / "enamel_specgloss.png", specular, gloss)),
        },
    )


def _brass(glb: GlbFile, maps: Path) -> dict[str, object]:
    tarnish = noise(SIZE, 21, 1.8, 2)
    specular = mixed((0.9, 0.71, 0.36), (0.62, 0.43, 0.2), smoothstep(0.4, 0.95, tarnish))
    gloss = 0.8 - 0.3 * smoothstep(0.3, 1.0, tarnish)
    return _spec_gloss(
        "gauge-brass bezel",
        {
            "diffuseFactor": [0, 0, 0, 1],
            "specularGlossinessTexture": _texture(glb, save(maps / "brass_specgloss.png", specular, gloss)),
        },
    )


def _cast_iron(glb: GlbFile, maps: Path) -> dict[str, object]:
    rust = smoothstep(0.55, 0.72, noise(SIZE, 31, 1.5, 2))
    grain = noise(SIZE, 32, 0.9, 12)
    diffuse = mixed((0.0, 0.0, 0.0), (0.21, 0.075, 0.028), rust) * (0.7 + 0.6 * grain[..., None])
    specular = mixed((0.42, 0.41, 0.4), (0.035, 0.035, 0.035), rust)
    gloss = 0.5 - 0.28 * rust + 0.08 * grain
    normal = normals_from_height((1.2 * grain + 2.5 * rust * noise(SIZE, 33, 1.2, 8))[..., None]) * 0.5 + 0.5
    return _spec_gloss(
        "sluice cast iron",
        {
            "diffuseTexture": _texture(glb, save(maps / "iron_diffuse.png", diffuse)),
            "specularGlossinessTexture": _texture(glb, save(maps / "iron_specgloss.png", specular, gloss)),
        },
        normalTexture=_texture(glb, save(maps / "iron_normal.png", normal, srgb=False)),
    )


def _brick(glb: GlbFile, maps: Path) -> dict[str, object]:
    shade, face = bricks(SIZE, 8, 4, 41)
    lime = smoothstep(0.25, 0.75, noise(SIZE, 42, 1.5, 2))
    clay = mixed((0.24, 0.09, 0.05), (0.34, 0.16, 0.09), shade)
    colour = clay * (1 - lime[..., None]) + np.array([0.72, 0.7, 0.64]) * lime[..., None]
    colour = np.array([0.5, 0.47, 0.42]) * (1 - face[..., None]) + colour * face[..., None]
    normal = normals_from_height((5.0 * face + 1.5 * noise(SIZE, 43, 1.0, 8))[..., None]) * 0.5 + 0.5
    occlusion = 0.55 + 0.45 * face
    return _spec_gloss(
        "limewashed brick",
        {
            "diffuseTexture": _texture(glb, save(maps / "brick_diffuse.png", colour)),
            "specularFactor": [0.04, 0.04, 0.04],
            "glossinessFactor": 0.18,
        },
        normalTexture={**_texture(glb, save(maps / "brick_normal.png", normal, srgb=False)), "scale": 0.8},
        occlusionTexture=_texture(glb, save(maps / "brick_occlusion.png", occlusion, srgb=False)),
    )


def _lamp(glb: GlbFile, maps: Path) -> dict[str, object]:
    y = np.linspace(0, 1, SIZE)[:, None] + np.zeros((1, SIZE))
    filament = np.exp(-(((y - 0.45) / 0.16) ** 2)) * (0.75 + 0.25 * noise(SIZE, 51, 1.4, 3))
    glow = mixed((0.0, 0.0, 0.0), (1.0, 0.42, 0.05), filament)
    return _spec_gloss(
        "amber lamp lens",
        {
            "diffuseFactor": [0.4, 0.16, 0.02, 1],
            "specularFactor": [0.045, 0.045, 0.045],
            "glossinessFactor": 0.93,
        },
        emissiveTexture=_texture(glb, save(maps / "lamp_emission.png", glow)),
        emissiveFactor=[1, 1, 1],
    ) | {
        "extensions": {
            SPEC_GLOSS: {"diffuseFactor": [0.4, 0.16, 0.02, 1], "specularFactor": [0.045, 0.045, 0.045], "glossinessFactor": 0.93},
            "KHR_materials_emissive_strength": _strength(glb),
        }
    }


def _strength(glb: GlbFile) -> dict[str, float]:
    glb.used.add("KHR_materials_emissive_strength")
    return {"emissiveStrength": 2.5}


def _belt(glb: GlbFile, maps: Path) -> dict[str, object]:
    grain = noise(SIZE, 61, 1.1, 5)
    oil = smoothstep(0.45, 0.65, noise(SIZE, 62, 1.8, 2))
    colour = mixed((0.052, 0.036, 0.026), (0.02, 0.014, 0.011), oil) * (0.7 + 0.6 * grain[..., None])
    gloss = 0.34 + 0.42 * oil - 0.06 * grain
    return _spec_gloss(
        "oiled drive belt",
        {
            "diffuseTexture": _texture(glb, save(maps / "belt_diffuse.png", colour)),
            "specularGlossinessTexture": _texture(glb, save(maps / "belt_specgloss.png", np.full((SIZE, SIZE, 3), 0.045), gloss)),
        },
    )


# The sluice yard: exponent highlights in an MTL


def write_sluice_yard(folder: Path) -> list[Path]:
    maps = _yard_maps(folder)
    write_whole(folder / "heron_lode_sluice_yard.mtl", MTL)
    names = ("galvanised_rail", "dial_enamel", "nickel_float", "tarpaulin")
    shapes = (_drum, _dome, _knob, _drum)
    lines = ["# Heron Lode, invented", "mtllib heron_lode_sluice_yard.mtl"]
    offset = 1
    for index, (name, shape) in enumerate(zip(names, shapes, strict=True)):
        mesh = shape(name)
        lines += [f"o {name}", f"usemtl {name}"]
        lines += [f"v {x + 2.6 * index:.5f} {y:.5f} {z:.5f}" for x, y, z in mesh.positions]
        lines += [f"vt {u:.5f} {1 - v:.5f}" for u, v in mesh.uvs]
        lines += [f"vn {x:.5f} {y:.5f} {z:.5f}" for x, y, z in mesh.normals]
        lines += ["f " + " ".join(f"{corner + offset}/{corner + offset}/{corner + offset}" for corner in face) for face in mesh.triangles]
        offset += len(mesh.positions)
    write_whole(folder / SLUICE_YARD, "\n".join(lines) + "\n")
    return [folder / SLUICE_YARD, folder / "heron_lode_sluice_yard.mtl", *maps]


def _yard_maps(folder: Path) -> list[Path]:
    spangle, _ = cells(SIZE, 220, 71)
    zinc = mixed((0.45, 0.46, 0.47), (0.8, 0.81, 0.82), spangle)
    narrowness = 0.05 + 0.12 * spangle
    y, x = np.meshgrid(np.linspace(-1, 1, SIZE), np.linspace(0, 2 * np.pi, SIZE, endpoint=False), indexing="ij")
    ticks = smoothstep(0.93, 0.97, np.cos(24 * x)) * (np.abs(y - 0.05) < 0.11)
    dial = mixed((0.84, 0.83, 0.78), (0.02, 0.02, 0.025), ticks)
    cloth, folds = weave(SIZE, 48), noise(SIZE, 82, 2.2, 1)
    canvas = mixed((0.1, 0.13, 0.07), (0.16, 0.18, 0.1), folds) * (0.75 + 0.25 * cloth[..., None])
    torn = 1 - smoothstep(0.955, 0.965, noise(SIZE, 83, 2.0, 2))
    return [
        save(folder / "rail_spangle.png", zinc),
        save(folder / "rail_narrowness.png", narrowness, srgb=False),
        save(folder / "dial_ticks.png", dial),
        save(folder / "tarpaulin_canvas.png", canvas),
        save(folder / "tarpaulin_weave.png", 0.5 * cloth + 0.5 * folds, srgb=False),
        save(folder / "tarpaulin_torn.png", torn, srgb=False),
    ]


MTL = """# Heron Lode sluice yard: invented materials
newmtl galvanised_rail
Ka 0.2 0.2 0.2
Kd 0.12 0.12 0.125
Ks 1 1 1
map_Ks rail_spangle.png
Ns 1000
map_Ns rail_narrowness.png
illum 2

newmtl dial_enamel
Kd 1 1 1
map_Kd dial_ticks.png
Ks 0.9 0.9 0.9
Ns 160
illum 2

newmtl nickel_float
Kd 0 0 0
Ks 1 0.93 0.84
Ns 14
illum 2

newmtl tarpaulin
Kd 1 1 1
map_Kd tarpaulin_canvas.png
Ks 0.08 0.08 0.08
Ns 18
map_d tarpaulin_torn.png
map_bump -bm 0.6 tarpaulin_weave.png
illum 2
"""


# Shapes


def _knob(name: str) -> Mesh:
    return revolved(name, _smooth([(0.02, 1.0), (0.5, 0.97), (0.82, 0.62), (0.55, 0.2), (0.62, -0.3), (0.95, -0.7), (0.95, -1.0)]), 64)


def _ring(name: str) -> Mesh:
    angle = np.linspace(-np.pi, np.pi, 41)
    return revolved(name, np.stack([0.75 - 0.22 * np.cos(angle), 0.22 * np.sin(angle)], axis=-1), 96)


def _drum(name: str) -> Mesh:
    return revolved(name, _smooth([(0.02, 0.9), (0.78, 0.9), (0.9, 0.82), (0.9, 0.4), (0.86, 0.0), (0.9, -0.4), (0.9, -0.9)]), 64)


def _dome(name: str) -> Mesh:
    angle = np.linspace(0.02, np.pi * 0.75, 40)
    return revolved(name, np.stack([np.sin(angle), np.cos(angle)], axis=-1), 96)


def _smooth(points: list[tuple[float, float]]) -> np.ndarray:
    from scipy.interpolate import PchipInterpolator

    knots = np.linspace(0, 1, len(points))
    return np.asarray(PchipInterpolator(knots, np.array(points))(np.linspace(0, 1, 48)))
