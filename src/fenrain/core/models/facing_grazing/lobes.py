"""The look of a material with facing and grazing colours: the top lobe over the main and the broad one over the body.

Common practice: each lobe rises from its facing to its grazing colour with (1 − cos θ)^p, Schlick's curve for p = 5; or follows the
Fresnel equations of an index and an extinction.
"""

from types import SimpleNamespace
from typing import Any

from fenrain.core.lobes.diffuse import OrenNayar
from fenrain.core.lobes.look import Cover, Look, Part, covered, layered
from fenrain.core.lobes.microfacet import Conductor, Reflectance, Schlick, glossy
from fenrain.core.lobes.turned import turned
from fenrain.core.models.extras import detailed, flaked
from fenrain.core.models.facing_grazing.parameters import LOBES
from fenrain.core.models.parameter import BODY, COAT, REFLECTION
from fenrain.core.optics.arrays import Array, absolute, is_absent, select
from fenrain.core.optics.microfacet import widths_materialx


def look(p: Any) -> Look:
    """Top (main + broad) over the body."""
    body: tuple[Part, ...] = flaked(
        (Part(OrenNayar(detailed(p.diffuse, p.detail_color, p.detail_mask), p.diffuse_roughness), BODY, p.diffuse_gain),), p
    )
    reflected: tuple[Part, ...] = ()
    for name in ("main", "broad"):
        part = _part(lobe_of(p, name), REFLECTION)
        if not is_absent(part.weight):
            body = covered(body, Cover(part.weight, part.lobe))
            reflected = (*reflected, part)
    return Look(layered(_part(lobe_of(p, "top"), COAT), (*reflected, *body)), emission=p.emission, opacity=p.opacity)


def lobe_of(p: Any, name: str) -> SimpleNamespace:
    """The values of one lobe by the names without its own."""
    values = p if isinstance(p, dict) else vars(p)
    assert name in LOBES
    return SimpleNamespace(**{key.removeprefix(f"{name}_"): value for key, value in values.items() if key.startswith(f"{name}_")})


def signed_widths(roughness: Array, anisotropy: Array) -> tuple[Array, Array]:
    """GGX or Beckmann widths along the tangent and across it; a negative anisotropy exchanges them."""
    wide, narrow = widths_materialx(roughness, absolute(anisotropy))
    return select(anisotropy < 0.0, narrow, wide), select(anisotropy < 0.0, wide, narrow)


def _part(lobe: SimpleNamespace, aspect: str) -> Part:
    along, across = signed_widths(lobe.roughness, lobe.anisotropy)
    return Part(turned(glossy(lobe.distribution, along, across, _reflectance(lobe)), lobe.rotation), aspect, lobe.weight)


def _reflectance(lobe: SimpleNamespace) -> Reflectance:
    return Conductor(lobe.index, lobe.extinction) if lobe.by_index else Schlick(lobe.facing, lobe.grazing, lobe.falloff)
