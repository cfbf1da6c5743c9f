"""What each operation on maps takes at 4K against plain decoding and encoding of the same file, and how much memory a tile set needs."""

from __future__ import annotations

import multiprocessing
import resource
import tempfile
import time
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import OpenImageIO as oiio

from bench.timing import seconds
from fenrain.core import MapLimits, Material, Profile, convert, read, write
from fenrain.core.maps.bake import baked_map
from fenrain.core.steps import ValueStep
from fenrain.core.values import Averaging, Constant, Image, Map, Placement, Resized, Stepped, Value

EDGE = 4096
TILES = 10
COLOUR, NUMBER, NORMAL = (3, "srgb"), (1, "linear"), (3, "normal")


def drawn(path: Path, channels: int, edge: int = EDGE) -> Image:
    small = oiio.ImageBuf(np.random.default_rng(channels).random((512, 512, channels)).astype(np.float32) * 0.4 + 0.5)
    oiio.ImageBufAlgo.resize(small, "triangle", 0.0, roi=oiio.ROI(0, edge, 0, edge, 0, 1, 0, channels)).write(str(path), "uint8")
    return Image(path.name, path)


def bench_map_operations() -> None:
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        colour, grey = Map(drawn(folder / "c.png", 3), "rgb", "srgb"), Map(drawn(folder / "g.png", 1), "r")
        normal = Map(drawn(folder / "n.png", 3), "rgb", "normal")
        operations: list[tuple[str, Value, Value, tuple[int, str]]] = [
            ("invert", grey, Map(grey.image, "r", "linear", -1.0, 1.0), NUMBER),
            ("gain and offset", colour, Map(colour.image, "rgb", "srgb", 0.8, 0.1), COLOUR),
            ("remap", grey, Stepped(grey, (ValueStep(remap=(0.0, 1.0, 0.2, 0.8)),), 1.0, 1), NUMBER),
            (
                "hue, saturation, lightness",
                colour,
                Stepped(colour, (ValueStep(hue=20.0), ValueStep(saturation=0.8), ValueStep(lightness=1.1)), 1.0, 3),
                COLOUR,
            ),
            ("strength of normals", normal, Map(normal.image, "rgb", "normal", 0.5), NORMAL),
            ("smaller by a half, colour", colour, Resized(colour, EDGE // 2, EDGE // 2), COLOUR),
            ("smaller by a half, normals", normal, Resized(normal, EDGE // 2, EDGE // 2, Averaging.NORMALS), NORMAL),
            ("roughness widened by normals", grey, Resized(Constant(0.3), EDGE // 2, EDGE // 2, Averaging.ROUGHNESS, normal), NUMBER),
            (
                "placed with a rotation",
                colour,
                Map(colour.image, "rgb", "srgb", placement=Placement((0.1, 0.2), 0.3, (2.0, 2.0))),
                COLOUR,
            ),
        ]
        for name, plain, changed, (channels, encoding) in operations:

            def written(which: Value, channels: int = channels, encoding: str = encoding) -> float:
                return seconds(lambda: baked_map(which, channels, encoding, folder / "out.png", rotates=False), 3)

            taken = written(plain), written(changed)
            print(f"{name}, {EDGE}²: {taken[1]:.2f} s, decode + encode {taken[0]:.2f} s, ratio {taken[1] / taken[0]:.2f} (aim ≤ 1.3)")


def bench_tile_set() -> None:
    """Ten tiles of 4K of two maps, converted from specular-glossiness and written as MaterialX, in a process of its own."""
    with tempfile.TemporaryDirectory() as scratch:
        taken, memory = _apart(_converted_tiles, Path(scratch), MapLimits())
        print(f"{TILES} tiles of {EDGE}², two maps, to MaterialX: {taken:.0f} s, peak {memory / 1024:.1f} GiB (aim ≤ 2 GiB)")


def _converted_tiles(folder: Path, limits: MapLimits) -> None:
    images = {name: _tile_set(folder, name, channels) for name, channels in (("diffuse", 3), ("gloss", 1))}
    material = Material.of("wall", "spec_gloss", {
        "diffuse": Map(images["diffuse"], "rgb", "srgb", placement=_beside()), "glossiness": Map(images["gloss"], "r", placement=_beside()),
        "specular": (0.2, 0.2, 0.2),
    })  # fmt: skip
    profile = Profile("limited", maps=limits)
    begun = time.perf_counter()
    write([convert(material, "open_pbr", profile).material], folder / "out" / "wall.mtlx", "materialx", None, profile)
    (folder / "seconds").write_text(str(time.perf_counter() - begun))


def _beside() -> Placement:
    return Placement((0.0, 0.0), 0.0, (1.0 / TILES, 1.0))


def _tile_set(folder: Path, name: str, channels: int) -> Image:
    first = drawn(folder / f"{name}.1001.png", channels)
    assert first.path is not None
    tiles = [(1001, first)]
    for number in range(1002, 1001 + TILES):
        path = folder / f"{name}.{number}.png"
        path.write_bytes(first.path.read_bytes())
        tiles.append((number, Image(path.name, path)))
    return Image(f"{name}.<UDIM>.png", tiles=tuple(tiles))


def _apart(work: Callable[..., None], folder: Path, *rest: Any) -> tuple[float, float]:
    """(seconds, peak MiB) of work in a process of its own."""
    queue = multiprocessing.get_context("spawn").Queue()
    process = multiprocessing.get_context("spawn").Process(target=_measured, args=(queue, work, folder, rest))
    process.start()
    peak = queue.get()
    process.join()
    return float((folder / "seconds").read_text()), peak


def _measured(queue: Any, work: Callable[..., None], folder: Path, rest: tuple[Any, ...]) -> None:
    work(folder, *rest)
    queue.put(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024)


def bench_whole_asset(materials: int = 200) -> None:
    """An asset of so many materials with three maps each: read, converted and written as GLB, in a process of its own."""
    with tempfile.TemporaryDirectory() as scratch:
        taken, memory = _apart(_asset, Path(scratch), materials)
        print(f"{materials} materials with {3 * materials} maps of 512²: {taken:.0f} s, peak {memory / 1024:.1f} GiB")


def _asset(folder: Path, materials: int) -> None:
    lines = []
    for number in range(materials):
        for kind, channels in (("c", 3), ("s", 3), ("g", 1)):
            texels = np.random.default_rng(7 * number + channels).random((64, 64, channels)).astype(np.float32)
            made = oiio.ImageBufAlgo.resize(oiio.ImageBuf(texels), "triangle", 0.0, roi=oiio.ROI(0, 512, 0, 512, 0, 1, 0, channels))
            made.write(str(folder / f"{kind}{number}.png"), "uint8")
        lines += [f"newmtl m{number}", f"map_Kd c{number}.png", f"map_Ks s{number}.png", f"map_Ns g{number}.png", "Ns 200"]
    (folder / "all.mtl").write_text("\n".join(lines))
    times = [time.perf_counter()]
    found = read(folder / "all.mtl")
    times.append(time.perf_counter())
    made = [convert(material, "metal_rough").material for material in found]
    times.append(time.perf_counter())
    write(made, folder / "all.glb", "gltf")
    times.append(time.perf_counter())
    read_in, converted, written = (after - before for before, after in pairwise(times))
    print(f"  read {read_in:.1f} s, convert {converted:.1f} s, write {written:.1f} s")
    (folder / "seconds").write_text(str(times[-1] - times[0]))
