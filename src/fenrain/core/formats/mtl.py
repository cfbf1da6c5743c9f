"""Wavefront MTL: exponent materials, read and written.

Source: MTL material file format, Advanced Visualizer, 1995. Colour maps are taken as sRGB (common practice).
"""

from __future__ import annotations

import math
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np

from fenrain.core.colour import XYZ_TO_RGB
from fenrain.core.errors import BrokenFileError, FenrainError, TooLargeError
from fenrain.core.files import write_whole
from fenrain.core.findings import unread, warning
from fenrain.core.formats.coordinates import projections_of, with_coordinates
from fenrain.core.formats.format import Format
from fenrain.core.formats.holding import Slot, largest_in
from fenrain.core.formats.obj_meshes import default_name, write_meshes
from fenrain.core.formats.reading import read_meshes
from fenrain.core.formats.registry import mesh_readers
from fenrain.core.formats.text import FALLBACK_ENCODING, encoding_of
from fenrain.core.maps.bake import baked_map
from fenrain.core.maps.image import inspect
from fenrain.core.material import Material, Source
from fenrain.core.material_parser import MaterialParser, with_shared_names
from fenrain.core.models.exponent.parameters import ILLUM
from fenrain.core.models.registry import Model, model_of
from fenrain.core.models.target import Profile
from fenrain.core.paths import safe_name
from fenrain.core.values import REPEATS, Computed, Constant, Image, Map, Placement, Wrap

MOST_MATERIALS = 50_000


@dataclass(frozen=True)
class Keywords:
    """What statements mean to a model: the parameters that they set, as colours or numbers, as maps of either, or as maps of heights and
    normals; beside: what says the same in other words, for programs that do not know these."""

    model: str
    opacity: str
    colours: Mapping[str, str]
    numbers: Mapping[str, str]
    colour_maps: Mapping[str, str]
    scalar_maps: Mapping[str, str]
    beside: frozenset[str] = frozenset()


HEIGHTS = dict.fromkeys(("map_bump", "map_Bump", "bump"), "bump")
NORMAL_MAPS = ("norm", "map_norm", "map_Norm")
EXPONENT = Keywords(
    model="exponent",
    opacity="dissolve",
    colours={"Ka": "ambient", "Kd": "diffuse", "Ks": "specular", "Ke": "emission", "Tf": "filter"},
    numbers={"Ns": "exponent", "Ni": "ior"},
    colour_maps={"map_Ka": "ambient", "map_Kd": "diffuse", "map_Ks": "specular", "map_Ke": "emission", "refl": "reflection_image"},
    scalar_maps={"map_Ns": "exponent", "map_d": "dissolve", "disp": "displacement", "decal": "decal", **HEIGHTS},
)
PHYSICAL = Keywords(
    model="metal_rough",
    opacity="alpha",
    colours={"Kd": "base_color", "Ke": "emissive", "Ps": "sheen_color"},
    numbers={
        "Ni": "ior",
        "Pr": "roughness",
        "Pm": "metallic",
        "Pc": "clearcoat",
        "Pcr": "clearcoat_roughness",
        "aniso": "anisotropy_strength",
        "anisor": "anisotropy_rotation",
    },
    colour_maps={"map_Kd": "base_color", "map_Ke": "emissive", "map_Ps": "sheen_color"},
    scalar_maps={
        "map_Pr": "roughness",
        "map_Pm": "metallic",
        "map_Pc": "clearcoat",
        "map_Pcr": "clearcoat_roughness",
        "map_d": "alpha",
        **HEIGHTS,
    },
    beside=frozenset({"Ka", "Ks", "Ns", "Tf", "illum", "map_Ka", "map_Ks", "map_Ns"}),
)
"""Physically based statements beside the format's own (common practice since 2014): glTF's metallic-roughness in other words. Without Pm a
material is no metal, without Pr as rough as can be."""
OF_FORMAT = frozenset({*EXPONENT.colours, *EXPONENT.numbers, *EXPONENT.colour_maps, *EXPONENT.scalar_maps})
PHYSICAL_ALONE = frozenset({*PHYSICAL.colours, *PHYSICAL.numbers, *PHYSICAL.colour_maps, *PHYSICAL.scalar_maps}) - OF_FORMAT
UNUSED_WITHOUT_REFLECTION = "sharpness"
"""Of a painted reflection: says nothing where there is none."""
WHOLE_TURN = 2.0 * math.pi
BLENDED = 2
"""The alpha mode of what is open in part."""
OPTION_ARGUMENTS = {
    "-blendu": 1,
    "-blendv": 1,
    "-cc": 1,
    "-clamp": 1,
    "-texres": 1,
    "-boost": 1,
    "-bm": 1,
    "-imfchan": 1,
    "-type": 1,
    "-mm": 2,
    "-s": 3,
    "-o": 3,
    "-t": 3,
    "-colorspace": 1,
}


