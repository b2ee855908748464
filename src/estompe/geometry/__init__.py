"""Polygon meshes with named attributes, and the shapes that can be made from nothing."""

from estompe.geometry.geometry import DOMAINS, Domain, Geometry, GeometryError
from estompe.geometry.topology import Topology
from estompe.kernels.types import frozen

__all__ = ["DOMAINS", "Domain", "Geometry", "GeometryError", "Topology", "frozen"]
