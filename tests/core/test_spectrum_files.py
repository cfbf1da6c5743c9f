"""Tables of n and k as text: what published tables look like, and what is wrong with some."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material, read
from fenrain.core.dialects.spectrum_file import read_spectrum
from fenrain.core.errors import BrokenFileError
from fenrain.core.optics.conductor import linear_reflectance
from fenrain.core.tables import metals

SPECTRA = Path(__import__("mitsuba").__file__).parent / "data" / "ior"


def written(folder: Path, text: str, name: str = "metal.txt") -> Path:
    (folder / name).write_text(text)
    return folder / name


@pytest.mark.parametrize(
    "text",
    [
        "380 0.2 3.0\n780 0.3 5.0\n",
        "# measured in a hall that does not exist\nwavelength,n,k\n0.38,0.2,3.0\n0.78,0.3,5.0\n",
        "wl; n; k\r\n780; 0.3; 5\r\n380; 0.2; 3\r\n",
        "380\t0.2\t3.0\tremark 1\n780\t0.3\t5.0\n".replace("\tremark 1", ""),
    ],
    ids=["nm", "µm with names", "descending", "tabs"],
)
def test_whatever_the_columns_are_parted_by(text: str, tmp_path: Path) -> None:
    assert read_spectrum(written(tmp_path, text)) == approx((380.0, 0.2, 3.0, 780.0, 0.3, 5.0))


@pytest.mark.parametrize(
    ("text", "place"),
    [
        ("", "line 1"),
        ("380 0.2 3.0\n", "line 1"),
        ("380 0.2 3.0\n780 0.3\n", "line 2"),
        ("380 0.2 3.0\n780 about 5\n", "line 2"),
        ("380 0.2 3.0\n780 -0.3 5\n", "line 2"),
        ("380 0.2 3.0\n780 0.3 -5\n", "line 2"),
        ("380 0.2 3.0\n380 0.3 5\n", "line 1"),
        ("1200 0.2 3.0\n1800 0.3 5\n", "line 1"),
        ("380 nan 3.0\n780 0.3 5\n", "line 1"),
    ],
)
def test_what_is_wrong_is_said_by_its_line(text: str, place: str, tmp_path: Path) -> None:
    with pytest.raises(BrokenFileError) as refused:
        read_spectrum(written(tmp_path, text))
    assert refused.value.place == f"metal.txt, {place}"


def test_gold_of_a_file_is_gold(tmp_path: Path) -> None:
    # n and k of gold as the rendering engine ships them (Palik, Handbook of Optical Constants of Solids); a line between two is as NumPy's.
    n, k = (np.loadtxt(SPECTRA / f"Au.{part}.spd", comments="#") for part in ("eta", "k"))
    lines = "\n".join(
        f"{wavelength / 1000:.5f}, {index:.5f}, {extinction:.5f}" for (wavelength, index), (_, extinction) in zip(n, k, strict=True)
    )
    table = read_spectrum(written(tmp_path, f"wl, n, k\n{lines}\n", "gold.csv"))
    wavelengths = np.asarray(table)[::3]
    assert np.interp(555.0, wavelengths, table[1::3]) == approx(np.interp(555.0, *n.T), rel=1e-4)
    own = linear_reflectance(np.asarray(metals()["gold"].table), 1.0)
    assert linear_reflectance(np.asarray(table), 1.0) == approx(own, abs=0.08)  # of another sample


def sheet(folder: Path, metal: str) -> Material:
    written(folder, f"dialect,specimen,metal\nassay,rail,{metal}\n", "rails.csv")
    return read(folder / "rails.csv")[0]


def test_a_sheet_names_a_table_by_its_file(tmp_path: Path) -> None:
    written(tmp_path, "380 0.2 3.0\n780 0.3 5.0\n")
    assert sheet(tmp_path, "metal.txt").parameters()["table"] == approx((380.0, 0.2, 3.0, 780.0, 0.3, 5.0))
    written(tmp_path, "450 0.2 3.0\n650 0.3 5.0\n")
    assert [one.code for one in sheet(tmp_path, "metal.txt").findings] == ["short-spectrum"]
    written(tmp_path, "no table\n")
    for metal, says in (
        ("metal.txt", "line 1"),
        ("gone.txt", "gone.txt"),
        ("unobtainium", "unobtainium"),
        ("https://elsewhere/m.txt", "elsewhere"),
    ):
        (found,) = sheet(tmp_path, metal).findings
        assert found.unread
        assert says in f"{found.message} {found.evidence}"
