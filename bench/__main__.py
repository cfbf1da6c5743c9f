"""python -m bench: prints each figure with what it is compared to."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np
import OpenImageIO as oiio

from bench.aims import bench_aims
from bench.boards import bench_boards
from bench.conversions import bench_errors, bench_fit, bench_speed
from bench.demo_times import bench_demo_times
from bench.faults import bench_faults
from bench.fits import bench_fits
from bench.floors import bench_floors
from bench.hundreds import bench_hundreds
from bench.look_check import bench_look_check
from bench.map_operations import bench_map_operations, bench_tile_set, bench_whole_asset
from bench.people import bench_people
from bench.reports import bench_reports
from bench.rigs_and_stands import bench_rigs_and_stands
from bench.round_trips import bench_round_trips
from bench.smallest import bench_smallest
from bench.stability import bench_stability
from bench.timing import seconds
from bench.truth import bench_truth
from fenrain.core import Material, convert, evaluate
from fenrain.core.maps.bake import Channel, Picture, bake, colour_channels
from fenrain.core.maps.texels import grid_of
from fenrain.core.values import Image, Map


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
    for bench in (
        bench_speed, bench_fit, lambda: bench_errors(100), bench_floors, bench_fits, bench_evaluate, bench_maps, bench_map_operations,
        bench_tile_set, bench_whole_asset, bench_look_check,
        bench_demo_times, bench_rigs_and_stands, bench_smallest, bench_truth, bench_hundreds, bench_boards, bench_reports, bench_people,
        bench_faults, bench_aims, bench_round_trips, bench_stability,
    ):  # fmt: skip
        bench()
