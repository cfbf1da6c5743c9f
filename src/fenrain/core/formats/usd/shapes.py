"""USD's own shapes as triangles (UsdGeom: Sphere, Cube, Cylinder, Cone, Capsule, Plane), for targets that hold meshes alone.

Their texture coordinates run as on what is turned or folded from a sheet; USD itself gives them none.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from pxr import Usd, UsdGeom

from fenrain.core.geometry import Mesh, box, height_field, joined, revolved, sphere

SEGMENTS, RINGS = 64, 16
"""Round a shape, and from the rim of a half sphere to its top."""
TOWARDS = {
    "X": np.array([[0.0, -1.0, 0.0], [1.0, 0.0, 0.0], [0.0, 0.0, 1.0]]),
    "Y": np.eye(3),
    "Z": np.array([[1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, -1.0, 0.0]]),
}
"""Turns what is upright along y upright along an axis, for rows from the right."""


def mesh_of_shape(prim: Usd.Prim) -> Mesh | None:
    """In the prim's own space; None for what is none of them."""
    for kind, made in SHAPES.items():
        if prim.IsA(kind):
            mesh, axis = made(kind(prim))
            turn = TOWARDS[axis]
            return replace(mesh, name=prim.GetName(), positions=mesh.positions @ turn, normals=mesh.normals @ turn)
    return None


def _sphere(shape: Any) -> tuple[Mesh, str]:
    mesh = sphere("sphere", 2 * RINGS, SEGMENTS)
    return replace(mesh, positions=mesh.positions * float(shape.GetRadiusAttr().Get())), "Y"


def _cube(shape: Any) -> tuple[Mesh, str]:
    half = 0.5 * float(shape.GetSizeAttr().Get())
    return box("cube", (-half, -half, -half), (half, half, half)), "Y"


def _cylinder(shape: Any) -> tuple[Mesh, str]:
    radius, half = float(shape.GetRadiusAttr().Get()), 0.5 * float(shape.GetHeightAttr().Get())
    return _turned((0.0, half), (radius, half), (radius, -half), (0.0, -half)), str(shape.GetAxisAttr().Get())


def _cone(shape: Any) -> tuple[Mesh, str]:
    radius, half = float(shape.GetRadiusAttr().Get()), 0.5 * float(shape.GetHeightAttr().Get())
    return _turned((0.0, half), (radius, -half), (0.0, -half)), str(shape.GetAxisAttr().Get())


def _capsule(shape: Any) -> tuple[Mesh, str]:
    """height: of the part between the half spheres."""
    radius, half = float(shape.GetRadiusAttr().Get()), 0.5 * float(shape.GetHeightAttr().Get())
    angle = np.linspace(0.0, 0.5 * np.pi, RINGS + 1)
    top = np.stack([radius * np.sin(angle), half + radius * np.cos(angle)], axis=-1)
    return revolved("capsule", np.concatenate([top, top[::-1] * [1.0, -1.0]]), SEGMENTS), str(shape.GetAxisAttr().Get())


def _plane(shape: Any) -> tuple[Mesh, str]:
    """Width and length along the other two axes, as `UsdGeom.Plane` has them."""
    width, length, axis = float(shape.GetWidthAttr().Get()), float(shape.GetLengthAttr().Get()), str(shape.GetAxisAttr().Get())
    across, along = (length, width) if axis == "X" else (width, length)
    mesh = height_field("plane", lambda x, z: 0.0 * x, 0.5, 1)
    return replace(mesh, positions=mesh.positions * np.array([across, 1.0, along])), axis


def _turned(*profile: tuple[float, float]) -> Mesh:
    """Each stretch of a profile by itself, so that its edges stay sharp."""
    return joined("turned", [revolved("part", np.array(ends), SEGMENTS) for ends in itertools.pairwise(profile)])


SHAPES: dict[Any, Callable[[Any], tuple[Mesh, str]]] = {
    UsdGeom.Sphere: _sphere,
    UsdGeom.Cube: _cube,
    UsdGeom.Cylinder: _cylinder,
    UsdGeom.Cone: _cone,
    UsdGeom.Capsule: _capsule,
    UsdGeom.Plane: _plane,
}
