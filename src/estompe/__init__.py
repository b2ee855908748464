"""Estompe: falloff-driven procedural effects. `open` a scene and `evaluate` it on a frame."""

from estompe.api import evaluate, open, save

__version__ = "0.6.0"
__all__ = ["evaluate", "open", "save"]
