"""The surface of a material with two glossinesses.

Common practice of renderers of its time: what is reflected is missing below, channel by channel; what is refracted is missing in the
body; single scattering is all there is. With the angle dependence off the reflection is uniform, which looks false, and is kept so.
Lamps may be mirrored with a glossiness of their own; where they are not told from everything else around, half of the reflection counts as
theirs.
"""

from fenrain.core.lobes.aspects import BODY, REFLECTION
from fenrain.core.lobes.diffuse import Lambert
from fenrain.core.lobes.microfacet import BeckmannMicrofacet, Dielectric, Microfacet, Schlick, glossy
from fenrain.core.lobes.surface import Answers, Interior, Layer, Part, Surface, under_layer, weighted
from fenrain.core.lobes.transmission import ThinWall
from fenrain.core.lobes.transmissive import transmissive_body, transmissive_thin_wall
from fenrain.core.models.extras import detailed, flaked, relief_of, with_painted
from fenrain.core.models.gloss_pair.parameters import GlossPair
from fenrain.core.optics.arrays import Array, is_absent, square
from fenrain.core.optics.volume import absorption_of


def surface(p: GlossPair) -> Surface:
    """Reflection over a body that is opaque and clear in shares."""
    mirrors = ((p.reflection_glossiness, 1.0), (p.lamp_glossiness, p.lamp_color)) if p.lamps_apart else ((p.reflection_glossiness, 1.0),)
    return Surface(
        _parts(p, mirrors),
        emission=with_painted(p.emission, p),
        opacity=p.opacity,
        interior=_interior(p),
        thin_walled=bool(p.thin_walled) and not is_absent(p.refraction),
        relief=relief_of(p),
        occlusion=p.occlusion,
        answers=Answers(_parts(p, mirrors[:1]), _parts(p, mirrors[1:])) if p.lamps_apart else None,
    )


Mirror = tuple[Array, Array]
"""A glossiness, and the colour that its reflection has beside the material's own."""


def _parts(p: GlossPair, mirrors: tuple[Mirror, ...]) -> tuple[Part, ...]:
    """With the reflection in as many parts as there are mirrors."""
    body = weighted(_opaque(p), 1.0 - p.refraction)
    return (*flaked(_reflected_over(p, body, mirrors), p), *_transmitted(p))


def _opaque(p: GlossPair) -> tuple[Part, ...]:
    return (Part(Lambert(detailed(p.diffuse, p.detail_color, p.detail_mask)), BODY),)


def _reflected_over(p: GlossPair, body: tuple[Part, ...], mirrors: tuple[Mirror, ...]) -> tuple[Part, ...]:
    if is_absent(p.reflection):
        return body
    lobes = [_gloss(p, square(1.0 - glossiness)) for glossiness, _ in mirrors]
    shares = [p.reflection * colour / len(lobes) for _, colour in mirrors]
    reflected = tuple(Part(lobe, REFLECTION, share) for lobe, share in zip(lobes, shares, strict=True))
    return (*reflected, *under_layer(body, Layer(p.reflection, lobes[0])))


def _gloss(p: GlossPair, alpha: Array) -> Microfacet | BeckmannMicrofacet:
    clear_and_thin = p.thin_walled and not is_absent(p.refraction)
    rising = ThinWall(p.ior) if clear_and_thin else Dielectric(p.ior)
    return glossy(p.distribution, alpha, alpha, rising if p.angle_dependent else Schlick(1.0, 1.0))


def _transmitted(p: GlossPair) -> tuple[Part, ...]:
    """A uniform reflection takes its share from what goes through; a rising one has it in the interface already."""
    if is_absent(p.refraction):
        return ()
    alpha = square(1.0 - p.refraction_glossiness)
    share = p.refraction if p.angle_dependent else p.refraction * (1.0 - p.reflection)
    clear = transmissive_thin_wall(alpha, alpha, ThinWall(p.ior), 1.0) if p.thin_walled else transmissive_body(alpha, alpha, p.ior, 1.0)
    return weighted(clear, share)


def _interior(p: GlossPair) -> Interior | None:
    if is_absent(p.refraction) or is_absent(p.volume_strength) or p.thin_walled:
        return None
    return Interior(absorption_of(p.volume_color, 1.0 / p.volume_strength))
