"""Mixes to OpenPBR, which has no mixing: each value of the two surfaces is blended by its share, and what is a layer becomes one.

A value of an effect counts as much as the effect shows: the colour of a body where it is neither metal nor clear, the coat's roughness by
the coats' weights, and so on. Where either surface is a sheet, the mix is one.
"""

from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np

from fenrain.core.models.mix.layer import coat_of_view, mirror_over_paint
from fenrain.core.models.mix.parameters import EVENLY, FACING, FIRST, SECOND, SLOPE, Mix
from fenrain.core.models.mix.surface import mean_slope_share
from fenrain.core.models.open_pbr.inverse import base_reflection_for, base_roughness_for, below_rough_coat
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.models.open_pbr.surface import ior_below_coat, roughness_below_coat
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.schlick import THROUGH
from fenrain.core.optics.bump import normalised
from fenrain.core.optics.energy import left_below_index
from fenrain.core.optics.fresnel import (
    FADING_F0,
    GRAZING_COSINE,
    average_schlick_weight,
    both_surfaces,
    f0_from_ior,
    fading_grazing,
    ior_from_f0,
    metal_tint_kutz2021,
    modulated_ior,
    of_one_surface,
    schlick_weight,
    tint_of_curve,
)
from fenrain.core.optics.microfacet import mean_of_widths, roughness_from_widths_openpbr, widths_openpbr
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import APPROXIMATED, EXACT, Caveat
from fenrain.core.rules.rule import RuleSet

RULES = RuleSet("mix.to_hub", Mix)
HOW = "({amount}; {blend_by}; falloff {falloff}, slope from {slope_from} to {slope_to})"
BLEND = ("amount", "blend_by", "falloff", "slope_from", "slope_to")
COMMON = "common practice: a mix of two surfaces as one, by value"


def share_of(p: Mix) -> Any:
    """How much of the second there is of all that is there: what is open shows nothing."""
    area = area_of(p)
    opacity = p.first.geometry_opacity * (1.0 - area) + p.second.geometry_opacity * area
    return np.where(opacity > 0.0, area * p.second.geometry_opacity / np.maximum(opacity, 1e-12), area)


def area_of(p: Mix) -> Any:
    """How much of the second there is, open or not, over all views and slopes."""
    if p.blend_by == FACING:
        return p.amount * average_schlick_weight(p.falloff)
    return p.amount * mean_slope_share(p.slope_from, p.slope_to) if p.blend_by == SLOPE else p.amount


def both(*names: str) -> tuple[str, ...]:
    """Values of both surfaces by the names under which the mix knows them."""
    return tuple(prefix + name for prefix in (FIRST, SECOND) for name in names)


VISIBLE = both("geometry_opacity")
"""What every share depends on as well."""


def differs(case: Case, *names: str) -> bool:
    """Whether the two surfaces differ in any of these values of theirs, which have one default in both."""
    pairs = ((FIRST + name, SECOND + name) for name in names)
    return any((case.is_set(one) or case.is_set(other)) and case.value(one) != case.value(other) for one, other in pairs)


def is_metal_by_view(case: Case) -> bool:
    """Two metals blended by the view, which one metal says by its colour and its tint."""
    return case.is_at("blend_by", FACING) and all(case.is_at(f"{prefix}base_metalness", 1.0) for prefix in (FIRST, SECOND))


def is_half_sheet(case: Case) -> bool:
    """Whether one surface is a sheet and the other has an inside."""
    return differs(case, "geometry_thin_walled")


def is_layer(case: Case) -> bool:
    return case.is_at("blend_by", FACING) and mirror_over_paint(case)


def is_blend(case: Case) -> bool:
    return not is_layer(case)


def _blend_caveat(p: Mix) -> Caveat:
    if p.blend_by != EVENLY:
        return APPROXIMATED, "The blend follows the view or the slope; its mean over all of them is taken."
    share = np.asarray(share_of(p))
    if np.all((share == 0.0) | (share == 1.0)):
        return EXACT, ""
    return APPROXIMATED, "Two surfaces side by side do not look like one of mean values."


# How much of a surface each effect shows


def _everywhere(part: OpenPbr) -> Any:
    return 1.0


def _no_metal(part: OpenPbr) -> Any:
    return 1.0 - part.base_metalness


