"""Lobes: what light a surface sends where, one kind a file, and `surface`, which puts them together."""
