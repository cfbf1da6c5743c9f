"""OpenPBR Surface 1.1, the hub through which every conversion goes."""

from fenrain.core.models.open_pbr.lobes import look
from fenrain.core.models.open_pbr.parameters import PARAMETERS
from fenrain.core.models.registry import Model

MODEL = Model("open_pbr", "OpenPBR Surface", PARAMETERS, look, "OpenPBR Surface 1.1")
