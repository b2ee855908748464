"""A shape's source as geometry."""

import numpy as np

from estompe.document.project import Blobs, restored
from estompe.document.scene import Ball, Box, Grid, Lathe, Mesh, ShapeSource, Tube
from estompe.geometry import Geometry, primitives


def build(source: ShapeSource, blobs: Blobs) -> Geometry:
    """The mesh of a shape before placing. Raises KeyError for a missing blob, GeometryError for a broken one."""
    match source:
        case Ball():
            return primitives.ball(source.radius, source.divisions)
        case Grid():
            return primitives.grid(source.width, source.depth, source.columns, source.rows)
        case Box():
            return primitives.box((source.width, source.height, source.depth), source.divisions)
        case Tube():
            return primitives.tube(source.radius, source.height, source.around, source.along)
        case Lathe():
            return primitives.lathe(np.array(source.profile), source.around, source.along)
        case Mesh():
            return restored(source, blobs)
