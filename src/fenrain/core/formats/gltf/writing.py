"""Writes GLB: metallic-roughness materials with their maps packed, on the meshes of the asset that they came with."""

from __future__ import annotations

import copy
import json
import struct
import tempfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np

from fenrain.core.errors import BrokenFileError, InputError
from fenrain.core.files import write_whole
from fenrain.core.formats.gltf.atlas import lay_on_atlas
from fenrain.core.formats.gltf.container import BINARY_CHUNK, GLB_MAGIC, JSON_CHUNK, Container, open_container
from fenrain.core.formats.gltf.meshes import require_meshes
from fenrain.core.formats.holding import Slot, every_parameter, largest_in
from fenrain.core.formats.obj import default_name
from fenrain.core.formats.reading import read_meshes
from fenrain.core.formats.registry import mesh_readers
from fenrain.core.geometry import Mesh, sphere
from fenrain.core.maps.bake import Channel, Picture, bake, colour_channels, normal_channels
from fenrain.core.maps.image import inspect
from fenrain.core.maps.mean import mean_of
from fenrain.core.maps.texels import LARGEST_TILED_EDGE, Grid, grid_of, untransformed
from fenrain.core.material import Material, unit_of
from fenrain.core.models.emission_and_opacity import CUT_OUT_MODE, OPAQUE
from fenrain.core.models.metal_rough.extensions import is_allowed
from fenrain.core.models.registry import Model
from fenrain.core.models.target import Profile
from fenrain.core.values import IDENTITY, Constant, Map, UvTransform, Value, placements_of, tiling_of

ALPHA_MODE_NAMES = ("OPAQUE", "MASK", "BLEND")
ONE = Constant(1.0)
FLOAT, UNSIGNED_INT, ARRAY_BUFFER, ELEMENT_ARRAY_BUFFER = 5126, 5125, 34962, 34963


def write_glb(materials: Sequence[Material], path: Path, asset: Path | None, profile: Profile) -> list[Path]:
    """Write one GLB that holds the materials and what carries them: the asset's own meshes, or a sphere each. Of materials that are merged
    into another one of these, the meshes carry that one."""
    if path.suffix.lower() != ".glb":
        raise InputError(f"“{path.name}” is not a .glb name.", place=path.name, remedy="End the file name in .glb.")
    with tempfile.TemporaryDirectory(prefix="fenrain-glb-") as scratch:
        glb = GlbBuilder(profile, Path(scratch))
        kept, places = _merged(materials)
        indices = glb.carry(materials, places, asset)
        glb.document["materials"] = [glb.material(material) for material in kept]
        glb.finish(indices)
        if profile.maps.atlas:
            lay_on_atlas(glb, Path(scratch))
        write_whole(path, glb.packed())
    return [path]


def _merged(materials: Sequence[Material]) -> tuple[list[Material], list[int]]:
    """(the materials that stand for themselves, for each of all the place of the one among these that stands for it)."""
    names = {material.name for material in materials if not material.merged_into}
    kept = [material for material in materials if material.merged_into not in names]
    places = {material.name: place for place, material in reversed(list(enumerate(kept)))}
    by_identity = {id(material): place for place, material in enumerate(kept)}
    return kept, [by_identity.get(id(material), places.get(material.merged_into, 0)) for material in materials]


ONE_NUMBER = Slot(map=False)
COLOUR_AND_ALPHA = Slot(shares_uv_with=("alpha",))
ROUGHNESS_AND_METALLIC = Slot(shares_uv_with=("metallic",))
NUMBERS_ALONE = (
    "ior",
    "anisotropy_rotation",
    "attenuation_distance",
    "attenuation_color",
    "dispersion",
    "iridescence_ior",
    "emissive_strength",
    "alpha_cutoff",
)
"""What a glTF material says by a number, without a texture."""
WITH_FACTOR_ABOVE_ONE = Slot(most=float("inf"))
"""A value whose factor may exceed 1, so that its map may as well."""


