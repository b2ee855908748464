"""A shape's source as geometry."""

import numpy as np

from estompe.document.kinds import MissingError
from estompe.document.project import Blobs, restored
from estompe.document.scene import Ball, Box, Grid, Lathe, Mesh, ShapeSource, Tube
from estompe.geometry import Geometry, GeometryError, primitives


def build(source: ShapeSource, blobs: Blobs) -> Geometry:
    """The mesh of a shape before placing. Raises MissingError for arrays that are missing or make no mesh."""
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
            return _brought_in(source, blobs)


def _brought_in(source: Mesh, blobs: Blobs) -> Geometry:
    try:
        return restored(source, blobs)
    except KeyError:
        raise MissingError("its mesh is not in the file: bring it in again") from None
    except GeometryError as error:
        raise MissingError(f"its mesh cannot be used: {error}") from None
