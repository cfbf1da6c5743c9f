"""What the live process runs: one view refined pass by pass, and a fit, which is confirmed by pictures."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import asdict, replace
from itertools import chain
from typing import Any

from pydantic import TypeAdapter, ValidationError

from fenrain.core.checking.check import READ_EDGE, RigCheck, refined
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
from fenrain.core.steps import Step
from fenrain.core.surfaces import scatters
from fenrain.core.values import Constant
from fenrain.services.checks import figures_document, keep_check, pictures_of, tolerances_of
from fenrain.services.conversions import conversion_of, grade_of, keep_fit, refreshed
from fenrain.services.frame import Frame, Wish
from fenrain.services.history import at_version
from fenrain.services.surroundings import around, open_surroundings, opened_stand, rigs_of
from fenrain.store.database import again, session
from fenrain.store.rows import find_conversion, find_project
from fenrain.store.tables import ConversionRow

FIRST_SIZE, FIRST_SCATTERING_SIZE = 2 * READ_EDGE, READ_EDGE
"""Edge in pixels of the pictures that are shown first and measured; where light scatters in the body, paths are long."""
LEAST_LOOKED_AT, MOST_LOOKED_AT = 4, 64
"""Samples for each pixel of a larger picture: from how many it is better than the small one, and how many it gets."""


_CONVERSIONS: dict[tuple[int, int, str, str], Conversion] = {}
"""Those that were looked at last: an edit that is tried, another light or stand begin from the same."""
MOST_KEPT = 32


def _kept(row: ConversionRow) -> Conversion:
    key = (row.id, row.version, row.material.digest, row.digest)
    found = _CONVERSIONS.pop(key, None) or conversion_of(row)
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


def frames(wish: Wish, between: Callable[[], None], show: Callable[[Frame], None] = lambda _: None) -> Iterator[Frame]:
    """First until the verdict is clear, which is kept, then as a larger picture to look at. between: called now and then; what it raises
    ends the view; show: takes a frame while the next one is still worked out. Raises NotFoundError, ParameterError, EngineError."""
    with session() as database:
        row = refreshed(find_conversion(database, wish.conversion_id))
        digests = (row.material.digest, row.digest)
        conversion = _kept(row)
        tolerances = tolerances_of(find_project(database, row.material.project_id))
        open_surroundings(database, (wish.rig,))
        wish = replace(wish, stand=opened_stand(database, wish.stand, row.material))
        beside = [_kept(one) for one in around(database, row)] if wish.stand.startswith(PREFIX) else []
    others = [(one.original, one.material) for one in beside]
    pair = _pair(conversion, wish)
    if wish.against is not None:
        pair = _converted(wish.against), pair[1]
    found: Mapping[str, Any] = {}
    results = _refined(pair, wish, _first_size(pair), tolerances, others=others, between=between)
    with _meanwhile(COMPILED_WITHIN, lambda: show(_quick_frame(pair))):
        first = next(results)
    for result in chain([first], results):
        yield _frame(result, found)
        found = found or figures_document(figures(*pair), result.unseen)
    yield _frame(result, found, clear=True, pixels=True)
    _keep(wish, digests, result)
    if wish.size > result.original.shape[0]:
        measured = result
        for result in _refined(pair, wish, wish.size, tolerances, others=others, enough=lambda _: False, between=between):
            if result.samples >= LEAST_LOOKED_AT * (wish.size // READ_EDGE) ** 2:
                shown = _frame(result, found, clear=True, pixels=result.final)
                yield replace(shown, readings=_document(measured), samples=measured.samples)
        _keep(wish, digests, result)


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


def _quick_frame(pair: tuple[Material, Material]) -> Frame:
    pictures = quick_pair(*pair, FIRST_SCATTERING_SIZE)
    return Frame(size=FIRST_SCATTERING_SIZE, pictures=pictures, preparing=True) if pictures else Frame(preparing=True)


def fit_values(conversion_id: int, locked: Sequence[str], expected: int, between: Callable[[], None]) -> dict[str, Any]:
    """Let the computer tune a conversion, and keep what pictures confirm. Returns the errors, the names of values that moved and that might
    have, and what was tried. Raises ConflictError where somebody else has edited it, NotFoundError, EngineError."""
    with session() as database:
        row = at_version(database, conversion_id, expected)
        project = find_project(database, row.material.project_id)
        conversion, tolerances, rigs = conversion_of(row), tolerances_of(project), rigs_of(project)
        open_surroundings(database, rigs)
    found = fit(conversion, locked, rigs=rigs, tolerances=tolerances, between=between)
    with session() as database:
        keep_fit(database, conversion_id, found, expected=expected)
    tried = [asdict(trial) for trial in found.tried]
    return {"before": found.before, "after": found.after, "changed": list(found.changed), "free": list(found.free), "tried": tried}


def _pair(conversion: Conversion, wish: Wish) -> tuple[Material, Material]:
    """The two looks that are wanted. Raises ParameterError."""
    conversion = _tried(conversion, wish.trial)
    if wish.alone is not None:
        return map_alone(conversion.original, wish.alone[0]), map_alone(conversion.material, wish.alone[1])
    if wish.without:
        conversion = without(conversion, wish.without)
    return conversion.original, conversion.material


def _converted(conversion_id: int) -> Material:
    """Raises NotFoundError."""
    with session() as database:
        return conversion_of(find_conversion(database, conversion_id)).material


def _first_size(pair: tuple[Material, Material]) -> int:
    return FIRST_SCATTERING_SIZE if any(map(scatters, pair)) else FIRST_SIZE


def _keep(wish: Wish, digests: tuple[str, str], result: RigCheck) -> None:
    # A look among others of its asset hangs on them, too, which no key says.
    if wish.is_whole and not wish.stand.startswith(PREFIX):

        def keep() -> None:
            with session() as database:
                keep_check(database, digests, result, wish.turn)

        again(keep)


def _refined(pair: tuple[Material, Material], wish: Wish, size: int, tolerances: Tolerances, **how: Any) -> Iterator[RigCheck]:
    if size > FIRST_SIZE:
        how["most_samples"] = MOST_LOOKED_AT * (size // READ_EDGE) ** 2
    how |= {"size": size, "turn": wish.turn, "aspects": wish.only, "tolerances": tolerances}
    return refined(*pair, (wish.rig,), wish.stand, **how)


def _tried(conversion: Conversion, trial: Mapping[str, Any]) -> Conversion:
    """The conversion with values laid over it that are not kept."""
    if not trial:
        return conversion
    laid = {name: _laid(conversion, name, value) for name, value in trial.items()}
    return conversion.having({**conversion.overrides, **laid})


def _laid(conversion: Conversion, name: str, value: Any) -> Override:
    """A constant that is tried, or {"grade": steps} on what stands there without them."""
    parameter = conversion.target.parameter(name)
    if not isinstance(value, dict):
        return Override(Constant(parameter.accept(value)), By.HAND, "")
    try:
        steps = TypeAdapter(list[Step]).validate_python(value.get("grade"))
    except ValidationError as refused:
        raise ParameterError(f"The steps on {name} cannot be taken: {refused.errors()[0]['msg']}.", place=name) from refused
    return replace(conversion.overrides.get(name, Override(None)), grade=grade_of(parameter, steps))


def _frame(result: RigCheck, found: Mapping[str, Any], *, clear: bool = False, pixels: bool = False) -> Frame:
    return Frame(
        size=result.original.shape[0],
        samples=result.samples,
        pictures=pictures_of(result, pixels=pixels),
        readings=_document(result),
        unseen=result.unseen,
        figures=found,
        clear=clear,
    )


def _document(result: RigCheck) -> dict[str, dict[str, Any]]:
    return {name: asdict(reading) for name, reading in result.readings.items()}