WITHOUT_EFFECT = {
    *((option, switch) for option in ("-blendu", "-blendv") for switch in ("on", "off")),
    ("-cc", "off"),
    *(("-type", kind) for kind in ("sphere", *(f"cube_{side}" for side in ("top", "bottom", "front", "back", "left", "right")))),
    ("-boost", "0"),
}
HINTS = ("-texres",)
"""Options that say how much memory a picture may take."""
"""Options that say what holds anyway, how a picture is filtered, or where a painted reflection is seen."""


CLAMPED = (Wrap.CLAMP, Wrap.CLAMP)
"""What `-clamp on` means: textures are restricted to 0–1 (the format's text), which viewers take as clamped to their edges."""


@dataclass
class Options:
    """What stands before the file name of a map statement."""

    scale: list[float] = field(default_factory=lambda: [1.0, 1.0])
    offset: list[float] = field(default_factory=lambda: [0.0, 0.0])
    multiplier: float = 1.0
    base: float = 0.0
    gain: float = 1.0
    channel: str = ""
    clamped: bool = False
    ignored: list[str] = field(default_factory=list)

    def placement(self) -> Placement:
        """The same in image coordinates, whose v runs down: v' = s v + (1 − s − o)."""
        (su, sv), (ou, ov) = self.scale, self.offset
        return Placement((ou, 1.0 - sv - ov), 0.0, (su, sv), CLAMPED if self.clamped else REPEATS)


@dataclass(frozen=True)
class Statement:
    """line: its number; rest: what follows the keyword."""

    line: int
    keyword: str
    rest: str


def read_mtl(path: Path, root: Path) -> list[Material]:
    """Every material of an MTL file. Raises BrokenFileError where it holds none, TooLargeError beyond 50,000."""
    materials = [
        _read_material(path, root, index, begin, statements) for index, (begin, statements) in enumerate(_statements_by_material(path))
    ]
    if not materials:
        raise BrokenFileError(
            f"“{path.name}” holds no material: no line begins with “newmtl”.", place=path.name, remedy="Check that it is an MTL file."
        )
    return with_shared_names(materials)


def _statements_by_material(path: Path) -> list[tuple[Statement, list[Statement]]]:
    """The statement that begins each material, and those that follow it."""
    found: list[tuple[Statement, list[Statement]]] = []
    for statement in _statements(path):
        place = f"{path.name}, line {statement.line}"
        if statement.keyword == "newmtl":
            if len(found) >= MOST_MATERIALS:
                raise TooLargeError(f"“{path.name}” holds more than {MOST_MATERIALS:,} materials.", place=place, remedy="Split the file.")
            found.append((statement, []))
        elif found:
            found[-1][1].append(statement)
        elif statement.keyword in ("v", "f", "o", "g", "usemtl", "mtllib"):
            raise BrokenFileError(f"“{path.name}” is a mesh, not a material file.", place=place, remedy="Upload the .mtl file.")
    return found


