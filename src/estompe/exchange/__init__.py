"""Scenes and meshes out: one file per format, in `writers`; baking frames."""

from estompe.files.progress import ExchangeError

__all__ = ["ExchangeError"]
