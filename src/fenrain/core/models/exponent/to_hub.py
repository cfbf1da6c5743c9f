"""Exponent materials to OpenPBR."""

from typing import Any

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.models.emission_and_opacity import IN_SCENE_UNITS
from fenrain.core.models.exponent.highlight import ggx_of_exponent
from fenrain.core.models.exponent.parameters import Exponent
from fenrain.core.models.exponent.surface import DIFFUSE_ONLY, MIRRORING, REFRACTING, SEEN_THROUGH, UNSHADED
from fenrain.core.models.extras import add_bump_rules
from fenrain.core.optics.energy import compensated_f0, left_below, metalness_of
from fenrain.core.optics.fresnel import HIGHEST_F0, ior_from_f0
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EQUIVALENT, EXACT, Caveat
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("exponent.to_hub", Exponent)
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


def _lobe(specular: Any, exponent: Any, highlight: int) -> tuple[Any, Any]:
    """(α, F0) of the GGX lobe; a mirror-direction exponent is about a quarter of the halfway one with the same width."""
    halfway = exponent * 4.0 if highlight == 1 else exponent
    alpha, strength = ggx_of_exponent(halfway)
    return alpha, compensated_f0(np.clip(specular * strength, 0.0, HIGHEST_F0), alpha)


@RULES.rule(
    "specular_roughness",
    id="roughness",
    fidelity=APPROXIMATED,
    text="√ of the GGX width nearest to {exponent} ({highlight})",
    source=HIGHLIGHT_SOURCE,
    when=has_highlight,
)
def roughness(p: Exponent) -> Any:
    alpha, _ = _lobe(np.ones(3), p.exponent, p.highlight)
    return np.sqrt(np.minimum(alpha, 1.0))


def _reflection_caveat(p: Exponent) -> Caveat:
    _, strength = ggx_of_exponent(p.exponent)
    if (p.specular * strength).max() > 1:
        return (
            APPROXIMATED,
            f"The highlight reflects {float((p.specular * strength).max()):.3g} times what it receives; it is cut to all of it.",
        )
    return None


@RULES.rule(
    "specular_ior",
    "specular_color",
    id="reflection",
    needs=("diffuse",),
    fidelity=APPROXIMATED,
    text="index whose F0 gives the highlight of {specular} at {exponent} ({highlight}) its height; the rest as tint",
    source=HIGHLIGHT_SOURCE,
    when=has_highlight,
    caveat=_reflection_caveat,
)
def reflection(p: Exponent) -> Any:
    _, f0 = _lobe(p.specular, p.exponent, p.highlight)
    strongest = strongest_channel(f0)
    metal = metalness_of(p.diffuse, f0)
    tint = np.where(strongest > 1e-7, f0 / np.maximum(strongest, 1e-7), 1.0)
    return ior_from_f0(strongest * (1.0 - metal) + 0.04 * metal), tint * (1.0 - metal) + metal


@RULES.rule(
    "specular_weight", id="no_highlight", fidelity=EXACT, text="no highlight ({illum})", source=f"{MTL}: illum 1", when=has_no_highlight
)
def no_highlight(p: Exponent) -> Any:
    return 0.0


@RULES.rule(
    "base_metalness",
    "base_color",
    id="body",
    fidelity=APPROXIMATED,
    text="metal where the highlight of {specular} at {exponent} ({highlight}) stands over no diffuse; else {diffuse}, divided by what "
    "the reflection lets through",
    source=f"{MTL}: Kd (N·L); OpenPBR 1.1: the body is scaled by 1 − E of the reflection",
    when=has_highlight,
    cut=("base_color",),
)
def body(p: Exponent) -> Any:
    alpha, f0 = _lobe(p.specular, p.exponent, p.highlight)
    metal = metalness_of(p.diffuse, f0)
    dielectric = p.diffuse / left_below(strongest_channel(f0), np.minimum(alpha, 1.0))
    return metal, dielectric * (1.0 - metal) + f0 * metal


