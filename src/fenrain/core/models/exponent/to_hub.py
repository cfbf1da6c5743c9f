"""Exponent materials to OpenPBR."""

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.lobes.microfacet import GGX
from fenrain.core.models.additive import (
    BELOW_COAT,
    CLEAR_COAT,
    MOST_COAT_F0,
    Pair,
    Reflection,
    base_of,
    coat_of,
    pair_of,
    together,
    uniform,
)
from fenrain.core.models.emission_and_opacity import add_coated_emission_rule, add_emission_rule
from fenrain.core.models.exponent.highlight import ggx_of_exponent
from fenrain.core.models.exponent.parameters import Exponent
from fenrain.core.models.exponent.surface import (
    DIFFUSE_ONLY,
    MIRROR_DIRECTION,
    MIRRORING,
    REFRACTING,
    SEEN_THROUGH,
    UNSHADED,
    WITH_FRESNEL,
)
from fenrain.core.models.extras import add_bump_rules
from fenrain.core.models.open_pbr.inverse import base_ior_for
from fenrain.core.optics.fresnel import GRAZING_COSINE, f0_from_ior, fresnel_schlick1994, ior_from_f0
from fenrain.core.optics.microfacet import SMALLEST_ALPHA
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
    return is_shaded(case) and not case.is_at("illum", DIFFUSE_ONLY) and not is_glass(case) and not mirrors(case)


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


def _highlight(p: Exponent) -> tuple[Any, Any]:
    """(α, F0 by Ks) of the GGX lobe; a mirror-direction exponent is about a quarter of the halfway one with the same width."""
    alpha, strength = ggx_of_exponent(p.exponent * 4.0 if p.highlight == MIRROR_DIRECTION else p.exponent)
    return np.minimum(alpha, 1.0), strength


def _lobe(p: Exponent) -> Reflection:
    """The highlight, the same at all angles but where the mode puts Fresnel on it."""
    alpha, strength = _highlight(p)
    return _of_curve(p, strength, alpha)


def _mirrored(p: Exponent) -> Reflection:
    return _of_curve(p, 1.0, np.full_like(p.specular[..., :1], SMALLEST_ALPHA))


def _of_curve(p: Exponent, strength: Any, alpha: Any) -> Reflection:
    even = uniform(p.specular * strength, GGX, alpha)
    if p.illum not in WITH_FRESNEL:
        return even
    edge = fresnel_schlick1994(GRAZING_COSINE, p.specular)
    return replace(even, grazing=np.ones(3) * strength, edge=edge * strength)


@RULES.rule(
    "specular_roughness",
    id="roughness",
    fidelity=APPROXIMATED,
    text="√ of the GGX width nearest to {exponent} ({highlight})",
    source=HIGHLIGHT_SOURCE,
    when=has_highlight,
)
def roughness(p: Exponent) -> Any:
    return np.sqrt(_highlight(p)[0])


def _energy_caveat(p: Exponent) -> Caveat:
    highest = float((p.specular * _highlight(p)[1]).max())
    if highest > 1:
        return APPROXIMATED, f"The highlight reflects {highest:.3g} times what it receives; it is cut to all of it."
    return None


@RULES.rule(
    "base_metalness",
    "base_color",
    "specular_ior",
    "specular_color",
    id="lit",
    fidelity=APPROXIMATED,
    text="metal where the highlight of {specular} at {exponent} ({highlight}) stands over no diffuse; else the highest F0 for which "
    "{diffuse} leaves room, tinted down to the height of the highlight, since that does not grow towards grazing angles ({illum})",
    source=f"{HIGHLIGHT_SOURCE}; {MTL}: Kd (N·L); OpenPBR 1.1: the body is scaled by 1 − E of the reflection",
    when=has_highlight,
    caveat=_energy_caveat,
    cut=("base_color",),
)
def lit(p: Exponent) -> Any:
    base = base_of(p.diffuse, _lobe(p))
    return base.base_metalness, base.base_color, base.specular_ior, base.specular_color


@RULES.rule(
    "specular_weight", id="no_highlight", fidelity=EXACT, text="no highlight ({illum})", source=f"{MTL}: illum 1", when=has_no_highlight
)
def no_highlight(p: Exponent) -> Any:
    return 0.0


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


