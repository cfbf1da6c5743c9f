"""What plain values are and what they cost, over materials as productions make them: all models to all targets."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from bench.production import MAKERS, production_like
from fenrain.core import check, convert_all
from fenrain.core.aims.plainness import plainness_of
from fenrain.core.checking.quick import quick_check
from fenrain.core.conversion.aim import Aim
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.targets import target_called

TARGETS = ("open_pbr", "standard_surface", "metal_rough", "preview", "mtl")
EACH, LOOKED_AT = 24, 4


def bench_aims(pictures: bool = True) -> None:
    """pictures: whether plain answers that cost nothing are looked at, a few of each model."""
    print("\nplain against nearest, a material: unusual values, extensions, values set, median lobe error; expected to look worse")
    served = looked_at = 0
    for name in TARGETS:
        target = target_called(name)
        for model in MAKERS:
            materials = production_like(model, EACH)
            nearest, plain = (convert_all(materials, target.model.id, target.profile, aim) for aim in (Aim.NEAREST, Aim.PLAIN))
            costly = sum(one.choice is not None and one.choice.costs for one in plain)
            print(f"{model:16} → {name:16} {_figures(nearest)}  →  {_figures(plain)}   worse {costly / EACH:4.0%}")
            for first, chosen in list(zip(nearest, plain, strict=True))[: LOOKED_AT if pictures else 0]:
                if chosen.choice is not None and not chosen.choice.costs:
                    looked_at += 1
                    served += check(chosen.original, chosen.material).verdict.rank <= check(first.original, first.material).verdict.rank
    if looked_at:
        print(f"plain answers expected to look no worse: {served} of {looked_at} do not, in pictures (aim ≥ 99 %)")


def _figures(conversions: Sequence[Conversion]) -> str:
    plainness = [plainness_of(one.material) for one in conversions]
    counts = (
        np.mean([len(one.unusual) for one in plainness]),
        np.mean([len(one.extensions) for one in plainness]),
        np.mean([len(one.set_values) for one in plainness]),
        np.median([quick_check(one.original, one.material).lobe_error for one in conversions]),
    )
    return f"{counts[0]:.2f} {counts[1]:.2f} {counts[2]:.1f} {counts[3]:.3f}"


if __name__ == "__main__":
    bench_aims()
