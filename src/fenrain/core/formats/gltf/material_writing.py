"""Entries of `materials` of a GLB (glTF 2.0 §3.9)."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from fenrain.core.formats.gltf.material_extensions import extension_blocks, number_of
from fenrain.core.formats.gltf.texture_writing import ONE, TextureWriter, factor_of, roughness_and_metallic
from fenrain.core.material import Material
from fenrain.core.models.emission_and_opacity import CUT_OUT_MODE, OPAQUE
from fenrain.core.values import Constant

ALPHA_MODE_NAMES = ("OPAQUE", "MASK", "BLEND")


def material_entry(textures: TextureWriter, material: Material) -> dict[str, Any]:
    """One entry of `materials`."""
    entry: dict[str, Any] = {"name": material.name}
    core = _core(textures, material)
    if core:
        entry["pbrMetallicRoughness"] = core
    extensions = extension_blocks(textures, material)
    if extensions:
        textures.glb.used |= set(extensions)
        entry["extensions"] = extensions
    entry |= _surface(textures, material)
    if material.geometry.double_sided:
        entry["doubleSided"] = True
    mode = material.value("alpha_mode")
    number = int(mode.value) if isinstance(mode, Constant) and isinstance(mode.value, int) else OPAQUE
    if number != OPAQUE:
        entry["alphaMode"] = ALPHA_MODE_NAMES[number]
    if number == CUT_OUT_MODE and material.value("alpha_cutoff") != Constant(0.5):
        entry["alphaCutoff"] = number_of(material.value("alpha_cutoff"))
    if textures.profile.exposed:
        entry["extras"] = {"adjustable": [asdict(one) for one in textures.profile.exposed]}
    textures.write()
    return entry


def _core(textures: TextureWriter, material: Material) -> dict[str, Any]:
    """The block `pbrMetallicRoughness`: factors that are not at their default, and textures."""
    base, alpha = material.value("base_color"), material.value("alpha")
    core: dict[str, Any] = {}
    opaque = material.value("alpha_mode") == Constant(OPAQUE)
    colour, opacity = factor_of(base), 1.0 if opaque else factor_of(alpha)
    texture = textures.colour(base, ONE if opaque else alpha)
    if texture is not None:
        core["baseColorTexture"], colour, opacity = texture[0], texture[1], 1.0 if not isinstance(alpha, Constant) else opacity
    if (*colour, opacity) != (1.0, 1.0, 1.0, 1.0):
        core["baseColorFactor"] = [*colour, opacity]
    packed = textures.pack(roughness_and_metallic(material))
    if packed is not None:
        core["metallicRoughnessTexture"] = packed
    for key, name in (("metallicFactor", "metallic"), ("roughnessFactor", "roughness")):
        if isinstance(material.value(name), Constant) and number_of(material.value(name)) != 1.0:
            core[key] = number_of(material.value(name))
    return core


def _surface(textures: TextureWriter, material: Material) -> dict[str, Any]:
    """Normal, occlusion and emission, which stand in the material itself."""
    entry: dict[str, Any] = {}
    normal = textures.normal(material.value("normal"))
    if normal is not None:
        entry["normalTexture"] = normal
    if material.value("occlusion") != Constant(1.0):
        entry["occlusionTexture"] = textures.occlusion(material)
    emissive = material.value("emissive")
    texture, factor = textures.colour(emissive, ONE) or (None, factor_of(emissive))
    if texture is not None:
        entry["emissiveTexture"] = texture
    if any(factor):
        entry["emissiveFactor"] = list(factor)
    return entry
