"""Shading models, one folder each, found by `registry`."""

from fenrain.core.models.registry import evaluate, model_of, models

__all__ = ["evaluate", "model_of", "models"]
