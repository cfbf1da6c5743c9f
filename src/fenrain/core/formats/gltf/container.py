"""The container of glTF 2.0: a JSON document with buffers beside it, inside it, or in one GLB file (glTF 2.0 §3.6, §4.4)."""

from __future__ import annotations

import base64
import binascii
import struct
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from fenrain.core.errors import BrokenFileError, FenrainError, ImageError, TooLargeError
from fenrain.core.material_parser import MaterialParser
from fenrain.core.paths import Found, resolve
from fenrain.core.plain_data import load_json
from fenrain.core.values import Image

GLB_MAGIC, JSON_CHUNK, BINARY_CHUNK = b"glTF", 0x4E4F534A, 0x004E4942
GPU_PACKED = "KHR_texture_basisu"
LARGEST_DOCUMENT = 128 * 1024 * 1024


@dataclass(frozen=True)
class Container:
    """document: the JSON; binary: (offset, length) of the GLB's own buffer in `path`, or None."""

    path: Path
    root: Path
    document: Mapping[str, Any]
    binary: tuple[int, int] | None
    _files: dict[str, Found] = field(default_factory=dict, repr=False, compare=False)

    def list_of(self, key: str) -> list[Any]:
        """Raises BrokenFileError where the key holds something else than a list."""
        found = self.document.get(key, [])
        if not isinstance(found, list):
            raise self.broken(f"“{key}” is not a list", key)
        return found

    def mapping(self, found: Any, place: str) -> dict[str, Any]:
        if not isinstance(found, dict):
            raise self.broken("something else than an object stands here", place)
        return found

    def item(self, key: str, index: Any, place: str) -> dict[str, Any]:
        """Entry `index` of a list. Raises BrokenFileError where there is none."""
        entries = self.list_of(key)
        if not isinstance(index, int) or isinstance(index, bool) or not 0 <= index < len(entries):
            raise self.broken(f"there is no entry {str(index)[:20]} in “{key}”", place)
        return self.mapping(entries[index], f"{key}/{index}")

    def image_of_texture(self, index: Any, reading: MaterialParser, parameter: str) -> Image | None:
        """The image of a texture, or None with a finding."""
        try:
            texture = self.item("textures", index, f"{reading.place}: texture")
            extensions = self.mapping(texture.get("extensions", {}), f"textures/{index}/extensions")
            source = texture.get("source")
            if source is None:
                source = self.mapping(extensions.get("EXT_texture_webp", {}), f"textures/{index}").get("source")
            if source is None and GPU_PACKED in extensions:
                raise ImageError(
                    f"The texture is packed for graphics hardware ({GPU_PACKED}, KTX2), which is not read.",
                    place=f"textures/{index}",
                    remedy="Export it as PNG, JPEG or WebP, or with one of these beside it.",
                )
            entry = self.item("images", source, f"textures/{index}")
            return self._image(entry, source, reading, parameter)
        except FenrainError as refused:
            reading.refuse(parameter, refused)
            return None

    def sampler_of_texture(self, index: Any) -> Mapping[str, Any]:
        """The sampler of a texture: an empty one where it has none. Raises BrokenFileError."""
        stated = self.item("textures", index, "texture").get("sampler")
        return {} if stated is None else self.item("samplers", stated, f"textures/{index}")

    def _image(self, entry: Mapping[str, Any], index: Any, reading: MaterialParser, parameter: str) -> Image | None:
        """The image of an entry of `images`: in a buffer view, in a data uri, or a file. Raises BrokenFileError, or None with a finding."""
        name = entry.get("name") if isinstance(entry.get("name"), str) and entry.get("name") else f"image {index}"
        if "bufferView" in entry:
            path, offset, length = self.view(entry["bufferView"], f"images/{index}")
            if isinstance(path, bytes):
                return Image(str(name), data=path[offset : offset + length])
            return Image(str(name), path, offset, length)
        uri = entry.get("uri")
        if not isinstance(uri, str):
            raise self.broken("the image has neither a bufferView nor a uri", f"images/{index}")
        if uri.startswith("data:"):
            return Image(str(name), data=self._data(uri, f"images/{index}"))
        return reading.image(uri, self.path.parent, self.root, parameter)

    def view(self, index: Any, place: str) -> tuple[Path | bytes, int, int]:
        """(file or bytes, offset, length) of a buffer view. Raises BrokenFileError where it reaches beyond its buffer."""
        view = self.item("bufferViews", index, place)
        return self.stretch(view, f"bufferViews/{index}")

    def stretch(self, stated: Any, place: str) -> tuple[Path | bytes, int, int]:
        """The same for a stretch of a buffer that is stated as a buffer view states it."""
        view = self.mapping(stated, place)
        offset: int = view.get("byteOffset", 0)
        length: int = view.get("byteLength", -1)
        if not _is_count(offset) or not _is_count(length):
            raise self.broken("offset or length of the buffer view is no count", place)
        holder, start, size = self._buffer(view.get("buffer"), place)
        if offset + length > size:
            raise self.broken(
                f"it needs bytes {offset:,} to {offset + length:,} of a buffer of {size:,}; the file may have been cut off", place
            )
        return holder, start + offset, length

    def _buffer(self, index: Any, place: str) -> tuple[Path | bytes, int, int]:
        """(file or bytes, offset, size) of a buffer."""
        entry = self.item("buffers", index, place)
        uri = entry.get("uri")
        if uri is None:
            if index != 0 or self.binary is None:
                raise self.broken("the buffer has no data", f"buffers/{index}")
            return self.path, self.binary[0], self.binary[1]
        if not isinstance(uri, str):
            raise self.broken("the uri is no text", f"buffers/{index}")
        if uri.startswith("data:"):
            data = self._data(uri, f"buffers/{index}")
            return data, 0, len(data)
        path = self._file(uri).path
        return path, 0, path.stat().st_size

    def _file(self, uri: str) -> Found:
        """The file of a buffer, looked for once however many views it has."""
        if uri not in self._files:
            self._files[uri] = resolve(uri, self.path.parent, self.root)
        return self._files[uri]

    def moved_buffers(self) -> list[tuple[str, Found]]:
        """The files of buffers that are not where the document says, with the namesakes that stand for them. Raises as `view` does."""
        uris = [self.mapping(entry, f"buffers/{index}").get("uri") for index, entry in enumerate(self.list_of("buffers"))]
        found = [(uri, self._file(uri)) for uri in uris if isinstance(uri, str) and not uri.startswith("data:")]
        return [(uri, file) for uri, file in found if file.moved]

    def bytes_of(self, index: Any, place: str) -> bytes:
        """The bytes of a buffer view."""
        return self.bytes_of_buffer(self.item("bufferViews", index, place), place)

    def bytes_of_buffer(self, view: Any, place: str) -> bytes:
        """The bytes of a stretch of a buffer, stated as a buffer view states it. Raises BrokenFileError where it reaches beyond."""
        holder, offset, length = self.stretch(view, place)
        if isinstance(holder, bytes):
            return holder[offset : offset + length]
        with holder.open("rb") as stream:
            stream.seek(offset)
            return stream.read(length)

    def _data(self, uri: str, place: str) -> bytes:
        """The bytes of a base64 data uri. Raises BrokenFileError."""
        header, _, body = uri.partition(",")
        if not header.endswith(";base64"):
            raise self.broken("a data uri must be base64", place)
        try:
            return base64.b64decode(body, validate=True)
        except binascii.Error as reason:
            raise self.broken("the data uri is damaged", place) from reason

    def broken(self, what: str, place: str) -> BrokenFileError:
        return BrokenFileError(f"“{self.path.name}”, {place}: {what}.", place=place, remedy="Export the asset again.")


