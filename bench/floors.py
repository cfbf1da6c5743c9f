"""How near any values of a lean target come to Standard Surface materials: the floor below which no conversion to it gets.

Every number of the target is free, from several starts; what a person would accept is not asked. USD's preview surface is searched in both
of its workflows.
"""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context

import numpy as np

from bench.translations import production_like, standards
from fenrain.core import Material
from fenrain.core.checking.fitting.fit import fit
from fenrain.core.checking.fitting.search import Search
from fenrain.core.checking.quick import Response, lobe_error, response
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.conversion.engine import convert
from fenrain.core.models.registry import model_of
from fenrain.core.optics.fresnel import f0_from_ior
from fenrain.core.surfaces import mean_surface
from fenrain.core.values import Constant

ALWAYS_FREE = {
    "preview": ("diffuseColor", "roughness", "clearcoat", "clearcoatRoughness", "ior"),
    "metal_rough": (
        "base_color", "metallic", "roughness", "specular", "specular_color", "ior", "anisotropy_strength", "clearcoat",
        "clearcoat_roughness", "sheen_color", "sheen_roughness",
    ),
}  # fmt: skip
TITLES = {"preview": "USD preview", "metal_rough": "glTF"}
MOST_STEPS = 25


def bench_floors(count: int = 60) -> None:
    for target, title in TITLES.items():
        with ProcessPoolExecutor(mp_context=get_context("spawn")) as pool:
            found = np.array(list(pool.map(_errors_of, [target] * count, range(count), [count] * count)))
        for name, errors in zip(("ours", "ours, fitted", "the standard's", "the floor"), found.T, strict=True):
            figures = f"mean {100 * errors.mean():.2f}, {100 * np.median(errors):.1f} / {100 * np.percentile(errors, 90):.1f} %"
            print(f"Standard Surface → {title:11} {name:15} {figures}", flush=True)


def _errors_of(target: str, index: int, count: int) -> tuple[float, float, float, float]:
    """(ours, ours after the fit, the standard's, the floor) of one material."""
    material = production_like("standard_surface", count)[index]
    wanted = response(mean_surface(material))
    conversion = convert(material, target)
    ours, theirs = fit(conversion, rigs=()).conversion.material, standards(material, target)
    reached = [_error(wanted, made) for made in (conversion.material, ours, theirs)]
    starts = _preview_starts(ours, theirs) if target == "preview" else _gltf_starts(ours, conversion.material, theirs)
    return reached[0], reached[1], reached[2], min(*reached, *(_error(wanted, _best(material, start)) for start in starts))


def _gltf_starts(*nearby: Material) -> Iterator[Material]:
    yield from nearby
    rough = _numbers(nearby[0], "roughness").item()
    fuzz = {"sheen_color": Constant((0.02, 0.02, 0.02)), "sheen_roughness": Constant(0.5)}
    for coat, width, base in ((0.2, 0.1, rough), (0.3, 0.5, rough), (0.8, rough, rough)):
        yield nearby[0].having(clearcoat=Constant(coat), clearcoat_roughness=Constant(width), roughness=Constant(base), **fuzz)


def _preview_starts(ours: Material, theirs: Material) -> Iterator[Material]:
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
    model = model_of(start.model)
    search = Search(material, start, [model.parameter(name) for name in _free(start)], (), Tolerances())
    return search.vector.laid_over(start, search.walk(start, MOST_STEPS)[1])


def _free(start: Material) -> list[str]:
    free = list(ALWAYS_FREE[start.model])
    if start.model == "metal_rough":
        return [*free, *([] if start.value("transmission") == Constant(0.0) else ["transmission"])]
    workflow = "metallic" if start.value("useSpecularWorkflow") == Constant(0) else "specularColor"
    return [*free, workflow, *([] if start.value("opacity") == Constant(1.0) else ["opacity"])]


def _numbers(material: Material, name: str) -> np.ndarray:
    value = material.value(name)
    assert isinstance(value, Constant)
    return np.atleast_1d(np.asarray(value.value, dtype=float))


def _error(wanted: Response, material: Material) -> float:
    return lobe_error(wanted, response(mean_surface(material)))


if __name__ == "__main__":
    bench_floors()
