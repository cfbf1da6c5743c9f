"""The equations, one topic a file. Every function is elementwise and works on NumPy arrays and on the
rendering engine's traced values alike (see `arrays`)."""
