"""Meshes in, one file per format in `readers`; animated files frame by frame, one file per format in `stages`."""

from estompe.files.progress import ExchangeError
from estompe.importing.mesh import endings, read_mesh

__all__ = ["ExchangeError", "endings", "read_mesh"]
