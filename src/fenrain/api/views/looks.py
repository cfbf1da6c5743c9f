"""Looks and checks, as they go over the wire."""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Mapping

from fenrain.api.problems import problem_of
from fenrain.api.schemas.looks import CheckOut, FiguresOut, LookFrame
from fenrain.api.schemas.shared import ReadingOut
from fenrain.core.checking.metrics.registry import Reading, metrics
from fenrain.core.checking.verdict import Tolerances
from fenrain.services.checks import decide_check
from fenrain.services.picture_frames import PictureFrame
from fenrain.store.documents.checking import CheckPictures, Curves, DecisionDocument, DirectionMeasurements
from fenrain.store.tables import CheckRow


def check_view(row: CheckRow, tolerances: Tolerances) -> CheckOut:
    assert row.pictures is not None
    readings = row.numbers.readings
    return CheckOut(
        id=row.id,
        rig=row.rig,
        stand=row.stand,
        turn=row.turn,
        size=row.size,
        samples=row.numbers.samples,
        decision=DecisionDocument.from_decision(decide_check(row, tolerances)) if readings else None,
        readings=reading_views(readings, row.rig, tolerances),
        pictures=row.pictures,
    )


def reading_views(readings: Mapping[str, Reading], rig: str, tolerances: Tolerances) -> list[ReadingOut]:
    """Each in the order of its metric, with what it would decide by itself."""
    found = []
    for metric in metrics().values():
        if metric.id not in readings:
            continue
        reading, limits = readings[metric.id], tolerances.limits_of(metric, rig)
        alone = tolerances.decided({metric.id: reading}, rig) if limits is not None else None
        found.append(
            ReadingOut(
                metric=metric.id,
                value=reading.value,
                floor=reading.floor,
                original=reading.original,
                converted=reading.converted,
                verdict=alone.verdict.value if alone is not None else None,
                match=limits.match if limits is not None else None,
                near=limits.near if limits is not None else None,
            )
        )
    return found


def figures_view(measured: DirectionMeasurements, tolerances: Tolerances) -> FiguresOut:
    return FiguresOut(
        decision=DecisionDocument.from_decision(measured.decide(tolerances)),
        readings=reading_views(measured.readings, "", tolerances),
        **{name: getattr(measured, name) for name in Curves.model_fields},
    )


def look_view(frame: PictureFrame, rig: str, tolerances: Tolerances) -> LookFrame:
    readings = frame.readings
    return LookFrame(
        size=frame.size,
        samples=frame.samples,
        pictures=CheckPictures(**{side: _data_url(data) for side, data in frame.pictures.items()}) if frame.pictures else None,
        decision=DecisionDocument.from_decision(tolerances.decided(readings, rig, frame.unseen)) if readings else None,
        readings=reading_views(readings, rig, tolerances),
        figures=figures_view(frame.figures, tolerances) if frame.figures else None,
        clear=frame.clear,
        preparing=frame.preparing,
        problem=problem_of(frame.problem) if frame.problem is not None else None,
        done=frame.done,
    )


def _data_url(data: bytes) -> str:
    return f"data:image/png;base64,{b64encode(data).decode()}"
