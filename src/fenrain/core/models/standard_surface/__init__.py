"""The MaterialX node `standard_surface`."""

from fenrain.core.models.registry import Model
from fenrain.core.models.standard_surface.from_hub import RULES as FROM_HUB
from fenrain.core.models.standard_surface.lobes import look
from fenrain.core.models.standard_surface.parameters import PARAMETERS
from fenrain.core.models.standard_surface.to_hub import RULES as TO_HUB

MODEL = Model("standard_surface", "Standard Surface", PARAMETERS, look, "MaterialX 1.39, node standard_surface", TO_HUB, FROM_HUB)
