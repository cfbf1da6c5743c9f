"""What stands still while materials change: the stand, its ground and props, the camera, and what lights them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Any

import numpy as np

from fenrain.core.geometry import Mesh, box, joined
from fenrain.core.rendering.engine import dr, held, held_table, held_vector, mi
from fenrain.core.rendering.random_numbers import Numbers, means
from fenrain.core.rendering.sky import Sky
from fenrain.core.rendering.stands.registry import GROUND_REACH, TILES, Prop, stand_of

LIT_REACH, LIT_EDGE, LIT_SAMPLES = 5.0, 128, 16
"""The ground's light is kept on a grid of so many places over this reach to each side, from so many samples each; further out it is that of
the edge."""


@dataclass(frozen=True)
class View:
    """What a picture is taken of: rig, how far it is turned (degrees about the vertical), stand, edge in pixels, and the aspects
    shown (all where empty)."""

    rig: str = "soft_studio"
    stand: str = "sphere"
    turn: float = 0.0
    size: int = 128
    aspects: tuple[str, ...] = ()


_NOWHERE: Any = dr.zeros(mi.SurfaceInteraction3f)
_NOWHERE.t = dr.inf


class Stage:
    """The stand's mesh above its ground, with the props beside it, seen by the stand's camera on so many pixels each way.

    props: None where there are none; convex: nothing that leaves the body meets it or a prop again.
    """

    def __init__(self, stand_id: str, size: int, mesh: Mesh | None = None, dressed: tuple[str, ...] = ()) -> None:
        """mesh: in place of the stand's own; dressed: names of materials that lie on props, which then are bodies of their own."""
        stand = stand_of(stand_id)
        self.floor, self.convex = held(stand.floor), stand.convex and mesh is None
        self.body, self.props = _scenes(stand_id, dressed)
        others: tuple[Any, Any] = _others(stand_id, dressed) if dressed else (None, None)
        self.others, self._whose = others
        self.is_moved = mesh is not None
        if mesh is not None:
            self.body = _scene([mesh])
        self.size, self._edge, self._size = size, dr.opaque(mi.UInt32, size), held(size)
        eye, target = (np.array(place) for place in stand.camera)
        forward = (target - eye) / np.linalg.norm(target - eye)
        right = np.cross(forward, [0.0, 1.0, 0.0])
        right *= np.tan(np.radians(stand.field_of_view) / 2) / np.linalg.norm(right)
        up = np.cross(right, forward)
        forward = forward + stand.shift[0] * right + stand.shift[1] * up
        self._eye, self._forward, self._right, self._up = (held_vector(axis) for axis in (eye, forward, right, up))

    def rays(self, pixels: Any, numbers: Any) -> Any:
        """Rays through places within pixels; numbers: the place, 0…1 both ways."""
        across = (mi.Float(pixels % self._edge) + numbers.x) / self._size * 2.0 - 1.0
        down = (mi.Float(pixels // self._edge) + numbers.y) / self._size * 2.0 - 1.0
        return mi.Ray3f(mi.Point3f(self._eye), dr.normalize(self._forward + self._right * across - self._up * down))

    def ground_distance(self, origin: Any, direction: Any) -> Any:
        """How far along a ray the ground is met, infinity where it is not."""
        distance = (self.floor - origin.y) / direction.y
        x, z = origin.x + distance * direction.x, origin.z + distance * direction.z
        met = (direction.y < 0.0) & (distance > 1e-5) & (dr.maximum(dr.abs(x), dr.abs(z)) < GROUND_REACH)
        return dr.select(met, distance, dr.inf)

    def blocks(self, ray: Any, active: Any, *, leaving: bool = False) -> Any:
        """Whether anything stands between a place and the light that comes along the ray, all bodies taken for closed. leaving: the place
        is on the look's body, and the ray leads away from it."""
        blocked = self.blocks_beside(ray, active)
        for scene in (self.others, None if leaving and self.convex else self.body):
            if scene is not None:
                blocked |= scene.ray_test(ray, active & ~blocked)
        return blocked

    def blocks_beside(self, ray: Any, active: Any) -> Any:
        """The same of ground and props alone."""
        blocked = self.ground_distance(ray.o, ray.d) < dr.inf
        return blocked if self.props is None else blocked | self.props.ray_test(ray, active & ~blocked)

    def meets_bodies(self, ray: Any, active: Any) -> tuple[Any, Any]:
        """(the place on the body that a ray comes to, which body it is: 0 for the look's), whatever stands beside."""
        at, which = self.body.ray_intersect(ray, mi.RayFlags.All, False, active), mi.UInt32(0)
        if self.others is None:
            return at, which
        other = self.others.ray_intersect(ray, mi.RayFlags.All, False, active)
        nearer = active & other.is_valid() & ~(other.t >= dr.select(at.is_valid(), at.t, dr.inf))
        return dr.select(nearer, other, at), dr.select(nearer, dr.gather(mi.UInt32, self._whose, other.prim_index, nearer), which)

    def meets(self, ray: Any, active: Any, *, leaving: bool = False) -> tuple[Any, Any, Any, Any]:
        """(the place that a ray comes to, whether it lies on a body, whether on the ground or a prop, which body it is: 0 for the look's).
        Where there are props, u and v of a place off the bodies are its reflectance and its own light."""
        down, body = self.ground_distance(ray.o, ray.d), _NOWHERE
        if not (leaving and self.convex):
            body = self.body.ray_intersect(ray, mi.RayFlags.All, False, active)
        on_ground = active & (down < body.t)
        on_body = active & body.is_valid() & ~on_ground
        up = mi.Frame3f(mi.Vector3f(1.0, 0.0, 0.0), mi.Vector3f(0.0, 0.0, -1.0), mi.Vector3f(0.0, 1.0, 0.0))
        # No more of the place than paths need: they carry it along.
        at = dr.zeros(mi.SurfaceInteraction3f)
        at.p = dr.select(on_ground, ray.o + ray.d * down, body.p)
        at.n = dr.select(on_ground, mi.Normal3f(0.0, 1.0, 0.0), body.n)
        at.sh_frame = dr.select(on_ground, up, body.sh_frame)
        at.wi = dr.select(on_ground, up.to_local(-ray.d), body.wi)
        at.t, at.uv = dr.select(on_ground, down, body.t), body.uv
        which = mi.UInt32(0)
        if self.props is None:
            return at, on_body, on_ground, which
        at.uv = dr.select(on_ground, mi.Point2f(tile_reflectance(at.p), 0.0), at.uv)
        if self.others is not None:
            other = self.others.ray_intersect(ray, mi.RayFlags.All, False, active)
            nearer = active & other.is_valid() & ~(other.t >= dr.select(on_body | on_ground, at.t, dr.inf))
            at.p, at.n, at.wi = dr.select(nearer, other.p, at.p), dr.select(nearer, other.n, at.n), dr.select(nearer, other.wi, at.wi)
            at.t, at.uv = dr.select(nearer, other.t, at.t), dr.select(nearer, other.uv, at.uv)
            at.sh_frame = dr.select(nearer, other.sh_frame, at.sh_frame)
            which = dr.select(nearer, dr.gather(mi.UInt32, self._whose, other.prim_index, nearer), 0)
            on_body, on_ground = on_body | nearer, on_ground & ~nearer
        prop = self.props.ray_intersect(ray, mi.RayFlags.All, False, active)
        before = active & prop.is_valid() & ~(prop.t >= dr.select(on_body | on_ground, at.t, dr.inf))
        facing = dr.select(dr.dot(prop.n, ray.d) > 0.0, -1.0, 1.0) * mi.Vector3f(prop.n)
        frame = mi.Frame3f(facing)
        at.p, at.n = dr.select(before, prop.p, at.p), dr.select(before, mi.Normal3f(facing), at.n)
        at.t, at.uv = dr.select(before, prop.t, at.t), dr.select(before, prop.uv, at.uv)
        at.sh_frame = dr.select(before, frame, at.sh_frame)
        at.wi = dr.select(before, frame.to_local(-ray.d), at.wi)
        return at, on_body & ~before, on_ground | before, dr.select(before, 0, which)

    @cached_property
    def coverage(self) -> np.ndarray:
        """Where the look's body, not what is around it, is seen at the middle of a pixel: (size, size) bool."""
        ray = self.rays(dr.arange(mi.UInt32, self.size * self.size), mi.Point2f(0.5))
        _, on_body, _, which = self.meets(ray, mi.Bool(True))
        return np.array(on_body & (which == 0)).reshape(self.size, self.size)

    def reflectance(self, at: Any) -> Any:
        """Of places off the body, 0…1."""
        return tile_reflectance(at.p) if self.props is None else at.uv.x


def tile_reflectance(place: Any) -> Any:
    """Reflectance of the ground at a place on it."""
    even = (place.x - dr.floor(place.x) > 0.5) != (place.z - dr.floor(place.z) > 0.5)
    return dr.select(even, mi.Float(TILES[0]), mi.Float(TILES[1]))


def _smoothed(grid: np.ndarray) -> np.ndarray:
    """The mean over each place and its neighbours, twice: what is left of the noise goes, shadows stay as wide as a few places."""
    for _ in range(2):
        for axis in (0, 1):
            padded = np.pad(grid, [(1, 1) if along == axis else (0, 0) for along in (0, 1)], mode="edge")
            grid = 0.25 * np.take(padded, range(LIT_EDGE), axis) + 0.5 * grid + 0.25 * np.take(padded, range(2, LIT_EDGE + 2), axis)
    return grid


class LitGround:
    """What the ground sends up where the body that stands on it only blocks light: kept on grids, since it is the same for every closed
    body that sends no light of its own. grids: of one rig or several, to which lanes point by number, each (3, LIT_EDGE²)."""

    def __init__(self, grids: Sequence[np.ndarray]) -> None:
        self._channels = [held_table(channel) for channel in np.concatenate(grids, axis=1)]

    def radiance(self, rig: Any, place: Any) -> Any:
        """Towards every direction above, from places on the ground."""
        x, z = (dr.clip((0.5 * part / LIT_REACH + 0.5) * (LIT_EDGE - 1), 0.0, LIT_EDGE - 1.001) for part in (place.x, place.z))
        left, back = mi.UInt32(x), mi.UInt32(z)
        right, front = x - mi.Float(left), z - mi.Float(back)
        at = (rig * LIT_EDGE + back) * LIT_EDGE + left
        found = [
            dr.lerp(
                dr.lerp(dr.gather(mi.Float, channel, at), dr.gather(mi.Float, channel, at + 1), right),
                dr.lerp(dr.gather(mi.Float, channel, at + LIT_EDGE), dr.gather(mi.Float, channel, at + LIT_EDGE + 1), right),
                front,
            )
            for channel in self._channels
        ]
        return mi.Color3f(*found) * tile_reflectance(place)


@dataclass(frozen=True)
class Light:
    """What lights a stage. ground: None where paths look for its light themselves."""

    sky: Sky
    ground: LitGround | None


@lru_cache(maxsize=24)
def stage_of(stand: str, size: int, dressed: tuple[str, ...] = ()) -> Stage:
    """dressed: names of materials that lie on props, which then are bodies of their own."""
    return Stage(stand, size, dressed=dressed)


@lru_cache(maxsize=12)
def light_of(rigs: tuple[str, ...], stand: str, turn: float, *, with_ground: bool) -> Light:
    """Of one rig or several, to which lanes point by number."""
    return Light(Sky(rigs, turn), LitGround([_lit_grid(rig, stand, turn) for rig in rigs]) if with_ground else None)


@lru_cache(maxsize=64)
def _lit_grid(rig: str, stand: str, turn: float) -> np.ndarray:
    """What a matt white ground sends up, (3, LIT_EDGE²)."""
    stage, sky, alone = stage_of(stand, 1), Sky((rig,), turn), mi.UInt32(0)
    count = LIT_EDGE * LIT_EDGE * LIT_SAMPLES
    lane = dr.arange(mi.UInt32, count)
    index = lane // dr.opaque(mi.UInt32, LIT_SAMPLES)
    numbers = Numbers.for_sample(index, lane % LIT_SAMPLES, LIT_SAMPLES, mi.UInt32(3))
    x, z = (2.0 * mi.Float(part) / (LIT_EDGE - 1) - 1.0 for part in (index % LIT_EDGE, index // LIT_EDGE))
    place = mi.Point3f(LIT_REACH * x, stage.floor + 1e-4, LIT_REACH * z)
    light, weight, density = sky.sample(alone, numbers.next_2d(), mi.Bool(True))
    lambert = dr.maximum(light.y, 0.0) * dr.inv_pi
    blocked = stage.body.ray_test(mi.Ray3f(place, light), lambert > 0.0)
    sent = dr.select(blocked | (density <= 0.0), 0.0, weight * lambert * density / (density + lambert))
    around = mi.warp.square_to_cosine_hemisphere(numbers.next_2d())
    light = mi.Vector3f(around.x, around.z, around.y)
    lambert = light.y * dr.inv_pi
    blocked = stage.body.ray_test(mi.Ray3f(place, light), mi.Bool(True))
    found = sky.radiance(alone, light, mi.Bool(True)) * lambert / (lambert + sky.pdf(alone, light, mi.Bool(True)))
    sent += dr.select(blocked, 0.0, found)
    return np.stack([_smoothed(channel.reshape(LIT_EDGE, LIT_EDGE)).ravel() for channel in means([sent], LIT_SAMPLES)[0].T])


def coverage(stand_id: str, size: int) -> np.ndarray:
    """Where a stand's own body is seen at the middle of a pixel: (size, size) bool."""
    return stage_of(stand_id, size).coverage


def map_edge(size: int) -> int:
    """Texels on the edge of a map that a picture of this size can show."""
    return max(256, 2 * size)


@lru_cache(maxsize=16)
def _scenes(stand_id: str, dressed: tuple[str, ...]) -> tuple[Any, Any]:
    """(the look's mesh, the props, None where there are none)."""
    stand = stand_of(stand_id)
    props = [prop for prop in stand.props() if prop.mesh.material not in dressed]
    if stand.props() and not props:
        props = [Prop(box("far", (0.0, -1e4, 0.0), (1.0, 1.0 - 1e4, 1.0)), 0.0)]  # paths through several bodies take a stage with props
    return _scene([stand.mesh()]), _scene([_marked(prop) for prop in props]) if props else None


@lru_cache(maxsize=8)
def _others(stand_id: str, dressed: tuple[str, ...]) -> tuple[Any, Any]:
    """(the bodies that carry other materials, and for each triangle the number of its body)."""
    meshes = [prop.mesh for prop in stand_of(stand_id).props() if prop.mesh.material in dressed]
    numbers = np.concatenate([np.full(len(mesh.triangles), 1 + dressed.index(mesh.material)) for mesh in meshes])
    whose = mi.UInt32(numbers.astype(np.uint32))
    dr.make_opaque(whose)
    return _scene([joined("others", meshes)]), whose


def _marked(prop: Prop) -> Mesh:
    """A prop that holds its reflectance and its own light as u and v."""
    return replace(prop.mesh, uvs=np.tile([prop.reflectance, prop.glow], (len(prop.mesh.positions), 1)))


def _scene(meshes: Sequence[Mesh]) -> Any:
    # Bodies of one scene whose materials are equal would be made one, and the engine drops what it does not see as needed.
    return mi.load_dict({"type": "scene", **{f"mesh{index}": engine_mesh(mesh) for index, mesh in enumerate(meshes)}}, optimize=False)


def engine_mesh(mesh: Mesh, props: Any = None) -> Any:
    """props: what lies on it, nothing where None."""
    held = {} if props is None else {"props": props}
    made: Any = mi.Mesh(mesh.name, len(mesh.positions), len(mesh.triangles), has_vertex_normals=True, has_vertex_texcoords=True, **held)
    values = mi.traverse(made)
    columns = {"vertex_positions": mesh.positions, "vertex_normals": mesh.normals, "vertex_texcoords": mesh.uvs, "faces": mesh.triangles}
    for name, column in columns.items():
        kind = mi.UInt32 if name == "faces" else mi.Float
        values[name] = kind(np.ascontiguousarray(column, np.uint32 if name == "faces" else np.float32).ravel())
    values.update()
    return made
