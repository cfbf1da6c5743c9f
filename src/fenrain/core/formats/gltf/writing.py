"""Writes GLB: metallic-roughness materials with their maps packed, on the meshes of the asset that they came with."""

from __future__ import annotations

import math
import tempfile
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from fenrain.core.errors import InputError
from fenrain.core.files import write_whole
from fenrain.core.formats.gltf.asset_meshes import lay_meshes, point_meshes
from fenrain.core.formats.gltf.atlas import lay_on_atlas
from fenrain.core.formats.gltf.glb_file import TEXTURE_TRANSFORM, GlbFile
from fenrain.core.formats.gltf.material_writing import material_entry
from fenrain.core.formats.gltf.texture_writing import TextureWriter
from fenrain.core.formats.holding import Slot, every_parameter
from fenrain.core.material import Material
from fenrain.core.models.metal_rough.extensions import is_allowed
from fenrain.core.models.registry import Model
from fenrain.core.models.target import Profile


def write_glb(materials: Sequence[Material], path: Path, asset: Path | None, profile: Profile) -> list[Path]:
    """Write one GLB that holds the materials and what carries them: the asset's own meshes, or a sphere each. Of materials that are merged
    into another one of these, the meshes carry that one."""
    if path.suffix.lower() != ".glb":
        raise InputError(f"“{path.name}” is not a .glb name.", place=path.name, remedy="End the file name in .glb.")
    with tempfile.TemporaryDirectory(prefix="fenrain-glb-") as scratch:
        glb = GlbFile()
        kept, places = _merged(materials)
        carried = lay_meshes(glb, materials, places, asset)
        textures = TextureWriter(glb, profile, Path(scratch))
        glb.document["materials"] = [material_entry(textures, material) for material in kept]
        point_meshes(glb, carried)
        glb.state_extensions()
        if profile.maps.atlas:
            lay_on_atlas(glb, Path(scratch))
        write_whole(path, glb.packed())
    return [path]


def _merged(materials: Sequence[Material]) -> tuple[list[Material], list[int]]:
    """(the materials that stand for themselves, for each of all the place of the one among these that stands for it)."""
    names = {material.name for material in materials if not material.merged_into}
    kept = [material for material in materials if material.merged_into not in names]
    places = {material.name: place for place, material in reversed(list(enumerate(kept)))}
    by_identity = {id(material): place for place, material in enumerate(kept)}
    return kept, [by_identity.get(id(material), places.get(material.merged_into, 0)) for material in materials]


ONE_NUMBER = Slot(map=False)
COLOUR_AND_ALPHA = Slot(shares_uv_with=("alpha",))
ROUGHNESS_AND_METALLIC = Slot(shares_uv_with=("metallic",))
NUMBERS_ALONE = (
    "ior",
    "attenuation_distance",
    "attenuation_color",
    "dispersion",
    "iridescence_ior",
    "emissive_strength",
    "alpha_cutoff",
)
"""What a glTF material says by a number, without a texture."""
ANY_ANGLE = Slot(least=-math.inf, most=math.inf)
"""Written as a direction."""
WITH_FACTOR_ABOVE_ONE = Slot(most=float("inf"))
"""A value whose factor may exceed 1, so that its map may as well."""


def slots(model: Model, profile: Profile) -> dict[str, Slot]:
    """What glTF holds of metallic-roughness (glTF 2.0 §3.9 and its material extensions), with the extensions that the profile allows."""
    found = (
        every_parameter(model)
        | dict.fromkeys(NUMBERS_ALONE, ONE_NUMBER)
        | {
            "base_color": COLOUR_AND_ALPHA,
            "roughness": ROUGHNESS_AND_METALLIC,
            "anisotropy_rotation": ANY_ANGLE,
            "specular_color": WITH_FACTOR_ABOVE_ONE,
            "thickness": WITH_FACTOR_ABOVE_ONE,
            "iridescence_thickness": WITH_FACTOR_ABOVE_ONE,
        }
    )
    placing = TEXTURE_TRANSFORM in profile.extensions
    return {name: replace(slot, tiles=placing, once=placing) for name, slot in found.items() if is_allowed(name, profile.extensions)}
