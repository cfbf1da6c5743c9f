"""The surface of an exponent material, by the illum modes of the MTL format (1995; the formulas from memory of its text):

illum 0: Kd; 1: Ka Ia + Kd Σ (N·L); 2: + Ks Σ (H·H_j)^Ns; 3 to 7: + Ks times the mirrored surroundings, painted ones (refl) among them;
5 and 7 put Fresnel, which is Ks when facing, on both. Modes 6 and 7 add (1 − Ks) Tf times what is refracted by Ni; 4 and 9 show it straight
through, as through a sheet. Where they are clear, a dissolve below 1 says how much of the body is there, and the rest lets light through;
the highlight stays (common practice). The result is divided by π, the unit in which a diffuse of 1 is a white Lambert surface.
"""

from fenrain.core.lobes.aspects import BODY, REFLECTION
from fenrain.core.lobes.diffuse import Lambert
from fenrain.core.lobes.exponent import BlinnHighlight, PhongHighlight
from fenrain.core.lobes.microfacet import Microfacet, Schlick
from fenrain.core.lobes.surface import Part, Surface, weighted
from fenrain.core.lobes.transmissive import transmissive_body, transmissive_thin_wall
from fenrain.core.models.exponent.parameters import Exponent
from fenrain.core.models.extras import relief_of
from fenrain.core.optics.arrays import is_absent, is_whole
from fenrain.core.optics.microfacet import SMALLEST_ALPHA

UNSHADED, DIFFUSE_ONLY = 0, 1
MIRRORING, WITH_FRESNEL = (3, 4, 5, 6, 7), (5, 7)
REFRACTING, SEEN_THROUGH = (6, 7), (4, 9)
MIRROR_DIRECTION = 1


def surface(p: Exponent) -> Surface:
    """Lambert plus a highlight, plus a sharp mirror where the mode asks for one."""
    if p.illum == UNSHADED:
        return Surface((Part(Lambert(p.diffuse * 0.0), BODY),), emission=p.diffuse + p.emission, opacity=p.dissolve, relief=relief_of(p))
    parts = (*_mirrored(p), *_highlight(p), *_body(p), *_clear(p))
    return Surface(
        parts,
        emission=p.emission if is_absent(p.reflection_image) else p.emission + p.specular * p.reflection_image,
        opacity=1.0 if is_clear(p.illum) else p.dissolve,
        thin_walled=p.illum in SEEN_THROUGH,
        relief=relief_of(p),
        occlusion=p.occlusion,
        displacement=p.displacement,
    )


def is_clear(illum: int) -> bool:
    """Whether the mode lets light through."""
    return illum in REFRACTING or illum in SEEN_THROUGH


def _mirrored(p: Exponent) -> tuple[Part, ...]:
    if p.illum not in MIRRORING:
        return ()
    reflectance = Schlick(p.specular) if p.illum in WITH_FRESNEL else Schlick(p.specular, p.specular)
    return (Part(Microfacet(SMALLEST_ALPHA, SMALLEST_ALPHA, reflectance, compensated=False), REFLECTION),)


def _highlight(p: Exponent) -> tuple[Part, ...]:
    if p.illum == DIFFUSE_ONLY:
        return ()
    kind = PhongHighlight if p.highlight == MIRROR_DIRECTION else BlinnHighlight
    rising = p.illum in WITH_FRESNEL
    return (Part(kind(1.0 if rising else p.specular, p.exponent, Schlick(p.specular) if rising else None), REFLECTION),)


def _body(p: Exponent) -> tuple[Part, ...]:
    body = Part(Lambert(p.diffuse), BODY)
    return weighted((body,), p.dissolve) if is_clear(p.illum) else (body,)


def _clear(p: Exponent) -> tuple[Part, ...]:
    """What goes through: all of it where no dissolve is given."""
    share = (1.0 - p.specular) if is_whole(p.dissolve) else (1.0 - p.specular) * (1.0 - p.dissolve)
    if p.illum in REFRACTING:
        return weighted(transmissive_body(SMALLEST_ALPHA, SMALLEST_ALPHA, p.ior, p.filter), share)
    if p.illum in SEEN_THROUGH:
        return weighted(transmissive_thin_wall(SMALLEST_ALPHA, SMALLEST_ALPHA, Schlick(0.0, 0.0), p.filter), share)
    return ()
