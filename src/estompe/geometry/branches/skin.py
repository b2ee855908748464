"""Lines with widths as one closed skin."""

import numpy as np

from estompe.geometry.branches.growth import as_tubes
from estompe.geometry.geometry import Domain, Geometry, GeometryError
from estompe.geometry.topology import Lines
from estompe.geometry.transforms import Matrix, inverse
from estompe.geometry.volumes.solid import BAND, Solid, check_box, check_size, check_voxels, surface_of
from estompe.kernels.branches.skin import Segments, distances, reach_of
from estompe.kernels.transform import transformed
from estompe.kernels.types import Floats
from estompe.kernels.volumes.bricks import CELLS, EDGE, lattice_around

_LEAST = 1.2
"""The thinnest radius that shows, voxels: what is thinner is thickened."""
_SIDES = 6


def skinned(geometry: Geometry, strength: Floats, frame: Matrix, size: float, blend: float) -> Geometry:
    """Lines as one closed skin of even quads, which remembers the volume it was taken from.

    Parameters
    ----------
    geometry : Geometry
        Strands or branches with a width at their points.
    strength : float32 (n,)
        What widths are multiplied with; at 0 there is no skin.
    frame : float64 (3, 4)
        Where the lattice stands.
    size : float
        Of a voxel, scene units.
    blend : float
        How softly lines are joined, in radii of the thinner one.

    Returns
    -------
    Geometry
        With the attributes of tubes around the lines.

    Raises
    ------
    GeometryError
        Where nothing has a width, or voxels would be too many.
    """
    lines, width = geometry.topology.lines, geometry.attribute(Domain.POINT, "width")
    if lines is None or width is None:
        raise GeometryError("it covers strands or branches: on branches put Sprout before it")
    check_size(size)
    widths = np.asarray(width * strength, np.float32)[lines.points]
    begun = geometry
    if not geometry.topology.faces:
        begun = as_tubes(geometry, geometry.points[lines.points], widths, _SIDES, {})
    segments = _segments(transformed(geometry.points[lines.points], inverse(frame)), widths, lines, _LEAST * size)
    if not len(segments.line):
        raise GeometryError("none of its lines has a width here: let more of it grow, or feed it more strength")
    top = float(segments.radii.max())
    low, high = segments.ends.min(axis=(0, 1)) - top, segments.ends.max(axis=(0, 1)) + top
    lattice = lattice_around(low, high, size, BAND + EDGE)
    check_box(lattice)
    reach = reach_of(segments, lattice, BAND)
    check_voxels(lattice, len(np.unique(reach.brick)) * CELLS)
    skin = surface_of(Solid(distances(segments, reach, lattice, blend, BAND), frame, begun), parts=False)
    skin.spine = geometry
    return skin


def _segments(places: Floats, widths: Floats, lines: Lines, least: float) -> Segments:
    inner = np.ones(max(len(places) - 1, 0), np.bool_)
    inner[lines.offsets[1:-1] - 1] = False
    first = np.flatnonzero(inner)
    line = np.searchsorted(lines.offsets, first, side="right") - 1
    lengths = np.linalg.norm(places[first + 1] - places[first], axis=1)
    seen = (lengths > 1e-9) & (widths[first] > 0.0)
    first, line = first[seen], line[seen]
    ends = np.stack([places[first], places[first + 1]], axis=1).astype(np.float64)
    radii = np.maximum(0.5 * np.stack([widths[first], widths[first + 1]], axis=1), least).astype(np.float64)
    return Segments(np.ascontiguousarray(ends), np.ascontiguousarray(radii), line.astype(np.int32))
