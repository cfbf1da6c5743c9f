"""Writes the web client's types from the server's OpenAPI document, or checks that they are in step.

python -m fenrain.api.openapi [--check]
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from pathlib import Path

from fenrain.api.app import create_app

WEB = Path(__file__).parents[3] / "web"
CLIENT = WEB / "src" / "api" / "schema.d.ts"


def generate() -> str:
    """The types as they should stand in the web client."""
    with tempfile.TemporaryDirectory() as scratch:
        document, types = Path(scratch) / "openapi.json", Path(scratch) / "schema.d.ts"
        document.write_text(json.dumps(create_app(run_jobs=False).openapi()))
        subprocess.run(
            ["npx", "--no-install", "openapi-typescript", str(document), "-o", str(types)], cwd=WEB, check=True, capture_output=True
        )
        return types.read_text()


def main() -> None:
    types = generate()
    if "--check" in sys.argv:
        if CLIENT.read_text() != types:
            sys.exit("The web client's types are not in step with the server: run “make client” and commit the result.")
        return
    CLIENT.write_text(types)


if __name__ == "__main__":
    main()
