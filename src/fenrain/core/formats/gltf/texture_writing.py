"""Textures of a GLB: maps as they are where glTF takes them so, else computed and packed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from fenrain.core.formats.gltf.glb_file import TEXTURE_TRANSFORM, GlbFile
from fenrain.core.formats.holding import largest_in
from fenrain.core.maps.bake import Channel, Picture, colour_channels, normal_channels
from fenrain.core.maps.bake import bake as bake_pictures
from fenrain.core.maps.image import inspect
from fenrain.core.maps.texels import LARGEST_TILED_EDGE, Grid, grid_of, untransformed
from fenrain.core.material import Material
from fenrain.core.models.target import Profile
from fenrain.core.values import Constant, Map, Value, Wrap, placements_of, tiling_of

ONE = Constant(1.0)


@dataclass
class TextureWriter:
    """Adds textures to a GLB. textures: indices of those that were asked for, by what they hold; images: of those that are kept as they
    are, by digest; unwritten: (index, picture) of textures that are still to be computed, by their grid."""

    glb: GlbFile
    profile: Profile
    scratch: Path
    textures: dict[Any, int] = field(default_factory=dict)
    images: dict[str, int] = field(default_factory=dict)
    unwritten: dict[Grid, list[tuple[int, Picture]]] = field(default_factory=dict)

    def colour(self, colour: Value, alpha: Value) -> tuple[dict[str, Any], tuple[float, float, float]] | None:
        """(texture reference, factor that stays beside it), or None where neither is a map. A map that fits as it is, is not touched."""
        if isinstance(colour, Constant) and isinstance(alpha, Constant):
            return None
        if isinstance(colour, Map) and self._fits(colour, "rgb", "srgb") and _lies_in_alpha_of(alpha, colour):
            scale = colour.scale if isinstance(colour.scale, tuple) else (colour.scale,) * 3
            if max(scale) <= 1.0:
                return self._as_it_is(colour), (scale[0], scale[1], scale[2])
        factor = factor_of(colour) if isinstance(colour, Constant) else (1.0, 1.0, 1.0)
        shown = Constant((1.0, 1.0, 1.0)) if isinstance(colour, Constant) else colour
        channels = colour_channels(shown)
        return self.bake(channels if isinstance(alpha, Constant) else (*channels, Channel(alpha))), factor

    def specular(self, colour: Value) -> tuple[dict[str, Any], tuple[float, float, float]]:
        """A specular tint may exceed 1: what its map cannot hold becomes the factor beside it."""
        brightest = largest_in(colour)
        if brightest <= 1.0:
            found = self.colour(colour, ONE)
            assert found is not None
            return found
        channels = tuple(Channel(colour, index, "srgb", 1.0 / brightest) for index in range(3))
        return self.bake(channels), (brightest, brightest, brightest)

    def occlusion(self, material: Material) -> dict[str, Any] | None:
        """The occlusion texture: that of roughness and metallic where it is in it, else one of its own, of one texel for a constant."""
        packed, occlusion = roughness_and_metallic(material), material.value("occlusion")
        if packed[0] is occlusion:
            return self.pack(packed)
        return self.bake((Channel(occlusion),) * 3) if isinstance(occlusion, Constant) else self.pack([occlusion, ONE, ONE])

    def pack(self, values: Sequence[Value]) -> dict[str, Any] | None:
        """Occlusion, roughness, metallic in red, green, blue; constants stay factors and are white here."""
        if all(isinstance(value, Constant) for value in values):
            return None
        kept = [ONE if isinstance(value, Constant) else value for value in values]
        packed_already = self._one_image([(value, channel) for value, channel in zip(kept, "rgb", strict=True) if value is not ONE])
        return self._as_it_is(packed_already) if packed_already else self.bake(tuple(Channel(value) for value in kept))

    def _one_image(self, placed: Sequence[tuple[Value, str]]) -> Map | None:
        """The map that already holds these values in these channels, if there is one."""
        fitting = [value for value, channel in placed if isinstance(value, Map) and self._fits(value, channel, "linear")]
        maps = [value for value in fitting if value.scale == 1.0]
        same = len(maps) == len(placed) and len({(value.image, value.placement, value.uv_set) for value in maps}) == 1
        return maps[0] if same else None

    def normal(self, value: Value) -> dict[str, Any] | None:
        """A normal map as it is where it fits, with its strength as the scale; else baked. None for a constant."""
        if isinstance(value, Constant):
            return None
        if isinstance(value, Map) and self._fits(value, "rgb", "normal") and isinstance(value.scale, (int, float)):
            return self._as_it_is(value) | ({"scale": value.scale} if value.scale != 1.0 else {})
        return self.bake(normal_channels(value))

    def _fits(self, value: Map, channels: str, encoding: str) -> bool:
        """Whether a map can be packed as it is: same channels and encoding, an image format of glTF, a placement that may be written."""
        return (
            value.channels == channels
            and value.encoding == encoding
            and value.bias == 0.0
            and not value.image.tiles
            and inspect(value.image).format in ("png", "jpeg")
            and Wrap.BLACK not in value.placement.wrap
            and (not value.placement.moves or self._may_transform())
        )

    def _may_transform(self) -> bool:
        return TEXTURE_TRANSFORM in self.profile.extensions

    def _as_it_is(self, value: Map) -> dict[str, Any]:
        digest, sampler = value.image.digest, self.glb.sampler(value.placement)
        key = (digest, sampler)
        if key not in self.textures:
            if digest not in self.images:
                mime = f"image/{inspect(value.image).format}"
                self.images[digest] = self.glb.image(value.image.read(), mime, value.image.name)
            self.textures[key] = self.glb.add("textures", {"source": self.images[digest], "sampler": sampler})
        return self.glb.reference(self.textures[key], value.placement, value.uv_set)

    def bake(self, channels: tuple[Channel, ...]) -> dict[str, Any]:
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
            self.textures[key] = self.glb.add("textures", {"sampler": self.glb.sampler(grid.placement)})
            self.unwritten.setdefault(grid, []).append((self.textures[key], Picture(file, channels)))
        return self.glb.reference(self.textures[key], grid.placement, grid.uv_set)

    def write(self) -> None:
        """Compute the textures that a material asks for, those of one size together, since they come from the same maps."""
        for grid, asked in self.unwritten.items():
            bake_pictures([picture for _, picture in asked], grid)
            for index, picture in asked:
                mime = "image/jpeg" if picture.path.suffix == ".jpg" else "image/png"
                self.glb.document["textures"][index]["source"] = self.glb.image(picture.path.read_bytes(), mime, "")
                picture.path.unlink()
        self.unwritten.clear()


def roughness_and_metallic(material: Material) -> list[Value]:
    """What the three channels of the texture of roughness and metallic hold: occlusion as well, where it lies in the same place."""
    occlusion, roughness, metallic = (material.value(name) for name in ("occlusion", "roughness", "metallic"))
    constant = isinstance(roughness, Constant) and isinstance(metallic, Constant)
    together = not constant and placements_of(occlusion) and placements_of(occlusion) == placements_of(roughness, metallic)
    return [occlusion if together else ONE, roughness, metallic]


def _lies_in_alpha_of(alpha: Value, colour: Map) -> bool:
    """Whether a colour's own image says this opacity in its alpha, so that one texture serves both."""
    if isinstance(alpha, Constant):
        return inspect(colour.image).channels in (1, 3)
    return (
        isinstance(alpha, Map)
        and alpha.image == colour.image
        and alpha.channels == "a"
        and alpha.placement == colour.placement
        and alpha.scale == 1.0
        and alpha.bias == 0.0
    )


def factor_of(value: Value) -> Any:
    """What stands beside a texture: the constant, or 1 where a map says it all."""
    if isinstance(value, Constant):
        return value.value if isinstance(value.value, tuple) else float(value.value)
    return 1.0
