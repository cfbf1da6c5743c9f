"""A lamp in a thin shell: what comes through a wall, and how much of the lamp's shape."""

from dataclasses import replace

from fenrain.core.geometry import Mesh, inside_out, joined, sphere
from fenrain.core.rendering.stands.registry import Prop, Stand

WALL, LAMP, GLOW = 0.05, 0.42, 7.0
"""Thickness of the shell, radius and radiance of the lamp."""


def mesh() -> Mesh:
    outer = sphere(rings=64, segments=128)
    return joined("shell", [outer, inside_out(replace(outer, positions=(1.0 - WALL) * outer.positions))])


def props() -> tuple[Prop, ...]:
    lamp = sphere("lamp", rings=24, segments=48)
    return (Prop(replace(lamp, positions=LAMP * lamp.positions), 0.0, GLOW),)


STAND = Stand(
    "lamp_shell",
    "Lamp in a shell",
    "what of a lamp comes through a thin wall",
    mesh,
    -1.0,
    ((0.0, 0.9, 5.2), (0.0, -0.06, 0.0)),
    7,
    props=props,
)