def _opaque(part: OpenPbr) -> Any:
    return _no_metal(part) * (1.0 - part.transmission_weight)


def _body(part: OpenPbr) -> Any:
    return _opaque(part) * (1.0 - part.subsurface_weight)


def _scattered(part: OpenPbr) -> Any:
    return _opaque(part) * part.subsurface_weight


def _clear(part: OpenPbr) -> Any:
    return _no_metal(part) * part.transmission_weight


OF_NO_METAL = 0.05
"""About what a surface that is no metal reflects of light from everywhere."""


def _highlight(part: OpenPbr) -> Any:
    """A highlight is seen as much as its surface reflects: a metal far more than what is none; and what is clear shows by its width."""
    reflected = part.base_metalness + OF_NO_METAL * (1.0 - part.base_metalness) * _present(part)
    return np.maximum(reflected * np.where(part.base_metalness > 0, part.specular_weight, 1.0), THROUGH * _clear(part))


def _present(part: OpenPbr) -> Any:
    """1 where the dielectric reflects at all, fading to 0 below an F0 of 2 %."""
    return fading_grazing(f0_from_ior(ior_below_coat(part)))


Shown = Callable[[OpenPbr], Any]
BODY_NAMES = ("base_metalness", "transmission_weight", "subsurface_weight")
SHOWN: dict[str, tuple[Shown, tuple[str, ...]]] = {
    "base_diffuse_roughness": (_body, BODY_NAMES),
    "subsurface_weight": (_opaque, ("base_metalness", "transmission_weight")),
    "transmission_weight": (_no_metal, ("base_metalness",)),
}
UNDER: dict[str, tuple[Shown, tuple[str, ...]]] = {
    "subsurface_weight": (_scattered, BODY_NAMES),
    "transmission_weight": (_clear, ("base_metalness", "transmission_weight")),
}
"""How much a value shows, and by which values of its own surface: by the value's own name, or by that under which it stands."""

TOGETHER = (
    *("base_color", "base_weight", "specular_weight", "specular_ior", "specular_color"),
    *("specular_roughness", "specular_roughness_anisotropy", "geometry_tangent_rotation"),
    *("subsurface_scatter_anisotropy", "geometry_thin_walled", "geometry_opacity"),
)
"""Values that are not blended one by one."""


def _shares(p: Mix, shown: Shown) -> tuple[Any, Any]:
    """How much of each surface's effect the mix shows; they do not add up to 1."""
    share = share_of(p)
    return (1.0 - share) * shown(p.first), share * shown(p.second)


def _mean(p: Mix, shown: Shown, of_first: Any, of_second: Any) -> Any:
    """The blend of two values by how much each shows; by the share alone where neither does."""
    before, after = _shares(p, shown)
    share = np.where(before + after > 0.0, after / np.maximum(before + after, 1e-9), share_of(p))
    return of_first * (1.0 - share) + of_second * share


# Values one by one


def _blended(p: Mix, parameter: Parameter, shown: Shown) -> Any:
    found = _mean(p, shown, getattr(p.first, parameter.name), getattr(p.second, parameter.name))
    return normalised(found) if parameter.kind is Kind.NORMAL else found


def _by(governing: str) -> tuple[Shown, tuple[str, ...]]:
    """A value shows as much as the one that governs it; everywhere where none does."""
    return (lambda part: getattr(part, governing), (governing,)) if governing else (_everywhere, ())


def _add_rules(parameter: Parameter) -> None:
    """Blend where the two surfaces differ, keep the value where they agree."""
    name = parameter.name
    shown, by = SHOWN.get(name) or UNDER.get(parameter.under) or _by(parameter.under)
    weighed = f", by {', '.join(f'{{{FIRST}{one}}} and {{{SECOND}{one}}}' for one in by)}" if by else ""
    RULES.rule(
        name,
        id=name,
        needs=VISIBLE,
        fidelity=APPROXIMATED,
        text=f"{{{FIRST}{name}}} and {{{SECOND}{name}}}{weighed} in their shares {HOW}",
        source=COMMON,
        when=lambda case: is_blend(case) and differs(case, name),
        caveat=_blend_caveat,
    )(partial(_blended, parameter=parameter, shown=shown))
    _add_kept(name, lambda case: is_blend(case) and not differs(case, name))


