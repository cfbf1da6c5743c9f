"""Materials of sliders to OpenPBR."""

import numpy as np

from fenrain.core.convert.rule import APPROXIMATED, EXACT, Case, RuleSet
from fenrain.core.models.additive import Reflection, base_of
from fenrain.core.models.extras import add_extra_rules
from fenrain.core.models.percent.lobes import body_colour
from fenrain.core.optics.energy import single_scattering_f0
from fenrain.core.optics.fresnel import fading_grazing

RULES = RuleSet("percent.to_hub")
SLIDERS = "common practice: a slider of 100 is 1"


def is_clear(case: Case) -> bool:
    return not case.is_at("translucency", 0.0)


def is_opaque(case: Case) -> bool:
    return not is_clear(case)


@RULES.rule("specular_roughness", fidelity=EXACT, text="{roughness} ÷ 100", source=f"{SLIDERS}; OpenPBR 1.1: α = r²")
def roughness(roughness):
    return roughness / 100.0


@RULES.rule(
    "base_metalness",
    "base_color",
    "specular_ior",
    "specular_color",
    fidelity=APPROXIMATED,
    text="{color} × {detail_color} ({detail_mask}) under {sticker_color} ({sticker_mask}) below a reflection of {reflectance} % at "
    "{roughness}; metal where it stands over black and nothing is clear ({translucency})",
    source=f"{SLIDERS}; Schlick 1994; OpenPBR 1.1: the body is scaled by 1 − E of the reflection",
    when=is_opaque,
    cut=("base_color",),
)
def base(color, reflectance, roughness, detail_color, detail_mask, sticker_color, sticker_mask, translucency):
    alpha, f0 = np.square(roughness / 100.0), reflectance / 100.0 * np.ones(3)
    single = single_scattering_f0(f0, alpha)
    body = body_colour(color, detail_color, detail_mask, sticker_color, sticker_mask) * (1.0 - f0)
    grazing = fading_grazing(f0)
    reflection = Reflection(single, grazing, f0 + (grazing - f0) * 0.46, alpha)
    found = base_of(body, reflection, clear=translucency)
    return found.base_metalness, found.base_color, found.specular_ior, found.specular_color


@RULES.rule(
    "base_color",
    "specular_ior",
    "transmission_weight",
    "transmission_color",
    fidelity=APPROXIMATED,
    text="{translucency} % clear where no sticker lies ({sticker_mask}), tinted by {color}, bent by {index}, which in OpenPBR says the "
    "reflection as well ({reflectance} %); under it {detail_color} ({detail_mask}) and {sticker_color}",
    source=f"{SLIDERS}; OpenPBR 1.1: one index for reflection and refraction",
    when=is_clear,
)
def clear(color, reflectance, detail_color, detail_mask, sticker_color, sticker_mask, translucency, index):
    body = body_colour(color, detail_color, detail_mask, sticker_color, sticker_mask)
    return np.clip(body, 0.0, 1.0), index, translucency / 100.0 * (1.0 - sticker_mask), color


@RULES.rule(
    "emission_luminance",
    "emission_color",
    fidelity=EXACT,
    text="{luminance} cd/m² through {filter_color}",
    source="OpenPBR 1.1: emission_luminance × emission_color",
    when=lambda case: not case.is_at("luminance", 0.0),
)
def glow(luminance, filter_color):
    return luminance, filter_color


@RULES.rule("geometry_opacity", fidelity=EXACT, text="{opacity} ÷ 100", source=SLIDERS)
def opacity(opacity):
    return opacity / 100.0


for _name in ("tile_width", "tile_height"):
    RULES.drop(_name, why="OpenPBR holds no size of its maps.", nearest="the placement that the maps and the mesh give")
add_extra_rules(RULES)
