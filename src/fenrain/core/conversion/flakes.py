"""Flakes on the way to the hub: the pattern is drawn once, as pictures that the values of OpenPBR are laid under."""

from __future__ import annotations

from collections.abc import Mapping

from fenrain.core.conversion.ledger import Entry, LedgerStep
from fenrain.core.material import Material
from fenrain.core.models.extras import FLAKE_PATTERN, FLAKE_TINT
from fenrain.core.models.flakes import RULES
from fenrain.core.models.registry import HUB, model_of
from fenrain.core.surfaces import flake_numbers
from fenrain.core.values import Computed, Constant, Drawn, Value

FLAKES = (*FLAKE_PATTERN, *FLAKE_TINT)
WHITE = Constant((1.0, 1.0, 1.0))


def flaked(entries: Mapping[str, Entry], hub: Material, original: Material) -> dict[str, Entry] | None:
    """The entries of a material in the hub, with what its original's flakes make of them; None where it has none that can be drawn."""
    numbers = flake_numbers(original)
    if numbers is None:
        return None
    pictures = {name: Drawn("flakes", name, tuple(numbers.items())) for name in ("normals", "mask", "ids")}
    tint = {name: original.value(name) for name in FLAKE_TINT}
    below = {name: hub.value(name) for name in ("geometry_normal", "base_color", "base_metalness", "specular_color")}
    given: Mapping[str, Value] = {**pictures, **tint, **below}
    found = dict(entries)
    for rule in RULES:
        (target,) = rule.targets
        if target != "geometry_normal" and _leaves_white(tint):
            continue
        if target == "base_color" and below["base_metalness"] == Constant(0.0):
            continue
        value = Computed(rule.id, target, tuple((name, given[name]) for name in rule.sources))
        before = found.get(target) or Entry(target, model_of(HUB).parameter(target).group, None, (), ())
        names = FLAKE_PATTERN if target == "geometry_normal" else FLAKES
        step = LedgerStep(
            rule.id, f"{rule.text}: {', '.join(f'{{{name}}}' for name in names)}", rule.source, rule.fidelity, "", names, original
        )
        sources = tuple(dict.fromkeys((*before.sources, *names)))
        found[target] = Entry(target, before.group, value, sources, (*before.steps, step))
    return found


def _leaves_white(tint: Mapping[str, Value]) -> bool:
    """Whether flakes reflect as the surface does."""
    return tint["flake_color"] == WHITE and (tint["flake_spread"] == Constant(0.0) or tint["flake_second_color"] == WHITE)
