"""How near any values of USD's preview surface come to Standard Surface materials: the floor below which no conversion to it gets.

Every number of the preview surface is free, in both of its workflows, from seven starts; what a person would accept is not asked.
"""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

import numpy as np

from bench.translations import production_like, standards
from fenrain.core import Material, convert
from fenrain.core.checking.fit import fit, nearest
from fenrain.core.checking.quick import Response, lobe_error, response
from fenrain.core.models.registry import model_of
from fenrain.core.optics.fresnel import f0_from_ior
from fenrain.core.surfaces import mean_surface
from fenrain.core.values import Constant

MODEL = model_of("preview")
ALWAYS_FREE = ("diffuseColor", "roughness", "clearcoat", "clearcoatRoughness", "ior")
MOST_STEPS = 25


def bench_preview_floor(count: int = 60) -> None:
    with ProcessPoolExecutor(mp_context=get_context("spawn")) as pool:
        found = np.array(list(pool.map(_errors_of, range(count), [count] * count)))
    for name, errors in zip(("ours, fitted", "the standard's", "the floor"), found.T, strict=True):
        print(f"Standard Surface → USD preview, {name:15} {100 * np.median(errors):.1f} / {100 * np.percentile(errors, 90):.1f} %")


def _errors_of(index: int, count: int) -> tuple[float, float, float]:
    """(ours after the fit, the standard's, the floor) of one material."""
    material = production_like("standard_surface", count)[index]
    wanted = response(mean_surface(material))
    ours, theirs = fit(convert(material, "preview")).conversion.material, standards(material, "preview")
    reached = [_error(wanted, ours), _error(wanted, theirs)]
    return reached[0], reached[1], min(*reached, *(_error(wanted, _best(material, start)) for start in _starts(ours, theirs)))


def _starts(ours: Material, theirs: Material) -> Iterator[Material]:
    yield from (ours, theirs)
    yield from (_by_specular(start) for start in (ours, theirs) if start.value("useSpecularWorkflow") == Constant(0))
    rough = _numbers(ours, "roughness").item()
    for coat, width, base in ((0.2, 0.1, rough), (0.3, 0.5, rough), (0.3, min(1.0, 1.4 * rough), 0.5 * rough)):
        yield ours.having(clearcoat=Constant(coat), clearcoatRoughness=Constant(width), roughness=Constant(base))


def _by_specular(material: Material) -> Material:
    """The same material in the other workflow, with some coat for the search to move."""
    values = {name: _numbers(material, name) for name in ("metallic", "ior", "diffuseColor", "clearcoat")}
    metal = values["metallic"]
    specular = f0_from_ior(values["ior"]) * (1 - metal) + values["diffuseColor"] * metal
    return material.having(
        useSpecularWorkflow=Constant(1),
        specularColor=Constant(tuple(specular.tolist())),
        diffuseColor=Constant(tuple((values["diffuseColor"] * (1 - metal)).tolist())),
        clearcoat=Constant(max(values["clearcoat"].item(), 0.1)),
    )


def _best(material: Material, start: Material) -> Material:
    return nearest(material, start, [MODEL.parameter(name) for name in _free(start)], MOST_STEPS)


def _free(start: Material) -> list[str]:
    workflow = "metallic" if start.value("useSpecularWorkflow") == Constant(0) else "specularColor"
    return [*ALWAYS_FREE, workflow, *([] if start.value("opacity") == Constant(1.0) else ["opacity"])]


def _numbers(material: Material, name: str) -> np.ndarray:
    value = material.value(name)
    assert isinstance(value, Constant)
    return np.atleast_1d(np.asarray(value.value, dtype=float))


def _error(wanted: Response, material: Material) -> float:
    return lobe_error(wanted, response(mean_surface(material)))


if __name__ == "__main__":
    bench_preview_floor()
