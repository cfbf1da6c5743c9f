"""A material's values as the engine holds them: opaque constants, textures, and its relief as a texture of normals."""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from fenrain.core.lobes.aspects import CUT_OUT, RELIEF
from fenrain.core.lobes.surface import Relief, Surface
from fenrain.core.maps.caching import kept
from fenrain.core.maps.flakes import Flakes, flakes_of
from fenrain.core.maps.texels import Grid, Texels, grid_of, sampled, transformed
from fenrain.core.material import Material
from fenrain.core.models.parameter import Kind, Parameter, Role
from fenrain.core.models.registry import Model, model_of
from fenrain.core.optics.arrays import is_colour, is_whole
from fenrain.core.optics.bump import blend_normals, bumped, normalised
from fenrain.core.rendering.engine import dr, mi
from fenrain.core.rendering.stands.registry import Spans
from fenrain.core.surfaces import flake_numbers, texel_surface, with_flakes_drawn
from fenrain.core.values import Constant, Placement, Value, Wrap, is_drawn

EVEN = np.array([0.0, 0.0, 1.0])
FLATTEST = 1e-4
"""Slopes below this are none."""
TEXTURE_BYTES = 256 << 20
"""Of textures of the engine that are kept."""
Repeats = tuple[float, float]
ONCE = (1.0, 1.0)


class Texture:
    """Texels (h, w, channels) as the engine shows them, placed and going on as their grid says. tiles: how often they lie on a step of u
    and of v."""

    def __init__(self, texels: np.ndarray, grid: Grid, tiles: Repeats = ONCE) -> None:
        wrap = grid.placement.wrap
        self._matrix = _uv_matrix(grid.placement) @ mi.ScalarTransform3f().scale(list(tiles))
        self._folded = None if wrap[0] is wrap[1] else tuple(zip(wrap, (grid.width, grid.height), strict=True))
        unplaced = {"wrap_mode": "repeat", "to_uv": mi.ScalarTransform3f()} if self._folded else {}
        self._texels = mi.load_dict(as_bitmap(texels, grid, tiles) | unplaced)
        self.bytes = 4 * int(np.prod(mi.traverse(self._texels)["data"].shape))

    def eval(self, si: Any, active: Any = True) -> Any:
        return self._texels.eval(self._shown(si), active)

    def eval_1(self, si: Any, active: Any = True) -> Any:
        return self._texels.eval_1(self._shown(si), active)

    def eval_3(self, si: Any, active: Any = True) -> Any:
        return self._texels.eval_3(self._shown(si), active)

    def _shown(self, si: Any) -> Any:
        """The place with coordinates within the texels, where these go on differently along u and v: the engine knows one way for both."""
        if self._folded is None:
            return si
        found = dr.copy(si)
        rows = np.array(self._matrix.matrix, dtype=float)[:2].tolist()
        placed = (si.uv.x * across + si.uv.y * down + shift for across, down, shift in rows)
        found.uv = mi.Point2f(*(_folded(place, *axis) for place, axis in zip(placed, self._folded, strict=True)))
        return found


def _folded(place: Any, wrap: Wrap, count: int) -> Any:
    """A coordinate of a texture as one between its outermost texels."""
    if wrap is Wrap.REPEAT:
        return place
    if wrap is Wrap.MIRROR:
        place = 1.0 - dr.abs(place - 2.0 * dr.floor(0.5 * place) - 1.0)
    return dr.clip(place, 0.5 / count, 1.0 - 0.5 / count)


@dataclass(frozen=True)
class Operands:
    """The values of a material as the engine holds them; of a mix, those of its parts too. painted: those that are looked up by the mirror
    direction."""

    model: Model
    constants: dict[str, Any]
    textures: dict[str, tuple[Any, int]]
    painted: dict[str, Any]
    parts: tuple[Operands, ...]
    unit: float = 1.0

    def surface(self, si: Any, active: Any) -> Surface:
        """The material's surface at a place of the scene."""
        values = dict(self.constants)
        for name, (texture, channels) in self.textures.items():
            values[name] = texture.eval(si, active) if channels == 3 else texture.eval_1(si, active)
        if self.painted:
            towards = _mirrored(si)
            values |= {name: texture.eval(towards, active) for name, texture in self.painted.items()}
        view = self.model.view(values)
        view.up, view.parts = si.sh_frame.n.y, tuple(part.surface(si, active) for part in self.parts)
        return counted_in(self.model.surface(view), self.unit)


def counted_in(surface: Surface, unit: float) -> Surface:
    """The surface with its lengths in scene units. unit: scene units to which one of its own comes."""
    if unit == 1.0:
        return surface
    inside = surface.interior
    if inside is not None:
        inside = replace(inside, absorption=inside.absorption / unit, scattering=inside.scattering / unit)
    return replace(surface, interior=inside, displacement=surface.displacement * unit)


