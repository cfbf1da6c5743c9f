"""What a measured metal is made of. Everything but its finish is fixed by the table."""

from fenrain.core.lobes.aspects import CUT_OUT, REFLECTION
from fenrain.core.models.extras import BumpExtras
from fenrain.core.models.parameter import Role, number, spectrum
from fenrain.core.optics.arrays import Array


class Measured(BumpExtras):
    """What a measured metal is made of. Everything but its finish is fixed by the table."""

    table: tuple[float, ...] = spectrum(group=REFLECTION, says="rows of wavelength (nm), index n and extinction k")
    roughness: Array = number(
        default=20.0, high=100.0, usual=(1.0, 97.0), group=REFLECTION, says="0 to 100, α = (r/100)²; exactly 0 does not exist"
    )
    anisotropy: Array = number(role=Role.ANISOTROPY, default=0.0, high=1.0, group=REFLECTION, says="stretches the highlight")
    angle: Array = number(
        role=Role.ROTATION, default=0.0, low=-360.0, high=360.0, unit="°", group=REFLECTION, under="anisotropy", says="turns that direction"
    )
    opacity: Array = number(role=Role.OPACITY, default=1.0, high=1.0, group=CUT_OUT, says="0 lets everything behind show")