MIRROR_SOURCE = f"{MTL}: illum 3 to 7; {HIGHLIGHT_SOURCE}; OpenPBR 1.1: coat, without darkening"
MIRROR_NEEDS = ("diffuse", "specular", "exponent", "highlight", "illum")


@RULES.rule(
    *BELOW_COAT,
    id="below_mirror",
    fidelity=APPROXIMATED,
    text="the highlight of {specular} ({exponent}, {highlight}) over {diffuse} as seen below the mirrored surroundings ({illum}); a metal "
    "of that colour where nothing diffuse lies below; the mirror itself where the highlight is weaker than the colour that a coat would "
    "lose",
    source=MIRROR_SOURCE,
    when=mirrors,
    caveat=_energy_caveat,
    cut=("base_color",),
)
def below_mirror(p: Exponent) -> Any:
    return _pair(p).below_coat()


@RULES.rule(
    *CLEAR_COAT,
    id="mirror",
    needs=MIRROR_NEEDS,
    fidelity=APPROXIMATED,
    text="the mirrored surroundings of {specular} ({illum}) as a clear coat, as far as that keeps their colour",
    source=MIRROR_SOURCE,
    when=mirrors,
)
def mirror(p: Exponent) -> Any:
    return *_pair(p).coat(), 0.0


@RULES.rule(
    "specular_roughness",
    "coat_roughness",
    id="mirror_widths",
    needs=MIRROR_NEEDS,
    fidelity=APPROXIMATED,
    text="sharp for what is mirrored ({illum}), √ of the GGX width nearest to {exponent} ({highlight}) below that",
    source=MIRROR_SOURCE,
    when=mirrors,
)
def mirror_widths(p: Exponent) -> Any:
    highlight, pair = _lobe(p), _pair(p)
    below = np.where(pair.coat_weight > 0, highlight.alpha, together([_mirrored(p), highlight]).alpha)
    return pair.roughness(np.sqrt(below), np.zeros_like(below))


def _pair(p: Exponent) -> Pair:
    return pair_of(p.diffuse, _mirrored(p), _lobe(p))


CLEAREST_GLASS = 0.01
"""Roughness of clear glass (common practice)."""


def _shares(p: Exponent, dissolved: bool) -> tuple[Any, Any, Any]:
    """(how much is clear, its tint, base colour beside it); dissolved: whether a dissolve says how much of the body is there."""
    body = np.clip(p.diffuse * (p.dissolve if dissolved else 1.0), 0.0, 1.0)
    passed = np.clip(p.filter, 0.0, 1.0) * np.clip(1.0 - p.specular, 0.0, 1.0) * (1.0 - p.dissolve if dissolved else 1.0)
    clear = np.minimum(strongest_channel(passed), 1.0 - strongest_channel(body))
    return clear, np.clip(passed / np.maximum(clear, 1e-6), 0.0, 1.0), np.clip(body / np.maximum(1.0 - clear, 1e-6), 0.0, 1.0)


COAT_NEEDS = ("specular", "exponent", "highlight", "illum")


def _is_enough(p: Exponent) -> Any:
    """Whether the index reflects all that is mirrored."""
    grey = p.specular.mean(axis=-1, keepdims=True)
    return (p.illum in WITH_FRESNEL) & (grey <= f0_from_ior(np.maximum(p.ior, 1.0)) + ENOUGH)


def _coat_of_glass(p: Exponent) -> tuple[Any, Any]:
    """(weight, index) of the coat that mirrors the surroundings; a whole one, since below part of one no index bends as little as glass."""
    facing = np.clip(p.specular.mean(axis=-1, keepdims=True), 0.0, MOST_COAT_F0)
    return np.where(_is_enough(p), 0.0, 1.0), ior_from_f0(facing)


def _coat_of_sheet(p: Exponent) -> tuple[Any, Any]:
    weight, facing = coat_of(_mirrored(p).dimmed(1.0 if p.illum in MIRRORING else _highlight(p)[1]))
    return weight, ior_from_f0(facing)


