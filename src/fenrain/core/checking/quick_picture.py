"""A small picture of a material in a few milliseconds: what its surface sends of a room, without light paths."""

from __future__ import annotations

from dataclasses import replace
from functools import cache

import numpy as np

from fenrain.core.checking.input_findings.registry import small_texels
from fenrain.core.checking.metrics.registry import delta_e_of_pictures
from fenrain.core.colour import linear_to_srgb, srgb_to_linear
from fenrain.core.errors import FenrainError
from fenrain.core.maps.caching import kept
from fenrain.core.maps.image import png_bytes
from fenrain.core.maps.texels import Grid, Texels
from fenrain.core.material import Material
from fenrain.core.rendering.png import pair_pngs
from fenrain.core.surfaces import texel_surface
from fenrain.core.values import Image, Map, with_maps

EDGE = 36
SAMPLES = 14
"""Directions for each pixel; what they see is smooth, so that few are enough."""
GROUND = 0.18
"""What is seen beside the sphere and through it."""
BRIGHTEST = 8.0
"""What a single direction may bring, so that none stands out as a spark."""


def quick_picture(material: Material, edge: int = EDGE) -> np.ndarray:
    """The look, (edge, edge, 3), encoded sRGB: a sphere in a bright room with a window. Maps lie on the picture as on the sphere's front;
    what is clear shows the ground. The same material gives the same picture. Raises ImageError where a map is damaged.
    """
    normals, seen = _sphere(edge)
    material = _with_small_maps(material)
    with Texels(Grid(edge, edge)) as texels:
        surface = texel_surface(material, texels)
    frame = _frame(normals)
    view = np.einsum("ijn,j->in", frame, np.array([0.0, 0.0, 1.0]))
    total = np.zeros((3, edge * edge))
    with np.errstate(all="ignore"):
        shares = surface.shares(view)
        for choice, u1, u2 in _numbers():
            light = np.asarray(surface.sample(view, choice, u1, u2, shares), dtype=float)
            brought = np.asarray(surface.evaluate(light, view), dtype=float) / np.asarray(surface.pdf(light, view, shares), dtype=float)
            total += np.clip(np.nan_to_num(brought), 0.0, BRIGHTEST) * _room(np.einsum("ijn,in->jn", frame, light), light[2])
    total = total / SAMPLES + np.broadcast_to(np.asarray(surface.emission, dtype=float), total.shape)
    opacity = np.clip(np.broadcast_to(np.asarray(surface.opacity, dtype=float), total.shape), 0.0, 1.0)
    shown = np.where(seen, total * opacity + GROUND * (1.0 - opacity), GROUND)
    return linear_to_srgb(np.clip(shown.T.reshape(edge, edge, 3), 0.0, 1.0))


def quick_pair(original: Material, converted: Material, edge: int) -> dict[str, bytes]:
    """Both looks and their difference as PNGs by what each shows; none where one of them cannot be drawn."""
    try:
        first, second = (srgb_to_linear(quick_picture(material, edge)) for material in (original, converted))
    except FenrainError:
        return {}
    return pair_pngs(first, second, delta_e_of_pictures(first, second))


def _with_small_maps(material: Material) -> Material:
    """The material with a few texels picked from each of its maps, so that a large map is not averaged for a picture this small."""
    values = {name: with_maps(value, _small) for name, value in material.values.items()}
    return replace(material, values=values, parts=tuple(map(_with_small_maps, material.parts)))


@kept(16 << 20, lambda small: len(small.image.data))
def _small(value: Map) -> Map:
    picked = Image(value.image.name, data=png_bytes(small_texels(value.image)))
    return replace(value, image=picked)


def quick_png(material: Material) -> bytes:
    """The same as a PNG; of a material that cannot be drawn, the ground alone."""
    try:
        return png_bytes(quick_picture(material))
    except FenrainError:
        return png_bytes(np.full((EDGE, EDGE, 3), float(linear_to_srgb(np.asarray(GROUND)))))


@cache
def _sphere(edge: int) -> tuple[np.ndarray, np.ndarray]:
    """(normals (3, n), whether the sphere is seen there (n,)), rows from above."""
    steps = (np.arange(edge) + 0.5) / edge * 2.0 - 1.0
    x, y = (axis.ravel() * 1.06 for axis in np.meshgrid(steps, -steps))
    squared = x * x + y * y
    seen = squared < 1.0
    z = np.sqrt(np.maximum(1.0 - squared, 0.0))
    return np.where(seen, np.stack([x, y, z]), np.array([[0.0], [0.0], [1.0]])), seen


@cache
def _numbers() -> tuple[tuple[float, float, float], ...]:
    """For each sample what picks the part, and two numbers for the direction (R3 sequence, Roberts 2018): the same at every pixel, so that
    nothing is grainy."""
    numbers = (0.5 + np.arange(1, SAMPLES + 1)[:, None] * np.array([0.8191725134, 0.6710436067, 0.5497004779])) % 1.0
    return tuple((float(choice), float(u1), float(u2)) for choice, u1, u2 in numbers)


def _room(towards: np.ndarray, cosine: np.ndarray) -> np.ndarray:
    """Light from directions of the scene (3, n): a ground, walls that are brighter above, a window. cosine: below 0 it comes through."""
    up, right, front = towards[1], towards[0], towards[2]
    walls = 0.3 + 0.35 * np.clip(up + 0.2, 0.0, 1.0)
    window = 4.0 * np.clip((0.4 - np.maximum(np.abs(right + 0.45), np.abs(up - 0.55))) / 0.12, 0.0, 1.0) * (front > 0.0)
    return np.where(cosine > 0.0, walls + window, GROUND)


def _frame(normals: np.ndarray) -> np.ndarray:
    """The axes of the frame of each normal, in the scene, (3, 3, n): tangent to the right, bitangent, normal."""
    tangent = np.stack([normals[2], np.zeros_like(normals[0]), -normals[0]])
    tangent = tangent / np.maximum(np.linalg.norm(tangent, axis=0), 1e-9)
    return np.stack([tangent, np.cross(normals, tangent, axis=0), normals])
