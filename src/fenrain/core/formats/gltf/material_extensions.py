"""Blocks of the material extensions of glTF, a function for each that holds more than a number."""

from __future__ import annotations

from typing import Any

from fenrain.core.formats.gltf.texture_writing import ONE, TextureWriter, factor_of
from fenrain.core.formats.holding import largest_in
from fenrain.core.maps.bake import Channel
from fenrain.core.maps.mean import mean_of
from fenrain.core.material import Material
from fenrain.core.rules.directions import direction_of
from fenrain.core.values import Constant, Value


def extension_blocks(textures: TextureWriter, material: Material) -> dict[str, Any]:
    """Blocks of extensions by their names, those alone that say something."""
    found: dict[str, Any] = {}
    _add_block(found, "specular", _specular(textures, material))
    if material.value("ior") != Constant(1.5):
        _add_block(found, "ior", {"ior": number_of(material.value("ior"))})
    if material.value("clearcoat") != Constant(0.0):
        _add_block(found, "clearcoat", _clearcoat(textures, material))
    if material.value("sheen_color") != Constant((0.0, 0.0, 0.0)):
        _add_block(found, "sheen", _sheen(textures, material))
    if material.value("anisotropy_strength") != Constant(0.0):
        _add_block(found, "anisotropy", _anisotropy(textures, material))
    _add_block(found, "emissive_strength", _scalar(material, "emissive_strength", "emissiveStrength", 1.0))
    _add_transmission(textures, found, material)
    if material.value("iridescence") != Constant(0.0):
        _add_block(found, "iridescence", _film(textures, material))
    if material.value("unlit") == Constant(True):
        found["KHR_materials_unlit"] = {}
    return found


def _add_transmission(textures: TextureWriter, found: dict[str, Any], material: Material) -> None:
    """What goes through, and what it meets inside."""
    _add_block(found, "transmission", _mapped(textures, material, "transmission", "transmission", "r"))
    if material.value("thickness") != Constant(0.0):
        volume = _thickness(textures, material.value("thickness"))
        if material.value("attenuation_distance") != Constant(0.0):
            volume["attenuationDistance"] = number_of(material.value("attenuation_distance"))
            volume["attenuationColor"] = list(_mean_colour(material.value("attenuation_color")))
        _add_block(found, "volume", volume)
    _add_block(found, "dispersion", _scalar(material, "dispersion", "dispersion", 0.0))
    behind = _mapped(textures, material, "diffuse_transmission", "diffuseTransmission", "a")
    if behind:
        colour = material.value("diffuse_transmission_color")
        texture, factor = textures.colour(colour, ONE) or (None, factor_of(colour))
        behind["diffuseTransmissionColorFactor"] = list(factor)
        if texture is not None:
            behind["diffuseTransmissionColorTexture"] = texture
    _add_block(found, "diffuse_transmission", behind)


def _mapped(textures: TextureWriter, material: Material, name: str, stem: str, channel: str) -> dict[str, Any]:
    """A factor, and a texture where the value is a map; nothing where it is 0."""
    value = material.value(name)
    if value == Constant(0.0):
        return {}
    block: dict[str, Any] = {f"{stem}Factor": factor_of(value)}
    if not isinstance(value, Constant):
        channels = "rgba" if channel == "a" else "rgb"
        block[f"{stem}Texture"] = textures.bake(tuple(Channel(value if place == channel else ONE) for place in channels))
    return block


def _thickness(textures: TextureWriter, thickness: Value) -> dict[str, Any]:
    """A depth in mesh units: the largest as the factor, shares of it in the map."""
    if isinstance(thickness, Constant):
        return {"thicknessFactor": factor_of(thickness)}
    deepest, texture = _shares_in_green(textures, thickness)
    return {"thicknessFactor": deepest, "thicknessTexture": texture}


def _shares_in_green(textures: TextureWriter, value: Value) -> tuple[float, dict[str, Any]]:
    """The largest number of a map, and a texture whose green holds the shares of it."""
    most = largest_in(value) or 1.0
    return most, textures.bake((Channel(ONE), Channel(value, gain=1.0 / most), Channel(ONE)))


