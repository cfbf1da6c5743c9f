"""A sphere in a sphere: a bubble in a body that one sees through, with a lattice behind."""

from dataclasses import replace

from fenrain.core.geometry import Mesh, inside_out, joined, sphere
from fenrain.core.rendering.stands.lattice import lattice
from fenrain.core.rendering.stands.registry import Stand

INNER = 0.55
"""Radius of the bubble."""


def mesh() -> Mesh:
    outer = sphere(rings=64, segments=128)
    return joined("bubble", [outer, inside_out(replace(outer, positions=INNER * outer.positions))])


STAND = Stand(
    "bubble",
    "Sphere in a sphere",
    "what bends and is thrown back within",
    mesh,
    -1.0,
    ((0.0, 0.9, 5.2), (0.0, -0.06, 0.0)),
    4,
    props=lambda: (lattice(-1.0),),
)
