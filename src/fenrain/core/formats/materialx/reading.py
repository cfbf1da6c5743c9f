"""MaterialX 1.39: materials of the four surface nodes, read and written by the standard's own library."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import defusedxml.ElementTree as safe_xml
import MaterialX as mx
import numpy as np
from defusedxml import DefusedXmlException

from fenrain.core.errors import BrokenFileError, FenrainError, TooLargeError
from fenrain.core.formats.materialx import NODES, TURNED_BY, unknown_surface
from fenrain.core.formats.materialx.address_modes import WRAPS
from fenrain.core.formats.materialx.graphs import Unreadable, libraries, of_width, plain, source_of, value_of
from fenrain.core.formats.materialx.survey import list_meaningless
from fenrain.core.formats.placement import v_down
from fenrain.core.maps.colour_spaces import LINEAR, SRGB
from fenrain.core.material import Material, Source
from fenrain.core.material_parser import MaterialParser, with_shared_names
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import HUB, model_of
from fenrain.core.rules.nodes import PREFIX
from fenrain.core.values import IDENTITY, Computed, Constant, Map, Placement, Wrap, over_tiles

LARGEST_DOCUMENT = 64 * 1024 * 1024
IMAGE_NODES = ("image", "tiledimage", "gltf_image", "gltf_colorimage")


def read_materialx(path: Path, root: Path) -> list[Material]:
    """Every surface material of a document. Raises BrokenFileError for XML that is damaged, includes files or declares entities."""
    document = _document(path)
    materials = []
    readable = 0
    for index, node in enumerate(_material_nodes(document)):
        shader = node.getConnectedNode("surfaceshader") if node.getCategory() == "surfacematerial" else node
        model = NODES.get(shader.getCategory()) if shader is not None else None
        reading = MaterialParser(node.getAttribute("uiname") or node.getName(), model or HUB, node.getNamePath())
        if model is None:
            reading.findings.append(unknown_surface(reading.place, shader.getCategory() if shader is not None else ""))
        else:
            readable += 1
            for entry in shader.getInputs():
                take_input(reading, entry, path, root)
        materials.append(reading.material(Source(path.name, "materialx", index, node.getNamePath())))
    if not readable:
        raise BrokenFileError(
            f"“{path.name}” holds no material that Fenrain reads.", place=path.name, remedy=f"It reads {', '.join(NODES)}."
        )
    return with_shared_names(materials)


def _document(path: Path) -> mx.Document:
    """The parsed document with the standard's definitions. Raises BrokenFileError for harmful or damaged XML, TooLargeError."""
    if path.stat().st_size > LARGEST_DOCUMENT:
        raise TooLargeError(f"“{path.name}” is too large for a MaterialX document.", place=path.name)
    text = path.read_bytes()
    try:
        tree = safe_xml.fromstring(text, forbid_dtd=True)
    except DefusedXmlException as reason:
        raise BrokenFileError(
            f"“{path.name}” declares a document type or entities, which are not read.", place=path.name, remedy="Remove the DOCTYPE."
        ) from reason
    except Exception as reason:
        raise BrokenFileError(
            f"“{path.name}” is not valid XML ({str(reason)[:80]}).", place=path.name, remedy="Export it again."
        ) from reason
    for element in tree.iter():
        if element.tag.rpartition("}")[2] == "include":
            raise BrokenFileError(
                f"“{path.name}” includes other files, which are not read.", place="xi:include", remedy="Write the document as one file."
            )
    document = mx.createDocument()
    options = mx.XmlReadOptions()
    options.readXIncludeFunction = None
    try:
        mx.readFromXmlString(document, text.decode("utf-8"), mx.FileSearchPath(), options)
    except Exception as reason:
        raise BrokenFileError(
            f"“{path.name}” is not a MaterialX document ({str(reason)[:80]}).", place=path.name, remedy="Export it again."
        ) from reason
    document.setDataLibrary(libraries())
    return document


def _material_nodes(document: mx.Document) -> list[Any]:
    nodes = list(document.getMaterialNodes())
    shaders = {node.getConnectedNode("surfaceshader").getNamePath() for node in nodes if node.getConnectedNode("surfaceshader")}
    return nodes + [node for node in document.getNodes() if node.getCategory() in NODES and node.getNamePath() not in shaders]


