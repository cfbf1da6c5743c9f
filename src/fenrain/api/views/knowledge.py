"""Models, metrics and targets, as they go over the wire."""

from __future__ import annotations

import math
from typing import Any, Literal

from fenrain.api.schemas.board import LimitsOut
from fenrain.api.schemas.knowledge import MetricOut, ModelOut, OptionOut, ParameterOut
from fenrain.api.schemas.targets import TargetOut
from fenrain.core.checking.metrics.registry import Metric
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.models.parameter import Role
from fenrain.core.models.registry import Model


def metric_view(metric: Metric) -> MetricOut:
    limits = LimitsOut(match=metric.limits.match, near=metric.limits.near) if metric.limits is not None else None
    return MetricOut(id=metric.id, title=metric.title, says=metric.says, of=metric.of.value, unit=metric.unit, limits=limits)


LOOKED_UP_IN: dict[Role, Literal["", "indices", "finishes", "metal colours", "metal tints"]] = {
    Role.INDEX: "indices",
    Role.COAT_INDEX: "indices",
    Role.FILM_INDEX: "indices",
    Role.ROUGHNESS: "finishes",
    Role.COAT_ROUGHNESS: "finishes",
    Role.BASE_COLOR: "metal colours",
    Role.SPECULAR_COLOR: "metal tints",
}
"""The look-up table that belongs to a role."""


def target_view(target: ServedTarget) -> TargetOut:
    written = target.format
    return TargetOut(
        key=target.id,
        model=target.model.id,
        profile=target.profile.name,
        title=target.title,
        says=target.says,
        narrows=target.stated.target if target.stated is not None else "",
        extensions=sorted(target.profile.extensions),
        format=written.id if written is not None else "",
        format_title=written.title if written is not None else "",
        writes=written.writes if written is not None else "",
    )


def model_view(model: Model) -> ModelOut:
    parameters = [
        ParameterOut(
            name=p.name,
            kind=p.kind,
            group=p.group,
            says=p.says,
            unit=p.unit,
            default=p.default,
            low=_finite(p.low),
            high=_finite(p.high),
            options=[OptionOut(value=value, label=label) for value, label in p.options],
            role=str(p.role or ""),
            looked_up_in=LOOKED_UP_IN.get(p.role, "") if p.role is not None else "",
            undrawn=p.undrawn,
        )
        for p in model.parameters
    ]
    return ModelOut(id=model.id, title=model.title, source=model.source, parameters=parameters)


def _finite(limit: float) -> Any:
    return limit if math.isfinite(limit) else None
