"""The surface of an exponent material, by the illum modes of the MTL format (1995):

illum 0: Kd; 1: Ka Ia + Kd Σ (N·L); 2: + Ks Σ (H·H_j)^Ns; 3 to 7: + Ks times the mirrored surroundings, from 5 on with Fresnel.
Modes 6 and 7 add (1 − Ks) Tf times what is refracted by Ni; 4 and 9 show it straight through, as through a sheet.
The result is divided by π, the unit in which a diffuse of 1 is a white Lambert surface.
"""

from fenrain.core.lobes.aspects import BODY, REFLECTION
from fenrain.core.lobes.diffuse import Lambert
from fenrain.core.lobes.exponent import BlinnHighlight, PhongHighlight
from fenrain.core.lobes.microfacet import Microfacet, Schlick
from fenrain.core.lobes.surface import Part, Surface, weighted
from fenrain.core.lobes.transmissive import transmissive_body, transmissive_thin_wall
from fenrain.core.models.exponent.parameters import Exponent
from fenrain.core.models.extras import relief_of
from fenrain.core.optics.microfacet import SMALLEST_ALPHA

UNSHADED, DIFFUSE_ONLY = 0, 1
MIRRORING, WITH_FRESNEL = (3, 4, 5, 6, 7), (5, 7)
REFRACTING, SEEN_THROUGH = (6, 7), (4, 9)
MIRROR_DIRECTION = 1


def surface(p: Exponent) -> Surface:
    """Lambert plus a highlight, plus a sharp mirror where the mode asks for one."""
    if p.illum == UNSHADED:
        return Surface((Part(Lambert(p.diffuse * 0.0), BODY),), emission=p.diffuse + p.emission, opacity=p.dissolve, relief=relief_of(p))
    parts = [Part(Lambert(p.diffuse), BODY)]
    if p.illum != DIFFUSE_ONLY:
        kind = PhongHighlight if p.highlight == MIRROR_DIRECTION else BlinnHighlight
        parts.insert(0, Part(kind(p.specular, p.exponent), REFLECTION))
    if p.illum in MIRRORING:
        reflectance = Schlick(p.specular) if p.illum in WITH_FRESNEL else Schlick(p.specular, p.specular)
        parts.insert(0, Part(Microfacet(SMALLEST_ALPHA, SMALLEST_ALPHA, reflectance, compensated=False), REFLECTION))
    if p.illum in REFRACTING:
        parts += weighted(transmissive_body(SMALLEST_ALPHA, SMALLEST_ALPHA, p.ior, p.filter), 1.0 - p.specular)
    elif p.illum in SEEN_THROUGH:
        parts += weighted(transmissive_thin_wall(SMALLEST_ALPHA, SMALLEST_ALPHA, Schlick(0.0, 0.0), p.filter), 1.0 - p.specular)
    return Surface(
        tuple(parts),
        emission=p.emission,
        opacity=p.dissolve,
        thin_walled=p.illum in SEEN_THROUGH,
        relief=relief_of(p),
        displacement=p.displacement,
    )
