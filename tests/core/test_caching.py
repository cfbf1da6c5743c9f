"""What is computed of images is kept, as many bytes as may be, by what the images hold."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np

from fenrain.core.maps.caching import kept
from fenrain.core.maps.image import png_bytes, resized
from fenrain.core.values import Image, Map


def test_a_file_that_was_written_anew_is_read_anew(tmp_path: Path) -> None:
    path = tmp_path / "map.png"
    for level in (0.25, 0.75):
        path.write_bytes(png_bytes(np.full((8, 8, 3), level)))
        assert np.allclose(resized(Image("map.png", path), "linear", 4, 4), level, atol=1 / 255)


def test_the_same_file_under_another_name_on_the_disk_is_told_apart_by_what_it_holds(tmp_path: Path) -> None:
    seen = []

    @kept(1 << 20)
    def read(value: Map) -> np.ndarray:
        seen.append(value.image.name)
        return np.zeros(4)

    path = tmp_path / "map.png"
    path.write_bytes(png_bytes(np.zeros((2, 2, 3))))
    for _ in range(2):
        read(Map(Image("map.png", path), "r"))
    assert seen == ["map.png"]
    os.replace(path, tmp_path / "other.png")
    path.write_bytes(png_bytes(np.ones((2, 2, 3))))
    read(Map(Image("map.png", path), "r"))
    assert seen == ["map.png", "map.png"]


def test_what_is_kept_is_bounded_by_its_bytes() -> None:
    made = []

    @kept(3 * 800)
    def hundred(number: int) -> np.ndarray:
        made.append(number)
        return np.full(100, float(number))

    for number in (0, 1, 2, 0, 3, 0, 1):
        assert hundred(number)[0] == number
    assert made == [0, 1, 2, 3, 1]  # of four arrays three fit: the one that was asked for longest ago went


def test_what_is_larger_than_all_that_may_be_kept_is_given_all_the_same() -> None:
    @kept(100)
    def large(edge: int) -> np.ndarray:
        return np.zeros(edge)

    assert large(1000).size == 1000
    assert len(large.cache) == 0
