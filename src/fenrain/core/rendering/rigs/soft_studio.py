"""A large soft key, a dim fill and a strip: shows body colour, and the shape of highlights."""

import numpy as np

from fenrain.core.rendering.rigs.registry import Rig, soft_edge, towards


def _panel(directions: np.ndarray, centre: np.ndarray, half_width: float, half_height: float) -> np.ndarray:
    """A rectangle of light about a direction; half sizes in degrees."""
    right = np.cross([0.0, 1.0, 0.0], centre)
    right /= np.linalg.norm(right)
    up = np.cross(centre, right)
    forward = directions @ centre
    x = np.degrees(np.arctan2(directions @ right, forward)) / half_width
    y = np.degrees(np.arctan2(directions @ up, forward)) / half_height
    inside = np.clip((1.15 - np.maximum(np.abs(x), np.abs(y))) / 0.3, 0, 1)
    return np.where(forward > 0, inside * inside * (3 - 2 * inside), 0.0)


def paint(directions: np.ndarray) -> np.ndarray:
    key = 4.2 * _panel(directions, towards(-48, 42), 26, 22)
    fill = 1.1 * _panel(directions, towards(62, 22), 18, 30)
    strip = 2.4 * _panel(directions, towards(148, 35), 8, 34)
    top = 0.55 * soft_edge(directions[..., 1], 20, 70)
    room = 0.16 + 0.06 * directions[..., 1]
    return (key + fill + strip + top + room)[..., None] * np.array([1.0, 1.0, 1.0])


RIG = Rig("soft_studio", "Soft studio", "body colour and the shape of highlights", paint, 1)
