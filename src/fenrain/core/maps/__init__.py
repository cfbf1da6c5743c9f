"""Maps: the same rules per texel, on images."""
