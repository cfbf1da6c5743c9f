"""What a legacy model may carry besides its own parameters: relief, occlusion, secondary detail, flakes, a painted reflection."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from fenrain.core.convert.rule import APPROXIMATED, Case, RuleSet
from fenrain.core.lobes.look import Part, mixed
from fenrain.core.lobes.microfacet import MetalTint, Microfacet
from fenrain.core.models.parameter import BODY, REFLECTION, RELIEF, choice, colour, normal, number
from fenrain.core.optics.arrays import Array, lerp, square
from fenrain.core.optics.relief import RELIEF_DEPTH, blend_normals, normalised, normals_from_height

ROUND, CELLULAR = 0, 1

RELIEF_EXTRAS = (
    number("occlusion", default=1.0, high=1.0, group=BODY, says="how much of the sky a point sees; dims reflections in hollows too"),
    number("relief", default=0.0, low=-1000.0, group=RELIEF, says="height map, bright is high"),
    number("relief_strength", default=1.0, low=-100.0, high=100.0, group=RELIEF, under="relief", says="scales the height; below 0 sinks"),
    normal("normal", says="tangent-space normal map"),
    number("normal_strength", default=1.0, low=-10.0, high=10.0, group=RELIEF, under="normal", says="scales the slopes; 0 is flat"),
    normal("detail_normal", says="a second normal map, laid over the first"),
    number("detail_mask", default=1.0, high=1.0, group=RELIEF, under="detail_normal", says="where the second maps show"),
)

EXTRAS = (
    *RELIEF_EXTRAS,
    colour("detail_color", default=1.0, group=BODY, says="a second colour map that multiplies the body's colour"),
    colour("reflection_image", default=0.0, group=REFLECTION, says="painted surroundings"),
    number("flake_amount", default=0.0, high=1.0, group=REFLECTION, says="share of the surface that flakes cover"),
    colour("flake_color", default=0.8, high=1.0, group=REFLECTION, under="flake_amount", says="colour of the flakes when facing"),
    number("flake_tilt", default=0.3, high=1.0, usual=(0.1, 0.8), group=REFLECTION, under="flake_amount", says="how far flakes lean"),
    number("flake_size", default=0.01, unit="tile widths", group=REFLECTION, under="flake_amount", says="size of a cell with one flake"),
    number("flake_seed", default=0.0, high=1e6, group=REFLECTION, under="flake_amount", says="chooses among patterns of equal kind"),
    choice(
        "flake_shape",
        default=ROUND,
        options=((ROUND, "round"), (CELLULAR, "cellular")),
        group=REFLECTION,
        under="flake_amount",
        says="outline of a flake",
    ),
)


def detailed(base: Array, detail_color: Array, detail_mask: Array) -> Array:
    """A body's colour with the second colour map over it; of lobes' operands and of texels alike."""
    return base * lerp(1.0, detail_color, detail_mask)


def flaked(parts: Sequence[Part], p: Any) -> tuple[Part, ...]:
    """The parts where no flakes lie, and the mean of many flakes where they do: a metal as rough as flakes lean."""
    alpha = square(p.flake_tilt)
    return mixed(parts, (Part(Microfacet(alpha, alpha, MetalTint(p.flake_color, 1.0)), REFLECTION),), p.flake_amount)


def has_plain_normal(case: Case) -> bool:
    plain = case.is_at("normal_strength", 1.0) and not case.has_map("relief") and not case.has_map("detail_normal")
    return case.has_map("normal") and plain


def has_relief(case: Case) -> bool:
    return any(case.has_map(name) for name in ("relief", "normal", "detail_normal")) and not has_plain_normal(case)


def add_relief_rules(rules: RuleSet) -> None:
    """What every model with `RELIEF_EXTRAS` says of them to OpenPBR."""
    rules.copy("occlusion", "occlusion", source="glTF 2.0 §3.9.3")
    rules.copy("geometry_normal", "normal", source="OpenPBR 1.1: geometry_normal", when=has_plain_normal)

    @rules.rule(
        "geometry_normal",
        fidelity=APPROXIMATED,
        text="slopes of {relief} × {relief_strength}, bright is high, over {normal} × {normal_strength}, with {detail_normal} where "
        "{detail_mask}",
        source="Scharr derivatives; blended by reoriented normal mapping (Barré-Brisebois & Hill 2012)",
        when=has_relief,
        whole=True,
    )
    def surface_relief(
        relief: np.ndarray,
        relief_strength: np.ndarray,
        normal: np.ndarray,
        normal_strength: np.ndarray,
        detail_normal: np.ndarray,
        detail_mask: np.ndarray,
    ) -> np.ndarray:
        found = _scaled(normal, normal_strength)
        if np.ndim(relief) == 3:
            found = blend_normals(found, normals_from_height(relief * relief_strength * (RELIEF_DEPTH * relief.shape[1])))
        return blend_normals(found, _scaled(detail_normal, detail_mask))

    rules.drop("relief", why="an even height moves nothing that can be seen.", nearest="left out", when=lambda case: not has_relief(case))


def add_extra_rules(rules: RuleSet) -> None:
    """What every model with `EXTRAS` says of them to OpenPBR; its body rule takes `detail_color` and `detail_mask` itself."""
    add_relief_rules(rules)
    rules.drop("reflection_image", why="a painted reflection does not follow the light of the target.", nearest="left out")
    for name in ("flake_amount", "flake_color", "flake_tilt", "flake_size", "flake_seed", "flake_shape"):
        rules.drop(
            name,
            why="flakes are a pattern, which OpenPBR takes from maps.",
            nearest="the surface without them",
            when=lambda case: not case.is_at("flake_amount", 0.0),
        )


def _scaled(normals: np.ndarray, strength: np.ndarray) -> np.ndarray:
    """Slopes times a strength; below 0 they are turned over."""
    return normalised(normals * np.concatenate([strength, strength, np.ones_like(strength)], axis=-1))
