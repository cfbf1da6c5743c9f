"""Opens USD stages: nothing is composed that lies outside of the folder that was uploaded."""

from __future__ import annotations

import posixpath
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path, PurePosixPath

from pxr import Ar, Sdf, Tf, Usd, UsdGeom, UsdShade

from fenrain.core.errors import BrokenFileError, FenrainError, UnsafePathError
from fenrain.core.findings import Finding, unread
from fenrain.core.formats.usd import SUFFIXES
from fenrain.core.paths import resolve
from fenrain.core.values import Image

MATERIALX = ".mtlx"
"""Documents that a stage may name; the library at hand does not compose them."""
MOST_LAYERS = 2000


@contextmanager
def told_as_broken(path: Path) -> Iterator[None]:
    """What the library says of a damaged file, at whatever moment it meets the damage, as a BrokenFileError."""
    try:
        yield
    except MemoryError as reason:
        raise _broken(path, "it asks for more memory than there is") from reason
    except (Tf.ErrorException, RuntimeError, ValueError, OverflowError) as reason:
        raise _broken(path, _said(reason, path.resolve().parent)) from reason


class Opened:
    """A stage and what was odd about the files that it is made of. documents: MaterialX documents that it names."""

    def __init__(self, path: Path, root: Path) -> None:
        """Raises BrokenFileError for what is no USD, UnsafePathError for a layer outside of `root`."""
        self.path, self.root = path, root
        self.findings: list[Finding] = []
        self.documents: list[Path] = []
        self._package = _Package(path) if path.suffix.lower() == ".usdz" else None
        if self._package is not None:
            self._package.require_closed()
        else:
            self._require_inside()
        self.stage = Usd.Stage.Open(str(path))
        if self.stage is None:
            raise BrokenFileError(f"“{path.name}” is no USD file.", place=path.name, remedy="Export it again.")

    def prims(self) -> Iterator[Usd.Prim]:
        """Everything that the stage shows, what is instanced too."""
        return iter(Usd.PrimRange.Stage(self.stage, Usd.TraverseInstanceProxies(Usd.PrimDefaultPredicate)))

    def folder_of(self, attribute: Usd.Attribute) -> Path:
        """That which an attribute's asset path is relative to."""
        layer = attribute.GetPropertyStack(Usd.TimeCode.Default())[0].layer
        return Path(Ar.SplitPackageRelativePathOuter(layer.identifier)[0]).parent

    def packed(self, attribute: Usd.Attribute, reference: str) -> Image | None:
        """The image of a package that an attribute names; None outside of packages, and where the package has none of that name."""
        if self._package is None:
            return None
        layer = attribute.GetPropertyStack(Usd.TimeCode.Default())[0].layer
        within = Ar.SplitPackageRelativePathInner(layer.identifier)[1] if Ar.IsPackageRelativePath(layer.identifier) else ""
        return self._package.image(_joined(within or self._package.first, reference))

    def _require_inside(self) -> None:
        waiting, known = [self.path], set[Path]()
        while waiting:
            file = waiting.pop()
            if file in known:
                continue
            known.add(file)
            if len(known) > MOST_LAYERS:
                raise BrokenFileError(f"“{self.path.name}” is made of more than {MOST_LAYERS} layers.", place=self.path.name)
            waiting += self._named_by(file)

    def _named_by(self, file: Path) -> list[Path]:
        """The layers that a layer names; what is missing is a finding."""
        layer, found = Sdf.Layer.FindOrOpen(str(file)), []
        for reference in () if layer is None else layer.GetCompositionAssetDependencies():
            try:
                named = resolve(reference, file.parent, self.root).path
            except UnsafePathError:
                raise
            except FenrainError as reason:
                self.findings.append(unread("missing-layer", reason.message, evidence=file.name, remedy=reason.remedy))
                continue
            if named.suffix.lower() == MATERIALX:
                self.documents.append(named)
            elif named.suffix.lower() == ".usdz":
                _Package(named).require_closed()
            else:
                found.append(named)
        return found


def packed_image(resolved: str) -> Image | None:
    """The image that a path into a package means, as the library resolves one."""
    outer, inner = Ar.SplitPackageRelativePathOuter(resolved)
    return _Package(Path(outer)).image(inner)


