"""The picture of a check kit by independent web renderers (three.js, the glTF Sample Renderer), in a browser that nobody looks at: what a
web page will really show."""

from __future__ import annotations

VIEWERS = {"three": "three.js", "sample": "glTF Sample Renderer"}
"""Web renderers by id, with the names that they go by; they share no code with each other nor with us."""