def take_input(reading: MaterialParser, entry: Any, path: Path, root: Path) -> None:
    """Take one input of a surface node: a constant, what is connected to it, or a finding; what means nothing is named as well."""
    for meaningless in list_meaningless(entry):
        if not any(finding.message.startswith(meaningless) for finding in reading.findings):
            reading.leave_unread("bad-value", f"{meaningless}; the default is used.", parameter=entry.getName())
    _take_known_input(reading, entry, path, root)


def _take_known_input(reading: MaterialParser, entry: Any, path: Path, root: Path) -> None:
    name, place = entry.getName(), entry.getNamePath()
    parameter = model_of(reading.model).by_name.get(name)
    if parameter is None:
        if name in TURNED_BY and _take_turn(reading, TURNED_BY[name], entry, path, root):
            return
        if entry.getConnectedNode() is not None or entry.hasValueString():
            reading.leave_unread("not-read", f"{place} was not read.", evidence=name)
        return
    node, output = source_of(entry)
    if node is not None:
        _take_node(reading, parameter, node, output, place, path, root)
    elif entry.hasValueString():
        value = entry.getValue()
        if value is None:
            reading.leave_unread(
                "bad-value", f"{place}: “{entry.getValueString()[:40]}” cannot be read; the default is used.", parameter=name
            )
        elif parameter.kind is not Kind.NORMAL:
            reading.set(name, _in_linear_light(reading, entry, value), place)


def _in_linear_light(reading: MaterialParser, entry: Any, value: Any) -> Any:
    """A constant as plain numbers, a colour brought from the colour space that it is stated in."""
    return reading.colour(plain(value), entry.getActiveColorSpace(), entry.getName()) if entry.getType() == "color3" else plain(value)


def _take_turn(reading: MaterialParser, parameter: str, entry: Any, path: Path, root: Path) -> bool:
    """A tangent that is the mesh's own, turned about its normal by a number of degrees, or by a map of them. Whether it was that."""
    turn, _ = source_of(entry)
    before, _ = source_of(turn.getInput("in")) if turn is not None and turn.getCategory() == "rotate3d" else (None, "")
    if before is None or before.getCategory() != "tangent":
        return False
    node, output = source_of(turn.getInput("amount"))
    if node is not None:
        _take_node(reading, model_of(reading.model).parameter(parameter), node, output, entry.getNamePath(), path, root)
        degrees = reading.values.get(parameter)
        if degrees is not None:
            reading.values[parameter] = (
                Constant(-math.radians(float(degrees.value)))  # type: ignore[arg-type]
                if isinstance(degrees, Constant)
                else Computed(f"{PREFIX}.multiply", "out", (("in1", degrees), ("in2", Constant(-math.radians(1.0)))))
            )
        return True
    amount = turn.getInputValue("amount")
    if not isinstance(amount, (int, float)):
        return False
    reading.set(parameter, -math.radians(amount), entry.getNamePath())
    return True


@dataclass
class _Found:
    """What lies between an input and its image: the map is scale · channel + bias of the image; strength: of a normal map."""

    channel: str = ""
    scale: Any = 1.0
    bias: Any = 0.0
    strength: float = 1.0

    def of_channel(self, part: Any, channel: str) -> Any:
        """Scale or bias of the picked channels: of one, its own component."""
        return part["rgb".find(channel)] if isinstance(part, tuple) and channel in ("r", "g", "b") else part

    def of_constant(self, value: Any) -> Any:
        """What a constant in place of the image comes to."""
        if not isinstance(value, (int, float, tuple)) or isinstance(value, bool):
            return value
        whole = _as_plain(np.add(_times(self.scale, value), self.bias))
        return self.of_channel(whole, self.channel)


CHANNELS_OF_OUTPUTS = {"outr": "r", "outg": "g", "outb": "b", "outa": "a", "outx": "r", "outy": "g", "outz": "b", "outw": "a"}
LONGEST_CHAIN = 12


def _take_node(reading: MaterialParser, parameter: Parameter, node: Any, output: str, place: str, path: Path, root: Path) -> None:
    """An image, straight or through a normal map, a factor, a sum or a pick of a channel; else what the graph computes, texel by texel."""
    first, found = (node, output), _Found()
    for _ in range(LONGEST_CHAIN):
        category = node.getCategory()
        if category in IMAGE_NODES:
            found.channel = found.channel or CHANNELS_OF_OUTPUTS.get(output, "")
            _attach(reading, parameter, node, found, path, root)
            return
        if category == "constant":
            value = node.getInput("value")
            stated = None if value is None else _in_linear_light(reading, value, value.getValue())
            reading.set(parameter.name, found.of_constant(stated), place)
            return
        following, output_before = _step_back(node, output, found)
        if following is None:
            break
        node, output = following, output_before
    _take_graph(reading, parameter, *first, place, path, root)


