"""A check kit: a folder that hands a renderer of another kind what it needs to take the same picture as ours, and what our side needs to
compare the picture that comes back.
"""

from __future__ import annotations

import json
import shutil
import tempfile
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, replace
from functools import cached_property
from pathlib import Path

from pydantic import ValidationError

from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.conversion.viewing import CheckItem, checklist, features_of
from fenrain.core.dialects.dialect import Dialect
from fenrain.core.errors import BrokenFileError, InputError, MissingFileError
from fenrain.core.files import not_written, write_whole
from fenrain.core.formats.reading import read_meshes
from fenrain.core.formats.registry import formats
from fenrain.core.geometry import Mesh
from fenrain.core.maps.image import inspect, write_linear
from fenrain.core.material import Material, material_from_document, material_to_document
from fenrain.core.models.registry import model_of
from fenrain.core.models.target import Profile
from fenrain.core.outside.kit_file import CardFile, FrameFile, KitFile, StandFile, TileFile
from fenrain.core.outside.layout import CardPlace, Frame, Layout, Tile, layout_of, stand_of_tile
from fenrain.core.outside.lengths import in_scene_units
from fenrain.core.outside.light import light_picture, mirror_ball, orientation_light, whole_turn
from fenrain.core.outside.page import write_page
from fenrain.core.outside.scene import Scene, format_for_scene, prop_name, scene_of, write_materials, write_scene
from fenrain.core.outside.table import write_values
from fenrain.core.paths import safe_name
from fenrain.core.rendering.environment import open_environment
from fenrain.core.rendering.png import picture_png
from fenrain.core.rendering.rigs.registry import Rig, rig_of, rigs
from fenrain.core.rendering.stands.registry import OPENED, Prop, Stand, stand_of
from fenrain.core.values import Image

KIT_FILE, LIGHT, MAPS = "kit.json", "light.exr", "maps"
ORIGINAL, CONVERTED = "original", "converted"
SIDES = (ORIGINAL, CONVERTED)
"""What a picture that comes back may show."""
TILE_PIXELS, STAND_PIXELS, LARGEST_SIDE = 160, 768, 4096
"""Edge at which a tile of a sheet, and a stand, should be rendered; and the most that is asked of a side of the picture."""
SUFFIXES = {
    "png": ".png", "jpeg": ".jpg", "tiff": ".tif", "openexr": ".exr", "hdr": ".hdr", "bmp": ".bmp", "webp": ".webp", "targa": ".tga",
}  # fmt: skip
LARGEST_KIT_FILE = 64 * 1024 * 1024


@dataclass(frozen=True)
class Pair:
    """A material of a kit as it was and as it was converted, None where the kit holds originals alone."""

    original: Material
    converted: Material | None


@dataclass(frozen=True)
class Kit:
    """A kit that lies in a folder."""

    folder: Path
    stated: KitFile
    pairs: tuple[Pair, ...]

    @cached_property
    def layout(self) -> Layout:
        tiles = tuple(Tile(one.offset, one.middle, one.half) for one in self.stated.tiles)
        cards = tuple(CardPlace(one.middle, one.edge) for one in self.stated.cards)
        frame = self.stated.frame
        return Layout(Frame(frame.eye, frame.target, frame.field_of_view, frame.aspect), tiles, cards, self.stated.has_ground)

    @property
    def names(self) -> list[str]:
        return [tile.material for tile in self.stated.tiles]

    @cached_property
    def rig(self) -> Rig:
        """The rig by its id, or from the kit's own light where this process does not know it."""
        return rig_of(self.stated.rig) if self._is_shipped_rig else open_environment(Image(LIGHT, self.folder / LIGHT))

    @property
    def turn(self) -> float:
        """By which our renderer turns the rig: the kit's own light is turned already."""
        return self.stated.turn if self._is_shipped_rig else 0.0

    @property
    def _is_shipped_rig(self) -> bool:
        return self.stated.rig.partition(":")[0] in rigs()

    def stand_id(self, index: int) -> str:
        """The stand of a tile, from the kit's own meshes, by the id under which this process then knows it."""
        stated, meshes = self.stated.stand, self._meshes
        bare = Stand(
            stated.id,
            stated.title,
            "",
            lambda: self._body(index),
            stated.floor,
            ((0.0, 0.0, 1.0), (0.0, 0.0, 0.0)),
            100,
            convex=stated.convex,
            props=lambda: tuple(Prop(meshes[prop_name(at)], *look) for at, look in enumerate(stated.props)),
            unit=stated.unit,
            metres=stated.metres,
        )
        return OPENED.keep(stand_of_tile(bare, self.layout, index, f"kit-{self._digest}-{index + 1}")).id

    def _body(self, index: int) -> Mesh:
        mesh = self._meshes[self.names[index]]
        return replace(mesh, positions=mesh.positions - self.stated.tiles[index].offset)

    @cached_property
    def _meshes(self) -> dict[str, Mesh]:
        return {mesh.material: mesh for mesh in read_meshes(self.folder / "scene.glb", self.folder)}

    @cached_property
    def _digest(self) -> str:
        return Image(KIT_FILE, self.folder / KIT_FILE).digest[:16]


