"""What a file format is."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from fenrain.core.formats.holding import Slots
from fenrain.core.geometry import Mesh
from fenrain.core.material import Material
from fenrain.core.models.target import Profile

MeshReader = Callable[[Path, Path], list[Mesh]]


@dataclass(frozen=True)
class Format:
    """A file format.

    suffixes: of its files, the one that is written first; models: ids of the models that it can hold; read: (file, folder that references
    may not leave) → materials; write: (materials, file, asset they belong to, profile) → files written; slots: what it can hold of a
    model's parameters; takes_dialect: the reader also takes a dialect, and those it may guess among; meshes: reads the meshes of a file,
    where it can be the asset whose meshes carry what is written; writes: what a delivery in it is made of, for people; metres: of the unit
    of length that it prescribes, 0 where an asset has its own; carries_meshes: whether those of the asset are written as well.
    """

    id: str
    title: str
    suffixes: tuple[str, ...]
    models: tuple[str, ...]
    read: Callable[..., list[Material]] | None = None
    write: Callable[[Sequence[Material], Path, Path | None, Profile], list[Path]] | None = None
    slots: Slots | None = None
    takes_dialect: bool = False
    meshes: MeshReader | None = None
    writes: str = ""
    metres: float = 0.0
    carries_meshes: bool = False
