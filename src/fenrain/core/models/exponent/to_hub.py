"""Exponent materials to OpenPBR."""

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.convert.rule import APPROXIMATED, EQUIVALENT, EXACT, Case, Caveat, RuleSet
from fenrain.core.models.exponent.highlight import ggx_of_exponent
from fenrain.core.models.exponent.lobes import DIFFUSE_ONLY, MIRRORING, REFRACTING, SEEN_THROUGH, UNSHADED
from fenrain.core.models.extras import add_relief_rules
from fenrain.core.models.surface import WHITE_LUMINANCE
from fenrain.core.optics.energy import compensated_f0, left_below, metalness_of
from fenrain.core.optics.fresnel import HIGHEST_F0, ior_from_f0

RULES = RuleSet("exponent.to_hub")
MTL = "MTL material file format 1995"


def is_shaded(case: Case) -> bool:
    return not case.is_at("illum", UNSHADED)


def is_unshaded(case: Case) -> bool:
    return case.is_at("illum", UNSHADED)


def has_highlight(case: Case) -> bool:
    return is_shaded(case) and not case.is_at("illum", DIFFUSE_ONLY) and not is_glass(case)


def has_no_highlight(case: Case) -> bool:
    return case.is_at("illum", DIFFUSE_ONLY)


def mirrors(case: Case) -> bool:
    return any(case.is_at("illum", mode) for mode in MIRRORING) and not is_glass(case)


def refracts(case: Case) -> bool:
    return any(case.is_at("illum", mode) for mode in REFRACTING)


def is_seen_through(case: Case) -> bool:
    return any(case.is_at("illum", mode) for mode in SEEN_THROUGH)


def is_glass(case: Case) -> bool:
    return refracts(case) or is_seen_through(case)


def is_not_glass(case: Case) -> bool:
    return not is_glass(case)


# Body and highlight

HIGHLIGHT_SOURCE = f"{MTL}: Ks (H·H_j)^Ns; Walter et al. 2007: α = √(2/(n + 2)); width and strength fitted to GGX"


def _lobe(specular, exponent, highlight):
    """(α, F0) of the GGX lobe; a mirror-direction exponent is about a quarter of the halfway one with the same width."""
    halfway = exponent * 4.0 if highlight == 1 else exponent
    alpha, strength = ggx_of_exponent(halfway)
    return alpha, compensated_f0(np.clip(specular * strength, 0.0, HIGHEST_F0), alpha)


@RULES.rule(
    "specular_roughness",
    fidelity=APPROXIMATED,
    text="√ of the GGX width nearest to {exponent} ({highlight})",
    source=HIGHLIGHT_SOURCE,
    when=has_highlight,
)
def roughness(exponent, highlight):
    alpha, _ = _lobe(np.ones(3), exponent, highlight)
    return np.sqrt(np.minimum(alpha, 1.0))


def _reflection_caveat(diffuse, specular, exponent, highlight) -> Caveat:
    _, strength = ggx_of_exponent(exponent)
    if (specular * strength).max() > 1:
        return (
            APPROXIMATED,
            f"The highlight reflects {float((specular * strength).max()):.3g} times what it receives; it is cut to all of it.",
        )
    return None


@RULES.rule(
    "specular_ior",
    "specular_color",
    fidelity=APPROXIMATED,
    text="index whose F0 gives the highlight of {specular} at {exponent} ({highlight}) its height; the rest as tint",
    source=HIGHLIGHT_SOURCE,
    when=has_highlight,
    caveat=_reflection_caveat,
)
def reflection(diffuse, specular, exponent, highlight):
    _, f0 = _lobe(specular, exponent, highlight)
    strongest = strongest_channel(f0)
    metal = metalness_of(diffuse, f0)
    tint = np.where(strongest > 1e-7, f0 / np.maximum(strongest, 1e-7), 1.0)
    return ior_from_f0(strongest * (1.0 - metal) + 0.04 * metal), tint * (1.0 - metal) + metal


@RULES.rule("specular_weight", fidelity=EXACT, text="no highlight ({illum})", source=f"{MTL}: illum 1", when=has_no_highlight)
def no_highlight(illum):
    return 0.0


@RULES.rule(
    "base_metalness",
    "base_color",
    fidelity=APPROXIMATED,
    text="metal where the highlight of {specular} at {exponent} ({highlight}) stands over no diffuse; else {diffuse}, divided by what "
    "the reflection lets through",
    source=f"{MTL}: Kd (N·L); OpenPBR 1.1: the body is scaled by 1 − E of the reflection",
    when=has_highlight,
    cut=("base_color",),
)
def body(diffuse, specular, exponent, highlight):
    alpha, f0 = _lobe(specular, exponent, highlight)
    metal = metalness_of(diffuse, f0)
    dielectric = diffuse / left_below(strongest_channel(f0), np.minimum(alpha, 1.0))
    return metal, dielectric * (1.0 - metal) + f0 * metal