def _add_kept(name: str, when: Callable[[Case], bool]) -> None:
    RULES.copy(name, FIRST + name, id=f"{name}_kept", also=(SECOND + name,), source="both surfaces say the same", when=when)


for _parameter in OpenPbr.declared:
    if _parameter.name not in TOGETHER:
        _add_rules(_parameter)


def _area_caveat(p: Mix) -> Caveat:
    return _blend_caveat(p) if p.blend_by != EVENLY else None


@RULES.rule(
    "geometry_opacity",
    id="geometry_opacity",
    fidelity=EXACT,
    text=f"{{first_geometry_opacity}} and {{second_geometry_opacity}} in their shares {HOW}",
    source="Porter & Duff 1984: what is seen of both adds up",
    when=lambda case: is_blend(case) and differs(case, "geometry_opacity"),
    caveat=_area_caveat,
)
def opacity(p: Mix) -> Any:
    area = area_of(p)
    return p.first.geometry_opacity * (1.0 - area) + p.second.geometry_opacity * area


_add_kept("geometry_opacity", lambda case: is_blend(case) and not differs(case, "geometry_opacity"))


# Body


BASE = ("base_color", "base_weight")
REFLECTION = ("specular_weight", "specular_ior", "specular_color")
INDEX_OF_COAT = ("coat_weight", "coat_ior")
WIDTH_OF_COAT = ("coat_weight", "coat_roughness")
HIGHLIGHT = ("specular_roughness", "specular_roughness_anisotropy", "geometry_tangent_rotation")


def has_two_bases(case: Case) -> bool:
    return is_blend(case) and (differs(case, *BASE) or shows_sheet(case)) and not is_metal_by_view(case)


def _coloured(part: OpenPbr) -> Any:
    """How much of a surface its base colour shows: body and metal."""
    return _body(part) + part.base_metalness


@RULES.rule(
    "base_color",
    "base_weight",
    id="base",
    needs=VISIBLE + both(*BODY_NAMES, *REFLECTION, *INDEX_OF_COAT, "specular_roughness", "coat_roughness", "geometry_thin_walled"),
    fidelity=APPROXIMATED,
    text="{first_base_color} × {first_base_weight} and {second_base_color} × {second_base_weight}, each by how much of its body or metal "
    f"shows ({{first_transmission_weight}} and {{second_transmission_weight}} of them are clear), in their shares {HOW}",
    source=COMMON,
    when=has_two_bases,
    caveat=_blend_caveat,
)
def base(p: Mix) -> Any:
    weight = _mean(p, _coloured, p.first.base_weight, p.second.base_weight)
    out = _mean(p, _no_metal, *(_seen(part) for part in (p.first, p.second)))
    each = [part.base_metalness + (1.0 - part.base_metalness) * _seen(part) / out for part in (p.first, p.second)]
    colours = [part.base_color * part.base_weight * share for part, share in zip((p.first, p.second), each, strict=True)]
    return np.clip(_mean(p, _coloured, *colours) / np.maximum(weight, 1e-6), 0.0, 1.0), weight


def _seen(part: OpenPbr) -> Any:
    """Average share of the body's light that gets out below its reflection, or below both surfaces of a sheet."""
    taken = 1.0 - left_below_index(ior_below_coat(part), np.square(roughness_below_coat(part)))
    return 1.0 - (both_surfaces(taken) if part.geometry_thin_walled else taken)


for _name in BASE:
    _add_kept(_name, lambda case: is_blend(case) and not has_two_bases(case) and not is_metal_by_view(case))


# Reflection


def has_two_reflections(case: Case) -> bool:
    return is_blend(case) and (differs(case, *REFLECTION, *INDEX_OF_COAT) or shows_sheet(case)) and not is_metal_by_view(case)


def _no_metal_presence(part: OpenPbr) -> Any:
    return _no_metal(part) * _present(part)


def _metal(part: OpenPbr) -> Any:
    return part.base_metalness


