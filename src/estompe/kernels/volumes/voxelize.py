"""From triangles to signed distances near them.

Distances are exact and are found in vectors of sixteen voxels (two rows of a brick). Signs are winding numbers along rows of x:
crossings count +1 and -1, edges shared by triangles count by one rule, and what is not zero is inside; so parts that overlap,
cavities and parts inside out come out right.
"""

import math
from typing import NamedTuple

import numpy as np

from estompe.kernels.compile import inlined, kernel, parallel_kernel, prange
from estompe.kernels.types import Floats, Indices, read_only
from estompe.kernels.volumes.bricks import CELLS, EDGE, OUTSIDE, Bricks, Lattice, numbered

_LANES = 16
_ROWS = 2
_NUMBERS = 33
"""What is known beforehand of a triangle: corners, edges, their lengths, normal, and the planes through its edges."""


@parallel_kernel
def _prepare(points, triangles, ox, oy, oz, over, out):
    for t in prange(triangles.shape[0]):
        a, b, c = np.uint64(triangles[t, 0]), np.uint64(triangles[t, 1]), np.uint64(triangles[t, 2])
        ax, ay, az = (points[a, 0] - ox) * over, (points[a, 1] - oy) * over, (points[a, 2] - oz) * over
        bx, by, bz = (points[b, 0] - ox) * over, (points[b, 1] - oy) * over, (points[b, 2] - oz) * over
        cx, cy, cz = (points[c, 0] - ox) * over, (points[c, 1] - oy) * over, (points[c, 2] - oz) * over
        px, py, pz = bx - ax, by - ay, bz - az
        qx, qy, qz = cx - bx, cy - by, cz - bz
        rx, ry, rz = ax - cx, ay - cy, az - cz
        nx, ny, nz = py * -rz + pz * ry, pz * -rx + px * rz, px * -ry + py * rx
        length = math.sqrt(nx * nx + ny * ny + nz * nz)
        scale = 1.0 / length if length > 1e-30 else 0.0
        nx, ny, nz = nx * scale, ny * scale, nz * scale
        out[t, 0], out[t, 1], out[t, 2] = ax, ay, az
        out[t, 27], out[t, 28], out[t, 29] = bx, by, bz
        out[t, 30], out[t, 31], out[t, 32] = cx, cy, cz
        out[t, 3], out[t, 4], out[t, 5] = px, py, pz
        out[t, 6], out[t, 7], out[t, 8] = qx, qy, qz
        out[t, 9], out[t, 10], out[t, 11] = rx, ry, rz
        p2, q2, r2 = px * px + py * py + pz * pz, qx * qx + qy * qy + qz * qz, rx * rx + ry * ry + rz * rz
        out[t, 12] = 1.0 / p2 if p2 > 1e-30 else 0.0
        out[t, 13] = 1.0 / q2 if q2 > 1e-30 else 0.0
        out[t, 14] = 1.0 / r2 if r2 > 1e-30 else 0.0
        out[t, 15], out[t, 16], out[t, 17] = nx, ny, nz
        out[t, 18], out[t, 19], out[t, 20] = ny * pz - nz * py, nz * px - nx * pz, nx * py - ny * px
        out[t, 21], out[t, 22], out[t, 23] = ny * qz - nz * qy, nz * qx - nx * qz, nx * qy - ny * qx
        out[t, 24], out[t, 25], out[t, 26] = ny * rz - nz * ry, nz * rx - nx * rz, nx * ry - ny * rx


@inlined
def _ends(known, t, a, b, c):
    p, q, r = known[t, a], known[t, b], known[t, c]
    return min(p, min(q, r)), max(p, max(q, r))


@inlined
def _may_reach(known, t, reach, bz, by, bx):
    """Whether voxels of a brick may lie within reach of a triangle's plane."""
    half = np.float32(3.5)
    mx, my, mz = np.float32(bx * 8) + half, np.float32(by * 8) + half, np.float32(bz * 8) + half
    height = (mx - known[t, 0]) * known[t, 15] + (my - known[t, 1]) * known[t, 16] + (mz - known[t, 2]) * known[t, 17]
    return abs(height) <= reach + half * (abs(known[t, 15]) + abs(known[t, 16]) + abs(known[t, 17]))


