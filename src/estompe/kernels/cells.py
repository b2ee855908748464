"""Cells of a grid without bounds, filed in a table of a fixed size, for use inside other loops.

The hash is that of Teschner and others, "Optimized Spatial Hashing for Collision Detection of Deformable Objects" (2003).
"""

from estompe.kernels.compile import inlined


@inlined
def cell_of(x, y, z, mask):
    """The place in the table of a cell's whole coordinates. mask: the size of the table, a power of two, less one."""
    return ((x * 73856093) ^ (y * 19349663) ^ (z * 83492791)) & mask