def _read_material(path: Path, root: Path, index: int, begin: Statement, statements: Sequence[Statement]) -> Material:
    """By the format's own statements, or by the physically based ones where there is one of them."""
    names = {statement.keyword for statement in statements}
    keywords = PHYSICAL if names & PHYSICAL_ALONE else EXPONENT
    reading = MaterialParser(begin.rest or f"material {index + 1}", keywords.model, f"{path.name}, line {begin.line}")
    if encoding_of(path) == FALLBACK_ENCODING:
        reading.remark("encoding", f"“{path.name}” is not UTF-8; its names were read as {FALLBACK_ENCODING}.", evidence=path.name)
    if keywords is PHYSICAL:
        reading.values["metallic"] = Constant(0.0)
        if names & keywords.beside:
            reading.remark(
                "second-workflow",
                "It is also described by a highlight, for programs that do not know the physically based statements.",
                evidence=", ".join(sorted(names & keywords.beside)),
                remedy="The physically based ones are read.",
            )
    maps: list[Statement] = []
    for statement in statements:
        _take(reading, keywords, statement, path.name, names, maps)
    _attach_maps(reading, keywords, maps, path, root)
    if keywords is PHYSICAL:
        _finish_physical(reading)
    return reading.material(Source(path.name, "mtl", index, reading.place))


def _finish_physical(reading: MaterialParser) -> None:
    """Heights as the normals that they come to, for a model without heights; and alpha as it is used."""
    height = reading.values.pop("bump", None)
    if height is not None:
        around = {name: Constant(model_of("exponent").parameter(name).default) for name in HEIGHT_VALUES}
        inputs = {**around, "bump": height, **({"normal": reading.values["normal"]} if "normal" in reading.values else {})}
        reading.values["normal"] = Computed("exponent.to_hub.bump", "geometry_normal", tuple(inputs.items()))
    if reading.values.get("alpha", Constant(1.0)) != Constant(1.0):
        reading.values["alpha_mode"] = Constant(BLENDED)


HEIGHT_VALUES = ("bump_strength", "normal", "normal_strength", "detail_normal", "detail_mask")
"""What the slopes of a height depend on beside it and the normals that it lies on."""


def _statements(path: Path) -> Iterator[Statement]:
    """Each statement; a backslash joins lines."""
    pending = ""
    with path.open(encoding=encoding_of(path), errors="replace") as stream:
        for number, line in enumerate(stream, 1):
            text = pending + line.split("#", 1)[0].strip()
            if text.endswith("\\"):
                pending = text[:-1] + " "
                continue
            pending = ""
            if text:
                keyword, *rest = text.split(None, 1)
                yield Statement(number, keyword, rest[0] if rest else "")


def _take(
    reading: MaterialParser, keywords: Keywords, statement: Statement, file: str, names: Collection[str], maps: list[Statement]
) -> None:
    """Take one statement of a material; maps are kept for the end, when all factors are known. names: of all its statements."""
    keyword, rest, place = statement.keyword, statement.rest, f"{file}, line {statement.line}, {statement.keyword}"
    if keyword in keywords.beside or (keyword == UNUSED_WITHOUT_REFLECTION and "refl" not in names):
        return
    if keyword in keywords.colours:
        _take_colour(reading, keywords.colours[keyword], rest, place)
    elif keyword in keywords.numbers:
        numbers = _numbers(reading, rest, place)
        if numbers:
            turned = WHOLE_TURN if keyword == "anisor" else 1.0
            reading.set(keywords.numbers[keyword], numbers[0] * turned, place)
    elif keyword in ("d", "Tr"):
        _take_opacity(reading, keywords.opacity, statement, place, names)
    elif keyword == "illum":
        _take_illum(reading, rest, place)
    elif keyword in keywords.colour_maps or keyword in keywords.scalar_maps or keyword in NORMAL_MAPS:
        maps.append(statement)
    else:
        why = "has no place beside physically based statements" if keyword in OF_FORMAT else "is not part of the format"
        reading.leave_unread("not-read", f"{place} {why} and was not read.", evidence=f"{keyword} {rest}"[:60])


def _take_colour(reading: MaterialParser, parameter: str, rest: str, place: str) -> None:
    """Linear red, green and blue, one number for all three, or CIE XYZ; a spectrum in a file is not read."""
    space, _, stated = rest.partition(" ")
    if space == "spectral":
        reading.leave_unread("not-read", f"{place}: colours by a spectral curve are not read.", parameter=parameter, evidence=rest[:60])
        return
    numbers = _numbers(reading, stated if space == "xyz" else rest, place)
    if not numbers:
        return
    colour = tuple((numbers * 3)[:3]) if len(numbers) < 3 else tuple(numbers[:3])
    reading.set(parameter, tuple(float(part) for part in XYZ_TO_RGB @ np.array(colour)) if space == "xyz" else colour, place)


