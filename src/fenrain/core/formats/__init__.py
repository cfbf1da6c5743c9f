"""File formats, one a file: how materials are read and written."""

from fenrain.core.formats.registry import formats, read, write

__all__ = ["formats", "read", "write"]
