"""What is odd about a converted material: values out of physical range, or far from what is usual, each with a remedy of one action."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from fenrain.core.checking.quick import facing_total
from fenrain.core.convert.engine import Conversion
from fenrain.core.findings import Finding, note, warning
from fenrain.core.maps.mean import constants_of
from fenrain.core.material import Constant, Material, Plain
from fenrain.core.models.registry import model_of
from fenrain.core.models.surface import WHITE_LUMINANCE
from fenrain.core.optics.fresnel import f0_from_ior

PRACTICE = "common practice"
CLEAREST, ROUGHEST = 0.01, 0.97
DARKEST_BODY, BRIGHTEST_BODY = 0.02, 0.9
DULLEST_METAL = 0.35
DIAMOND = 2.42
USUAL_IOR = 1.5


@dataclass(frozen=True)
class Names:
    """What a target calls the values that findings look at; "" for what it lacks."""

    body: str
    metalness: str = ""
    roughness: tuple[str, ...] = ()
    ior: tuple[str, ...] = ()
    specular: str = ""
    clear: str = ""
    luminance: str = ""


TARGETS = {
    "open_pbr": Names(
        "base_color",
        "base_metalness",
        ("specular_roughness", "coat_roughness"),
        ("specular_ior", "coat_ior"),
        "specular_weight",
        "transmission_weight",
        "emission_luminance",
    ),
    "metal_rough": Names(
        "base_color", "metallic", ("roughness", "clearcoat_roughness"), ("ior",), "specular", "transmission", "emissive_strength"
    ),
    "standard_surface": Names(
        "base_color", "metalness", ("specular_roughness", "coat_roughness"), ("specular_IOR", "coat_IOR"), "specular", "transmission"
    ),
    "preview": Names("diffuseColor", "metallic", ("roughness", "clearcoatRoughness"), ("ior",)),
    "exponent": Names("diffuse"),
}


def findings_of(conversion: Conversion) -> tuple[Finding, ...]:
    """Everything odd, in the order of the looks' layers."""
    material, names = conversion.material, TARGETS[conversion.material.model]
    found = (*_roughness(material, names), *_index(material, names), *_metal(material, names), *_body(material, names))
    return (*found, *_no_reflection(material, names), *_gain(conversion), *_faint_glow(conversion, names))


def _number(material: Material, name: str) -> float | None:
    """The value where it is a plain number that has an effect."""
    if not name:
        return None
    governing = model_of(material.model).parameter(name).under
    if governing and material.value(governing) == Constant(0.0):
        return None
    value = material.value(name)
    return float(value.value) if isinstance(value, Constant) and isinstance(value.value, (int, float)) else None


def _roughness(material: Material, names: Names) -> Iterator[Finding]:
    for name in names.roughness:
        found = _number(material, name)
        if found in (0.0, 1.0) and name in material.values:
            nearest = CLEAREST if found == 0.0 else ROUGHEST
            yield note(
                "roughness_at_its_end",
                f"{name} is exactly {found:g}, which does not exist in nature.",
                parameter=name,
                evidence=f"{found:g}",
                usual=f"{CLEAREST:g} to {ROUGHEST:g}",
                source=PRACTICE,
                remedy=f"Set it to {nearest:g}.",
                fix={name: nearest},
            )


def _index(material: Material, names: Names) -> Iterator[Finding]:
    for name in names.ior:
        found = _number(material, name)
        if found is None or name not in material.values or _is_metal(material, names):
            continue
        if 0.0 < found < 1.0:
            yield warning(
                "index_below_one",
                f"{name} is below 1, which no clear body has.",
                parameter=name,
                evidence=f"{found:.4g}",
                usual="1.0 to 2.42",
                source="index tables; air 1.0, diamond 2.42",
                remedy=f"Set it to its reciprocal {1 / found:.4g}, which reflects as much.",
                fix={name: round(1.0 / found, 6)},
            )
        elif found > DIAMOND:
            yield warning(
                "index_above_diamond",
                f"{name} gives a reflectance of {100 * f0_from_ior(found):.0f} % when facing, more than any clear body: "
                "dielectrics have a dark grey one.",
                parameter=name,
                evidence=f"{found:.4g}",
                usual="1.3 to 2.42",
                source="index tables; diamond 2.42",
                remedy=f"Set it to {USUAL_IOR:g}, or make the surface a metal.",
                fix={name: USUAL_IOR},
            )


def _is_metal(material: Material, names: Names) -> bool:
    return (_number(material, names.metalness) or 0.0) > 0.95


def _metal(material: Material, names: Names) -> Iterator[Finding]:
    found = _number(material, names.metalness)
    if found is not None and 0.05 < found < 0.95:
        yield warning(
            "half_metal",
            f"{names.metalness} is {found:.2g}: a surface is a metal or it is none.",
            parameter=names.metalness,
            evidence=f"{found:.3g}",
            usual="0 or 1",
            source=PRACTICE,
            remedy=f"Set it to {round(found):g}.",
            fix={names.metalness: float(round(found))},
        )


