"""Our conversions beside the translations that the MaterialX standard ships, on the same random production-like materials.

For each, the error is the normalised lobe error of the quick check, over 60 materials, 10 in the short suite. Ours may never be above
the standard's by more than 1 % of energy, and its median is at most half of the standard's, but for USD's preview surface: the best that
any values of its own reach, by search over all of them, is 0.59 of the standard's (`bench/floors.py`), since it has no rough diffuse, no
tinted coat, no refraction, and Schlick's curve for exact Fresnel. For the two lean targets ours is taken after the fit: where a coat
spreads the base in OpenPBR, the hub, but not in source and target, the way through the hub alone leaves more than the standard's way past
it.

The short suite misses: what happens to one material in ten.
"""

from __future__ import annotations

import numpy as np
import pytest

from bench.translations import GRAPHS, production_like, standards
from fenrain.core import Material, evaluate
from fenrain.core.checking.fitting.fit import fit
from fenrain.core.checking.quick import quick_check
from fenrain.core.conversion.engine import convert
from fenrain.core.surfaces import constants_of
from tests.core.test_standard_shader_values import NODES, reference
from tests.sizes import sized

pytestmark = pytest.mark.population


MATERIALS = sized(10, 60)


def errors(source: str, target: str, *, fitted: bool) -> tuple[np.ndarray, np.ndarray]:
    """(ours, the standard's) over the same materials."""
    ours, theirs = [], []
    for material in production_like(source, MATERIALS):
        conversion = convert(material, target)
        ours.append(fit(conversion, rigs=()).after if fitted else quick_check(material, conversion.material).lobe_error)
        theirs.append(quick_check(material, standards(material, target)).lobe_error)
    return np.array(ours), np.array(theirs)


@pytest.mark.parametrize(("source", "target"), [pair for pair in GRAPHS if "open_pbr" in pair])
def test_between_the_rich_models_ours_is_at_most_half_of_the_standards(source: str, target: str) -> None:
    ours, theirs = errors(source, target, fitted=False)
    assert (ours <= theirs + 0.01).all()
    assert np.median(theirs) > 0.02
    assert np.median(ours) <= 0.5 * np.median(theirs)


@pytest.mark.parametrize(("source", "target"), [pair for pair in GRAPHS if "open_pbr" not in pair])
def test_to_the_lean_models_ours_is_never_behind_and_the_rest_is_their_floor(source: str, target: str) -> None:
    ours, theirs = errors(source, target, fitted=True)
    assert (ours <= theirs + 0.01).all()
    assert np.median(ours) <= (0.5 if target == "metal_rough" else 1.0) * np.median(theirs)
    assert np.percentile(ours, 90) <= 0.85 * np.percentile(theirs, 90)


ROUGHEST_COAT = 0.3
"""A coat rougher than this spreads what lies below it in OpenPBR, and in no other model: not compared below."""


def outside_errors(source: str, target: str) -> tuple[np.ndarray, np.ndarray]:
    """(ours, the standard's): the translated material against what the standard's own shader code gives for the source material, over
    its 60 pairs of directions a set; no lobe of ours stands on the source's side."""
    (node,) = (node for node, model in NODES.items() if model == source)
    ours, theirs = [], []
    for _, _, inputs, wi, wo, rgb in reference(node):
        if float(inputs.get("coat_roughness", 0.0)) > ROUGHEST_COAT:  # type: ignore[arg-type]
            continue
        material = Material.of("m", source, inputs)
        for found, translated in ((ours, convert(material, target).material), (theirs, standards(material, target))):
            seen = evaluate(target, constants_of(translated), wi, wo)
            found.append(float(np.abs(seen - rgb).sum() / rgb.sum()))
    assert len(ours) > 30
    return np.array(ours), np.array(theirs)


@pytest.mark.parametrize(("source", "target"), GRAPHS)
def test_ours_comes_nearer_to_the_standards_own_shader_code(source: str, target: str) -> None:
    ours, theirs = outside_errors(source, target)
    assert np.median(ours) <= np.median(theirs)
    assert np.mean(ours) < 0.8 * np.mean(theirs)
    assert (ours <= theirs + 0.1).mean() >= 0.9
