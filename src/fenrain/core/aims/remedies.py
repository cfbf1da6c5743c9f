"""Says of the remedies of findings what they would do to the verdict, before anybody takes one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from fenrain.core.aims.estimate import Estimator
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.ledger import By, Override
from fenrain.core.findings import Finding
from fenrain.core.values import Constant


def with_rehearsed_remedies(
    conversion: Conversion, findings: Sequence[Finding], rigs: Sequence[str], tolerances: Tolerances = Tolerances()
) -> tuple[Finding, ...]:
    """The findings, those that can be mended in one action with the verdict that is to be expected then, by these rigs."""
    if not any(finding.fix for finding in findings):
        return tuple(findings)
    estimator = Estimator(conversion.original, rigs, tolerances)
    before = estimator.estimate(conversion.material)

    def rehearsed(finding: Finding) -> Finding:
        if not finding.fix:
            return finding
        laid = {name: Override(Constant(value), By.REMEDY) for name, value in finding.fix.items()}
        after = estimator.estimate(conversion.having({**conversion.overrides, **laid}).material)
        words = f"Expected then: {after.decision}."
        worse = "" if after.is_no_worse_than(before) else f" That is worse than now, {before.decision}."
        return replace(finding, remedy=f"{finding.remedy} {words}{worse}")

    return tuple(map(rehearsed, findings))
