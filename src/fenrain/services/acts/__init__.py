"""Acts on many materials, one a file, and what carries them out."""