def _take_opacity(reading: MaterialParser, parameter: str, statement: Statement, place: str, names: Collection[str]) -> None:
    """Dissolve, or transparency, which is what is left of it: where both are stated, dissolve holds."""
    if statement.rest.startswith("-halo"):
        reading.leave_unread("option-not-read", f"{place}: -halo, less towards the middle, was not read.", parameter=parameter)
    numbers = _numbers(reading, statement.rest.removeprefix("-halo").strip(), place)
    if not numbers or (statement.keyword == "Tr" and "d" in names):
        return
    reading.set(parameter, 1.0 - numbers[0] if statement.keyword == "Tr" else numbers[0], place)
    if statement.keyword == "Tr" and numbers[0] >= 1.0:
        reading.findings.append(
            warning(
                "transparency-may-be-dissolve",
                f"{place} {numbers[0]:g} makes the material invisible; some programs write what is left of it, where 1 is opaque.",
                parameter=parameter,
                evidence=f"Tr {statement.rest}"[:40],
                remedy="If it is meant so, set the opacity to 1.",
            )
        )


def _take_illum(reading: MaterialParser, rest: str, place: str) -> None:
    """The shading mode, 0 to 10; another one is a doubt."""
    known = {str(mode) for mode, _ in ILLUM}
    if rest in known:
        reading.set("illum", int(rest), place)
        return
    message = f"{place}: “{rest[:20]}” is no known mode; 2 (diffuse and highlight) is assumed."
    reading.findings.append(unread("bad-value", message, parameter="illum", evidence=rest[:20], remedy="Correct it in the source file."))


def _numbers(reading: MaterialParser, rest: str, place: str) -> list[float]:
    """The numbers of a statement, none with a finding where one is no number, or there is none."""
    try:
        numbers = [float(part) for part in rest.split()]
    except ValueError:
        numbers = []
    if not numbers:
        message = f"{place}: “{rest[:40]}” is not a number; the default is used."
        reading.findings.append(unread("bad-value", message, evidence=rest[:40], remedy="Correct it in the source file."))
    return numbers


def _attach_maps(reading: MaterialParser, keywords: Keywords, maps: Sequence[Statement], path: Path, root: Path) -> None:
    """Attach the maps of a material: colours in sRGB times their colour, normals with their strength, scalars by one channel."""
    for statement in maps:
        keyword, (options, reference) = statement.keyword, _options(statement.rest)
        place = f"{path.name}, line {statement.line}, {keyword}"
        parameter = keywords.colour_maps.get(keyword) or keywords.scalar_maps.get(keyword) or "normal"
        if options.ignored:
            reading.leave_unread("option-not-read", f"{place}: {', '.join(options.ignored)} was not read.", parameter=parameter)
        image = reading.image(reference, path.parent, root, parameter)
        if image is None:
            continue
        if keyword in keywords.colour_maps:
            tint = reading.values.get(parameter)
            factor = tint.value if isinstance(tint, Constant) else 1.0
            reading.attach(
                parameter, image, "rgb", "srgb", scale=_scaled(factor, options.gain), bias=options.base, placement=options.placement()
            )
        elif keyword in NORMAL_MAPS:
            reading.attach(parameter, image, "rgb", "normal", scale=options.multiplier, placement=options.placement())
        else:
            _attach_scalar(reading, keywords, parameter, image, options, place)


def _attach_scalar(reading: MaterialParser, keywords: Keywords, parameter: str, image: Image, options: Options, place: str) -> None:
    """Attach a map of one channel: times the number that stands beside it, or the multiplier of heights; in place of a physically based
    number, which stands for programs that read no maps (common practice)."""
    stated = reading.values.get(parameter) if keywords is EXPONENT or parameter == keywords.opacity else None
    factor = stated.value if isinstance(stated, Constant) and isinstance(stated.value, float) else 1.0
    if parameter == "exponent" and not isinstance(stated, Constant):
        factor = 1000.0
        reading.remark("exponent-assumed", f"{place}: no Ns stands beside the map; white is taken as {factor:g}.", parameter=parameter)
    scale = (options.multiplier if parameter in ("bump", "displacement") else factor) * options.gain
    reading.attach(
        parameter,
        image,
        options.channel or _default_channel(parameter == keywords.opacity, image),
        scale=scale,
        bias=options.base,
        placement=options.placement(),
    )


