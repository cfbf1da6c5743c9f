"""What a target may hold: its extensions and the limits of its maps."""

from __future__ import annotations

from dataclasses import dataclass

GLTF_EXTENSIONS = frozenset(
    {
        "KHR_materials_specular",
        "KHR_materials_ior",
        "KHR_materials_clearcoat",
        "KHR_materials_sheen",
        "KHR_materials_anisotropy",
        "KHR_materials_emissive_strength",
        "KHR_materials_unlit",
        "KHR_texture_transform",
        "KHR_materials_transmission",
        "KHR_materials_volume",
        "KHR_materials_dispersion",
        "KHR_materials_iridescence",
        "KHR_materials_diffuse_transmission",
    }
)
"""The extensions that the writer knows."""


@dataclass(frozen=True)
class Profile:
    """extensions: those the target may use; largest_map: edge in texels, 0 for no limit."""

    name: str = "all extensions"
    extensions: frozenset[str] = GLTF_EXTENSIONS
    largest_map: int = 0

    @staticmethod
    def core_only() -> Profile:
        """glTF 2.0 without any extension."""
        return Profile("core only", frozenset())
