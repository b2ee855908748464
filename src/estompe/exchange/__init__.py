"""Scenes and meshes out: one file per format, in `writers`; baking frames."""

from estompe.importing.errors import ExchangeError

__all__ = ["ExchangeError"]
