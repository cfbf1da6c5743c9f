"""python -m bench: prints each figure with what it is compared to."""

from __future__ import annotations

import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from bench.conversions import bench_errors, bench_fit, bench_speed
from bench.preview_floor import bench_preview_floor
from fenrain.core import Material, check, convert, evaluate
from fenrain.core.maps.bake import Channel, Picture, bake, colour_channels
from fenrain.core.maps.texels import grid_of
from fenrain.core.values import Image, Map

ENAMEL = {"diffuse": (0.05, 0.3, 0.1), "specular": (0.05, 0.05, 0.05), "glossiness": 0.7}


def seconds(work: Callable[[], object], runs: int = 5) -> float:
    """Median of several runs after one that does not count."""
    work()
    taken = []
    for _ in range(runs):
        started = time.perf_counter()
        work()
        taken.append(time.perf_counter() - started)
    return statistics.median(taken)


def bench_render() -> None:
    from fenrain.core.rendering.probe import load_engine

    engine = load_engine()
    import mitsuba as mi

    view = engine.View(size=256)
    converted = convert(Material.of("m", "spec_gloss", ENAMEL), "open_pbr").material
    scene = engine._scene(converted, view)
    ours = mi.load_dict(scene)
    builtin = mi.load_dict({**scene, "object": {**scene["object"], "bsdf": {"type": "principled", "roughness": 0.3, "specular": 0.5}}})
    pair = [seconds(lambda which=which: np.array(mi.render(which, spp=64)), 3) for which in (ours, builtin)]
    print(f"render 256² × 64 samples: {pair[0]:.2f} s, built-in principled {pair[1]:.2f} s, ratio {pair[0] / pair[1]:.2f} (aim ≤ 1.15)")
    original = Material.of("m", "spec_gloss", ENAMEL)
    whole = seconds(lambda: check(original, converted, rigs=["soft_studio"], size=256, samples=64, most_samples=64), 3)
    print(f"check of one rig at 256², 64 samples a side: {whole:.2f} s")


def bench_maps() -> None:
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(scratch)
        random = np.random.default_rng(0)
        for name, channels in (("a.png", 3), ("b.png", 4)):
            small = oiio.ImageBuf(random.random((512, 512, channels)).astype(np.float32))
            oiio.ImageBufAlgo.resize(small, "triangle", 0.0, roi=oiio.ROI(0, 4096, 0, 4096, 0, 1, 0, channels)).write(
                str(folder / name), "uint8"
            )
        first, second = Image("a", folder / "a.png"), Image("b", folder / "b.png")
        values = {"diffuse": Map(first, "rgb", "srgb"), "specular": Map(second, "rgb", "srgb"), "glossiness": Map(second, "a")}
        target = convert(Material.of("m", "spec_gloss", values), "metal_rough").material.values
        grid = grid_of(list(values.values()))
        converted = (
            Picture(folder / "base.png", colour_channels(target["base_color"])),
            Picture(folder / "rm.png", (Channel(target["roughness"]), Channel(target["roughness"]), Channel(target["metallic"]))),
        )
        plain = (
            Picture(folder / "a2.png", colour_channels(values["diffuse"])),
            Picture(folder / "b2.png", (*colour_channels(values["specular"]), Channel(values["glossiness"]))),
        )
        pair = [seconds(lambda which=which: bake(which, grid), 3) for which in (converted, plain)]
        print(
            f"4K pair to base colour and roughness/metallic: {pair[0]:.1f} s, plain decode + encode {pair[1]:.1f} s, "
            f"ratio {pair[0] / pair[1]:.2f} (aim ≤ 1.5)"
        )


def bench_evaluate() -> None:
    random = np.random.default_rng(0)
    directions = np.abs(random.standard_normal((2, 100_000, 3)))
    directions /= np.linalg.norm(directions, axis=2, keepdims=True)
    taken = seconds(lambda: evaluate("open_pbr", {"coat_weight": 1.0}, directions[0], directions[1]))
    print(f"evaluate open_pbr with coat: {100_000 / taken:,.0f} pairs a second")


if __name__ == "__main__":
    for bench in (bench_speed, bench_fit, lambda: bench_errors(100), bench_preview_floor, bench_evaluate, bench_maps, bench_render):
        bench()
