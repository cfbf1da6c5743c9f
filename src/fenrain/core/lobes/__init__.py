"""Lobes: what light a surface sends where, one kind a file, and `look`, which puts them together."""
