"""The surface of a material with facing and grazing colours: the top lobe over the main and the broad one over the body.

Common practice: each lobe rises from its facing to its grazing colour with (1 − cos θ)^p, Schlick's curve for p = 5; or follows the
Fresnel equations of an index and an extinction.
"""

from fenrain.core.lobes.aspects import BODY, COAT, REFLECTION
from fenrain.core.lobes.diffuse import OrenNayar
from fenrain.core.lobes.lobe import TopLobe
from fenrain.core.lobes.microfacet import Conductor, Reflectance, Schlick, glossy
from fenrain.core.lobes.rotated import rotated
from fenrain.core.lobes.surface import Part, Surface, layered
from fenrain.core.models.extras import detailed, flaked, relief_of, with_painted
from fenrain.core.models.facing_grazing.parameters import FacingGrazing, GlossLobe
from fenrain.core.optics.arrays import Array, absolute, select
from fenrain.core.optics.microfacet import widths_materialx


def surface(p: FacingGrazing) -> Surface:
    """Top (main + broad) over the body."""
    body = OrenNayar(detailed(p.diffuse, p.detail_color, p.detail_mask), p.diffuse_roughness)
    base: tuple[Part, ...] = (Part(body, BODY, p.diffuse_gain),)
    for lobe in (p.main, p.broad):
        base = layered(_lobe(lobe), REFLECTION, base, weight=lobe.weight)
    return Surface(
        layered(_lobe(p.top), COAT, flaked(base, p), weight=p.top.weight, bent_by=COAT),
        emission=with_painted(p.emission, p),
        opacity=p.opacity,
        relief=relief_of(p),
        reliefs={COAT: relief_of(p)},  # without the flakes below it
        occlusion=p.occlusion,
    )


def signed_widths(roughness: Array, anisotropy: Array) -> tuple[Array, Array]:
    """GGX or Beckmann widths along the tangent and across it; a negative anisotropy exchanges them."""
    wide, narrow = widths_materialx(roughness, absolute(anisotropy))
    return select(anisotropy < 0.0, narrow, wide), select(anisotropy < 0.0, wide, narrow)


def _lobe(lobe: GlossLobe) -> TopLobe:
    top: TopLobe = rotated(glossy(lobe.distribution, *signed_widths(lobe.roughness, lobe.anisotropy), _reflectance(lobe)), lobe.rotation)
    return top


def _reflectance(lobe: GlossLobe) -> Reflectance:
    return Conductor(lobe.index, lobe.extinction) if lobe.by_index else Schlick(lobe.facing, lobe.grazing, lobe.falloff)
