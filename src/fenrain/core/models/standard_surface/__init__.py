"""The MaterialX node `standard_surface`."""

from fenrain.core.models.registry import Model, Undrawn
from fenrain.core.models.standard_surface.from_hub import RULES as FROM_HUB
from fenrain.core.models.standard_surface.parameters import StandardSurface
from fenrain.core.models.standard_surface.surface import surface
from fenrain.core.models.standard_surface.to_hub import RULES as TO_HUB
from fenrain.core.models.target import Profile, Target

FILM_ON_A_THIN_WALL = Undrawn(
    ("thin_film_thickness", "thin_film_IOR"),
    "a thin film on a thin wall is not drawn",
    lambda case: case.is_at("thin_walled", True) and not case.is_at("thin_film_thickness", 0.0),
)

MODEL = Model(
    "standard_surface",
    "Standard Surface",
    StandardSurface,
    surface,
    "MaterialX 1.39, node standard_surface",
    to_hub=TO_HUB,
    from_hub=FROM_HUB,
    targets=(Target(Profile(), "Standard Surface", "materialx"),),
    undrawn=(FILM_ON_A_THIN_WALL,),
)
