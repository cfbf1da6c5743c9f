"""The optical aspects that a surface is sorted by, in the interface's words."""

BODY, REFLECTION, TRANSMISSION, VOLUME = "body", "reflection", "transmission", "volume"
COAT, FUZZ, GLOW, RELIEF, CUT_OUT = "coat", "fuzz", "glow", "relief", "cut-out"
ASPECTS = (BODY, REFLECTION, TRANSMISSION, VOLUME, COAT, FUZZ, GLOW, RELIEF, CUT_OUT)
