"""Fourteen more materials of Heron Lode, as parameter sheets in the spellings of several invented renderers, with a map or two.

Everything is invented and made here from fixed seeds.
"""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np

from fenrain.core.files import write_whole
from fenrain.demo.patterns import bricks, cells, mixed, noise, save, smoothstep

SHEET = "heron_lode_pump_hall.json"
SIZE = 256

ROWS: list[dict[str, object]] = [
    {
        "dialect": "osier",
        "Label": "sight-glass tube",
        "Paint": [0, 0, 0],
        "Mirror share": [250, 250, 250],
        "Mirror gloss": 99,
        "Glass share": [250, 250, 250],
        "Glass gloss": 99,
        "Bend": 1.517,
        "Inner tint": "#d5ecdc",
        "Inner tint strength": 0.35,
    },
    {
        "dialect": "osier",
        "Label": "frosted lamp globe",
        "Paint": [0, 0, 0],
        "Mirror share": [240, 240, 240],
        "Mirror gloss": 82,
        "Glass share": [248, 244, 232],
        "Glass gloss": 78,
        "Bend": 1.5,
    },
    {
        "dialect": "osier",
        "Label": "belt guard",
        "Paint": [150, 34, 22],
        "Mirror share": [255, 255, 255],
        "Mirror gloss": 74,
        "Lamp gloss apart": True,
        "Lamp gloss": 60,
        "Bend": 1.5,
        "Shape": "short tail",
    },
    {
        "dialect": "withy",
        "shader": "whitewashed wall",
        "dif_amt": 0.9,
        "dif_tex": "pump_hall_wall.png",
        "dif_soft": 0.5,
        "ref_amt": 0.3,
        "ref_blur": 0.7,
    },
    {
        "dialect": "teasel",
        "look": "gauge needle steel",
        "body/gain": 0,
        "main/straight": [0.56, 0.55, 0.53],
        "main/rough": 0.28,
        "main/stretch": -0.55,
        "main/kind": "short",
    },
    {
        "dialect": "teasel",
        "look": "varnished handrail",
        "body/tone": "#5a2f18",
        "main/rough": 0.45,
        "broad/on": 0.4,
        "broad/straight": [0.03, 0.03, 0.03],
        "broad/along": [0.5, 0.5, 0.5],
        "broad/rough": 0.8,
        "top/on": 1,
        "top/straight": [0.04, 0.04, 0.04],
        "top/rough": 0.12,
    },
    {
        "dialect": "quern",
        "Title": "peat water",
        "Kind": "other",
        "Colour": [0, 0, 0],
        "Finish": 98,
        "Optical density": 1.333,
        "Clear": 100,
        "Clear finish": 98,
        "Depth colour": [148, 92, 30],
        "Depth": 6,
    },
    {
        "dialect": "quern",
        "Title": "tallow candle",
        "Kind": "other",
        "Colour": [226, 214, 180],
        "Finish": 60,
        "Waxy": 100,
        "Waxy colour": [232, 214, 168],
        "Waxy reach": "8",
    },
    {
        "dialect": "staithe",
        "id": "reed leaf",
        "colour": [0.32, 0.45, 0.18],
        "shineColour": [0.3, 0.3, 0.3],
        "shineSharpness": 22,
        "backGlow": [0.42, 0.62, 0.2],
    },
    {
        "dialect": "staithe",
        "id": "pilot flame",
        "colour": [0, 0, 0],
        "selfLit": [2.4, 1.3, 0.35],
        "answer": "none",
        "joining": "add",
    },
    {"dialect": "assay", "specimen": "copper feed pipe", "metal": "copper", "coarseness": 24},
    {
        "dialect": "lintel",
        "Finish": "gauge paper",
        "Colour": [228, 219, 194],
        "Reflectance": 3.5,
        "Roughness": 78,
        "Sticker image": "pump_hall_stamp.png",
        "Sticker mask": "pump_hall_stamp_mask.png",
    },
    {"dialect": "sedge", "Surface": "duckweed", "Body colour": [88, 122, 40], "Shine colour": [58, 58, 58], "Polish": 35},
    {
        "dialect": "confluence",
        "blend": "weed on the wall",
        "under": "whitewashed wall",
        "over": "duckweed",
        "share mask": "pump_hall_damp.png",
    },
]


def write_pump_hall(folder: Path) -> Path:
    """Write the sheet with its maps; returns the sheet."""
    shade, height = bricks(SIZE, 12, 4, 71)
    wall = mixed((0.62, 0.6, 0.54), (0.8, 0.79, 0.74), 0.6 * height + 0.4 * noise(SIZE, 72)) * (0.93 + 0.07 * shade[..., None])
    save(folder / "pump_hall_wall.png", wall)
    save(folder / "pump_hall_damp.png", _grey(smoothstep(0.5, 0.72, noise(SIZE, 73, 2.0))))
    ink, border = cells(SIZE, 9, 74)
    save(folder / "pump_hall_stamp.png", mixed((0.02, 0.05, 0.2), (0.05, 0.1, 0.3), ink))
    y, x = np.meshgrid(np.linspace(-1, 1, SIZE), np.linspace(-1, 1, SIZE), indexing="ij")
    ring = smoothstep(0.07, 0.03, np.abs(np.hypot(x, y) - 0.6)) * smoothstep(0.1, 0.25, border)
    save(folder / "pump_hall_stamp_mask.png", _grey(ring))
    sheet = folder / SHEET
    write_whole(sheet, json.dumps({"note": "Heron Lode pump hall: invented materials", "materials": ROWS}, indent=1, ensure_ascii=False))
    return sheet


def _grey(values: np.ndarray) -> np.ndarray:
    """Data for a mask, written so that its stored texels are the values themselves."""
    from fenrain.core.colour import srgb_to_linear

    return srgb_to_linear(np.repeat(values[..., None], 3, axis=-1))
