"""The text of a kit: what to set, what to switch on, how many samples suffice, and how to send the picture back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from fenrain.core.colour import hex_of
from fenrain.core.conversion.viewing import CheckItem
from fenrain.core.files import write_whole
from fenrain.core.outside.cards import PAINTS
from fenrain.core.outside.light import SIDES
from fenrain.core.pages import page_of, write_pdf

if TYPE_CHECKING:
    from fenrain.core.outside.kit_file import KitFile
    from fenrain.core.outside.scene import Scene

SAMPLES, SAMPLES_CLEAR = 256, 1024
"""For each pixel that suffice: usually, and where something is rough, scatters or lets light through (common practice: two to three times
those of sharp surfaces, and more within bodies)."""
PAGE, PDF = "read_me.html", "read_me.pdf"
TEMPLATE = Path(__file__).with_name("page.html.j2")


def write_page(
    folder: Path, stated: KitFile, scene: Scene, files: Mapping[str, Sequence[Path]], lists: Mapping[str, Sequence[CheckItem]]
) -> None:
    """Write it as HTML, which needs no network, and as PDF. files, lists: by side."""
    text = page_text(stated, scene, files, lists)
    write_whole(folder / PAGE, text)
    write_pdf(folder / PDF, text, folder)


def page_text(stated: KitFile, scene: Scene, files: Mapping[str, Sequence[Path]], lists: Mapping[str, Sequence[CheckItem]]) -> str:
    demanding = {"transmission", "scattering", "tint_by_depth"}
    is_clear = any(item.feature in demanding for items in lists.values() for item in items)
    given: dict[str, Any] = {
        "kit": stated,
        "files": {side: [one.as_posix() for one in paths] for side, paths in files.items()},
        "lists": lists,
        "paints": [paint for paint in scene.paints if paint in PAINTS],
        "others": [paint for paint in scene.paints if paint not in PAINTS],
        "sides": {name: hex_of(colour) for name, (_, colour) in SIDES.items()},
        "samples": SAMPLES_CLEAR if is_clear else SAMPLES,
        "tile": round(min(tile.half for tile in stated.tiles) * stated.height),
    }
    return page_of(TEMPLATE, **given)
