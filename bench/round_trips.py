"""What survives a conversion there and back: for all pairs of targets, which parameters come back as they were."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping

import numpy as np

from bench.production import production_like
from fenrain.core import Material, convert_all
from fenrain.core.conversion.aim import Aim
from fenrain.core.material import matters
from fenrain.core.models.registry import model_of
from fenrain.core.values import Constant

MODELS = ("open_pbr", "standard_surface", "metal_rough", "preview")
EACH, SAME = 60, 1e-6


def bench_round_trips() -> None:
    """Prints a table in Markdown: parameters that come back within 1e-6 in all materials that set them, and those that do not, by the
    nearest values."""
    print("\n| there and back | comes back within 10⁻⁶ | does not (share of materials) |\n|---|---|---|")
    for first in MODELS:
        for second in MODELS:
            if first != second:
                same, other = came_back(first, second)
                print(f"| {first} → {second} → {first} | {_listed(same)} | {_listed_with_shares(other)} |")


def came_back(first: str, second: str) -> tuple[set[str], dict[str, float]]:
    """Names of parameters of `first` that come back from `second` as they went; and of those that do not, with the share of materials for
    which they do not."""
    model, materials = model_of(first), production_like(first, EACH)
    there = [conversion.material for conversion in convert_all(materials, second, aim=Aim.NEAREST)]
    back = [conversion.material for conversion in convert_all(there, first, aim=Aim.NEAREST)]
    kept: dict[str, list[bool]] = defaultdict(list)
    for before, after in zip(materials, back, strict=True):
        for name in before.values:
            if matters(before, model, name):
                kept[name].append(_is_same(before, after, name))
    other = {name: 1.0 - float(np.mean(found)) for name, found in kept.items() if not all(found)}
    return set(kept) - set(other), other


def _is_same(before: Material, after: Material, name: str) -> bool:
    ours, theirs = before.value(name), after.value(name)
    if not isinstance(ours, Constant) or not isinstance(theirs, Constant):
        return ours == theirs
    return bool(np.allclose(np.asarray(ours.value, dtype=float), np.asarray(theirs.value, dtype=float), rtol=0.0, atol=SAME))


def _listed(names: Iterable[str]) -> str:
    return ", ".join(f"`{name}`" for name in sorted(names)) or "–"


def _listed_with_shares(shares: Mapping[str, float]) -> str:
    return ", ".join(f"`{name}` ({share:.0%})" for name, share in sorted(shares.items())) or "–"


if __name__ == "__main__":
    bench_round_trips()
