"""OpenPBR to USD's preview surface."""

from types import SimpleNamespace

import numpy as np

from fenrain.core.convert.rule import APPROXIMATED, EQUIVALENT, EXACT, Case, Caveat, Fidelity, RuleSet
from fenrain.core.material import Value
from fenrain.core.models.open_pbr.cases import is_clear, is_coated, is_fuzzy, is_thin, shines, wanders
from fenrain.core.models.open_pbr.lobes import ior_below_coat, roughness_below_coat, seen_through_coat
from fenrain.core.models.preview.parameters import DEFAULT_IOR, PRESENCE, SPECULAR_WORKFLOW, TRANSPARENT
from fenrain.core.models.surface import WHITE_LUMINANCE
from fenrain.core.optics.energy import average_coat, left_below, left_below_schlick
from fenrain.core.optics.fresnel import f0_from_ior
from fenrain.core.optics.microfacet import widths_openpbr

RULES = RuleSet("preview.from_hub")
USD = "UsdPreviewSurface 2.6"
NODE = "MaterialX 1.39: node graph of UsdPreviewSurface"


def by_specular(case: Case) -> bool:
    """A tinted dielectric: only the specular workflow says its F0."""
    return case.is_at("base_metalness", 0.0) and not case.is_at("specular_color", (1.0, 1.0, 1.0))


def by_metalness(case: Case) -> bool:
    return not by_specular(case)


@RULES.judge(
    "useSpecularWorkflow",
    "specular_color",
    fidelity=EQUIVALENT,
    text="the specular workflow, because only it says a reflection tinted by {specular_color}",
    source=f"{USD}: workflows",
    when=by_specular,
)
def workflow(specular_color: Value) -> int:
    return SPECULAR_WORKFLOW


def _colours(p):
    """(body, metal) as they look below the coat."""
    body = p.base_color * p.base_weight * (1.0 - p.subsurface_weight) + p.subsurface_color * p.subsurface_weight
    passed = seen_through_coat(p)
    return body * passed, p.base_color * p.base_weight * p.specular_weight * passed


@RULES.rule(
    "metallic",
    fidelity=EQUIVALENT,
    text="1 − √(1 − {base_metalness})",
    source=f"{NODE}: the body fades with (1 − metallic)², and the metal's F0 enters twice",
    when=by_metalness,
)
def metallic(base_metalness):
    return 1.0 - np.sqrt(1.0 - base_metalness)


def _colour_caveat(base_metalness, **_) -> tuple[Fidelity, str]:
    if np.any(base_metalness > 0):
        return APPROXIMATED, "A metal here is tinted at grazing angles by its own colour."
    return APPROXIMATED, SCHLICK_ABOVE


SCHLICK_ABOVE = "What is left below Schlick's curve differs a little with the angle from what is left below the exact one."


@RULES.rule(
    "diffuseColor",
    fidelity=APPROXIMATED,
    text="{base_color} × {base_weight}, with {subsurface_weight} of {subsurface_color}, as seen through {coat_weight} of coat; of a metal "
    "({base_metalness}) times {specular_weight}",
    source=f"{USD}: diffuseColor; OpenPBR 1.1: coat",
    when=by_metalness,
    caveat=_colour_caveat,
)
def colour(
    base_color,
    base_weight,
    base_metalness,
    subsurface_weight,
    subsurface_color,
    specular_weight,
    coat_weight,
    coat_color,
    coat_ior,
    coat_darkening,
):
    body, metal = _colours(SimpleNamespace(**locals()))
    return np.clip(body * (1.0 - base_metalness) + metal * base_metalness, 0.0, 1.0)


@RULES.rule(
    "diffuseColor",
    "specularColor",
    fidelity=APPROXIMATED,
    text="{base_color} × {base_weight}, with {subsurface_weight} of {subsurface_color}, below the F0 of {specular_ior} at "
    "{specular_weight} tinted by {specular_color}, through {coat_weight} of coat",
    source=f"{USD}: specularColor is F0, F90 is 1; OpenPBR 1.1",
    when=by_specular,
    caveat=lambda **_: (APPROXIMATED, SCHLICK_ABOVE),
)
def colours(
    base_color,
    base_weight,
    base_metalness,
    subsurface_weight,
    subsurface_color,
    specular_weight,
    specular_color,
    specular_ior,
    specular_roughness,
    coat_weight,
    coat_color,
    coat_ior,
    coat_darkening,
    coat_roughness,
):
    p = SimpleNamespace(**locals())
    f0, alpha = f0_from_ior(ior_below_coat(p)), np.square(roughness_below_coat(p))
    specular = np.clip(f0 * specular_color * seen_through_coat(p), 0.0, 1.0)
    here = left_below_schlick(specular.mean(axis=-1, keepdims=True), alpha)
    return np.clip(_colours(p)[0] * left_below(f0, alpha) / here, 0.0, 1.0), specular


def _index_caveat(base_metalness, **_) -> Caveat:
    if np.any(base_metalness < 1):
        return APPROXIMATED, "Schlick's curve stands for the exact one: the same when facing and at grazing angles, less in between."
    return None


@RULES.rule(
    "ior",
    fidelity=EQUIVALENT,
    text="{specular_ior}, its F0 times {specular_weight}, below {coat_weight} of coat; over a metal ({base_metalness}) that of the coat, "
    "{coat_ior}",
    source=f"{USD}: F0 = ((1 − n)/(1 + n))²; OpenPBR 1.1; {NODE}: the coat's F0 is that of ior",
    when=by_metalness,
    caveat=_index_caveat,
)
def index(specular_ior, specular_weight, base_metalness, coat_weight, coat_ior):
    below = ior_below_coat(SimpleNamespace(**locals()))
    return np.where((base_metalness >= 1.0) & (coat_weight > 0.0), coat_ior, below)


