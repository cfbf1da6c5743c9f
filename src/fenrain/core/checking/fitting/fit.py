"""Lets the computer tune: values that are not exact moved to where what a verdict depends on differs least, kept only if pictures agree."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from fenrain.core.checking.fitting.confirmation import Confirmation
from fenrain.core.checking.fitting.free import free_values
from fenrain.core.checking.fitting.search import AS_CONVERTED, HELD, NARROW, Search, Start, lendable, narrowed
from fenrain.core.checking.quick import Response, lobe_error, response
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.conversion.aim import Aim
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.ledger import By, Override
from fenrain.core.descriptions import describe_plain
from fenrain.core.material import Material
from fenrain.core.models.parameter import Parameter
from fenrain.core.rendering.rigs.registry import standing_rigs
from fenrain.core.surfaces import mean_surface
from fenrain.core.values import Constant

LEAST_GAIN = 1e-3
"""A fit that lowers the error by less than this share of it changes nothing."""
LENT_GAIN = 0.01
"""An effect that the conversion does not have is lent to it only where it takes away this much of the reflected energy."""
IDLE_STEP, IDLE_GAIN = 0.02, 2e-3
"""A value that moved by less than this share of its range is reset where that raises the error by less than this share of it."""
FAR_OFF = 0.05
"""Lobe error above which narrow highlights are tried as a start."""
FIRST_STEPS = 6
"""Of a search that lends an effect: it goes on where these have led to less than the others reached."""
SHARES_OF_THE_WAY = (0.5, 0.25)
"""How far towards the ends to go, in turn, where each of them makes something worse."""


@dataclass(frozen=True)
class Trial:
    """One end of a search. start: where it began, in words; after: lobe error there; way: how far towards it, 0…1; objection: why it is
    not kept, "" for the one that is."""

    start: str
    after: float
    way: float
    objection: str


@dataclass(frozen=True)
class Fit:
    """A conversion with its fitted values as overrides, the normalised lobe error before and after, the names that were free, and what was
    tried, in turn."""

    conversion: Conversion
    before: float
    after: float
    free: tuple[str, ...]
    tried: tuple[Trial, ...] = ()

    @property
    def changed(self) -> tuple[str, ...]:
        return tuple(name for name, override in self.conversion.overrides.items() if override.by is By.FIT)


def fit(
    conversion: Conversion,
    locked: Iterable[str] = (),
    *,
    rigs: Sequence[str] | None = None,
    tolerances: Tolerances = Tolerances(),
    between: Callable[[], None] = lambda: None,
) -> Fit:
    """Move the constants of a conversion that are not exact to where looks differ least. The same input gives the same result.

    locked: target values that stay; a value set by hand, copied or by a remedy stays too. rigs: ids of the light rigs that count, all
    where None; what is found is kept only where no reading that decides is worse under any of them. No pictures are taken where there are
    none. between: called now and then; what it raises ends the fit. Raises EngineError where pictures are wanted and cannot be made.
    """
    conversion = _without_earlier_fit(conversion)
    free = free_values(conversion, frozenset(locked))
    wanted = response(mean_surface(conversion.original))
    before = lobe_error(wanted, response(mean_surface(conversion.material)))
    unchanged = Fit(conversion, before, before, tuple(parameter.name for parameter in free))
    if not free or before < 1e-6:
        return unchanged
    chosen = tuple(standing_rigs() if rigs is None else rigs)
    confirmation = Confirmation(conversion.original, conversion.material, chosen, tolerances, between)
    tried: list[Trial] = []
    for end, way in _Ends(conversion, frozenset(locked), wanted, chosen, tolerances, between).candidates():
        objection = confirmation.objection(end.material)
        tried.append(Trial(end.start.title, end.error, way, objection))
        if not objection:
            fitted = _with_fitted(conversion, end.material, before, end.error)
            after = lobe_error(wanted, response(mean_surface(fitted.material)))
            return replace(unchanged, conversion=fitted, after=after, tried=tuple(tried))
    return replace(unchanged, tried=tuple(tried))


@dataclass(frozen=True)
class _End:
    """Where a search led: its numbers, the material there, and its normalised lobe error."""

    start: Start
    search: Search
    row: np.ndarray
    material: Material
    error: float


@dataclass(frozen=True)
class _Ends:
    """The ends of searches for one conversion. wanted: the original's response; the rest as `fit` takes it."""

    conversion: Conversion
    locked: frozenset[str]
    wanted: Response
    rigs: tuple[str, ...]
    tolerances: Tolerances
    between: Callable[[], None]

    def candidates(self) -> Iterator[tuple[_End, float]]:
        """Ends that lower the error, the best first, then one that holds the images of lamps, then places on the way to them; with how far
        that is. Each is looked for when those before were refused."""
        least = self._error(self.conversion.material) * (1.0 - LEAST_GAIN)
        ends: list[_End] = []
        for end in self._one_by_one():
            ends.append(end)
            if end.error < least:
                yield end, 1.0
        for way in SHARES_OF_THE_WAY:
            for end in ends:
                home = end.search.vector.values_of(self.conversion.material)
                there = self._end(end.start, end.search, home + way * (end.row - home))
                if there.error < least:
                    yield there, way

    def _one_by_one(self) -> Iterator[_End]:
        """Those that lend an effect first, where that gains enough."""
        material = self.conversion.material
        search, begins = self._search(free_values(self.conversion, self.locked)), [(AS_CONVERTED, material)]
        if self._error(material) > FAR_OFF:
            begins.append((NARROW, narrowed(material, search.vector)))
        walked = sorted(((start, *search.walk(begin)) for start, begin in begins), key=lambda found: found[1])
        ends = [self._settled(start, search, row) for start, _, row in walked]
        yield from self._lent(walked[0][1], min(end.error for end in ends))
        yield from ends
        holding = self._search(free_values(self.conversion, self.locked), holding=True)
        yield self._end(HELD, holding, holding.walk(material)[1])

    def _lent(self, distance: float, error: float) -> Iterator[_End]:
        """Ends with an effect that the conversion does not have, where they are nearer than these and take enough of the error away; none
        where values are to be plain."""
        if error <= LENT_GAIN or self.conversion.aim is Aim.PLAIN:
            return
        for start, begin, parameters in lendable(self.conversion, self.locked):
            search = self._search(parameters)
            first, row = search.walk(begin, FIRST_STEPS)
            if first < distance:
                end = self._settled(start, search, search.walk(search.vector.laid_over(begin, row))[1])
                if end.error < error - LENT_GAIN:
                    yield end

    def _search(self, parameters: Sequence[Parameter], *, holding: bool = False) -> Search:
        conversion = self.conversion
        return Search(
            conversion.original,
            conversion.material,
            parameters,
            self.rigs,
            self.tolerances,
            between=self.between,
            holding=holding,
            usual=conversion.aim is Aim.PLAIN,
        )

    def _settled(self, start: Start, search: Search, row: np.ndarray) -> _End:
        """The end with each value back where it was that moved a little without changing the error."""
        vector, end = search.vector, self._end(start, search, row)
        home = vector.values_of(self.conversion.material)
        for parameter in vector.parameters:
            own = vector.where(lambda other, parameter=parameter: other is parameter)  # type: ignore[misc]
            if np.all(np.abs(end.row - home)[own] < IDLE_STEP * vector.range[own]):
                settled = self._end(start, search, np.where(own, home, end.row))
                if settled.error <= end.error * (1.0 + IDLE_GAIN):
                    end = settled
        return end

    def _end(self, start: Start, search: Search, row: np.ndarray) -> _End:
        material = search.vector.laid_over(self.conversion.material, np.round(row, 6))
        return _End(start, search, row, material, self._error(material))

    def _error(self, material: Material) -> float:
        return lobe_error(self.wanted, response(mean_surface(material)))


def _without_earlier_fit(conversion: Conversion) -> Conversion:
    return conversion.having({name: override for name, override in conversion.overrides.items() if override.by is not By.FIT})


def _with_fitted(conversion: Conversion, fitted: Material, before: float, after: float) -> Conversion:
    overrides = dict(conversion.overrides)
    for name, value in fitted.values.items():
        old = conversion.material.value(name)
        if isinstance(value, Constant) and isinstance(old, Constant) and not np.allclose(value.value, old.value, rtol=0, atol=1e-6):
            moved = f"{describe_plain(old.value)} → {describe_plain(value.value)}"
            overrides[name] = Override(
                value, By.FIT, f"least squares on what the verdict depends on: {moved}; lobe error {before:.3g} → {after:.3g}"
            )
    return conversion.having(overrides)