def _body(material: Material, names: Names) -> Iterator[Finding]:
    if names.body not in material.values or (_number(material, names.clear) or 0.0) > 0.5:
        return
    color = np.broadcast_to(np.asarray(constants_of(material)[names.body], dtype=float), (3,))
    fixable = isinstance(material.value(names.body), Constant)
    if _is_metal(material, names):
        if color.max() < DULLEST_METAL:
            yield note(
                "dull_metal",
                f"{names.body} of the metal is darker than measured metals are.",
                parameter=names.body,
                evidence=_shown(color),
                usual="strongest channel above 0.5",
                source="measured metals: Johnson & Christy 1972, 1974",
                remedy="Brighten it to a strongest channel of 0.5.",
                fix={names.body: _scaled(color, 0.5)} if fixable and color.max() > 0 else None,
            )
        return
    glows = (_number(material, names.luminance) or 0.0) > 0.0 and names.luminance in material.values
    if color.max() < DARKEST_BODY and not glows:
        yield note(
            "body_too_dark",
            f"{names.body} is darker than coal.",
            parameter=names.body,
            evidence=_shown(color),
            usual="0.02 to 0.9",
            source=PRACTICE,
            remedy="Brighten it to 0.03.",
            fix={names.body: _scaled(color, 0.03)} if fixable else None,
        )
    elif color.min() > BRIGHTEST_BODY:
        yield note(
            "body_too_bright",
            f"{names.body} is brighter than fresh snow.",
            parameter=names.body,
            evidence=_shown(color),
            usual="0.02 to 0.9",
            source=PRACTICE,
            remedy="Darken it to 0.88.",
            fix={names.body: _scaled(color, 0.88)} if fixable else None,
        )


def _no_reflection(material: Material, names: Names) -> Iterator[Finding]:
    weight = _number(material, names.specular)
    index = _number(material, names.ior[0]) if names.ior else None
    absent = (weight == 0.0 and names.specular in material.values) or (index == 1.0 and names.ior[0] in material.values)
    if absent and not _is_metal(material, names) and (_number(material, names.clear) or 0.0) < 0.5:
        name = names.specular if weight == 0.0 else names.ior[0]
        yield note(
            "no_reflection",
            "The surface reflects nothing; every real one reflects a little, about 4 % when facing.",
            parameter=name,
            evidence="0",
            usual="F0 of 0.02 to 0.08",
            source=PRACTICE,
            remedy="Give it the index 1.5.",
            fix={**({names.specular: 1.0} if weight == 0.0 else {}), names.ior[0]: USUAL_IOR} if names.ior else None,
        )


def _gain(conversion: Conversion) -> Iterator[Finding]:
    """Whether the original gives back more than it receives, in any channel, looked at facing."""
    highest = facing_total(conversion.original)
    if highest > 1.02:
        yield warning(
            "more_than_it_receives",
            f"The original sends out {highest:.2f} times the light that it receives: reflection and transmission add up to more than 1.",
            evidence=f"{highest:.3g}",
            usual="at most 1",
            source="conservation of energy",
            remedy="The conversion is cut to what it receives; lower the weights of the original to keep its colours.",
        )


def _faint_glow(conversion: Conversion, names: Names) -> Iterator[Finding]:
    """A glTF emission of 1 is 1 cd/m² by the text, and white by how it is often drawn."""
    found = _number(conversion.material, names.luminance)
    if names.luminance and conversion.original.model in ("spec_gloss", "metal_rough") and found is not None and 0.0 < found <= 10.0:
        glows = conversion.material.value("emission_color" if names.luminance == "emission_luminance" else "emissive")
        if names.luminance in conversion.material.values and glows != Constant((0.0, 0.0, 0.0)):
            yield note(
                "faint_glow",
                f"The glow is {found:g} cd/m², too faint to be seen beside a white of {WHITE_LUMINANCE:g} cd/m². Many programs draw an "
                "emission of 1 as white.",
                parameter=names.luminance,
                evidence=f"{found:g} cd/m²",
                usual=f"{WHITE_LUMINANCE:g} cd/m² for white",
                source="glTF 2.0 §3.9.3 and KHR_materials_emissive_strength: cd/m²; white by common practice",
                remedy=f"Take 1 for white: {found * WHITE_LUMINANCE:g} cd/m².",
                fix={names.luminance: found * WHITE_LUMINANCE},
            )


def _scaled(color: np.ndarray, strongest: float) -> Plain:
    """The same hue with this strongest channel; black becomes grey."""
    if color.max() <= 0.0:
        return (strongest,) * 3
    return tuple(float(round(part, 6)) for part in color * (strongest / color.max()))


def _shown(color: np.ndarray) -> str:
    return "(" + ", ".join(f"{part:.3g}" for part in color) + ")"
