"""Diffuse, specular, glossiness: the model of the archived KHR_materials_pbrSpecularGlossiness."""

from fenrain.core.models.registry import Model
from fenrain.core.models.spec_gloss.parameters import SpecGloss
from fenrain.core.models.spec_gloss.surface import surface
from fenrain.core.models.spec_gloss.to_hub import RULES as TO_HUB

MODEL = Model(
    "spec_gloss",
    "Diffuse, specular, glossiness",
    SpecGloss,
    surface,
    "KHR_materials_pbrSpecularGlossiness",
    to_hub=TO_HUB,
)
