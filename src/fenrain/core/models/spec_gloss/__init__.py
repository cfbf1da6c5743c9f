"""Diffuse, specular, glossiness: the model of the archived KHR_materials_pbrSpecularGlossiness."""

from fenrain.core.models.registry import Model
from fenrain.core.models.spec_gloss.lobes import look
from fenrain.core.models.spec_gloss.parameters import PARAMETERS
from fenrain.core.models.spec_gloss.to_hub import RULES as TO_HUB

MODEL = Model("spec_gloss", "Diffuse, specular, glossiness", PARAMETERS, look, "KHR_materials_pbrSpecularGlossiness", TO_HUB)