def slots(model: Model, profile: Profile) -> dict[str, Slot]:
    """What glTF holds of metallic-roughness (glTF 2.0 §3.9 and its material extensions), with the extensions that the profile allows."""
    found = (
        every_parameter(model)
        | dict.fromkeys(NUMBERS_ALONE, ONE_NUMBER)
        | {
            "base_color": COLOUR_AND_ALPHA,
            "roughness": ROUGHNESS_AND_METALLIC,
            "specular_color": WITH_FACTOR_ABOVE_ONE,
            "thickness": WITH_FACTOR_ABOVE_ONE,
            "iridescence_thickness": WITH_FACTOR_ABOVE_ONE,
        }
    )
    placing = TEXTURE_TRANSFORM in profile.extensions
    return {name: replace(slot, tiles=placing) for name, slot in found.items() if is_allowed(name, profile.extensions)}


@dataclass
class GlbBuilder:
    """A GLB under construction. extras: of the asset's materials, by their old index; unpacked: bytes that compressed views unpack to;
    unwritten: (index, picture) of the textures of the material at hand, by their grid."""

    profile: Profile
    scratch: Path
    document: dict[str, Any] = field(default_factory=dict)
    binary: bytearray = field(default_factory=bytearray)
    used: set[str] = field(default_factory=set)
    textures: dict[Any, int] = field(default_factory=dict)
    extras: dict[int, Any] = field(default_factory=dict)
    unpacked: int = 0
    unwritten: dict[Grid, list[tuple[int, Picture]]] = field(default_factory=dict)

    # What carries the materials

    def carry(self, materials: Sequence[Material], places: Sequence[int], asset: Path | None) -> dict[int, int]:
        """Lay the meshes; returns the new index of each of the asset's materials. places: of each of the materials in the file."""
        if asset is not None and asset.suffix.lower() in (".glb", ".gltf"):
            self._take_over(asset)
            return {material.source.index: place for place, material in zip(places, materials, strict=True)}
        self.document = {"asset": {"version": "2.0", "generator": "Fenrain"}}
        names = {material.name: place for place, material in reversed(list(zip(places, materials, strict=True)))}
        if asset is not None and asset.suffix.lower() in mesh_readers():
            meshes = read_meshes(asset, asset.parent)
            if not meshes:
                raise BrokenFileError(f"“{asset.name}” has no face.", place=asset.name, remedy="Export the mesh again.")
            metres = unit_of(materials)
            scaled = [replace(mesh, positions=mesh.positions * metres) for mesh in meshes]
            self.add_meshes([(mesh, names.get(mesh.material or default_name(asset)), (0.0, 0.0, 0.0)) for mesh in scaled])
        else:
            spheres = enumerate(zip(places, materials, strict=True))
            self.add_meshes([(sphere(material.name), place, (2.4 * index, 0.0, 0.0)) for index, (place, material) in spheres])
        return {}

    def _take_over(self, asset: Path) -> None:
        """The asset's document without its materials and images; what it says beside them stays as it is, and only the buffer views that
        something still uses are copied."""
        container = open_container(asset, asset.parent)
        require_meshes(container)
        document = copy.deepcopy(dict(container.document))
        self.extras = {
            index: entry["extras"]
            for index, entry in enumerate(container.list_of("materials"))
            if isinstance(entry, dict) and "extras" in entry
        }
        for key in ("materials", "textures", "images", "samplers", "buffers", "bufferViews"):
            document.pop(key, None)
        kept: dict[int, int] = {}
        document["bufferViews"] = []
        self.document = document

        def keep(index: int) -> int:
            if index not in kept:
                kept[index] = self._taken_view(container, index)
            return kept[index]

        for key in list(document):
            if key != "bufferViews":
                _replace_key(document[key], "bufferView", keep)
        document["extensionsUsed"] = [name for name in document.get("extensionsUsed", []) if _is_mentioned(document, name)]
        document["extensionsRequired"] = [name for name in document.get("extensionsRequired", []) if name in document["extensionsUsed"]]

    def _taken_view(self, container: Container, index: int) -> int:
        """A buffer view of the asset with its bytes and all that it says; one that is compressed stays so (EXT_meshopt_compression)."""
        place = f"bufferViews/{index}"
        view = dict(container.item("bufferViews", index, place))
        said = {key: view[key] for key in view.keys() - {"buffer", "byteOffset", "byteLength"}}
        packed = view.get("extensions", {}).get(MESHOPT) if isinstance(view.get("extensions"), dict) else None
        if packed is None:
            return self._view(container.bytes_of(index, place), **said)
        offset = self._laid(container.bytes_of_buffer(packed, f"{place}/{MESHOPT}"))
        said["extensions"] = {**view["extensions"], MESHOPT: {**packed, "buffer": 0, "byteOffset": offset}}
        # What it unpacks to needs no bytes here: it lies in a buffer that only says how large it is.
        entry = {"buffer": 1, "byteOffset": self.unpacked, "byteLength": view["byteLength"], **said}
        self.unpacked += view["byteLength"] + -view["byteLength"] % 4
        return self._add("bufferViews", entry)

    def finish(self, indices: Mapping[int, int]) -> None:
        """Point the meshes at the new materials, those of variants too, and state the extensions."""
        if indices:
            for mesh in self.document.get("meshes", []):
                for primitive in mesh.get("primitives", []):
                    new = indices.get(primitive.pop("material", -1))
                    if new is not None:
                        primitive["material"] = new
                    _point_variants(primitive, indices)
            for old, extras in self.extras.items():
                if old in indices:
                    entry = self.document["materials"][indices[old]]
                    own = entry.get("extras", {})
                    entry["extras"] = {**extras, **own} if isinstance(extras, dict) else own or extras
        used = sorted(self.used | {name for name in self.document.get("extensionsUsed", []) if _is_mentioned(self.document, name)})
        for key, names in (("extensionsUsed", used), ("extensionsRequired", self.document.get("extensionsRequired", []))):
            self.document.pop(key, None)
            if names:
                self.document[key] = [name for name in names if name in used]

    def add_meshes(self, carried: Sequence[tuple[Mesh, int | None, tuple[float, float, float]]]) -> None:
        """Add meshes, each with the index of its material or None, at a place in the scene."""
        meshes: list[dict[str, Any]] = []
        nodes: list[dict[str, Any]] = []
        for mesh, material, translation in carried:
            attributes = {
                "POSITION": self._accessor(mesh.positions, "VEC3", ARRAY_BUFFER, limits=True),
                "NORMAL": self._accessor(mesh.normals, "VEC3", ARRAY_BUFFER),
                "TEXCOORD_0": self._accessor(mesh.uvs, "VEC2", ARRAY_BUFFER),
            }
            primitive: dict[str, Any] = {"attributes": attributes, "indices": self._indices(mesh.triangles)}
            if material is not None:
                primitive["material"] = material
            nodes.append({"mesh": len(meshes), "name": mesh.name, **({"translation": list(translation)} if any(translation) else {})})
            meshes.append({"name": mesh.name, "primitives": [primitive]})
        self.document |= {"meshes": meshes, "nodes": nodes, "scenes": [{"nodes": list(range(len(nodes)))}], "scene": 0}

    def places(self, uvs: np.ndarray) -> int:
        """Index of an accessor over places on a texture, (n, 2)."""
        return self._accessor(uvs, "VEC2", ARRAY_BUFFER)

    def _accessor(self, values: np.ndarray, kind: str, target: int, *, limits: bool = False) -> int:
        """Index of an accessor over floats; limits: with the least and largest of each component."""
        data = np.ascontiguousarray(values, dtype="<f4")
        entry = {"bufferView": self._view(data.tobytes(), target=target), "componentType": FLOAT, "count": len(data), "type": kind}
        if limits:
            entry |= {"min": [float(part) for part in data.min(axis=0)], "max": [float(part) for part in data.max(axis=0)]}
        return self._add("accessors", entry)

    def _indices(self, triangles: np.ndarray) -> int:
        data = np.ascontiguousarray(triangles.ravel(), dtype="<u4")
        view = self._view(data.tobytes(), target=ELEMENT_ARRAY_BUFFER)
        return self._add("accessors", {"bufferView": view, "componentType": UNSIGNED_INT, "count": len(data), "type": "SCALAR"})

    # Materials

    def material(self, material: Material) -> dict[str, Any]:
        """One entry of `materials`."""
        entry: dict[str, Any] = {"name": material.name}
        core = self._core(material)
        if core:
            entry["pbrMetallicRoughness"] = core
        extensions = self._extensions(material)
        if extensions:
            self.used |= set(extensions)
            entry["extensions"] = extensions
        entry |= self._surface(material)
        if material.geometry.double_sided:
            entry["doubleSided"] = True
        mode = material.value("alpha_mode")
        number = int(mode.value) if isinstance(mode, Constant) and isinstance(mode.value, int) else OPAQUE
        if number != OPAQUE:
            entry["alphaMode"] = ALPHA_MODE_NAMES[number]
        if number == CUT_OUT_MODE and material.value("alpha_cutoff") != Constant(0.5):
            entry["alphaCutoff"] = _number(material.value("alpha_cutoff"))
        if self.profile.exposed:
            entry["extras"] = {"adjustable": [asdict(one) for one in self.profile.exposed]}
        self._write_textures()
        return entry

    def _core(self, material: Material) -> dict[str, Any]:
        """The block `pbrMetallicRoughness`: factors that are not at their default, and textures."""
        base, alpha = material.value("base_color"), material.value("alpha")
        core: dict[str, Any] = {}
        opaque = material.value("alpha_mode") == Constant(OPAQUE)
        colour, opacity = _factor(base), 1.0 if opaque else _factor(alpha)
        texture = self._colour_texture(base, ONE if opaque else alpha)
        if texture is not None:
            core["baseColorTexture"], colour, opacity = texture[0], texture[1], 1.0 if not isinstance(alpha, Constant) else opacity
        if (*colour, opacity) != (1.0, 1.0, 1.0, 1.0):
            core["baseColorFactor"] = [*colour, opacity]
        packed = self._packed(self._roughness_and_metallic(material))
        if packed is not None:
            core["metallicRoughnessTexture"] = packed
        for key, name in (("metallicFactor", "metallic"), ("roughnessFactor", "roughness")):
            if isinstance(material.value(name), Constant) and _number(material.value(name)) != 1.0:
                core[key] = _number(material.value(name))
        return core

    def _surface(self, material: Material) -> dict[str, Any]:
        """Normal, occlusion and emission, which stand in the material itself."""
        entry: dict[str, Any] = {}
        normal = self._normal_texture(material.value("normal"))
        if normal is not None:
            entry["normalTexture"] = normal
        if material.value("occlusion") != Constant(1.0):
            entry["occlusionTexture"] = self._occlusion(material)
        emissive = material.value("emissive")
        texture, factor = self._colour_texture(emissive, ONE) or (None, _factor(emissive))
        if texture is not None:
            entry["emissiveTexture"] = texture
        if any(factor):
            entry["emissiveFactor"] = list(factor)
        return entry

    def _extensions(self, material: Material) -> dict[str, Any]:
        """Blocks of extensions by their names, those alone that say something."""
        found: dict[str, Any] = {}
        self._add_block(found, "specular", self._specular(material))
        if material.value("ior") != Constant(1.5):
            self._add_block(found, "ior", {"ior": _number(material.value("ior"))})
        if material.value("clearcoat") != Constant(0.0):
            self._add_block(found, "clearcoat", self._clearcoat(material))
        if material.value("sheen_color") != Constant((0.0, 0.0, 0.0)):
            self._add_block(found, "sheen", self._sheen(material))
        if material.value("anisotropy_strength") != Constant(0.0):
            self._add_block(found, "anisotropy", self._anisotropy(material))
        self._add_block(found, "emissive_strength", self._scalar(material, "emissive_strength", "emissiveStrength", 1.0))
        self._add_transmission(found, material)
        if material.value("iridescence") != Constant(0.0):
            self._add_block(found, "iridescence", self._film(material))
        if material.value("unlit") == Constant(True):
            found["KHR_materials_unlit"] = {}
        return found

    def _add_transmission(self, found: dict[str, Any], material: Material) -> None:
        """What goes through, and what it meets inside."""
        self._add_block(found, "transmission", self._mapped(material, "transmission", "transmission", "r"))
        if material.value("thickness") != Constant(0.0):
            volume = self._thickness(material.value("thickness"))
            if material.value("attenuation_distance") != Constant(0.0):
                volume["attenuationDistance"] = _number(material.value("attenuation_distance"))
                volume["attenuationColor"] = list(_mean_colour(material.value("attenuation_color")))
            self._add_block(found, "volume", volume)
        self._add_block(found, "dispersion", self._scalar(material, "dispersion", "dispersion", 0.0))
        behind = self._mapped(material, "diffuse_transmission", "diffuseTransmission", "a")
        if behind:
            colour = material.value("diffuse_transmission_color")
            texture, factor = self._colour_texture(colour, ONE) or (None, _factor(colour))
            behind["diffuseTransmissionColorFactor"] = list(factor)
            if texture is not None:
                behind["diffuseTransmissionColorTexture"] = texture
        self._add_block(found, "diffuse_transmission", behind)

    def _mapped(self, material: Material, name: str, stem: str, channel: str) -> dict[str, Any]:
        """A factor, and a texture where the value is a map; nothing where it is 0."""
        value = material.value(name)
        if value == Constant(0.0):
            return {}
        block: dict[str, Any] = {f"{stem}Factor": _factor(value)}
        if not isinstance(value, Constant):
            channels = "rgba" if channel == "a" else "rgb"
            block[f"{stem}Texture"] = self._baked(tuple(Channel(value if place == channel else ONE) for place in channels))
        return block

    def _thickness(self, thickness: Value) -> dict[str, Any]:
        """A depth in mesh units: the largest as the factor, shares of it in the map."""
        if isinstance(thickness, Constant):
            return {"thicknessFactor": _factor(thickness)}
        deepest, texture = self._shares_in_green(thickness)
        return {"thicknessFactor": deepest, "thicknessTexture": texture}

    def _shares_in_green(self, value: Value) -> tuple[float, dict[str, Any]]:
        """The largest number of a map, and a texture whose green holds the shares of it."""
        most = largest_in(value) or 1.0
        return most, self._baked((Channel(ONE), Channel(value, gain=1.0 / most), Channel(ONE)))

    def _film(self, material: Material) -> dict[str, Any]:
        """The interference film; a map of its thickness lies between 0 and its largest."""
        block = self._mapped(material, "iridescence", "iridescence", "r")
        block["iridescenceIor"] = _number(material.value("iridescence_ior"))
        thickness = material.value("iridescence_thickness")
        if isinstance(thickness, Constant):
            return block | {f"iridescenceThickness{end}": _factor(thickness) for end in ("Minimum", "Maximum")}
        thickest, texture = self._shares_in_green(thickness)
        limits = {"iridescenceThicknessMinimum": 0.0, "iridescenceThicknessMaximum": thickest}
        return block | limits | {"iridescenceThicknessTexture": texture}

    @staticmethod
    def _add_block(found: dict[str, Any], short: str, block: dict[str, Any]) -> None:
        if block:
            found[f"KHR_materials_{short}"] = block

    @staticmethod
    def _scalar(material: Material, name: str, key: str, default: float) -> dict[str, Any]:
        value = material.value(name)
        return {key: _number(value)} if isinstance(value, Constant) and _number(value) != default else {}

    def _specular(self, material: Material) -> dict[str, Any]:
        """Strength in alpha, tint in sRGB (KHR_materials_specular)."""
        block = self._scalar(material, "specular", "specularFactor", 1.0)
        strength, colour = material.value("specular"), material.value("specular_color")
        if not isinstance(strength, Constant):
            block["specularTexture"] = self._baked((Channel(ONE), Channel(ONE), Channel(ONE), Channel(strength)))
        texture, factor = self._specular_texture(colour) if not isinstance(colour, Constant) else (None, _factor(colour))
        if texture is not None:
            block["specularColorTexture"] = texture
        if factor != (1.0, 1.0, 1.0):
            block["specularColorFactor"] = list(factor)
        return block

    def _clearcoat(self, material: Material) -> dict[str, Any]:
        """Weight in red, roughness in green (KHR_materials_clearcoat)."""
        weight, roughness = material.value("clearcoat"), material.value("clearcoat_roughness")
        block: dict[str, Any] = {"clearcoatFactor": _factor(weight)}
        if _factor(roughness) != 0.0:
            block["clearcoatRoughnessFactor"] = _factor(roughness)
        if not isinstance(weight, Constant):
            block["clearcoatTexture"] = self._baked((Channel(weight), Channel(ONE), Channel(ONE)))
        if not isinstance(roughness, Constant):
            block["clearcoatRoughnessTexture"] = self._baked((Channel(ONE), Channel(roughness), Channel(ONE)))
        normal = self._normal_texture(material.value("clearcoat_normal"))
        if normal is not None:
            block["clearcoatNormalTexture"] = normal
        return block

    def _sheen(self, material: Material) -> dict[str, Any]:
        """Tint in sRGB, roughness in alpha (KHR_materials_sheen)."""
        colour, roughness = material.value("sheen_color"), material.value("sheen_roughness")
        texture, factor = self._colour_texture(colour, ONE) or (None, _factor(colour))
        block: dict[str, Any] = {"sheenColorFactor": list(factor), "sheenRoughnessFactor": _factor(roughness)}
        if texture is not None:
            block["sheenColorTexture"] = texture
        if not isinstance(roughness, Constant):
            block["sheenRoughnessTexture"] = self._baked((Channel(ONE), Channel(ONE), Channel(ONE), Channel(roughness)))
        return block

    def _anisotropy(self, material: Material) -> dict[str, Any]:
        """Strength in blue, beside a direction of +x (KHR_materials_anisotropy)."""
        strength = material.value("anisotropy_strength")
        block: dict[str, Any] = {"anisotropyStrength": _factor(strength)}
        if not isinstance(strength, Constant):
            block["anisotropyTexture"] = self._baked((Channel(ONE), Channel(Constant(0.5)), Channel(strength)))
        if material.value("anisotropy_rotation") != Constant(0.0):
            block["anisotropyRotation"] = _number(material.value("anisotropy_rotation"))
        return block

    # Textures

    def _colour_texture(self, colour: Value, alpha: Value) -> tuple[dict[str, Any], tuple[float, float, float]] | None:
        """(texture reference, factor that stays beside it), or None where neither is a map. A map that fits as it is, is not touched."""
        if isinstance(colour, Constant) and isinstance(alpha, Constant):
            return None
        if isinstance(colour, Map) and self._fits(colour, "rgb", "srgb") and _lies_in_alpha_of(alpha, colour):
            scale = colour.scale if isinstance(colour.scale, tuple) else (colour.scale,) * 3
            if max(scale) <= 1.0:
                return self._as_it_is(colour), (scale[0], scale[1], scale[2])
        factor = _factor(colour) if isinstance(colour, Constant) else (1.0, 1.0, 1.0)
        shown = Constant((1.0, 1.0, 1.0)) if isinstance(colour, Constant) else colour
        channels = colour_channels(shown)
        return self._baked(channels if isinstance(alpha, Constant) else (*channels, Channel(alpha))), factor

    def _specular_texture(self, colour: Value) -> tuple[dict[str, Any], tuple[float, float, float]]:
        """A specular tint may exceed 1: what its map cannot hold becomes the factor beside it."""
        brightest = largest_in(colour)
        if brightest <= 1.0:
            found = self._colour_texture(colour, ONE)
            assert found is not None
            return found
        channels = tuple(Channel(colour, index, "srgb", 1.0 / brightest) for index in range(3))
        return self._baked(channels), (brightest, brightest, brightest)

    @staticmethod
    def _roughness_and_metallic(material: Material) -> list[Value]:
        """What the three channels of the texture of roughness and metallic hold: occlusion as well, where it lies in the same place."""
        occlusion, roughness, metallic = (material.value(name) for name in ("occlusion", "roughness", "metallic"))
        constant = isinstance(roughness, Constant) and isinstance(metallic, Constant)
        together = not constant and placements_of(occlusion) and placements_of(occlusion) == placements_of(roughness, metallic)
        return [occlusion if together else ONE, roughness, metallic]

    def _occlusion(self, material: Material) -> dict[str, Any] | None:
        """The occlusion texture: that of roughness and metallic where it is in it, else one of its own, of one texel for a constant."""
        packed, occlusion = self._roughness_and_metallic(material), material.value("occlusion")
        if packed[0] is occlusion:
            return self._packed(packed)
        return self._baked((Channel(occlusion),) * 3) if isinstance(occlusion, Constant) else self._packed([occlusion, ONE, ONE])

    def _packed(self, values: Sequence[Value]) -> dict[str, Any] | None:
        """Occlusion, roughness, metallic in red, green, blue; constants stay factors and are white here."""
        if all(isinstance(value, Constant) for value in values):
            return None
        kept = [ONE if isinstance(value, Constant) else value for value in values]
        packed_already = self._one_image([(value, channel) for value, channel in zip(kept, "rgb", strict=True) if value is not ONE])
        return self._as_it_is(packed_already) if packed_already else self._baked(tuple(Channel(value) for value in kept))

    def _one_image(self, placed: Sequence[tuple[Value, str]]) -> Map | None:
        """The map that already holds these values in these channels, if there is one."""
        fitting = [value for value, channel in placed if isinstance(value, Map) and self._fits(value, channel, "linear")]
        maps = [value for value in fitting if value.scale == 1.0]
        same = len(maps) == len(placed) and len({(value.image, value.transform, value.uv_set) for value in maps}) == 1
        return maps[0] if same else None

    def _normal_texture(self, value: Value) -> dict[str, Any] | None:
        """A normal map as it is where it fits, with its strength as the scale; else baked. None for a constant."""
        if isinstance(value, Constant):
            return None
        if isinstance(value, Map) and self._fits(value, "rgb", "normal") and isinstance(value.scale, (int, float)):
            return self._as_it_is(value) | ({"scale": value.scale} if value.scale != 1.0 else {})
        return self._baked(normal_channels(value))

    def _fits(self, value: Map, channels: str, encoding: str) -> bool:
        """Whether a map can be packed as it is: same channels and encoding, an image format of glTF, a placement that may be written."""
        return (
            value.channels == channels
            and value.encoding == encoding
            and value.bias == 0.0
            and not value.image.tiles
            and inspect(value.image).format in ("png", "jpeg")
            and (value.transform == IDENTITY or self._may_transform())
        )

    def _may_transform(self) -> bool:
        return TEXTURE_TRANSFORM in self.profile.extensions

    def _as_it_is(self, value: Map) -> dict[str, Any]:
        key = value.image.digest
        if key not in self.textures:
            self.textures[key] = self.texture(value.image.read(), f"image/{inspect(value.image).format}", value.image.name)
        return self.reference(self.textures[key], value.transform, value.uv_set)

    def _baked(self, channels: tuple[Channel, ...]) -> dict[str, Any]:
        """Reference to a texture whose channels are computed; the same channels on the same grid are written once."""
        values = [channel.value for channel in channels]
        tiles = max(max(tiling_of(value)) for value in values)
        grid = grid_of(values, LARGEST_TILED_EDGE // tiles if tiles > 1 else 0)
        if not self._may_transform():
            grid = untransformed(grid)
        key = (channels, grid)
        if key not in self.textures:
            lossy = self.profile.maps.lossy and len(channels) == 3 and all(channel.encoding == "srgb" for channel in channels)
            file = self.scratch / f"{len(self.textures)}.{'jpg' if lossy else 'png'}"
            self.textures[key] = self._add("textures", {"sampler": 0})
            self.unwritten.setdefault(grid, []).append((self.textures[key], Picture(file, channels)))
        return self.reference(self.textures[key], grid.transform, grid.uv_set)

    def _write_textures(self) -> None:
        """Compute the textures that a material asks for, those of one size together, since they come from the same maps."""
        for grid, asked in self.unwritten.items():
            bake([picture for _, picture in asked], grid)
            for index, picture in asked:
                mime = "image/jpeg" if picture.path.suffix == ".jpg" else "image/png"
                self.document["textures"][index]["source"] = self._image(picture.path.read_bytes(), mime, "")
                picture.path.unlink()
        self.unwritten.clear()

    def texture(self, data: bytes, mime: str, name: str) -> int:
        return self._add("textures", {"source": self._image(data, mime, name), "sampler": 0})

    def _image(self, data: bytes, mime: str, name: str) -> int:
        self.document.setdefault("samplers", [{"wrapS": 10497, "wrapT": 10497, "magFilter": 9729, "minFilter": 9987}])
        return self._add("images", {"bufferView": self._view(data), "mimeType": mime, **({"name": name} if name else {})})

    def reference(self, texture: int, transform: UvTransform, uv_set: int) -> dict[str, Any]:
        """A texture reference with its UV set and, where it is placed, its transform."""
        reference: dict[str, Any] = {"index": texture}
        if uv_set:
            reference["texCoord"] = uv_set
        if transform != IDENTITY:
            self.used.add(TEXTURE_TRANSFORM)
            block = {"offset": list(transform.offset), "rotation": transform.rotation, "scale": list(transform.scale)}
            reference["extensions"] = {TEXTURE_TRANSFORM: block}
        return reference

    # The file

    def _add(self, key: str, entry: dict[str, Any]) -> int:
        entries = self.document.setdefault(key, [])
        entries.append(entry)
        return len(entries) - 1

    def _view(self, data: bytes, **extra: Any) -> int:
        return self._add("bufferViews", {"buffer": 0, "byteOffset": self._laid(data), "byteLength": len(data), **extra})

    def _laid(self, data: bytes) -> int:
        """Where in the binary chunk the data was put."""
        self.binary.extend(b"\x00" * (-len(self.binary) % 4))
        offset = len(self.binary)
        self.binary.extend(data)
        return offset

    def packed(self) -> bytes:
        """The whole file (glTF 2.0 §4.4)."""
        self.binary.extend(b"\x00" * (-len(self.binary) % 4))
        if self.binary:
            self.document["buffers"] = [{"byteLength": len(self.binary)}]
        if self.unpacked:
            self.document["buffers"].append({"byteLength": self.unpacked, "extensions": {MESHOPT: {"fallback": True}}})
        text = json.dumps({key: value for key, value in self.document.items() if value != []}, ensure_ascii=False, allow_nan=False).encode()
        text += b" " * (-len(text) % 4)
        chunks = struct.pack("<II", len(text), JSON_CHUNK) + text
        if self.binary:
            chunks += struct.pack("<II", len(self.binary), BINARY_CHUNK) + bytes(self.binary)
        return GLB_MAGIC + struct.pack("<II", 2, 12 + len(chunks)) + chunks


def _lies_in_alpha_of(alpha: Value, colour: Map) -> bool:
    """Whether a colour's own image says this opacity in its alpha, so that one texture serves both."""
    if isinstance(alpha, Constant):
        return inspect(colour.image).channels in (1, 3)
    return (
        isinstance(alpha, Map)
        and alpha.image == colour.image
        and alpha.channels == "a"
        and alpha.transform == colour.transform
        and alpha.scale == 1.0
        and alpha.bias == 0.0
    )


def _factor(value: Value) -> Any:
    """What stands beside a texture: the constant, or 1 where a map says it all."""
    if isinstance(value, Constant):
        return value.value if isinstance(value.value, tuple) else float(value.value)
    return 1.0


def _mean_colour(value: Value) -> tuple[float, ...]:
    """The constant, or the mean of a map where the format takes none."""
    colour = value.value if isinstance(value, Constant) else mean_of(value)
    assert isinstance(colour, tuple)
    return colour


def _number(value: Value) -> float:
    return float(value.value) if isinstance(value, Constant) and not isinstance(value.value, (str, tuple)) else 1.0


VARIANTS, MESHOPT, TEXTURE_TRANSFORM = "KHR_materials_variants", "EXT_meshopt_compression", "KHR_texture_transform"


def _point_variants(primitive: dict[str, Any], indices: Mapping[int, int]) -> None:
    """Point a primitive's variants at the new materials; one whose material is not written is shown as without it."""
    block = primitive.get("extensions", {}).get(VARIANTS)
    if not isinstance(block, dict) or not isinstance(block.get("mappings"), list):
        return
    known = [one for one in block["mappings"] if isinstance(one, dict) and one.get("material") in indices]
    block["mappings"] = [{**one, "material": indices[one["material"]]} for one in known]
    if not known:
        del primitive["extensions"][VARIANTS]
        if not primitive["extensions"]:
            del primitive["extensions"]


def _replace_key(node: Any, key: str, change: Callable[[int], int]) -> None:
    """Change every whole number that stands under a key, anywhere below a node of the document but in extras, which are nobody's but their
    writer's."""
    if isinstance(node, dict):
        for name, child in node.items():
            if name == "extras":
                continue
            if name == key and isinstance(child, int):
                node[name] = change(child)
            else:
                _replace_key(child, key, change)
    elif isinstance(node, list):
        for child in node:
            _replace_key(child, key, change)


def _is_mentioned(document: Mapping[str, Any], extension: str) -> bool:
    return any(_mentions(value, extension) for key, value in document.items() if key not in ("extensionsUsed", "extensionsRequired"))


def _mentions(node: Any, name: str) -> bool:
    if isinstance(node, dict):
        return name in node or any(_mentions(child, name) for child in node.values())
    return isinstance(node, list) and any(_mentions(child, name) for child in node)
