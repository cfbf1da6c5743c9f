"""One act on many a file."""
