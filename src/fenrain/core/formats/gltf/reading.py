"""glTF 2.0 and GLB: metallic-roughness and specular-glossiness materials read; metallic-roughness written.

Sources: glTF 2.0; the KHR_materials_* and KHR_texture_transform extensions.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from fenrain.core.errors import FenrainError
from fenrain.core.findings import Finding, problem
from fenrain.core.formats.gltf import METRES
from fenrain.core.formats.gltf.block import Block
from fenrain.core.formats.gltf.container import Container, open_container
from fenrain.core.formats.gltf.meshes import require_meshes
from fenrain.core.formats.gltf.samplers import wrap_of_sampler
from fenrain.core.maps.flat import flattened
from fenrain.core.material import Geometry, Material, Source
from fenrain.core.material_parser import MaterialParser, found_elsewhere, with_shared_names
from fenrain.core.models.registry import model_of
from fenrain.core.rules.directions import angle_of
from fenrain.core.values import Constant, Image, Map, Placement

SPEC_GLOSS = "KHR_materials_pbrSpecularGlossiness"
ALPHA_MODES = {"OPAQUE": 0, "MASK": 1, "BLEND": 2}

LEAST_TURN = 0.01
"""Radians: eight bits cannot hold a half, which a direction along the tangent has in its green."""


def read_gltf(path: Path, root: Path) -> list[Material]:
    """Every material of an asset, with the meshes that use it. Raises BrokenFileError, UnsafePathError, MissingFileError."""
    container = open_container(path, root)
    users = _users(container)
    materials = []
    for index, entry in enumerate(container.list_of("materials")):
        place = f"materials/{index}"
        entry = container.mapping(entry, place)
        stated = entry.get("name")
        name = stated if isinstance(stated, str) and stated else f"material {index + 1}"
        block = Block(entry, place)
        reader = _MaterialReader(container, block, MaterialParser(name, _model_of(entry), place))
        meshes, uv_sets = users.get(index, ((), ()))
        found = reader.read()
        geometry = Geometry(entry.get("doubleSided") is True, meshes, uv_sets, METRES)
        materials.append(found.material(Source(path.name, "gltf", index, place), geometry))
    return with_shared_names([*_with_buffers_said(materials[:1], container), *materials[1:]])


def _with_buffers_said(first: list[Material], container: Container) -> list[Material]:
    """The first material with a finding where the asset's meshes cannot be written again, or a namesake stands for a buffer."""
    said: list[Finding] = []
    try:
        said += [found_elsewhere("buffer", uri, found, container.root) for uri, found in container.moved_buffers()]
        require_meshes(container)
    except FenrainError as refused:
        said.append(
            problem(
                "meshes-not-usable",
                f"The meshes cannot be written again: {refused.message}",
                evidence=refused.place,
                remedy=f"{refused.remedy} Until then a delivery of this asset stands on spheres.".strip(),
            )
        )
    return [replace(material, findings=(*material.findings, *said)) for material in first]


def _model_of(entry: Mapping[str, Any]) -> str:
    return "spec_gloss" if SPEC_GLOSS in _extensions(entry) else "metal_rough"


def _extensions(entry: Mapping[str, Any]) -> Mapping[str, Any]:
    found = entry.get("extensions")
    return found if isinstance(found, dict) else {}


def _users(container: Container) -> dict[int, tuple[tuple[str, ...], tuple[int, ...]]]:
    """For each material, the names of the meshes that use it and the UV sets they have."""
    found: dict[int, tuple[dict[str, None], set[int]]] = {}
    for index, mesh in enumerate(container.list_of("meshes")):
        mesh = container.mapping(mesh, f"meshes/{index}")
        for primitive in mesh.get("primitives", []) if isinstance(mesh.get("primitives"), list) else []:
            if isinstance(primitive, dict) and isinstance(primitive.get("material"), int):
                names, uv_sets = found.setdefault(primitive["material"], ({}, set()))
                names[str(mesh.get("name") or f"mesh {index + 1}")] = None
                attributes = primitive.get("attributes")
                for attribute in attributes if isinstance(attributes, dict) else {}:
                    if attribute.startswith("TEXCOORD_") and attribute[9:].isdigit():
                        uv_sets.add(int(attribute[9:]))
    return {index: (tuple(names), tuple(sorted(sets))) for index, (names, sets) in found.items()}