def open_container(path: Path, root: Path) -> Container:
    """Raises BrokenFileError for anything that is not a whole glTF 2.0 file."""
    with path.open("rb") as stream:
        head = stream.read(12)
        if head[:4] == GLB_MAGIC:
            text, binary = _glb_chunks(stream, head, path)
        else:
            if path.stat().st_size > LARGEST_DOCUMENT:
                raise TooLargeError(f"“{path.name}” is too large for a glTF document.", place=path.name, remedy="Use GLB for large assets.")
            text, binary = head + stream.read(), None
    document = _parsed(text, path)
    version = document.get("asset", {}).get("version") if isinstance(document.get("asset"), dict) else None
    if not isinstance(version, str) or not version.startswith("2"):
        raise BrokenFileError(
            f"“{path.name}” is not glTF 2.0 (asset version {str(version)[:20]}).", place="asset/version", remedy="Export it as glTF 2.0."
        )
    return Container(path, root, document, binary)


def _glb_chunks(stream: Any, head: bytes, path: Path) -> tuple[bytes, tuple[int, int] | None]:
    """(JSON text, (offset, length) of the binary chunk or None) of a GLB. Raises BrokenFileError where a length does not fit the file."""
    size = path.stat().st_size
    if len(head) < 12:
        raise _cut_off(path, "header")
    version, declared = struct.unpack("<II", head[4:12])
    if version != 2:
        raise BrokenFileError(
            f"“{path.name}” is GLB version {version}; version 2 is read.", place="header", remedy="Export it as glTF 2.0."
        )
    if declared > size:
        raise _cut_off(path, f"header: {declared:,} bytes announced, {size:,} there")
    text, binary, position = None, None, 12
    while position + 8 <= declared:
        length, kind = struct.unpack("<II", stream.read(8))
        position += 8
        if position + length > declared:
            raise _cut_off(path, f"chunk at byte {position - 8:,}")
        if kind == JSON_CHUNK and text is None:
            if length > LARGEST_DOCUMENT:
                raise TooLargeError(f"The JSON of “{path.name}” is too large.", place="JSON chunk")
            text = stream.read(length)
        else:
            if kind == BINARY_CHUNK and binary is None:
                binary = (position, length)
            stream.seek(length, 1)
        position += length
    if text is None:
        raise BrokenFileError(f"“{path.name}” has no JSON chunk.", place="header", remedy="Export it again.")
    return text, binary


def _parsed(text: bytes, path: Path) -> dict[str, Any]:
    """The JSON as an object. Raises BrokenFileError."""
    try:
        document = load_json(text.decode("utf-8"))
    except (ValueError, RecursionError) as reason:
        raise BrokenFileError(f"“{path.name}” is not valid JSON ({str(reason)[:80]}).", place="JSON", remedy="Export it again.") from reason
    if not isinstance(document, dict):
        raise BrokenFileError(f"“{path.name}” is not a glTF document.", place="JSON", remedy="Export it again.")
    return document


def _cut_off(path: Path, place: str) -> BrokenFileError:
    return BrokenFileError(f"“{path.name}” ends before its announced length.", place=place, remedy="Copy or export the file again.")


def _is_count(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and value >= 0
