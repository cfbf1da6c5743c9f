"""glTF 2.0 metallic-roughness with its ratified extensions."""

from fenrain.core.models.metal_rough.extensions import EXTENSIONS
from fenrain.core.models.metal_rough.from_hub import RULES as FROM_HUB
from fenrain.core.models.metal_rough.parameters import MetalRough
from fenrain.core.models.metal_rough.surface import surface
from fenrain.core.models.metal_rough.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model
from fenrain.core.models.target import RASTERISED, Profile, Target

MODEL = Model(
    "metal_rough",
    "glTF metallic-roughness",
    MetalRough,
    surface,
    "glTF 2.0 and KHR_materials_*",
    to_hub=TO_HUB,
    from_hub=FROM_HUB,
    targets=(
        Target(Profile("extensions", EXTENSIONS, viewer=RASTERISED), "glTF with extensions", "gltf"),
        Target(Profile("core", viewer=RASTERISED), "glTF core", "gltf"),
        Target(Profile("materialx", EXTENSIONS), "glTF in MaterialX", "materialx"),
    ),
)