@kernel
def _bin(known, reach, table, cursor, fill, members):
    """First pass: counts the triangles of each brick in the table. Second (fill): writes their numbers, ascending."""
    nz, ny, nx = table.shape
    over, seven = np.float32(0.125), np.float32(7.0)
    for t in range(known.shape[0]):
        lx, hx = _ends(known, t, 0, 27, 30)
        ly, hy = _ends(known, t, 1, 28, 31)
        lz, hz = _ends(known, t, 2, 29, 32)
        z0 = max(0, np.int32(math.ceil((lz - reach - seven) * over)))
        y0 = max(0, np.int32(math.ceil((ly - reach - seven) * over)))
        x0 = max(0, np.int32(math.ceil((lx - reach - seven) * over)))
        z1 = min(nz - 1, np.int32(math.floor((hz + reach) * over)))
        y1 = min(ny - 1, np.int32(math.floor((hy + reach) * over)))
        x1 = min(nx - 1, np.int32(math.floor((hx + reach) * over)))
        for z in range(z0, z1 + 1):
            for y in range(y0, y1 + 1):
                for x in range(x0, x1 + 1):
                    if not _may_reach(known, t, reach, z, y, x):
                        continue
                    if fill:
                        slot = table[z, y, x]
                        members[cursor[slot]] = t
                        cursor[slot] += 1
                    else:
                        table[z, y, x] += 1


@inlined
def _try_triangle(block, at, known, px, py, pz):
    """A triangle against sixteen voxels from `at` on. p: the first of them, from the triangle's first corner."""
    zero, one = np.float32(0.0), np.float32(1.0)
    (e00, e01, e02, e10, e11, e12, e20, e21, e22, k0, k1, k2) = known[:12]
    (nx, ny, nz, m00, m01, m02, m10, m11, m12, m20, m21, m22) = known[12:]
    for i in range(_LANES):
        j = np.int32(i)
        ax, ay, az = px + np.float32(j & np.int32(7)), py + np.float32(j >> np.int32(3)), pz
        bx, by, bz = ax - e00, ay - e01, az - e02
        cx, cy, cz = ax + e20, ay + e21, az + e22
        side0 = ax * m00 + ay * m01 + az * m02
        side1 = bx * m10 + by * m11 + bz * m12
        side2 = cx * m20 + cy * m21 + cz * m22
        height = ax * nx + ay * ny + az * nz
        w = (ax * e00 + ay * e01 + az * e02) * k0
        w = w if w > zero else zero
        w = w if w < one else one
        ux, uy, uz = ax - w * e00, ay - w * e01, az - w * e02
        first = ux * ux + uy * uy + uz * uz
        w = (bx * e10 + by * e11 + bz * e12) * k1
        w = w if w > zero else zero
        w = w if w < one else one
        ux, uy, uz = bx - w * e10, by - w * e11, bz - w * e12
        second = ux * ux + uy * uy + uz * uz
        w = (cx * e20 + cy * e21 + cz * e22) * k2
        w = w if w > zero else zero
        w = w if w < one else one
        ux, uy, uz = cx - w * e20, cy - w * e21, cz - w * e22
        third = ux * ux + uy * uy + uz * uz
        distance = first if first < second else second
        distance = distance if distance < third else third
        over_face = (side0 >= zero) & (side1 >= zero) & (side2 >= zero)
        distance = height * height if over_face else distance
        best = block[at + np.uint64(i)]
        block[at + np.uint64(i)] = distance if distance < best else best


@parallel_kernel
def _squared_distances(known, starts, members, where, reach, squared):
    zero, seven = np.float32(0.0), np.float32(7.0)
    for s in prange(where.shape[0]):
        block = np.full(512, np.float32(1e9))
        z0, y0, x0 = np.float32(where[s, 0] * 8), np.float32(where[s, 1] * 8), np.float32(where[s, 2] * 8)
        reach2 = reach * reach
        for q in range(starts[s], starts[s + 1]):
            t = np.uint64(members[q])
            ax, ay, az = known[t, 0], known[t, 1], known[t, 2]
            numbers = (
                known[t, 3], known[t, 4], known[t, 5], known[t, 6], known[t, 7], known[t, 8],
                known[t, 9], known[t, 10], known[t, 11], known[t, 12], known[t, 13], known[t, 14],
                known[t, 15], known[t, 16], known[t, 17], known[t, 18], known[t, 19], known[t, 20],
                known[t, 21], known[t, 22], known[t, 23], known[t, 24], known[t, 25], known[t, 26],
            )  # fmt: skip
            lx, hx = _ends(known, t, 0, 27, 30)
            ly, hy = _ends(known, t, 1, 28, 31)
            lz, hz = _ends(known, t, 2, 29, 32)
            dx = max(zero, max(lx - (x0 + seven), x0 - hx))
            px = x0 - ax
            for z in range(8):
                fz = z0 + np.float32(z)
                dz = max(zero, max(lz - fz, fz - hz))
                left = reach2 - dx * dx - dz * dz
                if left < zero:
                    continue
                for y in range(0, 8, _ROWS):
                    fy = y0 + np.float32(y)
                    dy = max(zero, max(ly - (fy + np.float32(_ROWS - 1)), fy - hy))
                    if left >= dy * dy:
                        _try_triangle(block, np.uint64((z * 8 + y) * 8), numbers, px, fy - ay, fz - az)
        for i in range(512):
            squared[s, i] = block[i]


