"""Dialects: how renderers spell a shading model, as data. `shipped/` holds one for each family, of invented renderers."""
