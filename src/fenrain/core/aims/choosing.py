"""Conversions by aim: rules give the nearest answer and plain candidates, and here one of them is taken.

The order is: the verdict that is expected, then plainness, then how near it is. Where no plain candidate is expected to look as good as the
nearest answer, the nearest of the plain ones is taken, and what that costs is said.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from fenrain.core.aims.estimate import Estimate, Estimator
from fenrain.core.aims.plainness import Plainness, plainness_of
from fenrain.core.aims.refining import refined
from fenrain.core.aims.settling import settled, with_faint_reflection_by_weight
from fenrain.core.checking.quick import MOST_SENT, facing_total
from fenrain.core.checking.verdict import Tolerances, Verdict
from fenrain.core.conversion import engine
from fenrain.core.conversion.aim import Aim, Choice
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.ledger import Entry
from fenrain.core.errors import ImageError
from fenrain.core.material import Material
from fenrain.core.models.registry import HUB, model_of
from fenrain.core.models.target import Profile
from fenrain.core.rendering.rigs.registry import standing_rigs
from fenrain.core.rules.rule import RuleSet
from fenrain.core.surfaces import constants_of

OTHERS = frozenset({"KHR_texture_transform", "KHR_materials_unlit", "KHR_materials_emissive_strength"})
"""Extensions for which nothing in core glTF stands in."""
REFLECTION = frozenset({"KHR_materials_specular", "KHR_materials_ior"})
MOST_REFINED = 2
"""Candidates whose values are moved, beside the nearest for each set of extensions."""
MOST_EXCESS = 3.0
"""Times the reading that decides of the nearest answer up to which a plain one that is off is still taken."""


def convert(
    material: Material,
    to: str,
    profile: Profile | None = None,
    aim: Aim | str = Aim.PLAIN,
    *,
    rigs: Sequence[str] | None = None,
    tolerances: Tolerances = Tolerances(),
) -> Conversion:
    """Convert a material to another shading model.

    to: id of a model that is a target; profile: what the target may hold, the model's first where it is left out; aim: what values are good
    for; rigs, tolerances: what verdicts are expected by, all standing rigs where None. Returns the converted material and its ledger.
    Raises UnknownModelError, ParameterError.
    """
    return convert_all([material], to, profile, aim, rigs=rigs, tolerances=tolerances)[0]


def convert_all(
    materials: Sequence[Material],
    to: str,
    profile: Profile | None = None,
    aim: Aim | str = Aim.PLAIN,
    *,
    rigs: Sequence[str] | None = None,
    tolerances: Tolerances = Tolerances(),
) -> list[Conversion]:
    """Convert materials of any models to one, in their order."""
    nearest = engine.convert_all(materials, to, profile)
    if aim == Aim.NEAREST or not materials:
        return nearest
    used = tuple(rig for rig in standing_rigs() if rigs is None or rig in rigs)
    choose, candidates = (_meant, _as_meant) if aim == Aim.PHYSICAL else (_plainest, _plain_candidates)
    first = [_Candidate("", settled(conversion)) for conversion in nearest]
    return [_chosen(choose, found, Aim(aim), used, tolerances) for found in candidates(first, to)]


def _chosen(
    choose: Callable[[Sequence[_Candidate], _Judge], Conversion],
    found: Sequence[_Candidate],
    aim: Aim,
    rigs: Sequence[str],
    tolerances: Tolerances,
) -> Conversion:
    """What is chosen among these; the first where there is nothing to choose, or nothing can be told of them."""
    try:
        return choose(found, _Judge(found[0].conversion.original, rigs, tolerances)) if len(found) > 1 else _as_it_is(found[0], aim)
    except ImageError:
        return _as_it_is(found[0], aim)  # a damaged map is said where it is read, and again where it is written


@dataclass(frozen=True, eq=False)
class _Candidate:
    """A conversion by some route. title: which, in words."""

    title: str
    conversion: Conversion

    @cached_property
    def plainness(self) -> Plainness:
        return plainness_of(self.conversion.material)


class _Judge:
    """Says of candidates for one original what is to be expected of them. It holds looks of the original, so it lives no longer than the
    choice."""

    def __init__(self, original: Material, rigs: Sequence[str], tolerances: Tolerances) -> None:
        self._estimator = Estimator(original, rigs, tolerances)
        self._rigs, self._tolerances = rigs, tolerances
        self._known: dict[_Candidate, Estimate] = {}

    def estimate(self, candidate: _Candidate) -> Estimate:
        if candidate not in self._known:
            self._known[candidate] = self._estimator.estimate(candidate.conversion.material)
        return self._known[candidate]

    def lobe_error(self, candidate: _Candidate) -> float:
        return self._estimator.lobe_error(candidate.conversion.material)

    def refine(self, candidate: _Candidate) -> _Candidate:
        """The candidate with its values moved within what is usual."""
        return replace(candidate, conversion=settled(refined(candidate.conversion, self._rigs, self._tolerances)))

    def taken(self, candidate: _Candidate, nearest: _Candidate, aim: Aim) -> Conversion:
        """The conversion with what was chosen, and by value what the nearest answer would have been."""
        if candidate is nearest:
            return _as_it_is(nearest, aim)
        expected, other = self.estimate(candidate), self.estimate(nearest)
        text = f"{expected.decision}; the nearest answer {other.decision}, {nearest.plainness}"
        choice = Choice(candidate.title, str(expected.verdict), str(other.verdict), not expected.is_no_worse_than(other), text)
        known = {entry.target: entry.derived for entry in nearest.conversion.ledger if entry.target}

        def line(entry: Entry) -> Entry:
            said = known.get(entry.target) if entry.target else None
            return entry if said is None or said == entry.derived else replace(entry, nearest=said)

        return replace(candidate.conversion, aim=aim, choice=choice, ledger=tuple(map(line, candidate.conversion.ledger)))


def _as_it_is(nearest: _Candidate, aim: Aim) -> Conversion:
    return replace(nearest.conversion, aim=aim)


@dataclass(frozen=True)
class _Route:
    """A way to a candidate. title: what it is, in words; restated: rules of the hub on the way; profile: what it may use of the target."""

    title: str
    restated: RuleSet[Any] | None
    profile: Profile


def _by_route(nearest: Sequence[_Candidate], members: Sequence[int], to: str, route: _Route) -> Iterator[tuple[int, _Candidate]]:
    """Candidates that a route gives for some of the materials, each with its index."""
    conversions = engine.convert_all([nearest[index].conversion.original for index in members], to, route.profile, route.restated)
    for index, conversion in zip(members, conversions, strict=True):
        own = settled(replace(conversion, profile=nearest[index].conversion.profile))
        yield index, _Candidate(route.title, with_faint_reflection_by_weight(own))


# Plain


def _plain_candidates(nearest: Sequence[_Candidate], to: str) -> list[list[_Candidate]]:
    """The nearest answer of each material, and all that may be plainer, where it is not plain itself."""
    found = [[one] for one in nearest]
    members = [index for index, one in enumerate(nearest) if _may_be_plainer(one)]
    for route in _plain_routes(nearest[0].conversion.profile) if members else ():
        for index, candidate in _by_route(nearest, members, to, route):
            if all(candidate.conversion.material.values != known.conversion.material.values for known in found[index]):
                found[index].append(candidate)
    return found


def _may_be_plainer(candidate: _Candidate) -> bool:
    plainness, conversion = candidate.plainness, candidate.conversion
    is_odd = bool(plainness.avoidable) or bool(set(plainness.extensions) - OTHERS)
    return is_odd and conversion.original.model != conversion.target.id


def _plain_routes(profile: Profile) -> Iterator[_Route]:
    """Every way but that of the nearest answer."""
    lean = [(replace(profile, extensions=kept), words) for kept, words in _fewer_extensions(profile.extensions)]
    for rules in (None, *model_of(HUB).restated):
        for used, words in (*([(profile, "")] if rules is not None else []), *lean):
            yield _Route(" ".join(filter(None, ("" if rules is None else TITLES[rules.id], words))), rules, used)


TITLES = {
    "open_pbr.as_dielectric": "as a dielectric",
    "open_pbr.as_even_dielectric": "as a dielectric that reflects evenly",
    "open_pbr.as_metal": "as a metal",
    "open_pbr.below_usual_coat": "below a usual coat",
}


def _fewer_extensions(extensions: frozenset[str]) -> Iterator[tuple[frozenset[str], str]]:
    if extensions - OTHERS:
        yield extensions & OTHERS, "in core glTF"
    if extensions & REFLECTION and extensions - OTHERS - REFLECTION:
        yield extensions - REFLECTION, "with core glTF's reflection"


def _plainest(candidates: Sequence[_Candidate], judge: _Judge) -> Conversion:
    """The plainest that is expected to look no worse than the first, which is the nearest; else the nearest of the plain."""
    nearest = candidates[0]
    fewest = min(len(one.plainness.avoidable) for one in candidates)
    plain = [one for one in candidates if len(one.plainness.avoidable) == fewest]
    if nearest not in plain:
        # Values are always moved: whether they had to be is never a step from one material to the next.
        nearer = sorted(plain, key=judge.lobe_error)
        plain = [judge.refine(one) for one in dict.fromkeys((*nearer[:MOST_REFINED], *_first_by_extensions(nearer)))]
    for candidate in sorted(plain, key=lambda one: one.plainness.rank):
        if candidate is nearest or judge.estimate(candidate).is_no_worse_than(judge.estimate(nearest)):
            return judge.taken(candidate, nearest, Aim.PLAIN)
    best = min(plain, key=lambda one: judge.estimate(one).decision.excess)
    return judge.taken(best if _is_bearable(judge.estimate(best), judge.estimate(nearest)) else nearest, nearest, Aim.PLAIN)


def _first_by_extensions(candidates: Sequence[_Candidate]) -> Iterable[_Candidate]:
    """The first of those that need the same extensions."""
    found: dict[tuple[str, ...], _Candidate] = {}
    for candidate in candidates:
        found.setdefault(candidate.plainness.extensions, candidate)
    return found.values()


def _is_bearable(estimate: Estimate, nearest: Estimate) -> bool:
    """Whether plainness may cost this much: another verdict, but no other look."""
    return estimate.verdict is not Verdict.OFF or estimate.decision.excess <= MOST_EXCESS * nearest.decision.excess


# Physical


def _as_meant(nearest: Sequence[_Candidate], to: str) -> list[list[_Candidate]]:
    """The nearest answer of each material, and what its author meant, where that answer is not what real surfaces are."""
    found = [[one] for one in nearest]
    unlikely = [index for index, one in enumerate(nearest) if _is_unlikely(one)]
    hubs = engine.convert_all([nearest[index].conversion.original for index in unlikely], HUB)
    metal = [_is_metal(hub.material) for hub in hubs]
    for is_metal, rules in zip((False, True), model_of(HUB).meant, strict=True):
        members = [index for index, one in zip(unlikely, metal, strict=True) if one is is_metal]
        for index, candidate in _by_route(nearest, members, to, _Route("as it was meant", rules, nearest[0].conversion.profile)):
            found[index].append(candidate)
    return found


def _is_metal(hub: Material) -> bool:
    try:
        return float(np.mean(constants_of(hub).get("base_metalness", 0.0))) > 0.5
    except ImageError:
        return False


def _is_unlikely(candidate: _Candidate) -> bool:
    """Whether no real surface has such values, or sends out as much; no, where that cannot be told."""
    try:
        return bool(candidate.plainness.unusual) or facing_total(candidate.conversion.original) > MOST_SENT
    except ImageError:
        return False


def _meant(candidates: Sequence[_Candidate], judge: _Judge) -> Conversion:
    nearest, meant = candidates
    return judge.taken(meant, nearest, Aim.PHYSICAL)