def _mirrored(si: Any) -> Any:
    """The place with the mirror direction as its u and v, on a picture of surroundings that is laid out as a rig's sky."""
    towards = si.to_world(mi.Vector3f(-si.wi.x, -si.wi.y, dr.abs(si.wi.z)))
    across = dr.atan2(towards.x, -towards.z) * (0.5 / math.pi)
    found = dr.copy(si)
    found.uv = mi.Point2f(across - dr.floor(across), dr.safe_acos(towards.y) / math.pi)
    return found


def operands_of(material: Material, edge: int, spans: Spans) -> Operands:
    """Every value of the material but its normals, which bend the surface and not its lobes. edge: largest of a texture, in texels; spans:
    what its lengths are measured by."""
    material = with_flakes_drawn(material)
    model = model_of(material.model)
    constants: dict[str, Any] = {}
    textures: dict[str, tuple[Any, int]] = {}
    painted: dict[str, Any] = {}
    tiles = _tiles(material, spans)
    for parameter in model.parameters:
        value = material.value(parameter.name)
        if parameter.kind is Kind.NORMAL:
            constants[parameter.name] = None
        elif isinstance(value, Constant):
            constants[parameter.name] = _opaque(parameter, value)
        elif parameter.role is Role.PAINTED_REFLECTION:
            painted[parameter.name] = _texture(value, parameter.channels, edge, ONCE, ONCE)
        else:
            repeats = ONCE if is_drawn(value) else tiles
            textures[parameter.name] = (_texture(value, parameter.channels, edge, repeats, spans[:2]), parameter.channels)
    parts = tuple(operands_of(part, edge, spans._replace(unit=1.0)) for part in material.parts)
    return Operands(model, constants, textures, painted, parts, spans.unit)


def _tiles(material: Material, spans: Spans) -> Repeats:
    """How often maps lie on a step of u and of v, where the material states the size of a tile in metres."""
    by_role = model_of(material.model).by_role
    sizes = [material.value(by_role[role].name) if role in by_role else None for role in (Role.TILE_WIDTH, Role.TILE_HEIGHT)]
    width, height = (float(size.value) if isinstance(size, Constant) else 0.0 for size in sizes)  # type: ignore[arg-type]
    return spans[0] / width if width > 0.0 else 1.0, spans[1] / height if height > 0.0 else 1.0


def _flakes(material: Material) -> Flakes | None:
    """The pattern of a material's flakes; None where it has none, or where a map says how many there are: their mean is drawn then."""
    numbers = flake_numbers(material)
    return None if numbers is None else flakes_of(**numbers)


def _opaque(parameter: Parameter, value: Constant) -> Any:
    """A constant as a value that the engine does not compile in, so that another number needs no new kernel. 0, 1 and black
    stay plain, so that a surface leaves out what is not there."""
    if parameter.is_plain:
        return value.value
    if value.value in (0, 1) and parameter.kind is Kind.NUMBER:
        return float(value.value)
    if value.value == (0.0, 0.0, 0.0):
        return mi.Color3f(0.0)
    held = mi.Color3f(*value.value) if isinstance(value.value, tuple) else mi.Float(float(value.value))
    dr.make_opaque(held)
    return held


NormalTexels = tuple[np.ndarray, Grid, Repeats]
"""Stored normals 0…1, (h, w, 3), and how they lie."""


def normal_texels(material: Material, edge: int, spans: Spans) -> NormalTexels | None:
    """The surface's relief, and its flakes; None where it is even."""
    return reliefs_of(material, edge, spans)[0]


def reliefs_of(material: Material, edge: int, spans: Spans) -> tuple[NormalTexels | None, dict[str, NormalTexels | None]]:
    """(the surface's relief with its flakes; by name, the reliefs that some parts follow in its place, where they are others), None for one
    that is even."""
    surface, grid = over_texels(material, edge, (RELIEF,))
    tiles = _times(_tiles(material, spans), grid.placement.repeats(spans[:2]))
    normals, pattern = _normals(surface.relief, grid), _flakes(material)
    whole = _stored(normals, grid, tiles)
    if pattern is not None:
        whole = _leaning(pattern, normals, grid) * 0.5 + 0.5, Grid(*pattern.mask.shape), ONCE
    answers = surface.answers
    parts = surface.parts if answers is None else (*surface.parts, *answers.to_surroundings, *answers.to_lamps)
    apart = {}
    for name in sorted({part.bent_by for part in parts if part.bent_by}):
        own = _normals(surface.reliefs[name], grid)
        difference = np.abs((EVEN if normals is None else normals) - (EVEN if own is None else own)).max()
        if pattern is not None or float(difference) > FLATTEST:
            apart[name] = _stored(own, grid, tiles)
    return whole, apart


