"""Polygon meshes with named attributes, and the shapes that can be made from nothing."""

from estompe.geometry.geometry import Domain, Geometry, GeometryError, frozen
from estompe.geometry.topology import Topology

__all__ = ["Domain", "Geometry", "GeometryError", "Topology", "frozen"]
