"""The examples in the docstrings of the optics, run as they stand."""

from __future__ import annotations

import doctest
import importlib
import pkgutil

import pytest

from fenrain.core import optics

MODULES = [entry.name for entry in pkgutil.iter_modules(optics.__path__)]


@pytest.mark.parametrize("name", MODULES)
def test_examples_give_what_they_say(name: str) -> None:
    module = importlib.import_module(f"fenrain.core.optics.{name}")
    assert doctest.testmod(module).failed == 0


def test_there_are_examples() -> None:
    found = doctest.DocTestFinder()
    modules = [importlib.import_module(f"fenrain.core.optics.{name}") for name in MODULES]
    assert sum(bool(test.examples) for module in modules for test in found.find(module)) >= 20
