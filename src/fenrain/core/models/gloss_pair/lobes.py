"""The look of a material with two glossinesses.

Common practice of renderers of its time: what is reflected is missing below, channel by channel; what is refracted is missing in the
body; single scattering is all there is. With the angle dependence off the reflection is uniform, which looks false, and is kept so.
Where lights have a glossiness of their own, half of the reflection counts as theirs.
"""

from typing import Any

from fenrain.core.lobes.diffuse import Lambert
from fenrain.core.lobes.look import Cover, Look, Part, Volume, covered, weighted
from fenrain.core.lobes.microfacet import Dielectric, Schlick, glossy
from fenrain.core.lobes.solid import clear_body, clear_sheet
from fenrain.core.lobes.transmission import Sheet
from fenrain.core.models.extras import detailed, flaked
from fenrain.core.models.parameter import BODY, REFLECTION
from fenrain.core.optics.arrays import is_absent, square
from fenrain.core.optics.volume import absorption_of


def look(p: Any) -> Look:
    """Reflection over a body that is opaque and clear in shares."""
    body = weighted(_opaque(p), 1.0 - p.refraction)
    return Look(
        (*_reflected_over(p, body), *_clear(p)),
        emission=p.emission,
        opacity=p.opacity,
        volume=_volume(p),
        sheet=bool(p.thin_walled) and not is_absent(p.refraction),
    )


def _opaque(p: Any) -> tuple[Part, ...]:
    return flaked((Part(Lambert(detailed(p.diffuse, p.detail_color, p.detail_mask)), BODY),), p)


def _reflected_over(p: Any, body: tuple[Part, ...]) -> tuple[Part, ...]:
    if is_absent(p.reflection):
        return body
    glossinesses = (p.reflection_glossiness, p.highlight_glossiness) if p.highlight_apart else (p.reflection_glossiness,)
    lobes = [_gloss(p, square(1.0 - glossiness)) for glossiness in glossinesses]
    return (*(Part(lobe, REFLECTION, p.reflection / len(lobes)) for lobe in lobes), *covered(body, Cover(p.reflection, lobes[0])))


def _gloss(p: Any, alpha: Any) -> Any:
    clear_and_thin = p.thin_walled and not is_absent(p.refraction)
    rising = Sheet(p.ior) if clear_and_thin else Dielectric(p.ior)
    return glossy(p.distribution, alpha, alpha, rising if p.angle_dependent else Schlick(1.0, 1.0))


def _clear(p: Any) -> tuple[Part, ...]:
    """A uniform reflection takes its share from what goes through; a rising one has it in the interface already."""
    if is_absent(p.refraction):
        return ()
    alpha = square(1.0 - p.refraction_glossiness)
    share = p.refraction if p.angle_dependent else p.refraction * (1.0 - p.reflection)
    clear = clear_sheet(alpha, alpha, Sheet(p.ior), 1.0) if p.thin_walled else clear_body(alpha, alpha, p.ior, 1.0)
    return weighted(clear, share)


def _volume(p: Any) -> Volume | None:
    if is_absent(p.refraction) or is_absent(p.volume_strength) or p.thin_walled:
        return None
    return Volume(absorption_of(p.volume_color, 1.0 / p.volume_strength))
