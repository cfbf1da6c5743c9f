"""Stands, one file each: the shapes that a surface is judged on."""
