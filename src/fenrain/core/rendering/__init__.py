"""Pictures of materials: rigs (light), stands (what is looked at), and the modules that know the rendering engine."""
