"""The way out and back: kits rendered by the stand-in, rightly and with planted errors, and what is said of the pictures.

What is planted is the witness: each error has to be told by name and size, and none may pass for agreement.

The short suite takes its pictures with more noise, by which a match stays open: it misses errors that only little noise tells, light from
elsewhere, that a bent curve and a moved body are no match either, both sides and a ground in one comparison, and that a viewer's own light
is learned and corrected.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material, convert
from fenrain.core.checking.check import RigCheck
from fenrain.core.checking.verdict import Tolerances, Verdict
from fenrain.core.colour import linear_to_srgb
from fenrain.core.conversion.targets import target_called
from fenrain.core.errors import ImageError, InputError
from fenrain.core.maps.colour_spaces import to_linear
from fenrain.core.maps.image import write_linear, write_png
from fenrain.core.outside import compare as comparing
from fenrain.core.outside.alignment import Alignment, aligned
from fenrain.core.outside.cards import MATT, PATCHES, points_on
from fenrain.core.outside.compare import Comparison, compare, shows_by_name
from fenrain.core.outside.kit import CONVERTED, ORIGINAL, Kit, write_kit
from fenrain.core.outside.light import light_picture
from fenrain.core.outside.picture import OutsidePicture, read_picture
from fenrain.core.outside.response import Response, response_of
from fenrain.standin.habits import Habits
from fenrain.standin.render import take_picture
from tests.sizes import LONG, long_only, sized

pytestmark = pytest.mark.population

WIDTH, LARGE, FEW, MANY = 600, sized(600, 900), 16, sized(64, 256)
PLAIN = Habits(exposure=0.0, white=(1.0, 1.0, 1.0), samples=FEW)
PAINT = Material.of("paint", "metal_rough", {"base_color": (0.05, 0.2, 0.08), "metallic": 0.0, "roughness": 0.3})
BRASS = Material.of("brass", "metal_rough", {"base_color": (0.8, 0.6, 0.25), "metallic": 1.0, "roughness": 0.25})


@pytest.fixture(scope="module")
def kit(tmp_path_factory: pytest.TempPathFactory) -> Kit:
    return write_kit([PAINT, BRASS], tmp_path_factory.mktemp("kits") / "two", title="two")


@pytest.fixture(scope="module", autouse=True)
def ours_drawn_once() -> Iterator[None]:
    """Our own pictures of a kit are the same for whatever comes back for it."""
    with pytest.MonkeyPatch.context() as patch:
        kept: dict[tuple[Path, int], RigCheck] = {}
        draw = comparing._ours
        patch.setattr(
            comparing,
            "_ours",
            lambda kit, index, between: kept.get(key := (kit.folder, index)) or kept.setdefault(key, draw(kit, index, between)),
        )
        yield


@pytest.fixture(scope="module")
def plain(kit: Kit, tmp_path_factory: pytest.TempPathFactory) -> OutsidePicture:
    """The kit rendered with nothing planted, and little noise."""
    path = tmp_path_factory.mktemp("pictures") / "original.exr"
    take_picture(kit.folder, path, ORIGINAL, Habits(samples=MANY), LARGE)
    return read_picture(path)


def taken(kit: Kit, folder: Path, habits: Habits) -> OutsidePicture:
    path = folder / "original.exr"
    take_picture(kit.folder, path, ORIGINAL, habits, WIDTH)
    return read_picture(path)


def told(kit: Kit, picture: OutsidePicture) -> tuple[Alignment, Response]:
    alignment, over = aligned(picture, kit.layout)
    return alignment, response_of(over, kit.layout, light_picture(kit.rig, kit.turn), ends_at_white=picture.ends_at_white)


def codes(found: Comparison) -> set[str]:
    return {statement.code for picture in found.pictures for statement in picture.statements}


def test_nothing_planted_is_a_match_within_its_noise(kit: Kit, plain: OutsidePicture) -> None:
    found = compare(kit, [(plain, ORIGINAL)])
    for one in found.compared:
        decision = one.decided(Tolerances(), kit.rig.id)
        assert (decision.verdict if LONG else decision.least) is Verdict.MATCH, (one.material, str(decision))
        assert one.statements == ()
    assert codes(found) == {"exposure", "white"}  # the camera's own habits, which are matched
    assert all(statement.matched for picture in found.pictures for statement in picture.statements)


@pytest.mark.parametrize(
    "planted",
    sized(
        [{"shift": (-0.7, 0.3)}, {"shift": (4.0, 2.0), "scale": 0.99, "roll": -1.0}],
        [
            {"shift": (0.3, 0.0)},
            {"shift": (-0.7, 0.3)},
            {"scale": 1.005},
            {"roll": 0.3},
            {"shift": (4.0, 2.0), "scale": 0.99, "roll": -1.0},
        ],
    ),
)
def test_planted_shifts_scales_and_turns_are_told(kit: Kit, planted: dict, tmp_path: Path) -> None:
    alignment, _ = told(kit, taken(kit, tmp_path, replace(PLAIN, **planted)))
    across, down = planted.get("shift", (0.0, 0.0))
    assert alignment.shift == approx((across, down), abs=0.06)
    assert alignment.scale == approx(planted.get("scale", 1.0), abs=3e-4)
    assert alignment.turn == approx(planted.get("roll", 0.0), abs=0.03)
    assert alignment.residual < 0.1


def test_planted_exposure_and_white_are_told(kit: Kit, tmp_path: Path) -> None:
    _, response = told(kit, taken(kit, tmp_path, replace(PLAIN, exposure=1.0 / 3.0, white=(1.1, 1.0, 0.9))))
    # Luminance weights, ITU-R BT.709-6: what is brighter is the exposure, and the rest a shift of white.
    bright = 0.2126 * 1.1 + 0.7152 + 0.0722 * 0.9
    assert response.exposure == approx(1.0 / 3.0 + np.log2(bright), abs=0.01)
    assert response.white == approx((1.1 / bright, 1.0 / bright, 0.9 / bright), abs=0.005)
    assert response.light == approx(1.0, abs=0.03)
    assert response.curve == approx(1.0, abs=0.005)


def altered(plain: OutsidePicture, change: object) -> OutsidePicture:
    return replace(plain, pixels=np.asarray(change(plain.pixels), np.float32))  # type: ignore[operator]


def test_curves_lifts_and_other_primaries_are_told_and_not_taken_out(kit: Kit, plain: OutsidePicture) -> None:
    assert told(kit, altered(plain, linear_to_srgb))[1].is_display
    bent = told(kit, altered(plain, lambda pixels: pixels**0.8))[1]
    assert (bent.curve, bent.is_display) == (approx(0.8, abs=0.01), False)
    lifted = told(kit, altered(plain, lambda pixels: pixels + 0.02))[1]
    assert lifted.black == approx(0.02 / 2**lifted.exposure, abs=0.001)
    assert (lifted.exposure, lifted.curve) == (approx(told(kit, plain)[1].exposure, abs=0.002), approx(1.0, abs=0.005))
    # ACEScg numbers read as Rec.709: OpenColorIO's own matrix is the witness.
    matrix = np.linalg.inv(to_linear(np.eye(3, dtype=np.float32), "ACEScg"))
    assert told(kit, altered(plain, lambda pixels: pixels @ matrix))[1].space == "ACEScg"


@long_only
def test_a_bent_curve_is_named_and_is_no_match(kit: Kit, plain: OutsidePicture) -> None:
    found = compare(kit, [(altered(plain, lambda pixels: pixels**0.8), ORIGINAL)])
    assert "curve" in codes(found)
    assert all(one.decided(Tolerances(), kit.rig.id).verdict is not Verdict.MATCH for one in found.compared)


def test_a_gradient_over_the_picture_is_told(kit: Kit, plain: OutsidePicture) -> None:
    fading = np.linspace(1.0, 0.9, plain.pixels.shape[1], dtype=np.float32)[None, :, None]
    assert told(kit, altered(plain, lambda pixels: pixels * fading))[1].unevenness > 0.05


@long_only
@pytest.mark.parametrize(
    ("planted", "said"), [({"mirror_light": True}, "mirrored left for right"), ({"turn_light": -35.0}, "turned by -3[4567]°")]
)
def test_light_from_elsewhere_is_named_and_never_a_match(kit: Kit, planted: dict, said: str, tmp_path: Path) -> None:
    found = compare(kit, [(taken(kit, tmp_path, replace(PLAIN, samples=4 * FEW, **planted)), ORIGINAL)])
    named = [one.says for one in found.pictures[0].statements if one.code == "light-orientation"]
    assert len(named) == 1
    assert re.search(said, named[0]), named
    assert any(one.decided(Tolerances(), kit.rig.id).verdict is Verdict.OFF for one in found.compared)


def test_light_that_is_too_strong_is_told_apart_from_exposure(kit: Kit, plain: OutsidePicture) -> None:
    # Twice the light on matt patches, glowing ones as they were: the camera is right, the light is not.
    pixels = plain.pixels.copy()
    matt = next(patch for patch in PATCHES if patch.paint is MATT)
    for card in kit.layout.cards:
        left, low, right, high = matt.where
        corners = points_on(card, kit.layout.frame, np.array([(left, high), (right, low)]))
        (x0, y0), (x1, y1) = kit.layout.frame.pixels_of(kit.layout.frame.places_of(corners), plain.size).round().astype(int)
        pixels[y0 : y1 + 1, x0 : x1 + 1] *= 2.0
    _, response = told(kit, replace(plain, pixels=pixels))
    assert (response.light, response.exposure) == (approx(2.0, abs=0.1), approx(told(kit, plain)[1].exposure))


def test_a_wrong_gloss_is_named_and_stays_visible(kit: Kit, tmp_path: Path) -> None:
    wrong = {("brass", "roughness"): 0.75, ("paint", "roughness"): 0.5}
    found = compare(kit, [(taken(kit, tmp_path, replace(PLAIN, samples=sized(48, 128), values=wrong)), ORIGINAL)])
    by_name = {one.material: one for one in found.compared}
    assert "roughness 0.75 instead of 0.25" in by_name["brass"].statements[0]
    assert "1 less it" in by_name["brass"].statements[0]
    assert by_name["brass"].decided(Tolerances(), kit.rig.id).verdict is Verdict.OFF
    assert "instead of 0.30" in by_name["paint"].statements[0]
    assert by_name["paint"].decided(Tolerances(), kit.rig.id).verdict is not Verdict.MATCH


@long_only
def test_what_alignment_moves_never_hides_a_difference(kit: Kit, plain: OutsidePicture, tmp_path: Path) -> None:
    """A body that lies elsewhere between right marks stays elsewhere."""
    pixels = plain.pixels.copy()
    middle = pixels.shape[0] // 2
    pixels[middle - 90 : middle + 90, 12:] = pixels[middle - 90 : middle + 90, :-12]
    found = compare(kit, [(replace(plain, pixels=pixels), ORIGINAL)])
    assert all(one.decided(Tolerances(), kit.rig.id).verdict is Verdict.OFF for one in found.compared)


@long_only
def test_one_material_on_its_stand_with_ground(tmp_path: Path) -> None:
    gloss = Material.of("g", "gloss_pair", {"diffuse": (0.3, 0.1, 0.1), "reflection": (0.6, 0.6, 0.6), "reflection_glossiness": 0.8})
    made = write_kit([gloss], tmp_path / "kit", title="one", rig="low_sun", turn=20.0)
    path = tmp_path / "original.png"
    take_picture(made.folder, path, ORIGINAL, Habits(samples=64, exposure=-1.5), 240)
    found = compare(made, [(read_picture(path), ORIGINAL)])
    assert found.pictures[0].response.exposure == approx(-1.5, abs=0.03)
    assert "light-orientation" not in codes(found)
    assert found.compared[0].decided(Tolerances(), made.rig.id).verdict is not Verdict.OFF


@long_only
def test_both_sides_are_compared_with_ours_and_with_each_other(tmp_path: Path) -> None:
    made = write_kit([convert(PAINT, "metal_rough"), convert(BRASS, "metal_rough")], tmp_path / "kit", title="both", target=None)
    pictures = []
    for side in (ORIGINAL, CONVERTED):
        path = tmp_path / f"{side}.exr"
        take_picture(made.folder, path, side, PLAIN, WIDTH)
        assert shows_by_name(path.name) == side
        pictures.append((read_picture(path), side))
    found = compare(made, pictures)
    assert len(found.compared) == 2 * 6
    between = [one for one in found.compared if one.first.by == one.second.by == "theirs"]
    assert [(str(one.first), str(one.second)) for one in between] == 2 * [
        ("original by the other renderer", "converted by the other renderer")
    ]
    document = found.to_document(Tolerances(), made.rig.id)
    assert len(document["pictures"]) == 2


def test_pictures_of_something_else_are_refused_in_words(kit: Kit, plain: OutsidePicture) -> None:
    grey = replace(plain, pixels=np.full_like(plain.pixels, 0.3))
    for picture, said in (
        (grey, "reference cards are not found"),
        (replace(plain, pixels=plain.pixels[:, :-60]), "the kit asks for"),
        (replace(plain, pixels=np.roll(plain.pixels, 60, axis=1)), "another camera|not found"),
        (replace(plain, pixels=plain.pixels[::4, ::4]), "pixels wide|not found"),
    ):
        with pytest.raises(InputError, match=said):
            compare(kit, [(picture, ORIGINAL)])
    with pytest.raises(InputError, match="no converted"):
        compare(kit, [(plain, CONVERTED)])
    with pytest.raises(InputError, match="one picture"):
        compare(kit, [(plain, ORIGINAL), (plain, ORIGINAL)])


def test_a_flipped_picture_is_turned_back_and_told(kit: Kit, plain: OutsidePicture) -> None:
    alignment, _ = aligned(replace(plain, pixels=plain.pixels[::-1]), kit.layout)
    assert alignment.flipped == "upside down"


def test_pictures_are_read_in_their_space(tmp_path: Path) -> None:
    colours = np.array([[[0.2, 0.4, 0.6], [1.0, 0.5, 0.0]]], np.float32)
    write_linear(tmp_path / "original.exr", colours)
    write_linear(tmp_path / "original_acescg.exr", colours)
    write_png(tmp_path / "original.png", linear_to_srgb(colours))
    assert read_picture(tmp_path / "original.exr").pixels == approx(colours)
    assert read_picture(tmp_path / "original_acescg.exr").pixels == approx(to_linear(colours, "ACEScg"), abs=1e-6)
    assert read_picture(tmp_path / "original.exr", "acescg").space == "ACEScg"
    png = read_picture(tmp_path / "original.png")
    assert png.pixels == approx(colours, abs=0.004)
    assert png.ends_at_white
    with pytest.raises(InputError, match="knows no colour space"):
        read_picture(tmp_path / "original.exr", "nonsense")
    (tmp_path / "broken.exr").write_bytes((tmp_path / "original.exr").read_bytes()[:200])
    with pytest.raises(ImageError):
        read_picture(tmp_path / "broken.exr")


def test_pixels_that_are_no_numbers_are_counted(tmp_path: Path) -> None:
    colours = np.full((4, 4, 3), 0.5, np.float32)
    colours[1, 2] = np.nan
    write_linear(tmp_path / "original.exr", colours)
    found = read_picture(tmp_path / "original.exr")
    assert (found.broken, found.pixels[1, 2].tolist()) == (1, [0.0, 0.0, 0.0])


@long_only
def test_a_viewer_that_shows_own_light_too_strong_is_learned_and_corrected(tmp_path: Path) -> None:
    # What is planted: twice the light. A profile with that response writes half of it, and the same viewer is right then.
    lamp = Material.of("lamp", "metal_rough", {"base_color": (0.1, 0.1, 0.1), "metallic": 0.0, "emissive": (0.5, 0.3, 0.1)})
    target = target_called("metal_rough")
    seen = []
    for response in (1.0, 2.0):
        profile = replace(target.profile, emission_response=response)
        corrected = replace(target, profile=profile)
        folder = tmp_path / f"kit {response:g}"
        made = write_kit([convert(one, "metal_rough", profile) for one in (lamp, BRASS)], folder, title="lamps", target=corrected)
        path = tmp_path / f"converted {response:g}.exr"
        take_picture(made.folder, path, CONVERTED, replace(PLAIN, glow=2.0), WIDTH)
        seen.append(compare(made, [(read_picture(path), CONVERTED)]).pictures[0].responses)
    (told,), *corrected_now = seen
    assert (told.of, told.factor, told.materials) == ("emission", approx(2.0, abs=0.08), ("lamp",))
    assert all(responses == () for responses in corrected_now)
