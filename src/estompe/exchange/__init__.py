"""Meshes and scenes in and out: one file per format, in `readers` and `writers`."""

from estompe.exchange.errors import ExchangeError
from estompe.exchange.mesh import endings, read_mesh

__all__ = ["ExchangeError", "endings", "read_mesh"]