def _take_graph(reading: MaterialParser, parameter: Parameter, node: Any, output: str, place: str, path: Path, root: Path) -> None:
    def read_image(image_node: Any, image_output: str) -> Map | None:
        found = _Found(CHANNELS_OF_OUTPUTS.get(image_output, ""))
        return _map_of(reading, parameter, image_node, found, path, root, colour=image_node.getType().startswith("color"))

    def read_colour(value: Any, space: str) -> Any:
        return reading.colour(value, space, parameter.name)

    try:
        if parameter.kind is Kind.NORMAL:
            raise Unreadable(node.getCategory())
        value = of_width(value_of(node, output, IMAGE_NODES, read_image, read_colour), parameter.channels)
    except FenrainError as refused:
        reading.refuse(parameter.name, refused)
        return
    except Unreadable as reason:
        reading.leave_unread(
            "not-read",
            f"{place}: the graph behind it ({reason}) is not read; the default is used.",
            parameter=parameter.name,
            remedy="Bake it to an image.",
        )
        return
    if isinstance(value, Constant):
        reading.set(parameter.name, value.value, place)
    else:
        reading.values[parameter.name] = value


def _step_back(node: Any, output: str, found: _Found) -> tuple[Any, str]:
    """The node before one that only scales, shifts or picks, whose effect enters `found`; (None, "") for any other node."""
    category = node.getCategory()
    if category in ("multiply", "add"):
        return _step_through_sum(node, category, found)
    if category == "normalmap":
        found.strength = _number(node, "scale", 1.0)
    elif category == "extract":
        found.channel = found.channel or "rgba"[min(max(int(_number(node, "index", 0)), 0), 3)]
    elif category in ("separate2", "separate3", "separate4"):
        found.channel = found.channel or CHANNELS_OF_OUTPUTS.get(output, "r")
    elif category not in ("convert", "dot"):
        return None, ""
    return source_of(node.getInput("in"))


def _step_through_sum(node: Any, category: str, found: _Found) -> tuple[Any, str]:
    """Through a factor or a summand, whichever side it stands on. What lies behind is scaled by what came after it."""
    first, second = source_of(node.getInput("in1")), source_of(node.getInput("in2"))
    if (first[0] is None) == (second[0] is None):
        return None, ""
    behind, stated = (first, "in2") if first[0] is not None else (second, "in1")
    given = plain(node.getInputValue(stated))
    if not isinstance(given, (int, float, tuple)):
        return None, ""
    if category == "multiply":
        found.scale = _times(found.scale, given)
    else:
        found.bias = _as_plain(np.add(found.bias, _times(found.scale, given)))
    return behind


def _times(first: Any, second: Any) -> Any:
    return _as_plain(np.multiply(first, second))


def _as_plain(result: Any) -> Any:
    return tuple(result.tolist()) if np.ndim(result) else float(result)


def _attach(reading: MaterialParser, parameter: Parameter, node: Any, found: _Found, path: Path, root: Path) -> None:
    """Take an image node as a map, with what was found between it and the input."""
    made = _map_of(reading, parameter, node, found, path, root, colour=parameter.kind is Kind.COLOUR)
    if made is not None:
        reading.values[parameter.name] = made


def _map_of(reading: MaterialParser, parameter: Parameter, node: Any, found: _Found, path: Path, root: Path, *, colour: bool) -> Map | None:
    """colour: whether the image holds one, so that it is decoded as its colour space says."""
    file = node.getInput("file")
    image = reading.image(file.getResolvedValueString() if file is not None else "", path.parent, root, parameter.name)
    if image is None or not reading.is_usable(parameter.name, image):
        return None
    space = (file.getColorSpace() or node.getActiveColorSpace() or "") if file is not None else ""
    normal = parameter.kind is Kind.NORMAL
    encoding = "normal" if normal else reading.encoding(space or SRGB, parameter.name) if colour else LINEAR
    placement, uv_set = _placement(reading, parameter, node)
    placement = _sampled(reading, parameter, node, placement)
    channels = found.channel or ("rgb" if colour or normal else "r")
    scale = found.strength if normal else found.of_channel(found.scale, channels)
    reading.remark_turned_tiles(parameter.name, image, placement)
    return Map(
        image, channels, encoding, scale, 0.0 if normal else found.of_channel(found.bias, channels), over_tiles(image, placement), uv_set
    )