@inlined
def _is_crossed(points, i, j, k, oy, oz, over, y, z):
    """Whether the row along x goes through a triangle: an odd number of edges lie to its right, each by one rule."""
    inside = False
    for e in range(3):
        a, b = (i, j) if e == 0 else ((j, k) if e == 1 else (k, i))
        if a > b:
            a, b = b, a
        ay, az = (points[a, 1] - oy) * over, (points[a, 2] - oz) * over
        by, bz = (points[b, 1] - oy) * over, (points[b, 2] - oz) * over
        if (az <= z) != (bz <= z) and ay + (z - az) * (by - ay) / (bz - az) > y:
            inside = not inside
    return inside


@kernel
def _crossings(points, triangles, ox, oy, oz, over, ny, nz, starts, fill, at, way):
    """Where rows along x cross triangles. First pass counts for each row; the second writes places and +1 (in) or -1 (out)."""
    for t in range(triangles.shape[0]):
        i, j, k = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        y0, y1, y2 = (points[i, 1] - oy) * over, (points[j, 1] - oy) * over, (points[k, 1] - oy) * over
        z0, z1, z2 = (points[i, 2] - oz) * over, (points[j, 2] - oz) * over, (points[k, 2] - oz) * over
        za, zb = max(0, math.ceil(min(z0, min(z1, z2)))), min(nz - 1, math.floor(max(z0, max(z1, z2))))
        ya, yb = max(0, math.ceil(min(y0, min(y1, y2)))), min(ny - 1, math.floor(max(y0, max(y1, y2))))
        if za > zb or ya > yb:
            continue
        area = (y1 - y0) * (z2 - z0) - (y2 - y0) * (z1 - z0)
        x0, x1, x2 = (points[i, 0] - ox) * over, (points[j, 0] - ox) * over, (points[k, 0] - ox) * over
        for z in range(za, zb + 1):
            for y in range(ya, yb + 1):
                if not _is_crossed(points, i, j, k, oy, oz, over, y, z):
                    continue
                row = z * ny + y
                if fill:
                    u = ((y - y0) * (z2 - z0) - (y2 - y0) * (z - z0)) / area
                    v = ((y1 - y0) * (z - z0) - (y - y0) * (z1 - z0)) / area
                    q = starts[row]
                    at[q] = x0 + u * (x1 - x0) + v * (x2 - x0)
                    way[q] = -1 if area > 0 else 1
                    starts[row] = q + 1
                else:
                    starts[row + 1] += 1


@inlined
def _sort_row(at, way, first, last):
    """The few crossings of a row, sorted where they stand."""
    for q in range(first + 1, last):
        place, turn = at[q], way[q]
        m = q - 1
        while m >= first and at[m] > place:
            at[m + 1], way[m + 1] = at[m], way[m]
            m -= 1
        at[m + 1], way[m + 1] = place, turn


