"""The surface of a specular-glossiness material.

Source: KHR_materials_pbrSpecularGlossiness: α = (1 − glossiness)², F0 = specular, diffuse dimmed by the strongest channel of
specular. A grazing reflection of 1 fades below an F0 of 2 %. Diffuse and specular are added without regard to each other's angle,
and single scattering is all there is.
"""

from fenrain.core.lobes.aspects import BODY, REFLECTION
from fenrain.core.lobes.diffuse import Lambert
from fenrain.core.lobes.microfacet import Microfacet, Schlick
from fenrain.core.lobes.surface import Part, Surface
from fenrain.core.models.emission_and_opacity import shown_opacity
from fenrain.core.models.extras import detailed, flaked, relief_of, with_painted
from fenrain.core.models.spec_gloss.parameters import SpecGloss
from fenrain.core.optics.arrays import max_channel, square
from fenrain.core.optics.fresnel import fading_grazing


def surface(p: SpecGloss) -> Surface:
    """Schlick–GGX over Lambert."""
    alpha = square(1.0 - p.glossiness)
    reflection = Microfacet(alpha, alpha, Schlick(p.specular, fading_grazing(max_channel(p.specular))), compensated=False)
    body = Lambert(detailed(p.diffuse, p.detail_color, p.detail_mask) * (1.0 - max_channel(p.specular)))
    return Surface(
        flaked((Part(reflection, REFLECTION), Part(body, BODY)), p),
        emission=with_painted(p.emission * p.emission_strength, p),
        opacity=shown_opacity(p.opacity, p.alpha_mode, p.alpha_cutoff),
        relief=relief_of(p),
        occlusion=p.occlusion,
    )