@RULES.rule(
    *REFLECTION,
    id="reflection",
    needs=VISIBLE + both(*REFLECTION, *INDEX_OF_COAT, "base_metalness", "transmission_weight", "geometry_thin_walled"),
    fidelity=APPROXIMATED,
    text="F0 and tint of {first_specular_ior} ({first_specular_weight}, {first_specular_color}) and {second_specular_ior} "
    "({second_specular_weight}, {second_specular_color}) below the coats ({first_coat_weight}, {second_coat_weight}), "
    "each by how much of its surface is no metal ({first_base_metalness}, "
    "{second_base_metalness}); one that reflects nothing weakens the tint; the weight is that of the metal, the index that of what is "
    f"clear ({{first_transmission_weight}}, {{second_transmission_weight}}), where there is any, {HOW}",
    source=f"{COMMON}; OpenPBR 1.1: specular_weight scales F0 of what is no metal, and the whole lobe of a metal",
    when=has_two_reflections,
    caveat=_blend_caveat,
)
def reflection(p: Mix) -> Any:
    parts = (p.first, p.second)
    thin = [bool(part.geometry_thin_walled) for part in parts]
    own = [f0_from_ior(ior_below_coat(part)) for part in parts]
    own = [of_one_surface(f0) if any(thin) and not sheet else f0 for f0, sheet in zip(own, thin, strict=True)]
    f0 = _mean(p, _no_metal_presence, *own)
    there = _mean(p, _no_metal, *(_present(part) for part in parts))
    tints = [part.specular_color * strength for part, strength in zip(parts, own, strict=True)]
    dielectric = np.where(f0 > 1e-7, _mean(p, _no_metal_presence, *tints) / np.maximum(f0, 1e-7), 1.0) * np.where(there > 0, there, 1.0)
    of_metal = _mean(p, _metal, *(part.specular_color for part in parts))
    metal = sum(_shares(p, _metal))
    shown = metal / np.maximum(metal + OF_NO_METAL * (1.0 - metal), 1e-6)
    weight = np.where(metal > 0, _mean(p, _metal, *(part.specular_weight for part in parts)), 1.0)
    clear = sum(_shares(p, _clear))
    bent = _mean(p, _clear, *(ior_below_coat(part) for part in parts))
    weight = np.where((clear > 0) & (metal <= 0), np.clip(f0 / np.maximum(f0_from_ior(bent), 1e-9), 0.0, 1.0), weight)
    faded = np.where(f0 < FADING_F0, f0, np.clip(f0 / np.maximum(weight, 1e-3), 0.0, 0.999))
    coat = _mean(p, _everywhere, *(part.coat_weight for part in parts)), _mean(p, _coat, *(part.coat_ior for part in parts))
    ior, lowered = base_reflection_for(np.where(clear > 0, bent, ior_from_f0(faded)), *coat)
    weight = weight * np.where(metal > 0, 1.0, lowered)
    return weight, ior, np.clip(dielectric * (1.0 - shown) + of_metal * shown, 0.0, 1.0)


def _coat(part: OpenPbr) -> Any:
    return part.coat_weight


for _name in REFLECTION:
    _add_kept(_name, lambda case: is_blend(case) and not has_two_reflections(case) and not is_metal_by_view(case))


@RULES.rule(
    *BASE,
    *REFLECTION,
    id="metal_by_view",
    needs=VISIBLE,
    fidelity=APPROXIMATED,
    text="{first_base_color} × {first_base_weight} when facing, blended with {second_base_color} × {second_base_weight} as far as that is "
    "seen; the tint near 82° is that of the blend there, of {first_specular_color} and {second_specular_color}; the weights "
    "{first_specular_weight} and {second_specular_weight} in their shares; {first_specular_ior} and {second_specular_ior} do not show on a "
    f"metal {HOW}",
    source="common practice: a facing-angle blend of metals as the F82 tint of one (Kutz et al. 2021)",
    when=lambda case: is_blend(case) and is_metal_by_view(case),
)
def metal_by_view(p: Mix) -> Any:
    when_facing, near_82 = (p.amount * schlick_weight(cosine, p.falloff) for cosine in (1.0, GRAZING_COSINE))
    ours, theirs = (part.base_color * part.base_weight for part in (p.first, p.second))
    facing = ours * (1.0 - when_facing) + theirs * when_facing
    edges = [metal_tint_kutz2021(GRAZING_COSINE, color, part.specular_color) for color, part in ((ours, p.first), (theirs, p.second))]
    tint = tint_of_curve(edges[0] * (1.0 - near_82) + edges[1] * near_82, facing)
    weight = _mean(p, _everywhere, p.first.specular_weight, p.second.specular_weight)
    return facing, 1.0, weight, p.first.specular_ior, tint


