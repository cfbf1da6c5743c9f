"""What a material with facing and grazing colours is made of: a body and the lobes `broad`, `main` and `top`."""

from fenrain.core.lobes.microfacet import BECKMANN, DISTRIBUTIONS
from fenrain.core.models.extras import EXTRAS
from fenrain.core.models.parameter import BODY, COAT, CUT_OUT, GLOW, REFLECTION, Parameter, choice, colour, flag, number

LOBES = {"broad": 0.6, "main": 0.3, "top": 0.05}
"""The lobes with the roughness that each starts from."""


def _lobe(name: str, roughness: float) -> tuple[Parameter, ...]:
    group, weight = (COAT if name == "top" else REFLECTION), f"{name}_weight"
    return (
        number(weight, default=1.0 if name == "main" else 0.0, usual=(0.0, 1.0), group=group, says=f"strength of the {name} lobe"),
        colour(f"{name}_facing", default=0.04, high=1.0, group=group, under=weight, says="reflectance when facing"),
        colour(f"{name}_grazing", default=1.0, high=1.0, group=group, under=weight, says="reflectance at grazing angles"),
        number(
            f"{name}_falloff",
            default=5.0,
            high=100.0,
            usual=(2.0, 10.0),
            group=group,
            under=weight,
            says="how late the grazing colour comes: 0 leaves only it, 10 almost only the facing one",
        ),
        flag(f"{name}_by_index", default=False, group=group, under=weight, says="whether index and extinction stand for the two colours"),
        colour(f"{name}_index", default=1.5, low=0.01, high=20.0, usual=(0.1, 4.0), group=group, under=f"{name}_by_index", says="index n"),
        colour(f"{name}_extinction", default=0.0, high=20.0, group=group, under=f"{name}_by_index", says="extinction k"),
        number(f"{name}_roughness", default=roughness, high=1.0, usual=(0.02, 1.0), group=group, under=weight, says="α = r²"),
        choice(f"{name}_distribution", default=BECKMANN, options=DISTRIBUTIONS, group=group, under=weight, says="shape of the highlight"),
        number(
            f"{name}_anisotropy",
            default=0.0,
            low=-1.0,
            high=1.0,
            group=group,
            under=weight,
            says="stretches the highlight; the sign chooses the direction",
        ),
        number(
            f"{name}_rotation",
            default=0.0,
            low=-6.2831854,
            high=6.2831854,
            unit="rad",
            group=group,
            under=f"{name}_anisotropy",
            says="turns that direction",
        ),
    )


PARAMETERS = (
    number("diffuse_gain", default=1.0, usual=(0.0, 1.0), group=BODY, says="multiplies the diffuse colour; 0 for a metal"),
    colour("diffuse", default=0.5, usual=(0.02, 0.9), group=BODY, says="colour of the body"),
    number("diffuse_roughness", default=0.0, high=1.0, group=BODY, says="0 is Lambert; Oren & Nayar's σ in radians"),
    *(parameter for name, roughness in LOBES.items() for parameter in _lobe(name, roughness)),
    colour("emission", default=0.0, group=GLOW, says="own light, relative to display white"),
    number("opacity", default=1.0, high=1.0, group=CUT_OUT, says="0 lets everything behind show"),
    *EXTRAS,
)