def _stored(normals: np.ndarray | None, grid: Grid, tiles: Repeats) -> NormalTexels | None:
    if normals is None or float(np.abs(normals[..., :2]).max()) < FLATTEST:
        return None
    return normals * 0.5 + 0.5, grid, tiles


def _leaning(pattern: Flakes, normals: np.ndarray | None, grid: Grid) -> np.ndarray:
    """The normals of flakes laid over those of the surface, which lie on a grid of their own."""
    if normals is None:
        return pattern.normals
    edge = len(pattern.mask)
    across, down = transformed(grid.placement, *np.meshgrid((np.arange(edge) + 0.5) / edge, (np.arange(edge) + 0.5) / edge))
    nearest = replace(grid.placement, smooth=False)
    return blend_normals(sampled(np.broadcast_to(normals, (grid.height, grid.width, 3)), nearest, across, down), pattern.normals)


def opens(material: Material, edge: int) -> bool:
    """Whether something shows through the surface anywhere."""
    # By the values themselves: on the engine's side a white opacity is a colour like any other.
    surface, _ = over_texels(material, edge, (CUT_OUT,))
    return not is_whole(surface.opacity)


def _normals(reliefs: tuple[Relief, ...], grid: Grid) -> np.ndarray | None:
    """Unit normals (h, w, 3) of all reliefs by their shares."""
    total = np.zeros((grid.height, grid.width, 3))
    for relief in reliefs:
        total = total + image_of(relief.share, grid) * bumped(
            EVEN if relief.normal is None else image_of(relief.normal, grid),
            image_of(relief.normal_strength, grid),
            image_of(relief.height, grid),
            EVEN if relief.detail_normal is None else image_of(relief.detail_normal, grid),
            image_of(relief.detail_mask, grid),
        )
    return normalised(total) if reliefs else None


def image_of(operand: Any, grid: Grid) -> np.ndarray:
    """Lobes' operands over texels as an image with channels last, (h, w, 3) or (h, w, 1); constants as (3,) or (1,)."""
    array = np.asarray(operand, dtype=float)
    channels = 3 if is_colour(array) else 1
    columns = array.reshape(channels, -1)
    return columns[:, 0] if columns.shape[1] == 1 else columns.T.reshape(grid.height, grid.width, channels)


def over_texels(material: Material, edge: int, groups: Collection[str]) -> tuple[Surface, Grid]:
    """The surface over the texels of the values that belong to these aspects, and of those that blend a mix; the others at their mean."""
    grid = grid_of(_read(material, groups), edge)
    with Texels(grid) as texels:
        return texel_surface(material, texels, groups), grid


def _read(material: Material, groups: Collection[str]) -> list[Value]:
    model = model_of(material.model)
    own = [value for name, value in material.values.items() if material.parts or model.parameter(name).group in groups]
    return own + [value for part in material.parts for value in _read(part, groups)]


@kept(TEXTURE_BYTES, lambda texture: texture.bytes)
def _texture(value: Value, channels: int, edge: int, tiles: Repeats, spans: Repeats) -> Texture:
    """tiles: how often it lies on a step of u and of v; spans: the metres of these, for maps that have a size of their own."""
    grid = grid_of([value], edge)
    with Texels(grid) as texels:
        found = np.asarray(texels.full(value, 0, grid.height, channels))
    if is_drawn(value):
        # Nothing is in between a flake and none.
        grid = replace(grid, placement=replace(grid.placement, smooth=False))
    return Texture(found, grid, _times(tiles, grid.placement.repeats(spans)))


def _times(first: Repeats, second: Repeats) -> Repeats:
    return first[0] * second[0], first[1] * second[1]


def as_bitmap(texels: np.ndarray, grid: Grid, tiles: Repeats = ONCE) -> dict[str, Any]:
    """Texels (h, w, channels) as the engine's own texture, which goes on along v as it does along u."""
    return {
        "type": "bitmap",
        "bitmap": mi.Bitmap(np.array(texels, dtype=np.float32, order="C")),
        "raw": True,
        "wrap_mode": str(grid.placement.wrap[0]),
        "filter_type": "bilinear" if grid.placement.smooth else "nearest",
        "to_uv": _uv_matrix(grid.placement) @ mi.ScalarTransform3f().scale(list(tiles)),
    }


def _uv_matrix(placement: Placement) -> Any:
    c, s = math.cos(placement.rotation), math.sin(placement.rotation)
    (ou, ov), (su, sv) = placement.offset, placement.scale
    return mi.ScalarTransform3f([[c * su, s * sv, ou], [-s * su, c * sv, ov], [0.0, 0.0, 1.0]])