# Highlight


COAT_SEEN: tuple[tuple[str, Shown], ...] = (("coat_weight", _everywhere), ("coat_roughness", _coat))


def has_two_highlights(case: Case) -> bool:
    return is_blend(case) and differs(case, *HIGHLIGHT, *WIDTH_OF_COAT)


@RULES.rule(
    *HIGHLIGHT,
    id="highlight",
    needs=VISIBLE + both(*HIGHLIGHT, *INDEX_OF_COAT, *WIDTH_OF_COAT, "specular_ior", "specular_weight"),
    fidelity=APPROXIMATED,
    text="widths of {first_specular_roughness} ({first_specular_roughness_anisotropy}, turned by {first_geometry_tangent_rotation}) and "
    "{second_specular_roughness} ({second_specular_roughness_anisotropy}, {second_geometry_tangent_rotation}), the surface that sends more "
    "counting more ({first_base_metalness}, {second_base_metalness}, {first_transmission_weight}, {second_transmission_weight}) "
    f"{HOW}",
    source=f"{COMMON}; widths as tensors",
    when=has_two_highlights,
    caveat=_blend_caveat,
)
def highlight(p: Mix) -> Any:
    lobes = [
        (*widths_openpbr(roughness_below_coat(part), part.specular_roughness_anisotropy), part.geometry_tangent_rotation)
        for part in (p.first, p.second)
    ]
    shares = [np.square(share) for share in _shares(p, _highlight)]
    shares = [np.where(sum(shares) > 0.0, share, 1.0) for share in shares]
    seen, anisotropy, rotation = _as_openpbr(*mean_of_widths(lobes, shares))
    coat = [_mean(p, shown, *(getattr(part, name) for part in (p.first, p.second))) for name, shown in COAT_SEEN]
    return base_roughness_for(seen, *coat), anisotropy, rotation


def _as_openpbr(along: Any, across: Any, rotation: Any) -> tuple[Any, Any, Any]:
    roughness, anisotropy = roughness_from_widths_openpbr(along, across)
    stretched = anisotropy > 1e-6
    return np.minimum(roughness, 1.0), np.where(stretched, anisotropy, 0.0), np.where(stretched, rotation, 0.0)


for _name in HIGHLIGHT:
    _add_kept(_name, lambda case: is_blend(case) and not has_two_highlights(case))


# Sheets


def shows_sheet(case: Case) -> bool:
    """Whether the sheet of both is seen at all."""
    hidden = case.is_at("amount", 0.0) if case.is_at(f"{SECOND}geometry_thin_walled", True) else is_second_alone(case)
    return is_half_sheet(case) and not hidden


def is_second_alone(case: Case) -> bool:
    return case.is_at("amount", 1.0) and case.is_at("blend_by", EVENLY)


def _sheet_caveat(p: Mix) -> Caveat:
    share = share_of(p) if p.second.geometry_thin_walled else 1.0 - share_of(p)
    return APPROXIMATED, f"A sheet in {100.0 * float(np.mean(share)):.3g} % of it, which decides for the whole."


SHEETS = "({first_geometry_thin_walled}, {second_geometry_thin_walled}) " + HOW
WHOLE = "common practice: what has an inside in part only cannot bend light"


@RULES.rule(
    "geometry_thin_walled",
    id="sheet",
    needs=VISIBLE,
    fidelity=APPROXIMATED,
    text=f"a sheet, because one of both is {SHEETS}",
    source=WHOLE,
    when=lambda case: is_blend(case) and shows_sheet(case),
    caveat=_sheet_caveat,
)
def sheet(p: Mix) -> Any:
    return True


@RULES.rule(
    "geometry_thin_walled",
    id="no_sheet",
    fidelity=EXACT,
    text=f"none, because the one that is a sheet is not seen {SHEETS}",
    source=WHOLE,
    when=lambda case: is_blend(case) and is_half_sheet(case) and not shows_sheet(case),
)
def no_sheet(p: Mix) -> Any:
    return False


_add_kept("geometry_thin_walled", lambda case: is_blend(case) and not is_half_sheet(case))


def scatters_unlike(case: Case) -> bool:
    return is_blend(case) and (differs(case, "subsurface_scatter_anisotropy") or shows_sheet(case))