class _Package:
    """A zip of layers and images that lie in it as they are (USD's usdz file format specification 1.3)."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._zip = Sdf.ZipFile.Open(str(path))
        if self._zip is None or not self._zip.GetFileNames():
            raise BrokenFileError(f"“{path.name}” is no USD package.", place=path.name, remedy="Export it again.")
        self._names = list(self._zip.GetFileNames())
        self.first = self._names[0]

    def require_closed(self) -> None:
        """Raises UnsafePathError where a layer of it names something outside of it."""
        for name in self._names:
            if PurePosixPath(name).suffix.lower() not in SUFFIXES:
                continue
            layer = Sdf.Layer.FindOrOpen(f"{self._path}[{name}]")
            for reference in () if layer is None else layer.GetCompositionAssetDependencies():
                if _joined(name, reference) not in self._names:
                    raise UnsafePathError(
                        f"“{reference[:120]}” does not lie in the package.",
                        place=f"{self._path.name}[{name}]",
                        remedy="Pack the layer with it, or hand it in as single files.",
                    )

    def image(self, name: str) -> Image | None:
        if name not in self._names:
            return None
        entry = self._zip.GetFileInfo(name)
        if entry.compressionMethod != 0 or entry.encrypted:
            return None
        return Image(PurePosixPath(name).name, self._path, entry.dataOffset, entry.size)


def _joined(layer: str, reference: str) -> str:
    """The name within a package that a reference of one of its layers means."""
    return posixpath.normpath(posixpath.join(posixpath.dirname(layer), reference))


def _said(reason: Exception, folder: Path) -> str:
    try:
        return str(reason).rpartition(" : ")[2].strip(" \n'").replace(f"{folder}/", "")
    except UnicodeDecodeError:  # the library quotes the damage as it stands in the file
        return "it is damaged"


def _broken(path: Path, said: str) -> BrokenFileError:
    return BrokenFileError(f"“{path.name}” cannot be read as USD ({said[:120]}).", place=path.name, remedy="Export it again.")


def bound_material(prim: Usd.Prim) -> UsdShade.Material | None:
    """What is bound to it, by itself, by what holds it or by a collection."""
    material = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()[0]
    return material if material else None


def bound_path(prim: Usd.Prim) -> str | None:
    """The path of what is bound, whether it is there or not."""
    material = bound_material(prim)
    if material is not None:
        return shared_path(material.GetPrim())
    targets = UsdShade.MaterialBindingAPI(prim).GetDirectBindingRel().GetForwardedTargets()
    return str(targets[0]) if targets else None


def shared_path(prim: Usd.Prim) -> str:
    """That of what all instances share, where it is shown by one."""
    return str((prim.GetPrimInPrototype() if prim.IsInstanceProxy() else prim).GetPath())


def bound_name(opened: Opened, prim: Usd.Prim) -> str:
    """What the material is called that lies on it; that of the file where none is bound."""
    material, path = bound_material(prim), bound_path(prim)
    if material is not None:
        return material_name(material.GetPrim())
    return Sdf.Path(path).name if path is not None else opened.path.stem


def material_name(prim: Usd.Prim) -> str:
    return str(prim.GetDisplayName() or prim.GetName())


def uv_names(prim: Usd.Prim) -> list[str]:
    """The UV sets of a mesh, “st” first, as their numbers count them."""
    kinds = (Sdf.ValueTypeNames.TexCoord2fArray, Sdf.ValueTypeNames.Float2Array, Sdf.ValueTypeNames.TexCoord2hArray)
    names = [
        primvar.GetPrimvarName()
        for primvar in UsdGeom.PrimvarsAPI(prim).GetPrimvarsWithValues()
        if primvar.GetTypeName() in kinds and primvar.GetInterpolation() in ("vertex", "varying", "faceVarying")
    ]
    return sorted(names, key=lambda name: (name != "st", name))


def uv_number(name: str, known: Sequence[str]) -> int:
    """Of a UV set by its name. known: those of the meshes that ask; where there are none, a number at the name's end counts, and a name
    that meshes lack is one more than they have."""
    if name in known:
        return list(known).index(name)
    trailing = name[len(name.rstrip("0123456789")) :]
    return len(known) if known else int(trailing[:4] or 0)
