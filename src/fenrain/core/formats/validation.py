"""What the standards' own validators say of a written file; each is asked in the format's own words."""

from __future__ import annotations

import json
import shutil
import subprocess
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

WEB = Path(__file__).parents[4] / "web"
MOST_SAID = 20
PATIENCE = 300.0
"""Seconds that a validator may take over one file."""


@dataclass(frozen=True)
class Validation:
    """by: who looked, "" where nobody could, with the reason as what is said; errors: how many; said: the first of them, in words."""

    by: str
    errors: int
    said: tuple[str, ...]


def validated(path: Path, format_id: str) -> Validation:
    """What the validator of its standard says of a file. MTL has none."""
    look = VALIDATORS.get(format_id)
    return look(path) if look is not None else Validation("", 0, ("This format has no validator.",))


def _gltf(path: Path) -> Validation:
    """By the validator of those who keep glTF, which is a program for Node."""
    if shutil.which("node") is None or not (WEB / "node_modules" / "gltf-validator").is_dir():
        return Validation("", 0, ("The glTF validator is not installed here.",))
    try:
        run = subprocess.run(
            ["node", "-e", ASK, str(path.resolve())], cwd=WEB, capture_output=True, text=True, check=True, timeout=PATIENCE
        )
        issues = json.loads(run.stdout)
    except (subprocess.SubprocessError, ValueError) as reason:
        return Validation("", 0, (f"The glTF validator did not answer ({type(reason).__name__}).",))
    grave = [one for one in issues["messages"] if one["severity"] == 0]
    return Validation("glTF validator", issues["numErrors"], tuple(f"{one['pointer']}: {one['message']}" for one in grave[:MOST_SAID]))


ASK = """
const validator = require("gltf-validator");
validator.validateBytes(new Uint8Array(require("fs").readFileSync(process.argv[1])), { maxIssues: 1000 }).then(
  (report) => console.log(JSON.stringify(report.issues)));
"""


def _materialx(path: Path) -> Validation:
    """By the standard's library: names, types and connections of every node."""
    import MaterialX as mx

    from fenrain.core.formats.materialx.graphs import libraries

    document = mx.createDocument()
    mx.readFromXmlFile(document, str(path))
    document.setDataLibrary(libraries())
    valid, message = document.validate()
    said = () if valid else tuple(line for line in message.splitlines() if line)[:MOST_SAID]
    return Validation("MaterialX library", len(said), said)


def _usd(path: Path) -> Validation:
    """By every validator that the standard's library knows. A build of it without MaterialX cannot say anything of MaterialX nodes."""
    from pxr import Usd, UsdValidation

    context = UsdValidation.ValidationContext(UsdValidation.ValidationRegistry().GetOrLoadAllValidators())
    found = [error.GetMessage().splitlines()[0] for error in context.Validate(Usd.Stage.Open(str(path)))]
    unknown = [message for message in found if "'ND_" in message and message.endswith("not found in sdrRegistry.")]
    faults = [message for message in found if message not in unknown]
    said = [
        *dict.fromkeys(faults[:MOST_SAID]),
        *([f"{len(unknown)} MaterialX nodes, which this build of USD does not know."] if unknown else []),
    ]
    return Validation("USD validators", len(faults), tuple(said))


VALIDATORS: dict[str, Callable[[Path], Validation]] = {"gltf": _gltf, "materialx": _materialx, "usd": _usd}