def _film(textures: TextureWriter, material: Material) -> dict[str, Any]:
    """The interference film; a map of its thickness lies between 0 and its largest."""
    block = _mapped(textures, material, "iridescence", "iridescence", "r")
    block["iridescenceIor"] = number_of(material.value("iridescence_ior"))
    thickness = material.value("iridescence_thickness")
    if isinstance(thickness, Constant):
        return block | {f"iridescenceThickness{end}": factor_of(thickness) for end in ("Minimum", "Maximum")}
    thickest, texture = _shares_in_green(textures, thickness)
    limits = {"iridescenceThicknessMinimum": 0.0, "iridescenceThicknessMaximum": thickest}
    return block | limits | {"iridescenceThicknessTexture": texture}


def _add_block(found: dict[str, Any], short: str, block: dict[str, Any]) -> None:
    if block:
        found[f"KHR_materials_{short}"] = block


def _scalar(material: Material, name: str, key: str, default: float) -> dict[str, Any]:
    value = material.value(name)
    return {key: number_of(value)} if isinstance(value, Constant) and number_of(value) != default else {}


def _specular(textures: TextureWriter, material: Material) -> dict[str, Any]:
    """Strength in alpha, tint in sRGB (KHR_materials_specular)."""
    block = _scalar(material, "specular", "specularFactor", 1.0)
    strength, colour = material.value("specular"), material.value("specular_color")
    if not isinstance(strength, Constant):
        block["specularTexture"] = textures.bake((Channel(ONE), Channel(ONE), Channel(ONE), Channel(strength)))
    texture, factor = textures.specular(colour) if not isinstance(colour, Constant) else (None, factor_of(colour))
    if texture is not None:
        block["specularColorTexture"] = texture
    if factor != (1.0, 1.0, 1.0):
        block["specularColorFactor"] = list(factor)
    return block


def _clearcoat(textures: TextureWriter, material: Material) -> dict[str, Any]:
    """Weight in red, roughness in green (KHR_materials_clearcoat)."""
    weight, roughness = material.value("clearcoat"), material.value("clearcoat_roughness")
    block: dict[str, Any] = {"clearcoatFactor": factor_of(weight)}
    if factor_of(roughness) != 0.0:
        block["clearcoatRoughnessFactor"] = factor_of(roughness)
    if not isinstance(weight, Constant):
        block["clearcoatTexture"] = textures.bake((Channel(weight), Channel(ONE), Channel(ONE)))
    if not isinstance(roughness, Constant):
        block["clearcoatRoughnessTexture"] = textures.bake((Channel(ONE), Channel(roughness), Channel(ONE)))
    normal = textures.normal(material.value("clearcoat_normal"))
    if normal is not None:
        block["clearcoatNormalTexture"] = normal
    return block


def _sheen(textures: TextureWriter, material: Material) -> dict[str, Any]:
    """Tint in sRGB, roughness in alpha (KHR_materials_sheen)."""
    colour, roughness = material.value("sheen_color"), material.value("sheen_roughness")
    texture, factor = textures.colour(colour, ONE) or (None, factor_of(colour))
    block: dict[str, Any] = {"sheenColorFactor": list(factor), "sheenRoughnessFactor": factor_of(roughness)}
    if texture is not None:
        block["sheenColorTexture"] = texture
    if not isinstance(roughness, Constant):
        block["sheenRoughnessTexture"] = textures.bake((Channel(ONE), Channel(ONE), Channel(ONE), Channel(roughness)))
    return block


def _anisotropy(textures: TextureWriter, material: Material) -> dict[str, Any]:
    """Strength in blue, beside the direction in red and green, which is +x where one number turns it (KHR_materials_anisotropy)."""
    strength, rotation = material.value("anisotropy_strength"), material.value("anisotropy_rotation")
    block: dict[str, Any] = {"anisotropyStrength": factor_of(strength)}
    across, along = (ONE, Constant(0.5)) if isinstance(rotation, Constant) else direction_of(rotation)
    if not isinstance(strength, Constant) or not isinstance(rotation, Constant):
        shown = ONE if isinstance(strength, Constant) else strength
        block["anisotropyTexture"] = textures.bake((Channel(across), Channel(along), Channel(shown)))
    if isinstance(rotation, Constant) and rotation != Constant(0.0):
        block["anisotropyRotation"] = number_of(rotation)
    return block


def _mean_colour(value: Value) -> tuple[float, ...]:
    """The constant, or the mean of a map where the format takes none."""
    colour = value.value if isinstance(value, Constant) else mean_of(value)
    assert isinstance(colour, tuple)
    return colour


def number_of(value: Value) -> float:
    return float(value.value) if isinstance(value, Constant) and not isinstance(value.value, (str, tuple)) else 1.0
