"""What a measured metal is made of. Everything but its finish is fixed by the table."""

from fenrain.core.models.extras import RELIEF_EXTRAS
from fenrain.core.models.parameter import CUT_OUT, REFLECTION, number, spectrum

PARAMETERS = (
    spectrum("table", group=REFLECTION, says="rows of wavelength (nm), index n and extinction k"),
    number(
        "roughness", default=20.0, high=100.0, usual=(1.0, 97.0), group=REFLECTION, says="0 to 100, α = (r/100)²; exactly 0 does not exist"
    ),
    number("anisotropy", default=0.0, high=1.0, group=REFLECTION, says="stretches the highlight"),
    number(
        "angle",
        default=0.0,
        low=-360.0,
        high=360.0,
        unit="°",
        group=REFLECTION,
        under="anisotropy",
        says="turns that direction",
    ),
    number("opacity", default=1.0, high=1.0, group=CUT_OUT, says="0 lets everything behind show"),
    *RELIEF_EXTRAS,
)
