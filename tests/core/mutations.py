"""Real files of every format, and what a bad disk, a bad exporter or a bad person makes of them."""

from __future__ import annotations

import json
import struct
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from fenrain.core import Material, convert, write
from fenrain.core.formats.registry import formats
from fenrain.core.maps.image import write_png
from fenrain.core.values import Image, Map, Placement

ODD_NUMBERS = [
    "1e999",
    "-1e999",
    "nan",
    "inf",
    "1e30",
    "-1",
    "0",
    "1e-40",
    "99999999999999999999",
    "0x10",
    "١",
    "1,5",
    "--1",
    "true",
    "null",
]
ODD_WORDS = [
    "",
    "\x00",
    "../../etc/passwd",
    "C:\\x\\y.png",
    "a" * 5000,
    "%00",
    "http://x/y.png",
    "\ud7ff",
    "data:image/png;base64,@@",
    "{",
    "<",
]
ODD_JSON: list[Any] = [None, True, -1, 1e308, 10**30, "", "x", [], {}, [[]], {"a": 1}, [1, 2], [None] * 3, "a" * 300, 0.5]


def seeds(folder: Path) -> dict[str, Path]:
    """A small real file of each format that is read, with its maps beside it, by suffix."""
    write_png(folder / "p.png", np.random.default_rng(0).random((8, 8, 4)))
    image = Image("p.png", folder / "p.png")
    placed = Placement((0.1, 0.2), 0.3, (2.0, 2.0))
    material = Material.of(
        "paint",
        "metal_rough",
        {
            "base_color": Map(image, "rgb", "srgb", placement=placed),
            "roughness": Map(image, "g"),
            "normal": Map(image, "rgb", "normal", uv_set=1),
            "clearcoat": Map(image, "r"),
            "transmission": 0.5,
            "thickness": 1.0,
            "attenuation_distance": 2.0,
            "iridescence": 0.4,
            "emissive": (1.0, 0.5, 0.2),
            "emissive_strength": 4.0,
            "alpha_mode": 2,
        },
    )
    write([material], folder / "a.glb", "gltf")
    write([convert(material, "open_pbr").material], folder / "a.mtlx", "materialx")
    write([convert(material, "exponent").material], folder / "a.mtl", "mtl")
    binary = (folder / "a.glb").read_bytes()
    length = struct.unpack("<I", binary[12:16])[0]
    document = json.loads(binary[20 : 20 + length])
    document["buffers"][0]["uri"] = "a.bin"
    (folder / "a.bin").write_bytes(binary[28 + length :])
    (folder / "a.gltf").write_text(json.dumps(document, indent=1))
    (folder / "a.obj").write_text("mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvn 0 0 1\no plate\nusemtl paint\nf 1/1/1 2/1/1 3/1/1\n")
    for suffix in formats()["usd"].suffixes:
        write([convert(material, "preview").material], folder / f"a{suffix}", "usd", folder / "a.obj")
    rows = [{"Label": "gate", "Paint": [120, 40, 30], "Mirror share": 250, "Mirror gloss": 80, "Paint map": "p.png"}]
    (folder / "a.json").write_text(json.dumps(rows, indent=1))
    (folder / "a.yaml").write_text(
        "dialect: osier\nmaterials:\n- {Label: gate, Paint: [120, 40, 30], Mirror share: 250, Mirror gloss: 80}\n"
    )
    (folder / "a.csv").write_text("Surface,Body colour,Shine colour,Polish\ndial enamel,230 226 214,60 60 60,82\n")
    suffixes = [suffix for one in formats().values() if one.read is not None for suffix in one.suffixes]
    return {suffix: folder / f"a{suffix}" for suffix in suffixes if (folder / f"a{suffix}").exists()}


def mutated(original: bytes, suffix: str, count: int, seed: int) -> Iterator[bytes]:
    """So many damaged versions of a file, always the same for a seed."""
    random = np.random.default_rng(seed)
    for _ in range(count):
        data = original
        for _ in range(int(random.integers(1, 4))):
            change = CHANGES[int(random.integers(len(CHANGES)))]
            data = change(data, suffix, random)
        yield data


def _flip(data: bytes, suffix: str, random: np.random.Generator) -> bytes:
    changed = bytearray(data)
    for _ in range(int(random.integers(1, 8))):
        if changed:
            changed[int(random.integers(len(changed)))] = int(random.integers(256))
    return bytes(changed)


def _cut(data: bytes, suffix: str, random: np.random.Generator) -> bytes:
    begin, end = sorted(int(at) for at in random.integers(0, len(data) + 1, 2))
    return data[:end] if random.random() < 0.5 else data[:begin] + data[end:]


def _double(data: bytes, suffix: str, random: np.random.Generator) -> bytes:
    begin, end = sorted(int(at) for at in random.integers(0, len(data) + 1, 2))
    return data[:end] + data[begin : min(end, begin + 4096)] + data[end:]


def _word(data: bytes, suffix: str, random: np.random.Generator) -> bytes:
    """A number or a word becomes an odd one."""
    words = data.split(b" ")
    at = int(random.integers(len(words)))
    odd = ODD_NUMBERS if random.random() < 0.6 else ODD_WORDS
    words[at] = odd[int(random.integers(len(odd)))].encode("utf-8", "surrogatepass")
    return b" ".join(words)


def _json(data: bytes, suffix: str, random: np.random.Generator) -> bytes:
    """A value somewhere in a JSON tree becomes one of another type, or huge."""
    binary = data if suffix == ".glb" else b""
    try:
        if binary:
            length = struct.unpack("<I", binary[12:16])[0]
            tree = json.loads(binary[20 : 20 + length])
        elif suffix in (".gltf", ".json"):
            tree = json.loads(data)
        else:
            return _word(data, suffix, random)
    except (ValueError, struct.error):
        return _flip(data, suffix, random)
    node, places = tree, []
    while isinstance(node, (dict, list)) and node:
        key = list(node)[int(random.integers(len(node)))] if isinstance(node, dict) else int(random.integers(len(node)))
        places.append((node, key))
        node = node[key]
    if places:
        parent, key = places[int(random.integers(len(places)))]
        parent[key] = ODD_JSON[int(random.integers(len(ODD_JSON)))]
    text = json.dumps(tree).encode()
    if not binary:
        return text
    text += b" " * (-len(text) % 4)
    rest = binary[20 + length :]
    return b"glTF" + struct.pack("<II", 2, 20 + len(text) + len(rest)) + struct.pack("<I", len(text)) + b"JSON" + text + rest


CHANGES = (_flip, _cut, _double, _word, _word, _json, _json, _json)
