"""The command line. Exit 0: done, and all match; 1: at least one verdict is not match; 2: input or usage error, one line that says why."""

from __future__ import annotations

import sys
from typing import NoReturn

import typer

from fenrain.cli import converting, lists, outside, reporting, running  # noqa: F401  they add their commands
from fenrain.cli.given import app
from fenrain.core.errors import FenrainError


def main() -> NoReturn:
    """Entry point: errors as one line and exit code 2."""
    try:
        code = app(standalone_mode=False)
        sys.exit(code if isinstance(code, int) else 0)
    except FenrainError as error:
        print(f"fenrain: {error}", file=sys.stderr)
    except typer.Exit as left:
        sys.exit(left.exit_code)
    except KeyboardInterrupt:
        sys.exit(130)
    except Exception as error:
        if not hasattr(error, "format_message"):
            raise
        print(f"fenrain: {error.format_message()}", file=sys.stderr)
    sys.exit(2)