@RULES.rule("base_color", fidelity=EXACT, text="{diffuse}, at most 1", source=f"{MTL}: illum 1, Kd (N·L)", when=has_no_highlight)
def diffuse_alone(diffuse):
    return np.clip(diffuse, 0.0, 1.0)


RULES.drop(
    "ambient", why="ambient stands for even light from everywhere, which the lighting itself gives in the target.", nearest="left out"
)
RULES.drop("decal", why="a decal chooses between two pictures by a mask; it has to be baked into the diffuse map.", nearest="left out")
RULES.drop("reflection_image", why="a painted reflection does not follow the light of the target.", nearest="left out")
RULES.drop("displacement", why="OpenPBR does not move the surface; the scene does.", nearest="left out")


# Mirror and glass


@RULES.rule(
    "coat_weight",
    "coat_ior",
    "coat_roughness",
    "coat_darkening",
    fidelity=APPROXIMATED,
    text="a clear sharp coat with the F0 of {specular} for the mirrored surroundings ({illum})",
    source=f"{MTL}: illum 3 to 7",
    when=mirrors,
)
def mirror(specular, illum):
    return 1.0, ior_from_f0(np.clip(strongest_channel(specular), 0.0, HIGHEST_F0)), 0.0, 0.0


CLEAREST_GLASS = 0.01
"""Roughness of clear glass (common practice)."""


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    "base_color",
    "specular_roughness",
    fidelity=APPROXIMATED,
    text="clear as far as {diffuse} leaves room, tinted by {filter} × (1 − {specular}), as smooth as clear glass ({illum}); the "
    "highlight is that of the glass itself",
    source=f"{MTL}: illum 4, 6, 7, 9: (1 − Ks) Tf; common practice: clear glass has a roughness of 0.01",
    when=is_glass,
)
def glass(diffuse, specular, filter, illum):
    opaque = np.clip(strongest_channel(diffuse), 0.0, 1.0)
    clear = 1.0 - opaque
    passed = np.clip(filter, 0.0, 1.0) * np.clip(1.0 - specular, 0.0, 1.0)
    tint = np.clip(passed / np.maximum(clear, 1e-3), 0.0, 1.0)
    return clear, tint, np.clip(diffuse / np.maximum(opaque, 1e-6), 0.0, 1.0), CLEAREST_GLASS


@RULES.rule(
    "specular_ior",
    fidelity=APPROXIMATED,
    text="{ior}, which in OpenPBR says the reflection as well ({illum})",
    source=f"{MTL}: Ni",
    when=refracts,
)
def index(ior, illum):
    return np.maximum(ior, 1.0)


@RULES.rule(
    "specular_ior",
    "geometry_thin_walled",
    fidelity=APPROXIMATED,
    text="a sheet with the mirrored surroundings of {specular} ({illum})",
    source=f"{MTL}: illum 4, 9: seen straight through",
    when=is_seen_through,
)
def sheet(specular, illum):
    return ior_from_f0(np.clip(strongest_channel(specular), 0.0, HIGHEST_F0) / 2.0), True


RULES.drop("ior", why="the highlight already gives the index of the reflection.", nearest="the index of the highlight", when=is_not_glass)
RULES.drop("exponent", why="the highlight of clear glass follows from its smoothness.", nearest="that of clear glass", when=is_glass)


# Glow and cut-out


def shines(case: Case) -> bool:
    return is_shaded(case) and case.says("emission")


@RULES.rule(
    "emission_color",
    "emission_luminance",
    fidelity=EQUIVALENT,
    text=f"{{emission}}, white at {WHITE_LUMINANCE:g} cd/m²",
    source=f"{MTL}: Ke, relative to display white (common practice)",
    when=shines,
)
def glow(emission):
    return emission, WHITE_LUMINANCE


@RULES.rule(
    "emission_color",
    "emission_luminance",
    "base_color",
    "specular_weight",
    fidelity=EQUIVALENT,
    text=f"{{diffuse}} + {{emission}} as light of its own, white at {WHITE_LUMINANCE:g} cd/m² ({{illum}})",
    source=f"{MTL}: illum 0, colour Kd whatever the light",
    when=is_unshaded,
)
def own_light(diffuse, emission, illum):
    return diffuse + emission, WHITE_LUMINANCE, np.zeros(3), 0.0


RULES.copy("geometry_opacity", "dissolve", source=f"{MTL}: d")


# Relief and occlusion

add_relief_rules(RULES)
