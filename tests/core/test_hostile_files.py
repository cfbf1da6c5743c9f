"""Files that are damaged or made to do harm: whatever is in them, reading and converting ends well or in an error with a remedy.

The short suite misses: what one odd value in a few dozen does.
"""

from __future__ import annotations

import copy
import json
import random
import struct
import warnings
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
import yaml

from fenrain.core import Material, convert, read, write
from fenrain.core.dialects.dialect import load_dialect, shipped_texts
from fenrain.core.errors import BrokenFileError, FenrainError, TooLargeError
from fenrain.core.formats.reading import read_meshes
from fenrain.demo.heron_lode import ENGINE_HOUSE, SLUICE_YARD
from fenrain.demo.pump_hall import write_pump_hall
from fenrain.services.uploads import list_files
from tests.sizes import sized

pytestmark = pytest.mark.fuzz

ROUNDS = sized(10, 25)
ODD: list[Any] = [
    None, True, False, 0, -1, 1e308, -1e308, 10**30, 2**63, "", "x", "../../etc/passwd", "\x00", [], {}, [1], [[[[]]]], {"a": {}}, "1e999",
    "nan", [None], ["a", "b"], [1, 2, 3, 4], "data:image/png;base64,!!!!", "#12345", "é" * 50, "file:///etc/passwd",
]  # fmt: skip
SCRAPS = (b"\n", b" ", b"-", b"1e999 ", b"nan", b"\x00", b"<", b"{", b"]]", b"&a;", b"\xff\xfe", b"/" * 40)


