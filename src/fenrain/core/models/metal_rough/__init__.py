"""glTF 2.0 metallic-roughness with its ratified extensions."""

from fenrain.core.models.metal_rough.from_hub import RULES as FROM_HUB
from fenrain.core.models.metal_rough.lobes import look
from fenrain.core.models.metal_rough.parameters import PARAMETERS
from fenrain.core.models.metal_rough.to_hub import RULES as TO_HUB
from fenrain.core.models.registry import Model

MODEL = Model("metal_rough", "glTF metallic-roughness", PARAMETERS, look, "glTF 2.0 and KHR_materials_*", TO_HUB, FROM_HUB)
