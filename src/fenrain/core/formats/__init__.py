"""File formats, one a file: how materials are read and written."""
