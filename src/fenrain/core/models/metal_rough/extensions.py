"""The glTF extensions that are read, converted to and written."""

EXTENSIONS = frozenset(
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

NEEDED = {
    "specular": "KHR_materials_specular",
    "ior": "KHR_materials_ior",
    "clearcoat": "KHR_materials_clearcoat",
    "sheen": "KHR_materials_sheen",
    "anisotropy": "KHR_materials_anisotropy",
    "emissive_strength": "KHR_materials_emissive_strength",
    "unlit": "KHR_materials_unlit",
    "transmission": "KHR_materials_transmission",
    "thickness": "KHR_materials_volume",
    "attenuation": "KHR_materials_volume",
    "dispersion": "KHR_materials_dispersion",
    "iridescence": "KHR_materials_iridescence",
    "diffuse_transmission": "KHR_materials_diffuse_transmission",
}
"""The extension that a parameter needs, by its name or the word that it begins with."""


def needed_by(parameter: str) -> str | None:
    """The extension that a parameter of glTF needs, None for what core glTF holds."""
    return NEEDED.get(parameter) or next((NEEDED[word] for word in NEEDED if parameter.startswith(f"{word}_")), None)


def is_allowed(parameter: str, extensions: frozenset[str]) -> bool:
    """Whether a target with these extensions can hold a parameter."""
    needed = needed_by(parameter)
    return needed is None or needed in extensions
