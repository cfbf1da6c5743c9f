"""OpenPBR Surface 1.1, the hub through which every conversion goes."""

from fenrain.core.models.open_pbr.meant import MEANT
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.models.open_pbr.restated import RESTATED
from fenrain.core.models.open_pbr.surface import surface
from fenrain.core.models.registry import Model, Undrawn
from fenrain.core.models.target import Profile, Target

FILM_ON_A_THIN_WALL = Undrawn(
    ("thin_film_weight", "thin_film_thickness", "thin_film_ior"),
    "a thin film on a thin wall is not drawn",
    lambda case: case.is_at("geometry_thin_walled", True) and not case.is_at("thin_film_weight", 0.0),
)

MODEL = Model(
    "open_pbr",
    "OpenPBR Surface",
    OpenPbr,
    surface,
    "OpenPBR Surface 1.1",
    restated=RESTATED,
    meant=MEANT,
    targets=(Target(Profile(), "OpenPBR", "materialx"), Target(Profile("usd"), "OpenPBR in USD", "usd")),
    undrawn=(FILM_ON_A_THIN_WALL,),
)