class _MaterialReader:
    """Reads one entry of `materials`."""

    def __init__(self, container: Container, entry: Block, reading: MaterialParser) -> None:
        self.container, self.entry, self.reading = container, entry, reading
        self._blocks = {entry.place: entry}
        self.extensions = self._extensions_of(entry)

    def read(self) -> MaterialParser:
        """Everything of the entry, by its workflow; what of it is not read is named."""
        if self.reading.model == "spec_gloss":
            self._spec_gloss()
        else:
            self._metal_rough()
        self._emission()
        self._alpha_mode()
        self._normal("normal", self.entry, "normalTexture")
        self._occlusion()
        self._flag(self.entry, "doubleSided")
        for block in self._blocks.values():
            for key in block.list_unasked():
                self.reading.leave_unread("not-read", f"{block.place}: “{key[:60]}” was not read.", evidence=key[:80])
        return self.reading

    def _spec_gloss(self) -> None:
        """Specular-glossiness (KHR_materials_pbrSpecularGlossiness): colours in sRGB, glossiness in the alpha of the second texture."""
        block = self._block(self.extensions, SPEC_GLOSS)
        self._tinted("diffuse", block, "diffuseFactor", "diffuseTexture", alpha="opacity")
        self._tinted("specular", block, "specularFactor", "specularGlossinessTexture")
        self._scaled("glossiness", block, "glossinessFactor", "specularGlossinessTexture", "a")
        if self.entry.get("pbrMetallicRoughness") is not None:
            self.reading.remark(
                "second-workflow",
                "The material also carries a metallic-roughness version for programs that do not know the extension.",
                evidence="pbrMetallicRoughness",
                remedy="The specular-glossiness one is read, as the extension asks.",
            )

    def _metal_rough(self) -> None:
        """Metallic-roughness (glTF 2.0 §3.9.2) and the material extensions, each value from the factor, texture and channel that its text
        names."""
        block = self._block(self.entry, "pbrMetallicRoughness")
        self._tinted("base_color", block, "baseColorFactor", "baseColorTexture", alpha="alpha")
        self._scaled("metallic", block, "metallicFactor", "metallicRoughnessTexture", "b")
        self._scaled("roughness", block, "roughnessFactor", "metallicRoughnessTexture", "g")
        specular = self._extension("specular")
        self._scaled("specular", specular, "specularFactor", "specularTexture", "a")
        self._tinted("specular_color", specular, "specularColorFactor", "specularColorTexture")
        self._plain("ior", self._extension("ior"), "ior")
        coat = self._extension("clearcoat")
        self._scaled("clearcoat", coat, "clearcoatFactor", "clearcoatTexture", "r")
        self._scaled("clearcoat_roughness", coat, "clearcoatRoughnessFactor", "clearcoatRoughnessTexture", "g")
        self._normal("clearcoat_normal", coat, "clearcoatNormalTexture")
        sheen = self._extension("sheen")
        self._tinted("sheen_color", sheen, "sheenColorFactor", "sheenColorTexture")
        self._scaled("sheen_roughness", sheen, "sheenRoughnessFactor", "sheenRoughnessTexture", "a")
        anisotropy = self._extension("anisotropy")
        self._scaled("anisotropy_strength", anisotropy, "anisotropyStrength", "anisotropyTexture", "b")
        self._plain("anisotropy_rotation", anisotropy, "anisotropyRotation")
        self._direction("anisotropy_rotation", anisotropy, "anisotropyTexture")
        self._scaled("transmission", self._extension("transmission"), "transmissionFactor", "transmissionTexture", "r")
        volume = self._extension("volume")
        self._scaled("thickness", volume, "thicknessFactor", "thicknessTexture", "g")
        self._plain("attenuation_distance", volume, "attenuationDistance")
        self._colour("attenuation_color", volume, "attenuationColor")
        self._plain("dispersion", self._extension("dispersion"), "dispersion")
        behind = self._extension("diffuse_transmission")
        self._scaled("diffuse_transmission", behind, "diffuseTransmissionFactor", "diffuseTransmissionTexture", "a")
        self._tinted("diffuse_transmission_color", behind, "diffuseTransmissionColorFactor", "diffuseTransmissionColorTexture")
        film = self._extension("iridescence")
        self._scaled("iridescence", film, "iridescenceFactor", "iridescenceTexture", "r")
        self._plain("iridescence_ior", film, "iridescenceIor")
        if film:
            self._film_thickness(film)
        if "KHR_materials_unlit" in self.extensions:
            self.reading.set("unlit", True)

    def _film_thickness(self, film: Block) -> None:
        """The largest thickness where there is no map, and between the least and the largest by its green (KHR_materials_iridescence)."""
        least, most = self._number(film, "iridescenceThicknessMinimum", 100.0), self._number(film, "iridescenceThicknessMaximum", 400.0)
        self.reading.set("iridescence_thickness", most, f"{film.place}/iridescenceThicknessMaximum")
        self._map("iridescence_thickness", film, "iridescenceThicknessTexture", "g", scale=most - least, bias=least)

    def _emission(self) -> None:
        colour, strength = ("emission", "emission_strength") if self.reading.model == "spec_gloss" else ("emissive", "emissive_strength")
        self._tinted(colour, self.entry, "emissiveFactor", "emissiveTexture")
        self._plain(strength, self._extension("emissive_strength"), "emissiveStrength")

    def _alpha_mode(self) -> None:
        """How alpha is used, and where it is cut (glTF 2.0 §3.9.4)."""
        mode = self.entry.get("alphaMode", "OPAQUE")
        if not isinstance(mode, str) or mode not in ALPHA_MODES:
            self.reading.leave_unread(
                "bad-value", f"{self.reading.place}/alphaMode “{str(mode)[:20]}” is unknown; opaque is assumed.", parameter="alpha_mode"
            )
        elif mode != "OPAQUE":
            self.reading.set("alpha_mode", ALPHA_MODES[mode])
        self._plain("alpha_cutoff", self.entry, "alphaCutoff")

    def _occlusion(self) -> None:
        strength = self._number(self._texture(self.entry, "occlusionTexture"), "strength", 1.0)
        if not 0.0 <= strength <= 1.0:
            self._bad_value(f"{self.entry.place}/occlusionTexture/strength", strength)
            strength = 1.0
        self._map("occlusion", self.entry, "occlusionTexture", "r", scale=strength, bias=1.0 - strength)

    def _normal(self, parameter: str, block: Block, key: str) -> None:
        self._map(parameter, block, key, "rgb", "normal", scale=self._number(self._texture(block, key), "scale", 1.0))

    def _extension(self, short: str) -> Block:
        return self._block(self.extensions, f"KHR_materials_{short}")

    def _block(self, holder: Block, name: str) -> Block:
        """An object of the document, empty where it is not there. Raises BrokenFileError where something else stands there."""
        place = f"{holder.place}/{name}"
        if place not in self._blocks:
            self._blocks[place] = Block(self.container.mapping(holder.get(name, {}), place), place)
        return self._blocks[place]

    def _texture(self, holder: Block, key: str) -> Block:
        """A reference to a texture, empty where there is none, or something else."""
        return self._block(holder, key) if isinstance(holder.get(key), dict) else Block({}, f"{holder.place}/{key}")

    def _extensions_of(self, holder: Block) -> Block:
        return (
            self._block(holder, "extensions") if isinstance(holder.get("extensions", {}), dict) else self._no_object(holder, "extensions")
        )

    def _no_object(self, holder: Block, key: str) -> Block:
        self._bad_value(f"{holder.place}/{key}", holder[key])
        return Block({}, f"{holder.place}/{key}")

    def _bad_value(self, place: str, value: Any) -> None:
        self.reading.leave_unread(
            "bad-value", f"{place}: “{str(value)[:40]}” cannot be read; the default is used.", evidence=str(value)[:80]
        )

    def _number(self, block: Block, key: str, default: float) -> float:
        """A number that stands in a block; the default where there is none, or, with a finding, something else."""
        value = block.get(key, default)
        if isinstance(value, (int, float)) and not isinstance(value, bool) and np.isfinite(value):
            return float(value)
        self._bad_value(f"{block.place}/{key}", value)
        return default

    def _pair(self, block: Block, key: str, default: float) -> tuple[float, float]:
        """The same for two numbers."""
        value = block.get(key, [default, default])
        if isinstance(value, list) and len(value) == 2 and all(isinstance(part, (int, float)) and np.isfinite(part) for part in value):
            return float(value[0]), float(value[1])
        self._bad_value(f"{block.place}/{key}", value)
        return default, default

    def _flag(self, block: Block, key: str) -> None:
        if not isinstance(block.get(key, False), bool):
            self._bad_value(f"{block.place}/{key}", block[key])

    def _plain(self, parameter: str, block: Block, key: str) -> None:
        if key in block:
            self.reading.set(parameter, block[key], f"{block.place}/{key}")

    def _colour(self, parameter: str, block: Block, key: str) -> None:
        raw = block.get(key)
        if raw is not None:
            self.reading.set(parameter, raw[:3] if isinstance(raw, list) else raw, f"{block.place}/{key}")

    def _scaled(self, parameter: str, block: Block, factor: str, texture: str, channel: str) -> None:
        """A number, and a map of one channel that it multiplies."""
        self._plain(parameter, block, factor)
        self._map(parameter, block, texture, channel, scale=self._factor(parameter))

    def _direction(self, parameter: str, block: Block, key: str) -> None:
        """An angle by the direction in red and green of a texture, turned by the number beside it."""
        turned = self.reading.values.get(parameter, Constant(0.0))
        self._map(parameter, block, key, "r", scale=2.0, bias=-1.0)
        across = self.reading.values.get(parameter)
        if not isinstance(across, Map) or not isinstance(turned, Constant):
            return
        angle = flattened(angle_of(across, replace(across, channels="g"), float(turned.value)))  # type: ignore[arg-type]
        is_none = isinstance(angle, Constant) and abs(float(angle.value) - float(turned.value)) < LEAST_TURN  # type: ignore[arg-type]
        self.reading.values[parameter] = turned if is_none else angle

    def _tinted(self, parameter: str, block: Block, factor: str, texture: str, alpha: str = "") -> None:
        """A colour, and an sRGB map that it multiplies; `alpha` takes the fourth component of both."""
        raw = block.get(factor)
        self._colour(parameter, block, factor)
        scale = self._factor(parameter)
        self._map(parameter, block, texture, "rgb", "srgb", scale=1.0 if scale == (1.0, 1.0, 1.0) else scale)
        if alpha and self.entry.get("alphaMode") in ("MASK", "BLEND"):
            if isinstance(raw, list) and len(raw) == 4:
                self.reading.set(alpha, raw[3], f"{block.place}/{factor}")
            share = self.reading.values.get(alpha)
            opacity = share.value if isinstance(share, Constant) and isinstance(share.value, float) else 1.0
            self._map(alpha, block, texture, "a", scale=opacity)

    def _factor(self, parameter: str) -> Any:
        """What a map of this parameter is multiplied by: the factor beside it, or what the text of its extension says for none, which
        is the model's default."""
        stated = self.reading.values.get(parameter)
        return stated.value if isinstance(stated, Constant) else model_of(self.reading.model).parameter(parameter).default

    def _map(
        self, parameter: str, block: Block, key: str, channels: str, encoding: str = "linear", *, scale: Any = 1.0, bias: float = 0.0
    ) -> None:
        """Take the map of a texture: bias + scale · decode(channels). One that is multiplied by 0 is named and left out."""
        if block.get(key) is None:
            return
        if not isinstance(block[key], dict):
            self._bad_value(f"{block.place}/{key}", block[key])
            return
        texture = self._texture(block, key)
        index, (placement, uv_set) = texture.get("index"), self._placement(texture)
        if bias == 0.0 and not np.any(scale):
            self.reading.remark(
                "map-without-effect",
                f"The map of {parameter} is multiplied by 0, which the factor beside it says, or its default; it has no effect.",
                parameter=parameter,
                remedy="Set the factor to 1 in the source file if the map is meant to show.",
            )
            return
        image = self._image(index, parameter)
        if image is not None:
            placement = self._sampled(placement, index, parameter)
        self.reading.attach(parameter, image, channels, encoding, scale=scale, bias=bias, placement=placement, uv_set=uv_set)

    def _image(self, index: Any, parameter: str) -> Image | None:
        return self.container.image_of_texture(index, self.reading, parameter)

    def _sampled(self, placement: Placement, index: Any, parameter: str) -> Placement:
        """The placement as the sampler of a texture goes on with it."""
        try:
            sampler = self.container.sampler_of_texture(index)
        except FenrainError as refused:
            self.reading.refuse(parameter, refused)
            return placement
        wrap, smooth, wrong = wrap_of_sampler(sampler)
        for key in wrong:
            self._bad_value(f"textures/{index}, sampler/{key}", sampler[key])
        return replace(placement, wrap=wrap, smooth=smooth)

    def _placement(self, texture: Block) -> tuple[Placement, int]:
        """(placement, UV set) of a texture reference; those of KHR_texture_transform win."""
        block = self._block(self._extensions_of(texture), "KHR_texture_transform")
        offset, rotation, scale = self._pair(block, "offset", 0.0), self._number(block, "rotation", 0.0), self._pair(block, "scale", 1.0)
        uv_set = self._number(block, "texCoord", self._number(texture, "texCoord", 0.0))
        return Placement(offset, rotation, scale), max(int(uv_set), 0)
