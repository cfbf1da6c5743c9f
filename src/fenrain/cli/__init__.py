"""The command line. Exit 0: done, and all match; 1: at least one verdict is not match; 2: input or usage error, one line that says why."""

from __future__ import annotations

import sys
import tempfile
import traceback
from typing import NoReturn

import typer

from fenrain.cli import converting, lists, outside, people, reference, reporting, running  # noqa: F401  they add their commands
from fenrain.cli.options import app
from fenrain.core.errors import FenrainError, in_a_line


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
    except ModuleNotFoundError as missing:
        print(f"fenrain: this takes {missing.name}, which is not installed: pip install 'fenrain[server]'", file=sys.stderr)
    except typer.Abort:
        print("fenrain: left as it was", file=sys.stderr)
    except Exception as error:
        said = error.format_message() if hasattr(error, "format_message") else _own_error(error)
        print(f"fenrain: {said}", file=sys.stderr)
    sys.exit(2)


def _own_error(error: Exception) -> str:
    """An error that is nobody's input, in a line; where it came from goes into a file that can be sent along."""
    with tempfile.NamedTemporaryFile("w", prefix="fenrain-error-", suffix=".txt", delete=False) as trace:
        traceback.print_exception(error, file=trace)
    return f"an error of Fenrain's own ({in_a_line(error)}); report it with {trace.name}"
