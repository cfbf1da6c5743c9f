"""Looks: rigs (light), stands (what is looked at), and the one module that knows the rendering engine."""