def write_kit(
    conversions: Sequence[Conversion | Material],
    folder: Path,
    *,
    title: str,
    rig: str = "soft_studio",
    stand: str = "sphere",
    turn: float = 0.0,
    target: ServedTarget | None = None,
    dialects: Callable[[Material], Dialect | None] = lambda _: None,
) -> Kit:
    """Write a kit of some materials into a new folder, which appears whole or not at all.

    conversions: of the materials, or originals alone; target: what was converted to; dialects: in whose words the values of an original are
    said. Raises InputError for a folder that holds something else or too many materials, NotFoundError, StorageError.
    """
    if folder.exists() and any(folder.iterdir()):
        raise InputError(f"“{folder.name}” is not empty.", place=str(folder), remedy="Name a new folder for the kit.")
    chosen, light = stand_of(stand), rig_of(rig)
    given = [(one, None) if isinstance(one, Material) else (one.original, one.material) for one in conversions]
    laid = [Pair(in_scene_units(first, stand), None if second is None else in_scene_units(second, stand)) for first, second in given]
    pairs = _named_apart(laid)
    layout = layout_of(chosen, len(pairs))
    turned = whole_turn(turn)
    try:
        folder.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(dir=folder.parent, prefix=".kit-") as scratch:
            made = Path(scratch) / "kit"
            made.mkdir()
            _write(made, pairs, layout, chosen, light, turned, title, target, dialects)
            if folder.exists():
                folder.rmdir()
            made.rename(folder)
    except OSError as reason:
        raise not_written(folder, reason.strerror or str(reason)) from reason
    return open_kit(folder)


def open_kit(folder: Path) -> Kit:
    """A kit as it lies in a folder. Raises MissingFileError, BrokenFileError."""
    path = folder / KIT_FILE
    if not path.is_file():
        raise MissingFileError(f"There is no kit in “{folder.name}”.", place=str(folder), remedy=f"Name the folder that holds {KIT_FILE}.")
    try:
        if path.stat().st_size > LARGEST_KIT_FILE:
            raise ValueError("it is too large")
        stated = KitFile.model_validate_json(path.read_bytes())

        def open_image(digest: str, name: str) -> Image:
            file = folder / MAPS / Path(stated.maps[digest]).name
            if not file.is_file():
                raise MissingFileError(f"The map “{name}” of the kit is gone.", place=str(file), remedy="Make the kit again.")
            return Image(name, file)

        pairs = tuple(
            Pair(
                material_from_document(tile.original, open_image),
                None if tile.converted is None else material_from_document(tile.converted, open_image),
            )
            for tile in stated.tiles
        )
    except (ValidationError, ValueError, KeyError, TypeError, AttributeError) as reason:
        said = str(reason).splitlines()[0][:120]
        raise BrokenFileError(f"“{KIT_FILE}” is not a kit's ({said}).", place=str(path), remedy="Make the kit again.") from reason
    return Kit(folder, stated, pairs)


def _named_apart(pairs: Sequence[Pair]) -> list[Pair]:
    """Materials of one name get numbers: meshes carry them by name."""
    found, taken = [], set[str]()
    for pair in pairs:
        name, number = pair.original.name, 2
        while name in taken:
            name, number = f"{pair.original.name} {number}", number + 1
        taken.add(name)
        found.append(Pair(replace(pair.original, name=name), None if pair.converted is None else replace(pair.converted, name=name)))
    return found