def _default_channel(of_opacity: bool, image: Image) -> str:
    """The matte channel for opacity where there is one; else the first."""
    try:
        return "a" if of_opacity and inspect(image).channels in (2, 4) else "r"
    except FenrainError:
        return "r"


def _options(rest: str) -> tuple[Options, str]:
    """The options of a map statement, and its file name, which may hold spaces."""
    options, words = Options(), rest.split()
    while words and words[0] in OPTION_ARGUMENTS:
        option = words.pop(0)
        most = OPTION_ARGUMENTS[option]
        arguments: list[str] = []
        while words and len(arguments) < most and (len(arguments) == 0 or _is_number(words[0])):
            arguments.append(words.pop(0))
        _take_option(options, option, arguments)
    return options, " ".join(words)


def _take_option(options: Options, option: str, arguments: list[str]) -> None:
    """Take one option of a map statement with its arguments; options without effect here are kept to be named."""
    numbers = [float(argument) for argument in arguments if _is_number(argument)]
    if option == "-s" and numbers:
        options.scale = ([*numbers, 1.0])[:2] if len(numbers) > 1 else [numbers[0], 1.0]
    elif option == "-o" and numbers:
        options.offset = ([*numbers, 0.0])[:2]
    elif option == "-bm" and numbers:
        options.multiplier = numbers[0]
    elif option == "-mm" and numbers:
        options.base, options.gain = numbers[0], numbers[1] if len(numbers) > 1 else 1.0
    elif option == "-clamp" and arguments in (["on"], ["off"]):
        options.clamped = arguments == ["on"]
    elif option == "-imfchan" and arguments and arguments[0] in "rgbm":
        options.channel = "a" if arguments[0] == "m" else arguments[0]
    elif option not in HINTS and (option, *arguments) not in WITHOUT_EFFECT:
        options.ignored.append(" ".join([option, *arguments]))


def _is_number(word: str) -> bool:
    try:
        return math.isfinite(float(word))
    except ValueError:
        return False


def _scaled(factor: object, gain: float) -> float | tuple[float, ...]:
    if isinstance(factor, tuple):
        return factor if gain == 1.0 else tuple(part * gain for part in factor)
    return float(factor) * gain if isinstance(factor, (int, float)) else gain


# Writing


def slots(model: Model, profile: Profile) -> dict[str, Slot]:
    """What an MTL file holds: one UV set, maps without rotation, for the index, the filter and the mode one number or colour."""
    kept = Slot(uv_sets=1, rotates=False, mirrors=False, wraps_apart=False, nearest=False)
    found = dict.fromkeys(("ambient", "diffuse", "specular", "emission", "dissolve", "normal"), kept) | {"exponent": free(kept)}
    numbers = dict.fromkeys(("ior", "filter", "illum", "bump_strength", "normal_strength"), Slot(map=False))
    maps = dict.fromkeys(("reflection_image", "decal"), replace(kept, constant=False))
    return found | numbers | maps | dict.fromkeys(("bump", "displacement"), replace(free(kept), constant=False))


def free(slot: Slot) -> Slot:
    """The same for a value whose map is multiplied by a number beside it."""
    return replace(slot, least=-math.inf, most=math.inf)


WRITTEN_COLOURS = (("Ka", "map_Ka", "ambient"), ("Kd", "map_Kd", "diffuse"), ("Ks", "map_Ks", "specular"), ("Ke", "map_Ke", "emission"))
WRITTEN_NUMBERS = (("Ns", "map_Ns", "exponent"), ("d", "map_d", "dissolve"))


def write_mtl(materials: Sequence[Material], path: Path, asset: Path | None, profile: Profile) -> list[Path]:
    """Write exponent materials and their maps beside one another. A name with what the format cannot hold is changed, and said beside."""
    taken: set[str] = set()
    written: list[Path] = []
    lines = ["# Written by Fenrain"]
    for material in materials:
        stem = safe_name(material.name, taken)
        was = [] if stem == material.name else [f"# called “{' '.join(material.name.split())}”"]
        lines += ["", *was, f"newmtl {stem}", *_lines(material, stem, path.parent, written, profile.maps.bits)]
    write_whole(path, "\n".join(lines) + "\n")
    return [path, *written, *_projected_meshes(materials, path, asset)]


