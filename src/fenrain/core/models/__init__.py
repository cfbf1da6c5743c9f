"""Shading models, one folder each, found by `registry`."""