def _write(
    folder: Path,
    pairs: Sequence[Pair],
    layout: Layout,
    stand: Stand,
    rig: Rig,
    turn: float,
    title: str,
    target: ServedTarget | None,
    dialects: Callable[[Material], Dialect | None],
) -> None:
    names = [pair.original.name for pair in pairs]
    scene = scene_of(stand, layout, names)
    light = light_picture(rig, turn)
    write_linear(folder / LIGHT, light)
    write_linear(folder / "orientation_light.exr", orientation_light())
    write_whole(folder / "orientation_frame.png", picture_png(mirror_ball(orientation_light(), 256)))
    write_whole(folder / "light_on_a_mirror_ball.png", picture_png(mirror_ball(light, 256)))
    write_scene(folder, scene, layout.frame, LIGHT)
    originals = [pair.original for pair in pairs]
    maps = _keep_maps(folder / MAPS, [one for pair in pairs for one in (pair.original, pair.converted) if one is not None])
    files = {ORIGINAL: _write_originals(folder / ORIGINAL, originals, scene, layout.frame)}
    files[ORIGINAL] += write_values(folder / ORIGINAL, originals, dialects, lambda image: maps.get(image.digest, image.name))
    if target is not None and target.format is not None:
        converted = [pair.converted for pair in pairs if pair.converted is not None]
        files[CONVERTED] = write_materials(folder / CONVERTED, CONVERTED, converted, scene, target.format, layout.frame, target.profile)
    width, height = _pixels(layout)
    stated = KitFile(
        kit=1,
        title=title,
        rig=rig.id,
        rig_title=rig.title,
        turn=turn,
        stand=StandFile(
            id=stand.id,
            title=stand.title,
            floor=stand.floor,
            convex=stand.convex,
            unit=1.0,
            metres=stand.metres,
            props=[(prop.reflectance, prop.glow) for prop in stand.props()] if layout.has_ground else [],
        ),
        target=target.title if target is not None else "",
        width=width,
        height=height,
        frame=FrameFile(**asdict(layout.frame)),
        tiles=[
            TileFile(
                material=pair.original.name,
                offset=tile.offset,
                middle=tile.middle,
                half=tile.half,
                original=material_to_document(pair.original),
                converted=None if pair.converted is None else material_to_document(pair.converted),
            )
            for pair, tile in zip(pairs, layout.tiles, strict=True)
        ],
        cards=[CardFile(**asdict(card)) for card in layout.cards],
        has_ground=layout.has_ground,
        maps=maps,
    )
    write_page(
        folder,
        stated,
        scene,
        {side: [one.relative_to(folder) for one in written] for side, written in files.items()},
        _lists(pairs, target),
    )
    write_whole(folder / KIT_FILE, json.dumps(stated.model_dump(mode="json"), ensure_ascii=False, indent=1))


def _lists(pairs: Sequence[Pair], target: ServedTarget | None) -> dict[str, list[CheckItem]]:
    """What has to be switched on for either side's pictures."""
    found = {ORIGINAL: checklist([(pair.original.name, features_of(pair.original)) for pair in pairs], Profile())}
    if target is not None:
        used = [(pair.converted.name, features_of(pair.converted)) for pair in pairs if pair.converted is not None]
        found[CONVERTED] = checklist(used, target.profile)
    return found


def _write_originals(folder: Path, materials: Sequence[Material], scene: Scene, frame: Frame) -> list[Path]:
    """Originals in formats of their own, model by model; the main file of each."""
    written: list[Path] = []
    for model in dict.fromkeys(material.model for material in materials):
        members = [material for material in materials if material.model == model]
        chosen = format_for_scene(members[0], list(formats().values()))
        if chosen is not None:
            profile = next((one.profile for one in model_of(model).targets if one.format == chosen.id), Profile())
            written += write_materials(folder, model, members, scene, chosen, frame, profile)[:1]
    return written


def _keep_maps(folder: Path, materials: Sequence[Material]) -> dict[str, str]:
    """Copies of all images, by the digest of each."""
    found, taken = dict[str, str](), set[str]()
    images = {file.digest: file for material in materials for image in material.images().values() for file in image.files()}
    for digest, image in images.items():
        found[digest] = _file_name(image, taken)
        folder.mkdir(exist_ok=True)
        with (folder / found[digest]).open("wb") as stream:
            if image.path is not None and image.offset == 0 and image.length is None:
                with image.path.open("rb") as source:
                    shutil.copyfileobj(source, stream)
            else:
                stream.write(image.read())
    return found


def _file_name(image: Image, taken: set[str]) -> str:
    """A name for the copy of an image, with the suffix of its format where its own has none."""
    name = Path(image.name)
    suffix = name.suffix.lower() if name.suffix.lower() in SUFFIXES.values() else SUFFIXES[inspect(image).format]
    return safe_name(name.stem if name.suffix.lower() == suffix else image.name, taken) + suffix


def _pixels(layout: Layout) -> tuple[int, int]:
    """Width and height of the picture that is asked for."""
    half = min(tile.half for tile in layout.tiles)
    height = STAND_PIXELS if layout.has_ground else TILE_PIXELS / half
    height = min(height, LARGEST_SIDE / max(layout.frame.aspect, 1.0))
    rows = 2 * round(height / 2)
    return 2 * round(rows * layout.frame.aspect / 2), rows
