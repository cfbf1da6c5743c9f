"""What is written when the disk is full: an error that says so, and nothing half-written. A limit on file sizes stands for the disk."""

from __future__ import annotations

import resource
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest

from fenrain.core import Material, convert, write
from fenrain.core.errors import StorageError
from fenrain.core.maps.bake import baked_map
from fenrain.core.maps.image import write_png
from fenrain.core.rendering.png import picture_png
from fenrain.core.values import Image, Map

SMALL = 60_000


@pytest.fixture
def noise(tmp_path: Path) -> Map:
    path = tmp_path / "noise.png"
    oiio.ImageBuf((np.random.default_rng(0).random((256, 256, 3)) * 255).astype(np.uint8)).write(str(path))
    return Map(Image("noise.png", path), "rgb", "srgb")


@pytest.fixture
def full_disk(noise: Map) -> Iterator[None]:
    """Once the source is there, every file stops growing at SMALL bytes, as on a disk with no more room."""
    soft, hard = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (SMALL, hard))
    yield
    resource.setrlimit(resource.RLIMIT_FSIZE, (soft, hard))


@pytest.mark.usefixtures("full_disk")
@pytest.mark.parametrize("name", ["map.png", "map.exr"])
def test_a_map_that_does_not_fit_is_an_error_and_leaves_nothing(noise: Map, tmp_path: Path, name: str) -> None:
    folder = tmp_path / "out"
    with pytest.raises(StorageError, match="disk is not full"):
        baked_map(noise, 3, "srgb" if name.endswith("png") else "linear", folder / name)
    assert list(folder.iterdir()) == []


@pytest.mark.usefixtures("full_disk")
def test_a_picture_that_does_not_fit_is_an_error(tmp_path: Path) -> None:
    with pytest.raises(StorageError, match="could not be written"):
        write_png(tmp_path / "big.png", np.random.default_rng(0).random((256, 256, 3)))
    with pytest.raises(StorageError, match="could not be written"):
        picture_png(np.random.default_rng(0).random((256, 256, 3)))


def test_a_picture_for_a_folder_that_is_not_there_is_an_error(tmp_path: Path) -> None:
    with pytest.raises(StorageError, match="folder exists"):
        write_png(tmp_path / "none" / "a.png", np.zeros((4, 4, 3)))


@pytest.mark.usefixtures("full_disk")
@pytest.mark.parametrize(("target", "name", "format_id"), [
    ("metal_rough", "out.glb", "gltf"), ("open_pbr", "out.mtlx", "materialx"), ("exponent", "out.mtl", "mtl"),
])  # fmt: skip
def test_a_delivery_that_does_not_fit_leaves_the_one_before_as_it_was(
    noise: Map, tmp_path: Path, target: str, name: str, format_id: str
) -> None:
    folder = tmp_path / "delivery"
    folder.mkdir()
    (folder / name).write_bytes(b"the one before")
    painted = convert(Material.of("painted", "spec_gloss", {"diffuse": noise, "specular": (0.04,) * 3, "glossiness": 0.6}), target).material
    with pytest.raises(StorageError):
        write([painted], folder / name, format_id)
    assert (folder / name).read_bytes() == b"the one before"
    assert not list(folder.glob(".part-*"))
