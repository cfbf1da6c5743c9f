"""Glass that is stated so that nothing goes through it."""

from collections.abc import Iterator

import numpy as np

from fenrain.core.checking.input_findings.registry import PRACTICE, Read
from fenrain.core.findings import Finding, warning
from fenrain.core.models.exponent.surface import is_clear
from fenrain.core.optics.fresnel import f0_from_ior
from fenrain.core.values import Constant

SEEN_THROUGH, DARKENED = 0.3, 0.1
"""Share that a dissolve lets through from which one means to see through it, and what is left of it where the mirror takes the rest."""


def find(read: Read) -> Iterator[Finding]:
    material = read.material
    if material.model != "exponent":
        return
    mode, dissolve, specular, ior = (material.value(name) for name in ("illum", "dissolve", "specular", "ior"))
    if not all(isinstance(value, Constant) for value in (mode, dissolve, specular, ior)) or not is_clear(int(mode.value)):  # type: ignore[union-attr,arg-type]
        return
    mirrored = float(np.min(np.asarray(specular.value, dtype=float)))  # type: ignore[union-attr]
    meant = 1.0 - float(dissolve.value)  # type: ignore[union-attr,arg-type]
    if meant < SEEN_THROUGH or (1.0 - mirrored) * meant > DARKENED:
        return
    f0 = float(f0_from_ior(max(float(ior.value), 1.0)))  # type: ignore[union-attr,arg-type]
    yield warning(
        "glass-as-mirror",
        f"As it is written, Ks {mirrored:g} mirrors what d {1.0 - meant:g} would let through, {100 * meant:.0f} %; glass of this index "
        f"reflects {100 * f0:.2g} %.",
        parameter="specular",
        evidence=f"Ks {mirrored:g}, d {1.0 - meant:g}, illum {int(mode.value)}",  # type: ignore[union-attr,arg-type]
        usual="Ks about as the index reflects",
        source=PRACTICE,
        remedy="Take it as glass, which scales Ks to what its index reflects.",
        fix={"scale": max(f0, 1e-4) / max(mirrored, 1e-4)},
    )


FIND = find