def places(node: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """The way to every value inside a document."""
    keys = node.keys() if isinstance(node, dict) else range(len(node)) if isinstance(node, list) else ()
    for key in keys:
        yield (*path, key)
        yield from places(node[key], (*path, key))


def with_odd_values(document: Any, chance: random.Random) -> Any:
    """A copy with one to three values that do not belong there, or are gone."""
    changed = copy.deepcopy(document)
    for _ in range(chance.randint(1, 3)):
        *way, last = chance.choice(list(places(changed)) or [("empty",)])
        holder = changed
        for key in way:
            holder = holder[key]
        if chance.random() < 0.8:
            holder[last] = chance.choice(ODD)
        elif last in holder if isinstance(holder, dict) else last < len(holder):
            del holder[last]
    return changed


def with_odd_bytes(data: bytes, chance: random.Random, first: int = 1 << 16) -> bytes:
    """A copy with a few bytes near its beginning changed, taken out or put in, or cut off."""
    changed = bytearray(data)
    for _ in range(chance.randint(1, 6)):
        at, kind = chance.randrange(max(min(len(changed), first), 1)), chance.random()
        if kind < 0.5:
            changed[at : at + 1] = bytes([chance.randrange(256)])
        elif kind < 0.7:
            del changed[at : at + chance.randint(1, 30)]
        elif kind < 0.95:
            changed[at:at] = chance.choice(SCRAPS)
        else:
            del changed[at:]
    return bytes(changed)


def ends_well(work: Callable[[], object]) -> bool:
    """Whether it ends; the only errors let through are ours, and those must say what next."""
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", RuntimeWarning)
            work()
    except FenrainError as error:
        return bool(error.message and error.remedy)
    return True


def read_and_convert(path: Path) -> None:
    for material in read(path)[:4]:
        convert(material, "open_pbr")


@pytest.fixture(scope="module")
def seeds(tmp_path_factory: pytest.TempPathFactory, heron_lode: Path, engine_house: list[Material]) -> Path:
    """A folder with one good file of each kind, and their maps."""
    folder = tmp_path_factory.mktemp("seeds")
    some = engine_house[:3]
    write([convert(material, "metal_rough").material for material in some], folder / "good.glb", "gltf")
    write([convert(material, "standard_surface").material for material in some], folder / "good.mtlx", "materialx")
    (folder / "good.mtl").write_bytes((heron_lode / SLUICE_YARD).with_suffix(".mtl").read_bytes())
    write_pump_hall(folder).rename(folder / "good.json")
    packed = (folder / "good.glb").read_bytes()
    length = struct.unpack("<I", packed[12:16])[0]
    document = json.loads(packed[20 : 20 + length])
    (folder / "good.bin").write_bytes(packed[28 + length :])
    document["buffers"][0]["uri"] = "good.bin"
    (folder / "good.gltf").write_text(json.dumps(document))
    return folder


@pytest.mark.parametrize("name", ["good.gltf", "good.json"])
@pytest.mark.parametrize("seed", range(3))
def test_documents_with_odd_values_end_well(seeds: Path, name: str, seed: int) -> None:
    chance, document = random.Random(seed), json.loads((seeds / name).read_text())
    for _ in range(ROUNDS):
        (seeds / f"odd{Path(name).suffix}").write_text(json.dumps(with_odd_values(document, chance)))
        assert ends_well(lambda: read_and_convert(seeds / f"odd{Path(name).suffix}"))


def test_sheets_in_yaml_with_odd_values_end_well(seeds: Path) -> None:
    chance, document = random.Random(5), json.loads((seeds / "good.json").read_text())
    for _ in range(ROUNDS):
        (seeds / "odd.yaml").write_text(yaml.safe_dump(with_odd_values(document, chance)))
        assert ends_well(lambda: read_and_convert(seeds / "odd.yaml"))


@pytest.mark.parametrize("name", ["good.mtl", "good.mtlx", "good.json", "good.glb"])
def test_files_with_odd_bytes_end_well(seeds: Path, name: str) -> None:
    chance, data = random.Random(11), (seeds / name).read_bytes()
    for _ in range(ROUNDS):
        (seeds / f"odd{Path(name).suffix}").write_bytes(with_odd_bytes(data, chance, 3000))
        assert ends_well(lambda: read_and_convert(seeds / f"odd{Path(name).suffix}"))


def test_a_mesh_with_odd_bytes_ends_well(seeds: Path, heron_lode: Path) -> None:
    chance, data = random.Random(13), (heron_lode / SLUICE_YARD).read_bytes()[:40_000]
    for _ in range(ROUNDS // 3):
        (seeds / "odd.obj").write_bytes(with_odd_bytes(data, chance))
        assert ends_well(lambda: read_and_convert(seeds / "odd.obj"))


@pytest.mark.parametrize("seed", range(2))
def test_dialects_with_odd_values_end_well(seed: int) -> None:
    chance = random.Random(seed)
    for text in shipped_texts().values():
        for _ in range(8):
            changed = yaml.safe_dump(with_odd_values(yaml.safe_load(text), chance))
            assert ends_well(lambda changed=changed: load_dialect(changed))


BOMB = "a: &a [x, x, x, x, x, x, x, x, x]\n" + "".join(
    f"{name}: &{name} [{', '.join([f'*{before}'] * 9)}]\n" for before, name in zip("abcdefgh", "bcdefghi", strict=True)
)


@pytest.mark.parametrize(("name", "text"), [
    ("deep.json", "[" * 100_000), ("deep.gltf", '{"a":' * 50_000), ("deep.yaml", "[" * 200_000), ("steps.yaml", "- " * 5_000 + "x"),
    ("bomb.yaml", BOMB),
    ("entities.mtlx", '<!DOCTYPE a [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]><materialx version="1.39">&b;</materialx>'),
    ("outside.mtlx", '<!DOCTYPE a [<!ENTITY a SYSTEM "file:///etc/passwd">]><materialx version="1.39">&a;</materialx>'),
    ("tag.yaml", "!!python/object/apply:os.system [echo]"), ("empty.json", ""), ("zeros.glb", "\x00" * 100),
])  # fmt: skip
def test_files_made_to_do_harm_are_refused(tmp_path: Path, name: str, text: str) -> None:
    (tmp_path / name).write_text(text)
    with pytest.raises(FenrainError) as caught:
        read(tmp_path / name)
    assert caught.value.remedy


def test_a_whole_glb_is_read_whatever_its_name(seeds: Path, heron_lode: Path, tmp_path: Path) -> None:
    (tmp_path / "UPPER.GLB").write_bytes((heron_lode / ENGINE_HOUSE).read_bytes())
    assert len(read(tmp_path / "UPPER.GLB")) == len(read(heron_lode / ENGINE_HOUSE))


def test_a_node_with_two_parents_is_refused(tmp_path: Path) -> None:
    # glTF 2.0 §3.5.2: strict trees. Forty nodes that each hold the next twice would show one mesh 2⁴⁰ times.
    chain = [{"children": [index + 1, index + 1]} for index in range(40)]
    document = {"asset": {"version": "2.0"}, "scenes": [{"nodes": [0]}], "nodes": [*chain, {"name": "last"}]}
    path = tmp_path / "shared.gltf"
    path.write_text(json.dumps(document))
    with pytest.raises(BrokenFileError, match="lies in two others"):
        read_meshes(path, tmp_path)


def test_a_sheet_has_no_more_columns_than_a_material_has_parameters(tmp_path: Path) -> None:
    columns = [f"c{number}" for number in range(14_000)]
    (tmp_path / "wide.csv").write_text(",".join(columns) + "\n" + ",".join("1" for _ in columns) + "\n")
    (tmp_path / "wide.json").write_text(json.dumps([dict.fromkeys(columns, 1)]))
    for name in ("wide.csv", "wide.json"):
        with pytest.raises(TooLargeError, match="14,000 columns"):
            read(tmp_path / name)


def test_all_archives_of_an_upload_share_one_room(tmp_path: Path) -> None:
    # Each of thirty small archives of zeros is within the ratio that one of them may have; together they are not.
    for number in range(30):
        with zipfile.ZipFile(tmp_path / f"{number}.zip", "w", zipfile.ZIP_DEFLATED) as packed:
            packed.writestr(f"{number}.bin", bytes(20_000_000))
    with pytest.raises(TooLargeError, match="unpack to too much"):
        list_files(tmp_path)
    assert sum(path.stat().st_size for path in tmp_path.glob("*.bin")) <= 200 * 1_000_000
