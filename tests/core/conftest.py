"""What every process of these tests loads once, so that no test is charged for it."""

from __future__ import annotations

import pytest

from fenrain.core.errors import EngineError
from fenrain.core.rendering.probe import load_engine


@pytest.fixture(scope="session", autouse=True)
def loaded() -> None:
    """SciPy's slow parts, and the rendering engine where it runs."""
    import scipy.interpolate
    import scipy.optimize
    import scipy.sparse  # noqa: F401

    try:
        load_engine()
    except EngineError as missing:
        pytest.fail(f"the rendering engine does not run here: {missing}")
