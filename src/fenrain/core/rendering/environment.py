"""A picture of surroundings that somebody took, as a rig: read, brought to the size of skies, and scaled so that white is white."""

from __future__ import annotations

import numpy as np

from fenrain.core.errors import ImageError
from fenrain.core.maps.image import inspect, resized
from fenrain.core.rendering.rigs.registry import OPENED, SKY_HEIGHT, Rig, sky_directions
from fenrain.core.values import Image

PREFIX = "image-"
"""How ids of such rigs begin; the digest of the file follows."""
LAMPS_ABOVE = 8.0
"""Times the mean radiance: what is brighter counts as a lamp."""
BRIGHTEST = 1e6
MOST_OFF = 0.02
"""How far the sides of a latitude-longitude picture may be from two to one."""


def rig_id_of(image: Image) -> str:
    return f"{PREFIX}{image.digest[:20]}"


def open_environment(image: Image) -> Rig:
    """The rig of a latitude-longitude picture in linear light (OpenEXR, Radiance HDR), y up, its middle towards the camera's side and a
    quarter from its left edge to the right of the scene, as the OpenEXR library's environment maps are laid out.

    Its light is scaled so that a white surface turned to it has a radiance of 1, as under every rig; where it counts is said. Raises
    ImageError, ImageTooLargeError, MissingFileError.
    """
    sky, scale = _scaled(_read(image), image.name)
    lamp = _is_lamp(sky)
    lamps, surroundings = np.where(lamp, sky, 0.0), np.where(lamp, 0.0, sky)
    says = f"own surroundings, their light × {scale:.3g}"
    return OPENED.keep(Rig(rig_id_of(image), image.name, says, 100, lambda _: surroundings, lambda _: lamps, stands_by=True))


def _read(image: Image) -> np.ndarray:
    """(512, 1024, 3) float64, 0 and above."""
    info = inspect(image)
    if info.depth not in ("half", "float") and info.format != "hdr":
        raise ImageError(
            f"“{image.name}” holds {info.depth} texels, which end at white: no lamp shows in them.",
            place=image.name,
            remedy="Upload surroundings as OpenEXR or Radiance HDR.",
        )
    if abs(info.width / info.height - 2.0) > MOST_OFF:
        raise ImageError(
            f"“{image.name}” is {info.width} × {info.height}; surroundings are twice as wide as high (latitude-longitude).",
            place=image.name,
            remedy="Export it as a latitude-longitude picture.",
        )
    texels = resized(image, "linear", 2 * SKY_HEIGHT, SKY_HEIGHT).astype(float)
    texels = texels[..., :3] if texels.shape[-1] >= 3 else np.repeat(texels[..., :1], 3, axis=-1)
    if not np.isfinite(texels).all():
        raise ImageError(
            f"“{image.name}” has texels that are not numbers.", place=image.name, remedy="Render or stitch it again without them."
        )
    return np.asarray(np.clip(texels, 0.0, BRIGHTEST))


def _scaled(sky: np.ndarray, name: str) -> tuple[np.ndarray, float]:
    """(the sky, what it was multiplied with) so that white turned to the light sends back 1."""
    theta = (np.arange(SKY_HEIGHT) + 0.5) / SKY_HEIGHT * np.pi
    light = sky.mean(axis=-1) * (np.sin(theta) * (np.pi / SKY_HEIGHT) ** 2)[:, None]
    directions = sky_directions()
    axis = (light[..., None] * directions).sum(axis=(0, 1))
    length = float(np.linalg.norm(axis))
    axis = axis / length if length > 1e-9 * light.sum() else np.array([0.0, 1.0, 0.0])
    irradiance = float((light * np.maximum(directions @ axis, 0.0)).sum())
    if irradiance <= 0.0:
        raise ImageError(f"“{name}” is black.", place=name, remedy="Upload surroundings that send light.")
    return sky * (np.pi / irradiance), np.pi / irradiance


def _is_lamp(sky: np.ndarray) -> np.ndarray:
    light = sky.mean(axis=-1, keepdims=True)
    return np.asarray(light > LAMPS_ABOVE * light.mean())