def _sampled(reading: MaterialParser, parameter: Parameter, node: Any, placement: Placement) -> Placement:
    """The placement as an image node goes on with it."""
    across, down = (
        reading.wrap(node.getInputValue(name), WRAPS, parameter.name, f"{node.getName()}, {name}")
        for name in ("uaddressmode", "vaddressmode")
    )
    beyond = node.getInput("default")
    if Wrap.BLACK in (across, down) and beyond is not None and np.any(np.asarray(plain(beyond.getValue()), dtype=float)):
        reading.leave_unread(
            "wrap-not-read",
            f"“{node.getName()}” shows {beyond.getValueString()} beyond its image; black stands there.",
            parameter=parameter.name,
            evidence=beyond.getValueString(),
            remedy="It makes no difference where the UVs stay within the image.",
        )
    return replace(placement, wrap=(across, down), smooth=str(node.getInputValue("filtertype")) != "closest")


def _placement(reading: MaterialParser, parameter: Parameter, node: Any) -> tuple[Placement, int]:
    """How an image lies on the surface: its own tiling, and the place2d and texcoord nodes in front of it."""
    place, _ = source_of(node.getInput("texcoord"))
    matrix, shift, uv_set = np.eye(2), np.zeros(2), 0
    if place is not None and place.getCategory() == "place2d":
        matrix, shift = _placed_by(place)
        place, _ = source_of(place.getInput("texcoord"))
    if place is not None and place.getCategory() == "texcoord":
        uv_set = max(int(_number(place, "index", 0)), 0)
    elif place is not None:
        _placement_not_read(reading, parameter, f"{place.getCategory()} “{place.getName()}”")
    tiling, offset = _pair(node, "uvtiling", 1.0), _pair(node, "uvoffset", 0.0)
    matrix, shift = np.diag(tiling) @ matrix, tiling * shift - offset
    sizes, tile = _pair(node, "realworldimagesize", 1.0), _pair(node, "realworldtilesize", 1.0)
    often = tile / np.where(sizes == 0.0, 1.0, sizes)
    matrix, shift = np.diag(often) @ matrix, often * shift
    if node.getCategory().startswith("gltf_") and any(node.getInput(name) is not None for name in ("scale", "rotate", "offset")):
        _placement_not_read(reading, parameter, f"{node.getCategory()} “{node.getName()}”")
    placement = v_down(matrix, shift)
    if placement is None:
        _placement_not_read(reading, parameter, f"place2d in front of “{node.getName()}”, which shears the map")
    return placement or IDENTITY, uv_set


def _number(node: Any, name: str, default: float) -> float:
    """A number that stands at an input; the default where none does, or something else."""
    value = node.getInputValue(name)
    return float(value) if isinstance(value, (int, float)) else default


def _pair(node: Any, name: str, default: float) -> np.ndarray:
    """The same for two numbers."""
    value = node.getInputValue(name)
    return np.array(list(value) if isinstance(value, mx.Vector2) else (default, default), dtype=float)


def _placement_not_read(reading: MaterialParser, parameter: Parameter, what: str) -> None:
    """Say that a map lies as its UV set has it, and what was in front of it."""
    reading.leave_unread(
        "placement-not-read",
        f"The placement of the map of {parameter.name} by {what} is not read; the map lies as the UV set has it.",
        parameter=parameter.name,
        remedy="Place it by place2d.",
    )


def _placed_by(place: Any) -> tuple[np.ndarray, np.ndarray]:
    """(matrix, shift) of a place2d node: uv' = matrix · uv + shift, v up (MaterialX 1.39 standard library, NG_place2d_vector2)."""
    turn = math.radians(_number(place, "rotate", 0.0))
    rotation = np.array([[math.cos(turn), math.sin(turn)], [-math.sin(turn), math.cos(turn)]])
    scale, offset, pivot = _pair(place, "scale", 1.0), _pair(place, "offset", 0.0), _pair(place, "pivot", 0.0)
    shrunk = np.diag(1.0 / np.where(scale == 0.0, 1.0, scale))
    if _number(place, "operationorder", 0):
        matrix = shrunk @ rotation
        return matrix, pivot - matrix @ (pivot + offset)
    matrix = rotation @ shrunk
    return matrix, pivot - matrix @ pivot - offset


# Writing