@RULES.rule(
    "roughness",
    fidelity=EQUIVALENT,
    text="{specular_roughness} as {coat_roughness} of coat ({coat_weight}) spreads it, mean of the widths of "
    "{specular_roughness_anisotropy}",
    source="OpenPBR 1.1: (2 rc⁴ + r⁴)^¼; the geometric mean keeps the height of the highlight",
)
def roughness(specular_roughness, specular_roughness_anisotropy, coat_weight, coat_roughness):
    along, across = widths_openpbr(roughness_below_coat(SimpleNamespace(**locals())), specular_roughness_anisotropy)
    return np.sqrt(np.sqrt(along * across))


@RULES.rule(
    "clearcoat",
    fidelity=APPROXIMATED,
    text="{coat_weight}, scaled to reflect on average what {coat_ior} does, with the index of the base ({specular_ior}, "
    "{specular_weight}), which the coat shares unless it lies on metal ({base_metalness})",
    source=f"{NODE}: the coat's F0 is that of ior",
    when=lambda case: is_coated(case) and by_metalness(case),
)
def clearcoat(coat_weight, coat_ior, coat_roughness, specular_ior, specular_weight, base_metalness):
    return _scaled_coat(coat_weight, coat_ior, coat_roughness, index(specular_ior, specular_weight, base_metalness, coat_weight, coat_ior))


@RULES.rule(
    "clearcoat",
    fidelity=APPROXIMATED,
    text=f"{{coat_weight}}, scaled to reflect on average what {{coat_ior}} does, with the default index {DEFAULT_IOR:g}, "
    "since the specular workflow says none",
    source=f"{NODE}: the coat's F0 is that of ior",
    when=lambda case: is_coated(case) and by_specular(case),
)
def clearcoat_by_specular(coat_weight, coat_ior, coat_roughness):
    return _scaled_coat(coat_weight, coat_ior, coat_roughness, DEFAULT_IOR)


def _scaled_coat(weight, ior, roughness, shared):
    """How much of a coat of the shared index reflects on average what this weight of one of its own index does."""
    return np.clip(weight * average_coat(ior, roughness) / np.maximum(average_coat(shared, roughness), 1e-4), 0.0, 1.0)


RULES.copy("clearcoatRoughness", "coat_roughness", source=f"{USD}: clearcoatRoughness", when=is_coated)
RULES.drop("coat_roughness_anisotropy", why="this coat is round.", nearest="its roughness along both ways")
RULES.drop("specular_roughness_anisotropy", why="this highlight is round.", nearest="the width between the two")
RULES.drop("base_diffuse_roughness", why="this body is Lambert.", nearest="Lambert")
RULES.drop("fuzz_weight", why="there is no fuzz here.", nearest="the surface without it", when=is_fuzzy)
RULES.drop("subsurface_radius", why="light does not wander here.", nearest="its colour as body", when=wanders)
RULES.drop("subsurface_radius_scale", why="light does not wander here.", nearest="its colour as body", when=wanders)


# Opacity


@RULES.judge(
    "opacityMode",
    "geometry_opacity",
    fidelity=EXACT,
    text="presence, because {geometry_opacity} takes the reflection away as well",
    source=f"{USD}: opacityMode presence",
    when=lambda case: not is_clear(case) and not case.is_at("geometry_opacity", 1.0),
)
def presence(geometry_opacity: Value) -> int:
    return PRESENCE


@RULES.judge(
    "opacityMode",
    "transmission_weight",
    fidelity=APPROXIMATED,
    text="transparent, so that the reflection stays over what is clear ({transmission_weight})",
    source=f"{USD}: opacityMode transparent",
    when=is_clear,
)
def transparent(transmission_weight: Value) -> int:
    return TRANSPARENT


def _clear_caveat(transmission_weight, geometry_opacity) -> Caveat:
    if np.any(transmission_weight > 0):
        return APPROXIMATED, "What lies behind shows straight through, neither bent, blurred nor tinted."
    return None


@RULES.rule(
    "opacity",
    fidelity=EXACT,
    text="{geometry_opacity} × (1 − {transmission_weight})",
    source=f"{USD}: opacity",
    caveat=_clear_caveat,
)
def opacity(geometry_opacity, transmission_weight):
    return geometry_opacity * (1.0 - transmission_weight)


RULES.drop("transmission_color", why="what is transparent has no tint here.", nearest="clear", when=is_clear)
RULES.drop("transmission_depth", why="there is no volume here.", nearest="left out", when=is_clear)
RULES.drop("transmission_scatter", why="there is no volume here.", nearest="left out", when=is_clear)
RULES.drop("geometry_thin_walled", why="there is no inside here at all.", nearest="left out", when=is_thin)


@RULES.rule(
    "emissiveColor",
    fidelity=EQUIVALENT,
    text=f"{{emission_color}} × {{emission_luminance}} ÷ {WHITE_LUMINANCE:g} cd/m²",
    source=f"{USD}: emissiveColor states no unit; relative to display white (common practice)",
    when=shines,
)
def glow(emission_color, emission_luminance):
    return emission_color * emission_luminance / WHITE_LUMINANCE


RULES.copy("normal", "geometry_normal", source=f"{USD}: normal")
RULES.copy("occlusion", "occlusion", source=f"{USD}: occlusion")