def _glass(p: Exponent, dissolved: bool) -> Any:
    clear, tint, body = _shares(p, dissolved)
    index = np.maximum(p.ior, 1.0)
    weight, coat_ior = _coat_of_glass(p)
    passes = 1.0 - weight * f0_from_ior(coat_ior)
    own = np.clip(p.specular / np.maximum(f0_from_ior(index), 1e-6), 0.0, 1.0)
    return (
        *(clear, np.clip(tint / passes, 0.0, 1.0), np.clip(body / passes, 0.0, 1.0), CLEAREST_GLASS),
        *(base_ior_for(index, weight, coat_ior), np.where(_is_enough(p), own, 0.0), weight, coat_ior, 0.0, 0.0),
    )


ENOUGH = 0.005
"""Reflectance above that of the index which is not worth a coat."""


def _sheet(p: Exponent, dissolved: bool) -> Any:
    clear, tint, body = _shares(p, dissolved)
    weight, coat_ior = _coat_of_sheet(p)
    passes = 1.0 - weight * f0_from_ior(coat_ior)
    return (
        *(clear, np.clip(tint / passes, 0.0, 1.0), np.clip(body / passes, 0.0, 1.0), CLEAREST_GLASS),
        *(base_ior_for(np.ones(1), weight, coat_ior), 0.0, weight, coat_ior, 0.0, 0.0, True),
    )


def _add_clear_rules(dissolved: bool) -> None:
    """What lets light through, by whether a dissolve says how much of the body is there."""
    rest = ", all but {dissolve} of it," if dissolved else ""
    text = f"{{filter}} × (1 − {{specular}}) clear{rest} beside {{diffuse}}; as smooth as clear glass ({{illum}})"
    source = f"{MTL}: illum 4, 6, 7, 9: (1 − Ks) Tf; common practice: a dissolve below 1 is the body's share, clear glass is 0.01 rough"
    ending = "_dissolved" if dissolved else ""
    body = ("transmission_weight", "transmission_color", "base_color", "specular_roughness", "specular_ior")
    coat = ("coat_weight", "coat_ior", "coat_roughness", "coat_darkening")

    def is_dissolved(case: Case) -> bool:
        return case.is_at("dissolve", 1.0) is not dissolved

    RULES.rule(
        *body,
        "specular_color",
        *coat,
        id=f"glass{ending}",
        fidelity=APPROXIMATED,
        text=text
        + "; bent by {ior}, whose own reflection is tinted down to the mirrored surroundings; where those are more or do not follow "
        "Fresnel, a sharp coat gives them",
        source=f"{source}; {MTL}: Ni; OpenPBR 1.1: one index for reflection and refraction, a coat over it",
        when=lambda case: refracts(case) and is_dissolved(case),
    )(partial(_glass, dissolved=dissolved))
    RULES.rule(
        *body,
        "specular_weight",
        *coat,
        "geometry_thin_walled",
        id=f"sheet{ending}",
        fidelity=APPROXIMATED,
        text=text + "; a sheet that reflects nothing by itself, below a sharp coat for what mode and highlight ({exponent}, {highlight}) "
        "mirror of the surroundings",
        source=f"{source}; {MTL}: illum 4, 9: seen straight through; OpenPBR 1.1: coat",
        when=lambda case: is_seen_through(case) and is_dissolved(case),
    )(partial(_sheet, dissolved=dissolved))


for _dissolved in (False, True):
    _add_clear_rules(_dissolved)


RULES.drop("ior", why="the highlight already gives the index of the reflection.", nearest="the index of the highlight", when=is_not_glass)
RULES.drop("exponent", why="the highlight of clear glass follows from its smoothness.", nearest="that of clear glass", when=refracts)


# Glow and cut-out


add_emission_rule(RULES, lambda case: is_shaded(case) and not mirrors(case) and not is_glass(case))
add_coated_emission_rule(RULES, lambda p: _pair(p).coat(), MIRROR_NEEDS, mirrors, id="emission_below_mirror")
add_coated_emission_rule(RULES, _coat_of_glass, ("ior", *COAT_NEEDS), refracts, id="emission_of_glass")
add_coated_emission_rule(RULES, _coat_of_sheet, COAT_NEEDS, is_seen_through, id="emission_of_sheet")


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


RULES.copy("geometry_opacity", "dissolve", source=f"{MTL}: d", when=is_not_glass)


# Relief and occlusion

add_bump_rules(RULES)