@parallel_kernel
def _signed(starts, at, way, table, reach, squared, out, most):
    """Signs from winding numbers along rows. most: the highest of each row of bricks, 99 where a row does not end outside."""
    nz, ny, nx = table.shape
    for row in prange(nz * ny):
        bz, by = row // ny, row % ny
        highest = 0
        for cell in range(64):
            z, y = cell >> 3, cell & 7
            r = (bz * 8 + z) * (ny * 8) + by * 8 + y
            first, last = starts[r], starts[r + 1]
            _sort_row(at, way, first, last)
            winding, q = 0, first
            for bx in range(nx):
                slot = table[bz, by, bx]
                base = (z * 8 + y) * 8
                for x in range(8):
                    place = float(bx * 8 + x)
                    while q < last and at[q] <= place:
                        winding += way[q]
                        q += 1
                    if slot >= 0:
                        d = min(np.float32(math.sqrt(squared[slot, base + x])), reach)
                        out[slot, base + x] = -max(d, np.float32(1e-6)) if winding != 0 else d
                        highest = max(highest, abs(winding))
                    elif cell == 0 and x == 0:
                        # What lies between bricks is told by the first voxel of each.
                        table[bz, by, bx] = -2 if winding != 0 else -1
                    elif x == 0 and q == last:
                        break
            while q < last:
                winding += way[q]
                q += 1
            if winding != 0:
                highest = 99
        most[row] = highest


class Binned(NamedTuple):
    """Which triangles of a mesh have voxels of which bricks within reach.

    lattice, most: where the voxels lie, and how far is looked, voxels; known: what is known beforehand of each triangle; counts:
    int32 (z, y, x), how many each brick has.
    """

    lattice: Lattice
    most: float
    known: Floats
    counts: Indices

    @property
    def voxels(self) -> int:
        """How many voxels the bricks hold that have any."""
        return int(np.count_nonzero(self.counts)) * CELLS


class Voxelized(NamedTuple):
    """bricks: signed distances in voxels; winding: the highest winding number, 1 for parts that keep apart, 99 where rows do not
    end outside, so that the mesh is not closed."""

    bricks: Bricks
    winding: int


def binned(points: Floats, triangles: Indices, lattice: Lattice, most: float) -> Binned:
    """Which bricks of a lattice have voxels nearer to a mesh than so many voxels.

    points: float32 (n, 3), in the space of the lattice, scene units, all within it, with room; triangles: int32 (t, 3).
    """
    known = np.empty((len(triangles), _NUMBERS), np.float32)
    _prepare(read_only(points), read_only(triangles), *lattice.origin, 1.0 / lattice.size, known)
    counts = np.zeros(lattice.shape, np.int32)
    _bin(known, np.float32(most), counts, np.empty(0, np.int64), False, np.empty(0, np.int32))
    return Binned(lattice, most, known, counts)


def unsigned(bins: Binned) -> tuple[Indices, Indices, Floats]:
    """Squared distances in voxels to triangles, whatever they enclose: table (OUTSIDE elsewhere), where, float32 (slots, 512)."""
    counts = bins.counts
    near = counts > 0
    table, where = numbered(near, np.full(counts.shape, OUTSIDE, np.int32))
    starts = np.concatenate([[0], np.cumsum(counts[near], dtype=np.int64)])
    members = np.empty(int(starts[-1]), np.int32)
    reach = np.float32(bins.most)
    _bin(bins.known, reach, table, starts[:-1].copy(), True, members)
    squared = np.empty((len(where), CELLS), np.float32)
    _squared_distances(bins.known, starts, members, where, reach, squared)
    return table, where, squared


def voxelized(points: Floats, triangles: Indices, bins: Binned) -> Voxelized:
    """A closed mesh's signed distances within a band.

    Parameters
    ----------
    points : float32 (n, 3)
        In the space of the lattice, scene units.
    triangles : int32 (t, 3)
        Outwards counter-clockwise, or all inwards.
    bins : Binned
        Those of this very mesh: where the voxels lie, and half the width of the band.

    Returns
    -------
    Voxelized
        Distances cut off at the band.
    """
    lattice = bins.lattice
    table, where, squared = unsigned(bins)
    nz, ny, _ = lattice.shape
    rows = np.zeros(nz * EDGE * ny * EDGE + 1, np.int64)
    size = ny * EDGE, nz * EDGE
    mesh = read_only(points), read_only(triangles), *lattice.origin, 1.0 / lattice.size
    _crossings(*mesh, *size, rows, False, np.empty(0), np.empty(0, np.int8))
    np.cumsum(rows, out=rows)
    at, way = np.empty(int(rows[-1])), np.empty(int(rows[-1]), np.int8)
    _crossings(*mesh, *size, rows[:-1].copy(), True, at, way)
    highest = np.zeros(nz * ny, np.int8)
    values = np.empty_like(squared)
    _signed(rows, at, way, table, np.float32(bins.most), squared, values, highest)
    winding = int(highest.max()) if len(highest) else 0
    return Voxelized(Bricks(lattice, table, where, values, float(bins.most)), winding)