@RULES.rule(
    "subsurface_scatter_anisotropy",
    id="subsurface_scatter_anisotropy",
    needs=VISIBLE + both(*BODY_NAMES, "geometry_thin_walled"),
    fidelity=APPROXIMATED,
    text="{first_subsurface_scatter_anisotropy} and {second_subsurface_scatter_anisotropy}, by how much of each scatters "
    "({first_subsurface_weight}, {second_subsurface_weight}); what has an inside sends nothing through the sheet that the mix is "
    f"({{first_geometry_thin_walled}}, {{second_geometry_thin_walled}}) {HOW}",
    source="OpenPBR 1.1: a sheet sends (1 + g)/2 through",
    when=scatters_unlike,
    caveat=_blend_caveat,
)
def scatter_anisotropy(p: Mix) -> Any:
    parts = (p.first, p.second)
    thin = [bool(part.geometry_thin_walled) for part in parts]
    none_through = [any(thin) and not sheet for sheet in thin]
    ways = [np.where(kept, -1.0, part.subsurface_scatter_anisotropy) for part, kept in zip(parts, none_through, strict=True)]
    return _mean(p, _scattered, *ways)


_add_kept("subsurface_scatter_anisotropy", lambda case: is_blend(case) and not scatters_unlike(case))


# A mirror over paint


COAT = ("coat_weight", "coat_ior", "coat_roughness", "coat_roughness_anisotropy", "geometry_coat_tangent_rotation", "coat_darkening")


def _layer_caveat(p: Mix) -> Caveat:
    if np.ptp(np.asarray(p.second.base_color), axis=-1).max() > 0.02:
        return APPROXIMATED, "OpenPBR's coat reflects without a tint; the mean of the mirror's colour is taken."
    return None


@RULES.rule(
    *COAT,
    "specular_roughness",
    "specular_ior",
    "specular_weight",
    id="layer",
    needs=VISIBLE + both(*HIGHLIGHT, "specular_ior", "specular_weight"),
    fidelity=APPROXIMATED,
    text="a mirror ({second_base_color} × {second_base_weight}, {second_specular_weight}, {second_base_metalness}, "
    "{second_specular_roughness}) that shows over a body ({first_base_metalness}) the more the view grazes is a clear coat; index "
    f"{{first_specular_ior}} and {{first_specular_roughness}} as seen below it {HOW}",
    source="common practice: a mirror over paint by facing angle is a coat; its weight and index by least squares over the angles",
    when=is_layer,
    caveat=_layer_caveat,
)
def layer(p: Mix) -> Any:
    weight, f0 = coat_of_view(p.falloff)
    mirror = (p.second.base_color * p.second.base_weight * p.second.specular_weight).mean(axis=-1, keepdims=True)
    weight, coat_ior = np.clip(weight * p.amount * mirror, 0.0, 1.0), ior_from_f0(f0)
    roughness, coat_roughness = below_rough_coat(
        p.first.specular_roughness, weight, p.second.specular_roughness, below=OF_NO_METAL * np.ones(1), above=share_of(p)
    )
    wanted = modulated_ior(p.first.specular_ior, p.first.specular_weight)
    ior, strength = base_reflection_for(np.maximum(wanted, 1.0 / wanted), weight, coat_ior)
    turned = p.second.specular_roughness_anisotropy, p.second.geometry_tangent_rotation
    return weight, coat_ior, coat_roughness, *turned, 0.0, roughness, ior, strength


RULES.copy(
    "geometry_coat_normal",
    f"{SECOND}geometry_normal",
    id="coat_normal",
    source="common practice: a mirror over paint is as even as it is itself, whatever lies beneath",
    when=is_layer,
)
for _parameter in OpenPbr.declared:
    if _parameter.name not in (*COAT, "geometry_coat_normal", "specular_roughness", "specular_ior", "specular_weight"):
        RULES.copy(
            _parameter.name,
            FIRST + _parameter.name,
            id=f"{_parameter.name}_below",
            source="common practice: a mirror over paint by facing angle is a coat over the paint",
            when=is_layer,
        )
for _name in BLEND:
    RULES.drop(
        _name,
        why="both surfaces are the same.",
        nearest="that surface",
        when=lambda case: not differs(case, *(parameter.name for parameter in OpenPbr.declared)),
    )
