"""Breaks the ten most important rules one after the other, in a copy of the source, and sees the short suite fail each time.

    python -m tests.break_rules          # by the tests of the core, which stop at the first failure
    python -m tests.break_rules sRGB     # those whose name begins so

A rule whose breaking goes unnoticed is printed, and the exit code is 1.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).parents[1]


@dataclass(frozen=True)
class Break:
    """file: below `fenrain/core`; right, wrong: the text that stands there, and what it becomes; first: the tests that are tried first."""

    name: str
    file: str
    right: str
    wrong: str
    first: str


BREAKS = (
    Break("F0 of an index", "optics/fresnel.py", "square((ior - 1.0) / (ior + 1.0))", "(ior - 1.0) / (ior + 1.0)", "test_optics.py"),
    Break("gloss to roughness", "models/spec_gloss/to_hub.py", "return 1.0 - p.glossiness", "return p.glossiness", "test_conversion.py"),
    Break("width of an exponent", "optics/microfacet.py", "(2.0 / (maximum(exponent", "(1.0 / (maximum(exponent", "test_optics.py"),
    Break("widths of a stretch", "optics/microfacet.py", "(2.0 / (1.0 + square", "(1.0 / (1.0 + square", "test_standard_shader_values.py"),
    Break("absorption in depth", "optics/volume.py", "DARKEST)) / maximum(distance", "DARKEST)) * maximum(distance", "test_lobe_parts.py"),
    Break("tint of a metal", "optics/fresnel.py", "f0) * (1.0 - tint) / (", "f0) * tint / (", "test_standard_shader_values.py"),
    Break("sRGB curve", "colour.py", "/ 1.055) ** 2.4)", "/ 1.055) ** 2.2)", "test_check.py"),
    Break("photometric white", "models/percent/to_hub.py", "p.emission_luminance / p.white_luminance, p.emission_color",
          "p.emission_luminance, p.emission_color", "test_conversions_by_hand.py"),
    Break("channel of a roughness map", "formats/gltf/reading.py", '"roughnessFactor", "metallicRoughnessTexture", "g"',
          '"roughnessFactor", "metallicRoughnessTexture", "b"', "test_whole_gltf.py"),
    Break("the worst reading decides", "checking/verdict.py", "worst = max((one for", "worst = min((one for", "test_check.py"),
)  # fmt: skip


def is_noticed(one: Break, source: Path) -> bool:
    """Whether a test fails where the rule is broken: those that are the likeliest first, then all of the core."""
    path = source / "fenrain" / "core" / one.file
    text = path.read_text("utf-8")
    assert text.count(one.right) == 1, f"“{one.name}” stands {text.count(one.right)} times in {one.file}"
    path.write_text(text.replace(one.right, one.wrong), "utf-8")
    try:
        return any(fails(source, tests) for tests in (f"tests/core/{one.first}", "tests/core"))
    finally:
        path.write_text(text, "utf-8")


def fails(source: Path, tests: str) -> bool:
    command = [sys.executable, "-m", "pytest", "-q", "-x", "-p", "no:xdist", tests]
    run = subprocess.run(command, cwd=ROOT, env={**os.environ, "PYTHONPATH": str(source)}, capture_output=True, text=True, check=False)
    assert run.returncode in (0, 1), run.stdout[-2000:] + run.stderr[-2000:]
    return run.returncode == 1


def main() -> int:
    chosen = [one for one in BREAKS if not sys.argv[1:] or one.name.startswith(sys.argv[1])]
    with tempfile.TemporaryDirectory(prefix="fenrain-broken-") as scratch:
        source = Path(scratch) / "src"
        shutil.copytree(ROOT / "src", source)
        unnoticed = []
        for one in chosen:
            noticed = is_noticed(one, source)
            print(f"{'noticed' if noticed else 'NOT NOTICED'}: {one.name}", flush=True)
            unnoticed += [] if noticed else [one.name]
    return int(bool(unnoticed))


if __name__ == "__main__":
    sys.exit(main())
