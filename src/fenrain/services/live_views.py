"""What the live process runs: one view refined pass by pass, and a fit, which is confirmed by pictures."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import asdict, replace
from itertools import chain
from typing import Any

from pydantic import TypeAdapter, ValidationError

from fenrain.core.checking.check import READ_EDGE, RigCheck, refine
from fenrain.core.checking.figures import figures
from fenrain.core.checking.fitting.fit import fit
from fenrain.core.checking.isolation import map_alone, without
from fenrain.core.checking.quick_picture import quick_pair
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.ledger import By, Override
from fenrain.core.errors import EngineError, ParameterError
from fenrain.core.material import Material
from fenrain.core.rendering.own_mesh import PREFIX
from fenrain.core.rendering.probe import load_engine
from fenrain.core.steps import ValueStep
from fenrain.core.surfaces import scatters
from fenrain.core.values import Constant
from fenrain.services.checks import direction_measurements, encode_pictures, load_tolerances, save_check
from fenrain.services.conversions import accept_grade, keep_fit, load_conversion, refresh_conversion
from fenrain.services.history import find_conversion_at_version
from fenrain.services.picture_frames import PictureFrame, ViewRequest
from fenrain.services.surroundings import list_conversions_around, list_rigs, open_stand, open_surroundings
from fenrain.store.database import retry_transaction, session
from fenrain.store.documents.checking import DirectionMeasurements
from fenrain.store.rows import find_conversion, find_project
from fenrain.store.tables import ConversionRow

FIRST_SIZE, FIRST_SCATTERING_SIZE = 2 * READ_EDGE, READ_EDGE
"""Edge in pixels of the pictures that are shown first and measured; where light scatters in the body, paths are long."""
LEAST_LOOKED_AT, MOST_LOOKED_AT = 4, 64
"""Samples for each pixel of a larger picture: from how many it is better than the small one, and how many it gets."""


_CONVERSIONS: dict[tuple[int, int, str, str], Conversion] = {}
"""Those that were looked at last: an edit that is tried, another light or stand begin from the same."""
MOST_KEPT = 32


def _recent_conversion(row: ConversionRow) -> Conversion:
    key = (row.id, row.version, row.material.digest, row.digest)
    found = _CONVERSIONS.pop(key, None) or load_conversion(row)
    _CONVERSIONS[key] = found
    while len(_CONVERSIONS) > MOST_KEPT:
        del _CONVERSIONS[next(iter(_CONVERSIONS))]
    return found


def warm() -> None:
    """Load the engine and the stage that is looked at first."""
    try:
        engine = load_engine()
    except EngineError:
        return
    material = Material.of("warm", "open_pbr", {})
    engine.PairShot(material, material, engine.View(size=FIRST_SIZE)).taken(4, 0, shared=True)


COMPILED_WITHIN = 0.3
"""Seconds after which a first picture that is not there yet is taken to wait for a compilation, and quick pictures are shown instead."""


def frames(
    request: ViewRequest, between: Callable[[], None], show: Callable[[PictureFrame], None] = lambda _: None
) -> Iterator[PictureFrame]:
    """First until the verdict is clear, which is kept, then as a larger picture to look at. between: called now and then; what it raises
    ends the view; show: takes a frame while the next one is still computed. Raises NotFoundError, ParameterError, EngineError."""
    with session() as database:
        row = refresh_conversion(find_conversion(database, request.conversion_id))
        digests = (row.material.digest, row.digest)
        conversion = _recent_conversion(row)
        tolerances = load_tolerances(find_project(database, row.material.project_id))
        open_surroundings(database, (request.rig,))
        request = replace(request, stand=open_stand(database, request.stand, row.material))
        beside = [_recent_conversion(one) for one in list_conversions_around(database, row)] if request.stand.startswith(PREFIX) else []
    others = [(one.original, one.material) for one in beside]
    pair = _pair(conversion, request)
    if request.against is not None:
        pair = _load_converted(request.against), pair[1]
    found: DirectionMeasurements | None = None
    results = _refine(pair, request, _first_size(pair), tolerances, others=others, between=between)
    with _meanwhile(COMPILED_WITHIN, lambda: show(_quick_frame(pair))):
        first = next(results)
    for result in chain([first], results):
        yield _frame(result, found)
        found = found or direction_measurements(figures(*pair), result.unseen)
    yield _frame(result, found, clear=True, pixels=True)
    _keep(request, digests, result)
    if request.size > result.original.shape[0]:
        measured = result
        for result in _refine(pair, request, request.size, tolerances, others=others, enough=lambda _: False, between=between):
            if result.samples >= LEAST_LOOKED_AT * (request.size // READ_EDGE) ** 2:
                shown = _frame(result, found, clear=True, pixels=result.final)
                yield replace(shown, readings=dict(measured.readings), samples=measured.samples)
        _keep(request, digests, result)


@contextmanager
def _meanwhile(seconds: float, act: Callable[[], None]) -> Iterator[None]:
    """Do something in another thread where the block takes longer than this; what it does has ended when the block has."""
    over = threading.Event()

    def wait() -> None:
        if not over.wait(seconds):
            act()

    thread = threading.Thread(target=wait, daemon=True)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join()


def _quick_frame(pair: tuple[Material, Material]) -> PictureFrame:
    pictures = quick_pair(*pair, FIRST_SCATTERING_SIZE)
    return PictureFrame(size=FIRST_SCATTERING_SIZE, pictures=pictures, preparing=True) if pictures else PictureFrame(preparing=True)


def fit_values(conversion_id: int, locked: Sequence[str], expected: int, between: Callable[[], None]) -> dict[str, Any]:
    """Let the computer tune a conversion, and keep what pictures confirm. Returns the errors, the names of values that moved and that might
    have, and what was tried. Raises ConflictError where somebody else has edited it, NotFoundError, EngineError."""
    with session() as database:
        row = find_conversion_at_version(database, conversion_id, expected)
        project = find_project(database, row.material.project_id)
        conversion, tolerances, rigs = load_conversion(row), load_tolerances(project), list_rigs(project)
        open_surroundings(database, rigs)
    found = fit(conversion, locked, rigs=rigs, tolerances=tolerances, between=between)
    with session() as database:
        keep_fit(database, conversion_id, found, expected=expected)
    tried = [asdict(trial) for trial in found.tried]
    return {"before": found.before, "after": found.after, "changed": list(found.changed), "free": list(found.free), "tried": tried}


def _pair(conversion: Conversion, request: ViewRequest) -> tuple[Material, Material]:
    """The two looks that are wanted. Raises ParameterError."""
    conversion = _apply_trial(conversion, request.trial)
    if request.alone is not None:
        return map_alone(conversion.original, request.alone[0]), map_alone(conversion.material, request.alone[1])
    if request.without:
        conversion = without(conversion, request.without)
    return conversion.original, conversion.material


def _load_converted(conversion_id: int) -> Material:
    """Raises NotFoundError."""
    with session() as database:
        return load_conversion(find_conversion(database, conversion_id)).material


def _first_size(pair: tuple[Material, Material]) -> int:
    return FIRST_SCATTERING_SIZE if any(map(scatters, pair)) else FIRST_SIZE


def _keep(request: ViewRequest, digests: tuple[str, str], result: RigCheck) -> None:
    # A look among others of its asset depends on them, too, which no key says.
    if request.is_whole and not request.stand.startswith(PREFIX):

        def keep() -> None:
            with session() as database:
                save_check(database, digests, result, request.turn)

        retry_transaction(keep)


def _refine(pair: tuple[Material, Material], request: ViewRequest, size: int, tolerances: Tolerances, **how: Any) -> Iterator[RigCheck]:
    if size > FIRST_SIZE:
        how["most_samples"] = MOST_LOOKED_AT * (size // READ_EDGE) ** 2
    how |= {"size": size, "turn": request.turn, "aspects": request.only, "tolerances": tolerances}
    return refine(*pair, (request.rig,), request.stand, **how)


def _apply_trial(conversion: Conversion, trial: Mapping[str, Any]) -> Conversion:
    """The conversion with values laid over it that are not kept."""
    if not trial:
        return conversion
    laid = {name: _trial_override(conversion, name, value) for name, value in trial.items()}
    return conversion.having({**conversion.overrides, **laid})


def _trial_override(conversion: Conversion, name: str, value: Any) -> Override:
    """A constant that is tried, or {"grade": steps} on what stands there without them."""
    parameter = conversion.target.parameter(name)
    if not isinstance(value, dict):
        return Override(Constant(parameter.accept(value)), By.HAND, "")
    try:
        steps = TypeAdapter(list[ValueStep]).validate_python(value.get("grade"))
    except ValidationError as refused:
        raise ParameterError(f"The steps on {name} cannot be taken: {refused.errors()[0]['msg']}.", place=name) from refused
    return replace(conversion.overrides.get(name, Override(None)), grade=accept_grade(parameter, steps))


def _frame(result: RigCheck, found: DirectionMeasurements | None, *, clear: bool = False, pixels: bool = False) -> PictureFrame:
    return PictureFrame(
        size=result.original.shape[0],
        samples=result.samples,
        pictures=encode_pictures(result, pixels=pixels),
        readings=dict(result.readings),
        unseen=result.unseen,
        figures=found,
        clear=clear,
    )
