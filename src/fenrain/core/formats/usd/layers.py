"""A layer over a stage's own layers, which are copied beside it as they are."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pxr import Sdf, Usd, UsdUtils

from fenrain.core.files import write_whole
from fenrain.core.formats.usd.stage import Opened


@dataclass(frozen=True)
class Over:
    """stage: the copied layers with an empty one over them, which is written to; below: the copy that it lies over; folder: that the file
    will lie in; files: every copy."""

    stage: Any
    below: Path
    folder: Path
    files: tuple[Path, ...]

    def layer(self) -> Sdf.Layer:
        """What is to be written: the layer, naming the one below by a path that holds wherever both are moved together."""
        made = Sdf.Layer.CreateAnonymous(".usda")
        made.TransferContent(self.stage.GetRootLayer())
        made.subLayerPaths[0] = f"./{self.below.relative_to(self.folder).as_posix()}"
        return made


def laid_over(asset: Path, path: Path) -> Over:
    """Copy an asset with all that it names, as it lies in its folder, to one beside `path`, and open an empty layer over it.

    Raises BrokenFileError, UnsafePathError, StorageError.
    """
    opened = Opened(asset, asset.parent)
    home, beside = asset.parent.resolve(), path.parent / f"{path.stem}_layers"
    layers, assets, _ = UsdUtils.ComputeAllDependencies(Sdf.AssetPath(str(asset)))
    named = [Path(layer.realPath) for layer in layers] + [Path(name) for name in assets] + opened.documents
    copies: dict[Path, Path] = {}
    for file in dict.fromkeys(one.resolve() for one in named):
        if file.is_file() and file.is_relative_to(home):
            copies[file] = beside / file.relative_to(home)
            write_whole(copies[file], file.read_bytes())
    below = copies[asset.resolve()]
    layer = Sdf.Layer.CreateAnonymous(".usda")
    layer.subLayerPaths.append(str(below))
    source = opened.stage.GetRootLayer().pseudoRoot
    for key in source.ListInfoKeys():
        if key not in ("subLayers", "subLayerOffsets"):
            layer.pseudoRoot.SetInfo(key, source.GetInfo(key))
    return Over(Usd.Stage.Open(layer), below, path.parent, tuple(copies.values()))