@RULES.rule(
    "base_color", id="diffuse_alone", fidelity=EXACT, text="{diffuse}, at most 1", source=f"{MTL}: illum 1, Kd (N·L)", when=has_no_highlight
)
def diffuse_alone(p: Exponent) -> Any:
    return np.clip(p.diffuse, 0.0, 1.0)


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
    id="mirror",
    fidelity=APPROXIMATED,
    text="a clear sharp coat with the F0 of {specular} for the mirrored surroundings ({illum})",
    source=f"{MTL}: illum 3 to 7",
    when=mirrors,
)
def mirror(p: Exponent) -> Any:
    return 1.0, ior_from_f0(np.clip(strongest_channel(p.specular), 0.0, HIGHEST_F0)), 0.0, 0.0


CLEAREST_GLASS = 0.01
"""Roughness of clear glass (common practice)."""


@RULES.rule(
    "transmission_weight",
    "transmission_color",
    "base_color",
    "specular_roughness",
    id="glass",
    fidelity=APPROXIMATED,
    text="clear as far as {diffuse} leaves room, tinted by {filter} × (1 − {specular}), as smooth as clear glass ({illum}); the "
    "highlight is that of the glass itself",
    source=f"{MTL}: illum 4, 6, 7, 9: (1 − Ks) Tf; common practice: clear glass has a roughness of 0.01",
    when=is_glass,
)
def glass(p: Exponent) -> Any:
    opaque = np.clip(strongest_channel(p.diffuse), 0.0, 1.0)
    clear = 1.0 - opaque
    passed = np.clip(p.filter, 0.0, 1.0) * np.clip(1.0 - p.specular, 0.0, 1.0)
    tint = np.clip(passed / np.maximum(clear, 1e-3), 0.0, 1.0)
    return clear, tint, np.clip(p.diffuse / np.maximum(opaque, 1e-6), 0.0, 1.0), CLEAREST_GLASS


@RULES.rule(
    "specular_ior",
    id="index",
    fidelity=APPROXIMATED,
    text="{ior}, which in OpenPBR says the reflection as well ({illum})",
    source=f"{MTL}: Ni",
    when=refracts,
)
def index(p: Exponent) -> Any:
    return np.maximum(p.ior, 1.0)


@RULES.rule(
    "specular_ior",
    "geometry_thin_walled",
    id="sheet",
    fidelity=APPROXIMATED,
    text="a sheet with the mirrored surroundings of {specular} ({illum})",
    source=f"{MTL}: illum 4, 9: seen straight through",
    when=is_seen_through,
)
def sheet(p: Exponent) -> Any:
    return ior_from_f0(np.clip(strongest_channel(p.specular), 0.0, HIGHEST_F0) / 2.0), True


RULES.drop("ior", why="the highlight already gives the index of the reflection.", nearest="the index of the highlight", when=is_not_glass)
RULES.drop("exponent", why="the highlight of clear glass follows from its smoothness.", nearest="that of clear glass", when=is_glass)


# Glow and cut-out


def is_emissive(case: Case) -> bool:
    return is_shaded(case) and case.is_set("emission")


@RULES.rule(
    "emission_color",
    "emission_luminance",
    id="emission",
    fidelity=EQUIVALENT,
    text="{emission}, once",
    source=f"{MTL}: Ke; {IN_SCENE_UNITS}",
    when=is_emissive,
)
def emission(p: Exponent) -> Any:
    return p.emission, 1.0


@RULES.rule(
    "emission_color",
    "emission_luminance",
    "base_color",
    "specular_weight",
    id="own_light",
    fidelity=EQUIVALENT,
    text="{diffuse} + {emission} as light of its own ({illum})",
    source=f"{MTL}: illum 0, colour Kd whatever the light",
    when=is_unshaded,
)
def own_light(p: Exponent) -> Any:
    return p.diffuse + p.emission, 1.0, np.zeros(3), 0.0


RULES.copy("geometry_opacity", "dissolve", source=f"{MTL}: d")


# Relief and occlusion

add_bump_rules(RULES)