def _projected_meshes(materials: Sequence[Material], path: Path, asset: Path | None) -> list[Path]:
    """The asset's meshes beside it, where they get texture coordinates that their own file lacks."""
    projections = projections_of(materials)
    if asset is None or not projections or asset.suffix.lower() not in mesh_readers():
        return []
    meshes = path.with_suffix(".obj")
    laid = with_coordinates(read_meshes(asset, asset.parent), projections, default_name(asset))
    write_meshes(meshes, laid, path.name)
    return [meshes]


def _lines(material: Material, stem: str, folder: Path, written: list[Path], bits: int) -> Iterator[str]:
    """The statements of one material; its maps are written on the way, and join `written`."""

    def map_line(keyword: str, name: str, channels: int, encoding: str, *, gain: float = 1.0, deep: bool = False) -> str:
        file = folder / f"{stem}_{name}.png"
        made = baked_map(material.value(name), channels, encoding, file, gain=gain, deep=deep, rotates=False, bits=bits)
        written.append(file)
        return _map_line(keyword, made)

    def has_map(name: str) -> bool:
        return not isinstance(material.value(name), Constant)

    for keyword, map_keyword, name in WRITTEN_COLOURS:
        yield f"{keyword} 1 1 1" if has_map(name) else f"{keyword} {_spelled(material, name)}"
        if has_map(name):
            yield map_line(map_keyword, name, 3, "srgb")
    for keyword, map_keyword, name in WRITTEN_NUMBERS:
        if has_map(name):
            most = largest_in(material.value(name)) or 1.0 if name == "exponent" else 1.0
            yield f"{keyword} {most:.6g}"
            yield map_line(map_keyword, name, 1, "linear", gain=1.0 / most, deep=name == "exponent")
        else:
            yield f"{keyword} {_spelled(material, name)}"
    if has_map("normal"):
        yield map_line(f"norm -bm {_number(material, 'normal_strength'):.6g}", "normal", 3, "normal")
    for keyword, name, strength in (("map_bump", "bump", _number(material, "bump_strength")), ("disp", "displacement", 1.0)):
        if has_map(name):
            most = largest_in(material.value(name)) or 1.0
            yield map_line(f"{keyword} -bm {most * strength:.6g}", name, 1, "linear", gain=1.0 / most, deep=True)
    if has_map("decal"):
        yield map_line("decal", "decal", 1, "linear")
    if has_map("reflection_image"):
        yield map_line("refl -type sphere", "reflection_image", 3, "srgb")
    for keyword, name in (("Ni", "ior"), ("Tf", "filter"), ("illum", "illum")):
        plain = material.value(name)
        if name == "illum" or plain != Constant(model_of("exponent").parameter(name).default):
            yield f"{keyword} {_spelled(material, name)}"


def _map_line(keyword: str, made: Map) -> str:
    """A map statement; v runs up in the format: o = 1 − s − v offset."""
    options = "-clamp on " if made.placement.wrap == CLAMPED else ""
    if made.placement.moves:
        (ou, ov), (su, sv) = made.placement.offset, made.placement.scale
        options += f"-s {su:.6g} {sv:.6g} 1 -o {ou:.6g} {1 - sv - ov:.6g} 0 "
    return f"{keyword} {options}{made.image.name}"


def _number(material: Material, name: str) -> float:
    value = material.value(name)
    assert isinstance(value, Constant), "holding gives a constant where the format holds no map"
    return float(value.value)  # type: ignore[arg-type]


def _spelled(material: Material, name: str) -> str:
    value = material.value(name)
    assert isinstance(value, Constant), "holding gives a constant where the format holds no map"
    parts = value.value if isinstance(value.value, tuple) else (value.value,)
    return " ".join(f"{part:.6g}" for part in parts)


FORMAT = Format(
    "mtl",
    "Wavefront MTL",
    (".mtl",),
    ("exponent",),
    read_mtl,
    write_mtl,
    slots,
    carries_meshes=True,
    writes="exponent highlights, for old pipelines, maps beside it",
)
